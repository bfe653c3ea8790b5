// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

/** As what a packet is asked about. */
enum Seen {
  /** As it is now. */
  NOW,
  /** With the destination as it was sent to the device, before step 2. */
  AS_SENT,
  /** Not the packet, an ICMP error, but the answer to the packet inside it. */
  INNER_ANSWERED
}
