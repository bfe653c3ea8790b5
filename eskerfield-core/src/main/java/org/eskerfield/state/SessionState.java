// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.EnumSet;
import java.util.Set;
import org.eskerfield.packet.Packet;

/**
 * How far a session is, as the bits of a number: the life of a TCP connection (RFC 5382 section
 * 2.1, seen from between its ends), which side refreshes, what is noted beside it, and above {@link
 * #IDLE_SHIFT} the number of its idle time.
 */
final class SessionState {
  private static final int OPENING = 0;
  private static final int ANSWERED = 1;
  private static final int ESTABLISHED = 2;
  private static final int CLOSING = 3;

  private static final int TCP = 3;
  private static final int FIN_FROM_OPENER = 1 << 2;
  private static final int FIN_FROM_OTHER = 1 << 3;
  private static final int BOTH_FINS = FIN_FROM_OPENER | FIN_FROM_OTHER;

  /** Packets of the opener refresh. */
  static final int OPENER = 1 << 4;

  /** Packets of the other side refresh. */
  static final int OTHER = 1 << 5;

  /** Packets of either side refresh. */
  static final int EITHER = OPENER | OTHER;

  /** A reset came, and no segment since that shows that both ends talk on. */
  private static final int RESET = 1 << 6;

  /** The first of two bits: whether the endpoints of a session are counted as used. */
  static final int COUNTED = 1 << 7;

  /** The session is no more than expected: a data connection that was announced. */
  static final int EXPECTED = 1 << 9;

  /** Where the number of the idle time begins. */
  static final int IDLE_SHIFT = 10;

  /** How many bits there are. */
  static final int BITS = 20;

  /** What no segment of TCP changes. */
  private static final int KEPT = EITHER | COUNTED | COUNTED << 1 | EXPECTED;

  private SessionState() {}

  /** The number of the idle time. */
  static int idle(int state) {
    return state >>> IDLE_SHIFT;
  }

  /** Whether a TCP connection is established, so that the longer time counts. */
  static boolean isOpen(int state) {
    return (state & TCP) == ESTABLISHED;
  }

  /** Whether a TCP connection is over, so that its opener may begin anew: two FINs, or a reset. */
  static boolean isOver(int state) {
    return (state & BOTH_FINS) == BOTH_FINS || isReset(state);
  }

  private static boolean isReset(int state) {
    return (state & RESET) != 0;
  }

  /** Whether packets of a direction refresh; the bits of both directions lie side by side. */
  static boolean refreshes(int state, int direction) {
    return (state >> (direction & 1) & OPENER) != 0;
  }

  /** After a segment of TCP that leaves; the idle time stays that of before. */
  static int after(int state, int flags, boolean asReply) {
    if ((flags & Packet.RST) != 0) {
      return state | RESET;
    }
    int tcp = state & TCP;
    int fins = state & BOTH_FINS;
    boolean syn = (flags & Packet.SYN) != 0;
    boolean ack = (flags & Packet.ACK) != 0;
    if (tcp == OPENING && syn && asReply) {
      tcp = ANSWERED; // with ACK, or a simultaneous open (RFC 5382 REQ-2)
    } else if (tcp == ANSWERED && ack && !asReply) {
      tcp = ESTABLISHED;
    }
    if ((flags & Packet.FIN) != 0) {
      fins |= asReply ? FIN_FROM_OTHER : FIN_FROM_OPENER;
      tcp = fins == BOTH_FINS ? CLOSING : tcp;
    }
    return tcp | fins | (state & KEPT) | idle(state) << IDLE_SHIFT;
  }

  /** The same, as that of a TCP connection that was met in its middle. */
  static int established(int state) {
    return (state & KEPT) | ESTABLISHED | idle(state) << IDLE_SHIFT;
  }

  /** The same with another idle time. */
  static int withIdle(int state, int number) {
    return (state & ((1 << IDLE_SHIFT) - 1)) | (number << IDLE_SHIFT);
  }

  /** What is told of a state, but for its idle time. */
  static Set<DeviceSnapshot.Mark> marks(int state) {
    Set<DeviceSnapshot.Mark> marks = EnumSet.noneOf(DeviceSnapshot.Mark.class);
    for (DeviceSnapshot.Mark mark : DeviceSnapshot.Mark.values()) {
      boolean stands =
          switch (mark) {
            case ANSWERED, ESTABLISHED, CLOSING -> (state & TCP) == bits(mark);
            default -> (state & bits(mark)) != 0;
          };
      if (stands) {
        marks.add(mark);
      }
    }
    return marks;
  }

  /** The state that is told so, without an idle time. */
  static int of(Set<DeviceSnapshot.Mark> marks) {
    int state = 0;
    for (DeviceSnapshot.Mark mark : marks) {
      state |= bits(mark);
    }
    return state;
  }

  private static int bits(DeviceSnapshot.Mark mark) {
    return switch (mark) {
      case ANSWERED -> ANSWERED;
      case ESTABLISHED -> ESTABLISHED;
      case CLOSING -> CLOSING;
      case FIN_FROM_OPENER -> FIN_FROM_OPENER;
      case FIN_FROM_OTHER -> FIN_FROM_OTHER;
      case RESET -> RESET;
      case OPENER_REFRESHES -> OPENER;
      case OTHER_REFRESHES -> OTHER;
      case EXPECTED -> EXPECTED;
    };
  }
}
