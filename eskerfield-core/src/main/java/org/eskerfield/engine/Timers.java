package org.eskerfield.engine;

import java.time.Duration;

/**
 * How long a session lives without being refreshed.
 *
 * @param udp UDP: RFC 4787 REQ-5, recommended 5 minutes
 * @param tcpEstablished TCP after the handshake: RFC 5382 REQ-5, at least 2 hours 4 minutes
 * @param tcpTransitory TCP while it opens or closes: RFC 5382 REQ-5, at least 4 minutes
 * @param icmpQuery ICMP queries: RFC 5508 REQ-2, at least 60 seconds
 * @param other protocols without ports, which no RFC names; as UDP
 */
public record Timers(
    Duration udp,
    Duration tcpEstablished,
    Duration tcpTransitory,
    Duration icmpQuery,
    Duration other) {
  /** The recommendations of the RFCs, and their minimum where they recommend none. */
  public static final Timers OF_THE_RFCS =
      new Timers(
          Duration.ofMinutes(5),
          Duration.ofHours(2).plusMinutes(4),
          Duration.ofMinutes(4),
          Duration.ofSeconds(60),
          Duration.ofMinutes(5));
}
