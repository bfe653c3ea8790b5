// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.List;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Trace;

/**
 * Packets whose fate changes in the same way.
 *
 * @param packets all of them, as they are sent
 * @param before the path of one of them on the old site
 * @param after the path of the same packet on the new site
 * @param rulesBefore the rules and lists that decided on the old site, each with its device
 * @param rulesAfter those that decide on the new site
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

  /** The same change of some of its packets only. */
  public ChangedFate of(PacketSet some) {
    return new ChangedFate(some, before, after, rulesBefore, rulesAfter);
  }

  /** The gravest change. */
  public Kind kind() {
    return kind(before, after);
  }

  /** What changes most from one way of a packet to another. */
  public static Kind kind(Trace before, Trace after) {
    boolean was = before.outcome() == Outcome.ANSWERED;
    boolean is = after.outcome() == Outcome.ANSWERED;
    if (was != is) {
      return is ? Kind.OPENED : Kind.SHUT;
    }
    Endpoint then = before.deliveredTo();
    Endpoint now = after.deliveredTo();
    if (then == null && now != null) {
      return Kind.REACHED;
    }
    if (then != null && now != null && !at(then).equals(at(now))) {
      return Kind.OTHER_RECEIVER;
    }
    if (before.outcome() != after.outcome()) {
      return Kind.OTHER_END;
    }
    Endpoint seen = before.seenAs();
    boolean other =
        seen != null && after.seenAs() != null && !seen.address().equals(after.seenAs().address());
    return other ? Kind.OTHER_LOOK : Kind.OTHER_WAY;
  }

  private static String at(Endpoint end) {
    return end.address() + " " + end.port();
  }

  /** Kinds of changes, the one that hurts most first. */
  public enum Kind {
    /** Was answered, and is not any more. */
    SHUT("no longer answered"),
    /** Was not answered, and is now. */
    OPENED("newly answered"),
    /** Reached nobody, and reaches somebody now, who does not answer it. */
    REACHED("newly reaches a host, which does not answer"),
    /** Somebody else gets it, or another service of him. */
    OTHER_RECEIVER("other receiver"),
    /** Is answered neither before nor after, but ends otherwise. */
    OTHER_END("ends otherwise"),
    /** Reaches the same, who sees its sender as somebody else. */
    OTHER_LOOK("other source as seen"),
    /** Ends as before, but by other rules. */
    OTHER_WAY("same end, decided by other rules");

    private final String text;

    Kind(String text) {
      this.text = text;
    }

    /** The meaning in a few words. */
    public String text() {
      return text;
    }
  }
}
