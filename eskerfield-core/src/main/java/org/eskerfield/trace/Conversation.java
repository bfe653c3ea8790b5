// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Size;
import org.jspecify.annotations.Nullable;

/**
 * The course of an attempt, from the lookup of a name to the last packet.
 *
 * @param attempt the attempt
 * @param lookup the lookup of the name; null where none was needed
 * @param opening the first packet and its reply; null if no address was found to send it to
 * @param segments every packet after the lookup in order; empty if there was none
 * @param transfer the data connection of a file transfer; null in every other conversation
 * @param passed the largest packets that got through; null where no size was asked for
 * @param outcome how it ended
 * @param reason why, in one sentence
 * @param notThere the devices that no packet of it passed, in the order of the file
 * @param held the hosts of it that go by a lease from before a change; often empty
 * @param hints conclusions that the outcome does not allow; often empty
 */
public record Conversation(
    Attempt attempt,
    @Nullable Lookup lookup,
    @Nullable Trace opening,
    List<Segment> segments,
    @Nullable FileTransfer transfer,
    @Nullable Passed passed,
    Outcome outcome,
    String reason,
    List<String> notThere,
    List<String> held,
    List<String> hints) {
  /** Copies the lists. */
  public Conversation {
    segments = List.copyOf(segments);
    notThere = List.copyOf(notThere);
    held = List.copyOf(held);
    hints = List.copyOf(hints);
  }

  /** The same with one hint more. */
  Conversation withHint(String hint) {
    List<String> more = new ArrayList<>(hints);
    more.add(hint);
    return new Conversation(
        attempt, lookup, opening, segments, transfer, passed, outcome, reason, notThere, held,
        more);
  }

  /** As {@code passed}, on a site that says nothing of sizes as large as Ethernet has them. */
  public @Nullable Passed passedOrUsual() {
    boolean all = outcome == Outcome.ANSWERED && attempt.probe().length() == 0;
    return passed != null || !all ? passed : new Passed(Size.USUAL_MTU, Size.USUAL_MTU);
  }

  /** Whether a host or device of that name received it, and answered. */
  public boolean isAnsweredBy(String name) {
    Endpoint to = opening == null ? null : opening.deliveredTo();
    return outcome == Outcome.ANSWERED && to != null && to.isCalled(name);
  }

  /** The packets after the last one that arrived: what ended a connection that was open. */
  public List<Segment> lost() {
    int from = segments.size();
    while (from > 0 && !segments.get(from - 1).delivered()) {
      from--;
    }
    return segments.subList(from, segments.size());
  }

  /** The rule, list, route or interface that decided the outcome; null where none did. */
  public @Nullable Placed decidedBy() {
    Trace trace = deciding();
    List<Segment> lost = lost();
    return trace != null && trace.outcome() == Outcome.ANSWERED && outcome != Outcome.ANSWERED
        ? lost.isEmpty() ? null : Leg.last(lost.get(lost.size() - 1).legs()).by()
        : trace == null ? null : trace.decidedBy();
  }

  /**
   * The trace that decided the outcome: that of the lookup, of the opening, or of the data
   * connection; null if nothing was sent.
   */
  public @Nullable Trace deciding() {
    if (opening == null) {
      return lookup == null ? null : lookup.trace();
    }
    Trace data = transfer == null ? null : transfer.data();
    return data != null && data.outcome() != Outcome.ANSWERED ? data : opening;
  }
}
