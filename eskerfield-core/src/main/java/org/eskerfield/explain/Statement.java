// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.explain;

import org.eskerfield.model.Noted;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * One thing that a device does, in a sentence.
 *
 * @param number its number within its section, from 1
 * @param of the rule, list, route, service, interface or stance of the file
 * @param name what it is called; empty for what has no name
 * @param sentence what it does, names resolved
 * @param example a packet that shows it; null where no packet of the site comes to it
 */
public record Statement(
    int number, Placed of, String name, String sentence, @Nullable Example example) {
  /** The note that the file has of it; null for none. */
  public @Nullable String note() {
    return of instanceof Noted noted ? noted.note() : null;
  }

  /**
   * A packet of somebody of the site about which the statement decided.
   *
   * @param trace its whole way
   * @param decision the decision, with the header before and after it
   */
  public record Example(Trace trace, Decision decision) {
    /** The packet as it arrived where the decision was made: as it is on the wire. */
    public Header arrived() {
      for (Leg leg : trace.legs()) {
        if (leg.decisions().contains(decision)) {
          return leg.decisions().get(0).before();
        }
      }
      return decision.before();
    }

    /** The packet in words: how it came, what it became or what was done, and how it ended. */
    public String sentence() {
      String came = arrived().line();
      boolean changed = !came.equals(decision.after().line());
      String sender = trace.question().sender().name();
      boolean named = !sender.equals(trace.question().source().toString());
      return (named ? "from " + sender + ": " : "")
          + came
          + (changed ? " becomes " + decision.after().line() : "")
          + (trace.outcome() == Outcome.ANSWERED ? "" : "; " + decision.text())
          + "; result: "
          + trace.outcome();
    }
  }
}
