package org.eskerfield.model;

import java.time.Duration;
import java.util.Locale;

/**
 * How a device keeps state.
 *
 * @param udp how long a UDP session lives without being refreshed (RFC 4787 REQ-5)
 * @param tcpEstablished the same for TCP between handshake and close (RFC 5382 REQ-5)
 * @param tcpTransitory the same for TCP while it opens or closes (RFC 5382 REQ-5)
 * @param icmp the same for ICMP queries (RFC 5508 REQ-2)
 * @param other the same for other protocols, which no RFC names
 * @param filtering whom a temporary binding lets in (RFC 4787 section 5)
 * @param inboundRefreshes whether packets from outside refresh a session too (RFC 4787 REQ-6)
 * @param portsPerSource the most external ports that one internal address may have at once per
 *     protocol (RFC 6888 REQ-4); 0 for no limit
 */
public record StateSettings(
    Duration udp,
    Duration tcpEstablished,
    Duration tcpTransitory,
    Duration icmp,
    Duration other,
    Filtering filtering,
    boolean inboundRefreshes,
    int portsPerSource) {
  /** Whom a temporary binding lets in. */
  public enum Filtering {
    /** Everybody. */
    ENDPOINT_INDEPENDENT,
    /** Addresses that the internal endpoint speaks to. */
    ADDRESS_DEPENDENT,
    /** Addresses and ports that the internal endpoint speaks to, so only replies. */
    ADDRESS_AND_PORT_DEPENDENT;

    /** The word of the site file, and of the RFC. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT).replace('_', '-');
    }
  }

  /** What the RFCs recommend, and their minimum where they recommend nothing. */
  public static final StateSettings OF_THE_RFCS =
      new StateSettings(
          Duration.ofMinutes(5),
          Duration.ofHours(2).plusMinutes(4),
          Duration.ofMinutes(4),
          Duration.ofSeconds(60),
          Duration.ofMinutes(5),
          Filtering.ADDRESS_DEPENDENT,
          false,
          0);
}
