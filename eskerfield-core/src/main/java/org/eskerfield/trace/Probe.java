// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import org.eskerfield.model.ServicePart;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;

/**
 * What kind of packet a sender tries.
 *
 * @param protocol protocol number, 0 to 255; for an echo request ICMP of the family in question
 * @param port destination port, 0 to 65535; 0 where the protocol has none
 * @param echo whether it is an ICMP echo request
 */
public record Probe(int protocol, int port, boolean echo) {
  /** A TCP connection or UDP datagram to a port, or a packet of a protocol without ports. */
  public static Probe of(int protocol, int port) {
    return new Probe(protocol, port, false);
  }

  /** An ICMP echo request. */
  public static Probe ping(Family family) {
    return new Probe(family == Family.IPV4 ? Protocol.ICMP : Protocol.ICMPV6, 0, true);
  }

  /** The ICMP type of the first packet, or {@link Icmp#NO_TYPE}. */
  int requestType() {
    if (!echo) {
      return Icmp.NO_TYPE;
    }
    return protocol == Protocol.ICMP ? Icmp.ECHO_REQUEST : Icmp.ECHO_REQUEST_V6;
  }

  /** The ICMP type of the reply, or {@link Icmp#NO_TYPE}. */
  int replyType() {
    if (!echo) {
      return Icmp.NO_TYPE;
    }
    return protocol == Protocol.ICMP ? Icmp.ECHO_REPLY : Icmp.ECHO_REPLY_V6;
  }

  /** As on the command line: {@code 443/tcp}, {@code ping}, {@code gre}. */
  @Override
  public String toString() {
    if (echo) {
      return "ping";
    }
    return Protocol.hasPorts(protocol)
        ? new ServicePart(protocol, PortSet.of(port), Icmp.NO_TYPE).toString()
        : Protocol.name(protocol);
  }
}
