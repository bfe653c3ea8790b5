// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.List;
import org.eskerfield.packet.Header;

/**
 * One packet of a run, from who sends it to where it ends, as {@link Run#watch} tells of it.
 *
 * @param at when it is sent; hops take no time
 * @param question what it belongs to: the packets of one connection have equal questions
 * @param what the kind of packet: {@code SYN}, {@code echo reply}, {@code notice}
 * @param isReply whether it goes back to the client
 * @param arrived whether it was delivered
 * @param legs its path; at least one
 */
public record Transit(
    ZonedDateTime at,
    Question question,
    String what,
    boolean isReply,
    boolean arrived,
    List<Leg> legs) {
  /** Copies the legs. */
  public Transit {
    legs = List.copyOf(legs);
  }

  /** The header with which it was sent. */
  public Header sent() {
    return legs.get(0).decisions().get(0).before();
  }

  /** The last that was decided about it. */
  public Decision end() {
    return Leg.last(legs);
  }
}
