// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.outcome;

import java.util.Locale;

/** How a packet or conversation ends. */
public enum Outcome {
  /** The receiver got it, and the sender got the reply. */
  ANSWERED,
  /** The receiver has nothing that listens, or a rule rejected the packet; the sender was told. */
  REFUSED,
  /** A rule, a default or missing state ended it without a word. */
  DROPPED,
  /** A pool or its ports were used up. */
  EXHAUSTED,
  /** No way leads there: no route, interface down, thrown away by the carrier, hop limit. */
  UNROUTABLE,
  /** The packet arrived, but the reply was lost or not accepted. */
  UNANSWERED;

  /** The word in lower case. */
  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT);
  }
}
