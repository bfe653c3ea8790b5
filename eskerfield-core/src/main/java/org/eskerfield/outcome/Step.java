// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.outcome;

import java.util.Locale;

/**
 * The steps of a packet's way: at its ends, across networks, and through a device in this order.
 */
public enum Step {
  /** A host or device puts the packet on its way. */
  SEND,
  /** Step 0 of a device: the packet comes in. */
  ARRIVE,
  /** Step 1: is it part of something known? */
  STATE,
  /** Step 2: the destination side of translation. */
  DESTINATION,
  /** Step 3: is it for the device itself? */
  DEVICE,
  /** Step 4: the hop count and the route. */
  ROUTE,
  /** Step 5: the rule lists. */
  ACCESS,
  /** Step 6: the source side of translation. */
  SOURCE,
  /** Whether it fits where it leaves; of a host and of the internet, too. */
  SIZE,
  /** Step 7: what is remembered. */
  SESSION,
  /** The internet between the carriers' links. */
  CARRY,
  /** A host receives the packet. */
  RECEIVE;

  /** The word in lower case. */
  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT);
  }
}
