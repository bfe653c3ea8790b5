// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.List;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Size;
import org.jspecify.annotations.Nullable;

/**
 * Full segments of an open connection, one each way.
 *
 * <p>Idea: whoever has much to send fills its segments as far as its own link and the other end
 * allow, and learns from notices that they must be smaller (RFC 1191, RFC 8201). Where a notice
 * does not come back, it sends again and again what nobody will ever get.
 */
final class FullSegments {
  private final Exchange exchange;
  private final List<Segment> story;

  FullSegments(Exchange exchange, List<Segment> story) {
    this.exchange = exchange;
    this.story = story;
  }

  /** Sends them; null if both arrive in the end, else why one does not. */
  @Nullable String send() {
    String lost = send(false);
    return lost == null ? send(true) : lost;
  }

  private @Nullable String send(boolean asReply) {
    Sizes sizes = exchange.sizes;
    Size size = Size.of(exchange.fullSegment(asReply), sizes.mayFragment());
    while (true) {
      String lost = exchange.tell("full segment", Packet.ACK, asReply, size, story);
      if (lost == null) {
        Passed before = sizes.passed;
        sizes.passed =
            asReply && before != null
                ? new Passed(before.there(), size.length())
                : new Passed(size.length(), 0);
        return null;
      }
      int segments = story.size();
      boolean tooLarge = exchange.last() == Ruling.TOO_LARGE;
      if (tooLarge) {
        exchange.tellTooLarge(asReply, story);
      }
      if (!tooLarge || !sizes.isToBeSmaller(size)) {
        return story.size() == segments
            ? lost
            : lost
                + "; the notice of that is lost: "
                + exchange.sentence(story.get(segments).legs());
      }
      size = Size.of(sizes.told, sizes.mayFragment());
    }
  }
}
