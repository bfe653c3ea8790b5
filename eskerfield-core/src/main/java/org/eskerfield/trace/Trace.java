// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.List;
import java.util.stream.Stream;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Outcome;
import org.jspecify.annotations.Nullable;

/**
 * The way of a packet, there and back.
 *
 * @param question the question
 * @param outcome how it ended
 * @param reason why, in one sentence without the place in the file
 * @param decidedBy the rule, list, route or interface that decided the outcome, or null
 * @param deliveredTo the receiver of the request; null if it was not delivered
 * @param seenAs the sender as seen by the receiver; null if the request was not delivered
 * @param request the legs of the request; at least one
 * @param reply the legs of the reply; empty if there was none
 */
public record Trace(
    Question question,
    Outcome outcome,
    String reason,
    @Nullable Placed decidedBy,
    @Nullable Endpoint deliveredTo,
    @Nullable Endpoint seenAs,
    List<Leg> request,
    List<Leg> reply) {
  /** Copies the lists. */
  public Trace {
    request = List.copyOf(request);
    reply = List.copyOf(reply);
  }

  /** The legs of the request, and then those of the reply. */
  public List<Leg> legs() {
    return Stream.concat(request.stream(), reply.stream()).toList();
  }

  /**
   * Whether the packet left its sender, who hears nothing that settles it; TCP sends a SYN again
   * then, see {@link Run#RETRIES}. A notice that is no refusal settles nothing (RFC 1122 section
   * 4.2.3, ICMP messages).
   */
  public boolean isUnheard() {
    boolean left = request.size() > 1;
    return left && outcome != Outcome.REFUSED && outcome != Outcome.ANSWERED;
  }
}
