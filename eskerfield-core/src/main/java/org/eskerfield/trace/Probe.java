// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import org.eskerfield.model.ServicePart;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;

/**
 * The kind of packet that a sender tries.
 *
 * @param protocol protocol number, 0 to 255; for an echo request ICMP of the family in question
 * @param port destination port, 0 to 65535; 0 where the protocol has none
 * @param echo whether it is an ICMP echo request
 * @param length the length of the packet in bytes with its IP header, 1 to 65535; for TCP that of
 *     full segments; 0 for the usual one
 * @param mayFragment whether devices may cut it (IPv4 without the don't-fragment bit)
 */
public record Probe(int protocol, int port, boolean echo, int length, boolean mayFragment) {
  /** A TCP connection or UDP datagram to a port, or a packet of a protocol without ports. */
  public static Probe of(int protocol, int port) {
    return new Probe(protocol, port, false, 0, false);
  }

  /** One for a part of a service: its first port; a ping for ICMP and for every protocol. */
  public static Probe of(ServicePart part, Family family) {
    if (Protocol.isIcmp(part.protocol()) || part.protocol() == ServicePart.ANY_PROTOCOL) {
      return ping(family);
    }
    boolean ports = Protocol.hasPorts(part.protocol());
    return of(part.protocol(), ports ? part.ports().first() : 0);
  }

  /** An ICMP echo request. */
  public static Probe ping(Family family) {
    return new Probe(family == Family.IPV4 ? Protocol.ICMP : Protocol.ICMPV6, 0, true, 0, false);
  }

  /** The same for a family: a ping is one of either. */
  public Probe on(Family family) {
    return echo ? ping(family).of(length, mayFragment) : this;
  }

  /** The same of a size; see {@link #length}. */
  public Probe of(int length, boolean mayFragment) {
    return new Probe(protocol, port, echo, length, mayFragment);
  }

  /** The ICMP type of the first packet, or {@link Icmp#NO_TYPE}. */
  int requestType() {
    return echo ? Icmp.query(protocol) : Icmp.NO_TYPE;
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
