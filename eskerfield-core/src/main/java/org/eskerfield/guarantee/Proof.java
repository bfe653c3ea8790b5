// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.List;
import org.eskerfield.model.Guarantee;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * Whether a guarantee holds.
 *
 * @param guarantee the guarantee
 * @param status whether it holds
 * @param reason why it does not hold, in a sentence; for one that holds, what was examined
 * @param example the packet that breaks it; null where there is none
 * @param packets all packets that break it, as they are sent, in words; often empty
 * @param assumptions what was taken for granted, a sentence each
 */
public record Proof(
    Guarantee guarantee,
    Status status,
    String reason,
    @Nullable Example example,
    List<String> packets,
    List<String> assumptions) {
  /** Whether a guarantee holds. */
  public enum Status {
    /** For all packets. */
    HOLDS("holds"),
    /** A packet breaks it while nothing else goes on. */
    BROKEN("broken"),
    /** A packet breaks it once other traffic has gone before. */
    HOLDS_UNTIL("holds until"),
    /** Sender and receiver meet on one network, where no device decides. */
    NOT_DECIDED("not decided by any device"),
    /** The guarantee speaks of nobody. */
    HOLDS_FOR_NOTHING("holds for nothing"),
    /** No proof and no packet against it was found. */
    UNDETERMINED("undetermined");

    private final String text;

    Status(String text) {
      this.text = text;
    }

    @Override
    public String toString() {
      return text;
    }
  }

  /**
   * A packet against a guarantee, as it went.
   *
   * @param before the traffic that has to go before, traced in the same run; empty if none has to
   * @param trace the packet
   * @param senders how many addresses of the senders' own networks can send such packets; 0 where
   *     only forged ones do
   */
  public record Example(List<Trace> before, Trace trace, long senders) {
    /** Copies the list. */
    public Example {
      before = List.copyOf(before);
    }
  }

  /** Copies the lists. */
  public Proof {
    packets = List.copyOf(packets);
    assumptions = List.copyOf(assumptions);
  }

  /** Whether it holds, and for something. */
  public boolean holds() {
    return status == Status.HOLDS;
  }
}
