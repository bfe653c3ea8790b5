// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.List;

/**
 * A packet of a conversation.
 *
 * @param what the kind of segment: {@code SYN}, {@code response}
 * @param isReply whether it goes back to the client
 * @param delivered whether it arrived
 * @param legs its path
 */
public record Segment(String what, boolean isReply, boolean delivered, List<Leg> legs) {
  /** Copies the legs. */
  public Segment {
    legs = List.copyOf(legs);
  }
}
