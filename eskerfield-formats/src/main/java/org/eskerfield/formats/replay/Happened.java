// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.replay;

import java.time.Duration;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * An event of a replay, as it is told.
 *
 * @param at the time since the start
 * @param trace the path of the packet; null where none was sent
 * @param word the outcome, or the kind of incident
 * @param text the event in one sentence
 * @param part what it adds to a flow; null where that is not known
 */
public record Happened(
    Duration at, @Nullable Trace trace, String word, String text, @Nullable FlowPart part) {
  /** An event that adds nothing to a flow of which anything is known. */
  public Happened(Duration at, @Nullable Trace trace, String word, String text) {
    this(at, trace, word, text, null);
  }

  static Happened of(Duration at, Trace trace, String text) {
    return new Happened(at, trace, trace.outcome().toString(), text);
  }

  Happened with(FlowPart added) {
    return new Happened(at, trace, word, text, added);
  }

  /** Whether it only goes on with a flow that was told of, and nothing is to be said. */
  public boolean isMore() {
    return part != null && !part.begins() && trace == null;
  }

  /** The path of the first packet of a flow; null where it begins none. */
  public @Nullable Trace begun() {
    return part == null || part.begins() ? trace : null;
  }
}
