// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.time.Duration;
import java.util.Locale;
import org.eskerfield.packet.PortSet;

/**
 * How a device keeps state. What the RFCs recommend, or their minimum where they recommend nothing,
 * is {@link #OF_THE_RFCS}.
 *
 * @param timers how long sessions live without being refreshed
 * @param mapping for which remote ends a binding is used again (RFC 4787 section 4.1)
 * @param filtering which remote ends a temporary binding lets in (RFC 4787 section 5)
 * @param pooling whether a source stays with one external address (RFC 4787 REQ-2)
 * @param ports how external ports are assigned
 * @param inboundRefreshes whether packets from outside refresh a session too (RFC 4787 REQ-6)
 * @param midStream whether a TCP connection may be met in its middle, without its opening
 * @param fileTransfer whether the application level gateway for FTP is on (RFC 2663 section 2.9)
 * @param controlPorts the ports that the gateway treats as control connections
 * @param synWait how long an unsolicited SYN to an address of a {@code shared} rule waits before it
 *     is refused (RFC 5382 REQ-4); may be 0
 */
@Built
public record StateSettings(
    Timers timers,
    Endpoints mapping,
    Endpoints filtering,
    Pooling pooling,
    Ports ports,
    boolean inboundRefreshes,
    boolean midStream,
    boolean fileTransfer,
    PortSet controlPorts,
    Duration synWait)
    implements StateSettingsBuilder.With {
  /**
   * How long sessions live without being refreshed; each more than 0.
   *
   * @param udp UDP (RFC 4787 REQ-5)
   * @param tcpEstablished TCP between handshake and close (RFC 5382 REQ-5)
   * @param tcpTransitory TCP while it opens or closes (RFC 5382 REQ-5)
   * @param icmp ICMP queries (RFC 5508 REQ-2)
   * @param other all other protocols, for which no RFC names a time
   */
  public record Timers(
      Duration udp,
      Duration tcpEstablished,
      Duration tcpTransitory,
      Duration icmp,
      Duration other) {}

  /**
   * How external ports are assigned.
   *
   * @param preserved whether a flow keeps its port where that is free; else they are drawn by lot
   *     from a fixed seed (RFC 4787 section 4.2.1, RFC 6056)
   * @param parity whether an even port stays even and an odd one odd, for UDP (RFC 4787 REQ-4)
   * @param fallback whether a port of the other range, 0-1023 or 1024-65535, serves where a flow's
   *     own is used up (RFC 4787 REQ-3)
   * @param perSource the most ports that one internal address may have at once per protocol (RFC
   *     6888 REQ-4); 0 for no limit
   * @param holdDown how long a freed port is kept from being assigned (RFC 6888 REQ-8); may be 0
   */
  public record Ports(
      boolean preserved, boolean parity, boolean fallback, int perSource, Duration holdDown) {}

  /** On how much of the remote end it depends what is done (RFC 4787 sections 4.1 and 5). */
  public enum Endpoints {
    /** On nothing: all remote ends are equal. */
    ENDPOINT_INDEPENDENT,
    /** On its address. */
    ADDRESS_DEPENDENT,
    /** On its address and port. */
    ADDRESS_AND_PORT_DEPENDENT;

    /** The word of the site file, and of the RFC. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT).replace('_', '-');
    }
  }

  /** Which external address of several a binding gets (RFC 4787 section 4.1). */
  public enum Pooling {
    /** The one that other bindings of the same source have. */
    PAIRED,
    /** Any. */
    ARBITRARY;

    /** The word of the site file, and of the RFC. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /** The recommendations of the RFCs, and their minimum where they recommend nothing. */
  public static final StateSettings OF_THE_RFCS =
      new StateSettings(
          new Timers(
              Duration.ofMinutes(5),
              Duration.ofHours(2).plusMinutes(4),
              Duration.ofMinutes(4),
              Duration.ofSeconds(60),
              Duration.ofMinutes(5)),
          Endpoints.ENDPOINT_INDEPENDENT,
          Endpoints.ADDRESS_DEPENDENT,
          Pooling.PAIRED,
          new Ports(true, true, true, 0, Duration.ZERO),
          false,
          false,
          false,
          PortSet.of(21),
          Duration.ZERO);

  /** The same with the gateway for file transfer switched on, for these control ports besides. */
  public StateSettings withFileTransfer(PortSet besides) {
    return withFileTransfer(true).withControlPorts(controlPorts.union(besides));
  }
}
