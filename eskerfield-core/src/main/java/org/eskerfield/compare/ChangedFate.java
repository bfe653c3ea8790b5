// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.List;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Trace;

/**
 * Packets whose fate changes in the same way.
 *
 * @param packets all of them, as they are sent
 * @param before the way of one of them on the old site
 * @param after the way of the same one on the new site
 * @param rulesBefore what decided about it on the old site, with the device
 * @param rulesAfter what decides on the new site
 */
public record ChangedFate(
    PacketSet packets,
    Trace before,
    Trace after,
    List<String> rulesBefore,
    List<String> rulesAfter) {
  /** Copies the lists. */
  public ChangedFate {
    rulesBefore = List.copyOf(rulesBefore);
    rulesAfter = List.copyOf(rulesAfter);
  }

  /** What changes most: whether it is answered, the outcome, or only the way to it. */
  public Kind kind() {
    boolean was = before.outcome() == Outcome.ANSWERED;
    boolean is = after.outcome() == Outcome.ANSWERED;
    if (was != is) {
      return is ? Kind.OPENED : Kind.SHUT;
    }
    return before.outcome() == after.outcome() ? Kind.OTHER_WAY : Kind.OTHER_END;
  }

  /** Kinds of changes, the gravest first. */
  public enum Kind {
    /** Was not answered, and is now. */
    OPENED("answered from now on"),
    /** Was answered, and is not any more. */
    SHUT("not answered any more"),
    /** Is answered neither before nor after, but ends otherwise. */
    OTHER_END("ends otherwise"),
    /** Ends as before, but by other rules, elsewhere, or seen as somebody else. */
    OTHER_WAY("ends as before, by another way");

    private final String text;

    Kind(String text) {
      this.text = text;
    }

    /** What it means, in a few words. */
    public String text() {
      return text;
    }
  }
}
