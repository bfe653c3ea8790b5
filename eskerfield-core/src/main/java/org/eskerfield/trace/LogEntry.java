// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.Locale;
import org.eskerfield.model.AccessList;
import org.eskerfield.outcome.Outcome;
import org.jspecify.annotations.Nullable;

/**
 * A line of the log: a decision whose rule asks for it, or the notice that a pool or its ports are
 * used up (RFC 6888 section 4).
 *
 * @param at the moment
 * @param device the device
 * @param list the list of the rule; null where it was none's
 * @param decision what was decided, by which rule, about which packet
 */
public record LogEntry(
    ZonedDateTime at, String device, @Nullable AccessList list, Decision decision) {
  /** The actions that are logged. */
  public enum Done {
    /** The packet was let through. */
    ACCEPTED,
    /** The packet was dropped silently. */
    DROPPED,
    /** The packet was dropped, and the sender was told. */
    REJECTED,
    /** There was no address or port left for it. */
    EXHAUSTED;

    /** In lower case. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /** The action. */
  public Done done() {
    Outcome outcome = decision.ruling().ends();
    if (outcome == null) {
      return Done.ACCEPTED;
    }
    return switch (outcome) {
      case EXHAUSTED -> Done.EXHAUSTED;
      case REFUSED -> Done.REJECTED;
      default -> Done.DROPPED;
    };
  }
}
