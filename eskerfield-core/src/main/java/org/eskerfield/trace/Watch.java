// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.Duration;
import java.util.List;
import java.util.function.Consumer;
import org.eskerfield.state.VirtualClock;

/** Who watches the packets of a run, and the clock by which senders wait. */
final class Watch {
  private final VirtualClock clock;
  private final Consumer<Transit> reader;
  private final boolean waits;

  Watch(VirtualClock clock, Consumer<Transit> reader, boolean waits) {
    this.clock = clock;
    this.reader = reader;
    this.waits = waits;
  }

  /** Whether time may pass while somebody waits for an answer. */
  boolean waits() {
    return waits;
  }

  void wait(Duration time) {
    clock.advance(time);
  }

  void saw(Question question, String what, boolean isReply, boolean arrived, List<Leg> legs) {
    reader.accept(new Transit(clock.now(), question, what, isReply, arrived, legs));
  }
}
