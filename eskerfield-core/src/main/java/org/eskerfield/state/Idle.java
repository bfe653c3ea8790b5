// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.eskerfield.model.StateSettings;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * How long sessions live without being refreshed, by number: that of the settings they are under
 * and of the kind of session.
 */
final class Idle {
  /** How many kinds of session there are: UDP, open TCP, other TCP, ICMP, others. */
  private static final int KINDS = 5;

  private static final int UDP = 0;
  private static final int TCP_ESTABLISHED = 1;
  private static final int TCP_TRANSITORY = 2;
  private static final int ICMP = 3;
  private static final int OTHER = 4;

  /** How many numbers there may be. */
  private static final int MOST = 1024;

  private final List<StateSettings.Timers> settings = new ArrayList<>();
  private long[] millis = new long[0];
  private StateSettings.@Nullable Timers last;
  private int lastNumber;

  /** The number of some times; equal ones have the same. Those beyond 204 count as the first. */
  @SuppressWarnings("ReferenceEquality") // the same object as before, mostly: no need to compare
  int settings(StateSettings.Timers times) {
    if (times == last) {
      return lastNumber;
    }
    int known = settings.indexOf(times);
    if (known < 0 && (settings.size() + 1) * KINDS <= MOST) {
      known = settings.size();
      settings.add(times);
      millis = Arrays.copyOf(millis, KINDS * (known + 1));
      millis[KINDS * known + UDP] = times.udp().toMillis();
      millis[KINDS * known + TCP_ESTABLISHED] = times.tcpEstablished().toMillis();
      millis[KINDS * known + TCP_TRANSITORY] = times.tcpTransitory().toMillis();
      millis[KINDS * known + ICMP] = times.icmp().toMillis();
      millis[KINDS * known + OTHER] = times.other().toMillis();
    }
    last = times;
    lastNumber = Math.max(0, known);
    return lastNumber;
  }

  /** The times that a number is of. */
  StateSettings.Timers timers(int number) {
    return settings.get(number / KINDS);
  }

  /** The number of the time of a new session under some settings. */
  int numberFor(int settings, int protocol) {
    int kind =
        switch (protocol) {
          case Protocol.UDP -> UDP;
          case Protocol.TCP -> TCP_TRANSITORY;
          case Protocol.ICMP, Protocol.ICMPV6 -> ICMP;
          default -> OTHER;
        };
    return KINDS * settings + kind;
  }

  /** The number of the time of a TCP session, open or not. */
  int numberForTcp(int before, boolean established) {
    return before / KINDS * KINDS + (established ? TCP_ESTABLISHED : TCP_TRANSITORY);
  }

  /** The milliseconds of a number. */
  long millis(int number) {
    return millis[number];
  }
}
