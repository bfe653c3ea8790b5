package org.eskerfield.engine;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.eskerfield.model.StateSettings;
import org.eskerfield.packet.Protocol;

/**
 * How long sessions live without being refreshed, by number: that of the settings they are under.
 */
final class Idle {
  private static final int CLASSES = 5;
  private static final int MOST = 256;

  private final List<StateSettings> settings = new ArrayList<>();
  private long[] millis = new long[CLASSES];
  private boolean[] inbound = new boolean[1];

  /**
   * The number of some settings; the same for equal ones. Beyond 256 different ones, that of the
   * first.
   */
  int number(StateSettings wanted) {
    int known = settings.indexOf(wanted);
    if (known >= 0 || settings.size() == MOST) {
      return Math.max(0, known);
    }
    int number = settings.size();
    settings.add(wanted);
    StateSettings.Timers times = wanted.timers();
    millis = Arrays.copyOf(millis, CLASSES * (number + 1));
    inbound = Arrays.copyOf(inbound, number + 1);
    millis[CLASSES * number] = times.udp().toMillis();
    millis[CLASSES * number + 1] = times.tcpEstablished().toMillis();
    millis[CLASSES * number + 2] = times.tcpTransitory().toMillis();
    millis[CLASSES * number + 3] = times.icmp().toMillis();
    millis[CLASSES * number + 4] = times.other().toMillis();
    inbound[number] = wanted.inboundRefreshes();
    return number;
  }

  /** The milliseconds under some settings. */
  long of(int number, int protocol, boolean established) {
    int at = CLASSES * number;
    return switch (protocol) {
      case Protocol.UDP -> millis[at];
      case Protocol.TCP -> millis[established ? at + 1 : at + 2];
      case Protocol.ICMP, Protocol.ICMPV6 -> millis[at + 3];
      default -> millis[at + 4];
    };
  }

  boolean inboundRefreshes(int number) {
    return inbound[number];
  }
}
