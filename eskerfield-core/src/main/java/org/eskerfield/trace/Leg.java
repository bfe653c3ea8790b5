// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.List;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.jspecify.annotations.Nullable;

/**
 * The decisions about a packet at one host or device, or on the internet.
 *
 * @param where the name of the host or device, or {@code the internet}
 * @param kind the kind of node
 * @param arriving the interface of a device by which the packet came, or null
 * @param leaving the interface of a device by which it left, or null
 * @param decisions in the order in which they were made; at least one
 */
public record Leg(
    String where,
    Kind kind,
    @Nullable Interface arriving,
    @Nullable Interface leaving,
    List<Decision> decisions) {
  /** The kinds of places that a packet passes. */
  public enum Kind {
    /** An end system. */
    HOST,
    /** A router or firewall. */
    DEVICE,
    /** The internet between hosts and carrier links. */
    INTERNET
  }

  /** Copies the list. */
  public Leg {
    decisions = List.copyOf(decisions);
  }

  /** The last decision about a packet. */
  public static Decision last(List<Leg> passed) {
    List<Decision> decisions = passed.get(passed.size() - 1).decisions();
    return decisions.get(decisions.size() - 1);
  }

  /** What decided: the last decision if it ended the packet, else the rule that let it in. */
  static @Nullable Placed decidedBy(List<Leg> passed) {
    if (last(passed).ruling().ends() != null) {
      return last(passed).by();
    }
    Placed by = null;
    for (Leg leg : passed) {
      for (Decision decision : leg.decisions) {
        switch (decision.ruling()) {
          case DESTINATION_TRANSLATED, SOURCE_TRANSLATED, ADMITTED, ACCEPTED_BY_RULE ->
              by = decision.by();
          default -> {}
        }
      }
    }
    return by;
  }
}
