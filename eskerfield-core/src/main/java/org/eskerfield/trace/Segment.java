// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.List;

/**
 * A packet of a conversation.
 *
 * @param what what it is: {@code SYN}, {@code response}
 * @param isReply whether it goes back to who began
 * @param delivered whether it got to who waits for it
 * @param legs its way
 */
public record Segment(String what, boolean isReply, boolean delivered, List<Leg> legs) {
  /** Copies the legs. */
  public Segment {
    legs = List.copyOf(legs);
  }
}
