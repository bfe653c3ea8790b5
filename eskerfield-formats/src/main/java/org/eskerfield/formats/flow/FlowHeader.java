// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.KeyedHash;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;

/**
 * The header fields that the packets of a flow share in one direction.
 *
 * @param source the source address
 * @param sourcePort its port, 0 to 65535; 0 for protocols without ports, ICMP too: records do not
 *     tell its identifiers
 * @param destination the destination address; of the same family
 * @param destinationPort its port, likewise
 * @param protocol the protocol number, 0 to 255
 * @param icmpType the ICMP type, or {@link Icmp#NO_TYPE}
 * @param icmpCode the ICMP code; 0 where there is none
 */
public record FlowHeader(
    Address source,
    int sourcePort,
    Address destination,
    int destinationPort,
    int protocol,
    int icmpType,
    int icmpCode) {
  private static final KeyedHash KEYED = KeyedHash.fresh();

  /**
   * Checks the families.
   *
   * @throws IllegalArgumentException if the addresses are of different families
   */
  public FlowHeader {
    if (source.family() != destination.family()) {
      throw new IllegalArgumentException(source + " and " + destination + " are not of one family");
    }
  }

  /** That of the packets with a header. */
  public static FlowHeader of(Header header) {
    boolean icmp = Protocol.isIcmp(header.protocol());
    return new FlowHeader(
        header.source(),
        icmp ? 0 : header.sourcePort(),
        header.destination(),
        icmp ? 0 : header.destinationPort(),
        header.protocol(),
        header.icmpType(),
        header.icmpCode());
  }

  /** A packet of the flow; of TCP one that opens a connection. */
  public Packet packet() {
    return new Packet(
        source,
        sourcePort,
        destination,
        destinationPort,
        protocol,
        icmpType,
        icmpCode,
        protocol == Protocol.TCP ? Packet.SYN : 0);
  }

  /** That of the packets that answer. */
  public FlowHeader mirrored() {
    int type =
        switch (icmpType) {
          case Icmp.ECHO_REQUEST -> Icmp.ECHO_REPLY;
          case Icmp.ECHO_REPLY -> Icmp.ECHO_REQUEST;
          case Icmp.ECHO_REQUEST_V6 -> Icmp.ECHO_REPLY_V6;
          case Icmp.ECHO_REPLY_V6 -> Icmp.ECHO_REQUEST_V6;
          default -> icmpType;
        };
    return new FlowHeader(
        /* source= */ destination,
        /* sourcePort= */ destinationPort,
        /* destination= */ source,
        /* destinationPort= */ sourcePort,
        protocol,
        type,
        icmpCode);
  }

  /** Whether it is of ICMP, of either family. */
  boolean isIcmp() {
    return Protocol.isIcmp(protocol);
  }

  /** Whether its packets may open something: all but ICMP that is no echo request. */
  public boolean mayOpen() {
    return !isIcmp() || Icmp.isEchoRequest(icmpType);
  }

  /** Records come from strangers: whoever chose the ports does not choose the hash. */
  @Override
  public int hashCode() {
    long between = KEYED.of(source.hashCode(), destination.hashCode());
    long ports = (long) sourcePort << 48 | (long) destinationPort << 32 | (long) protocol << 16;
    return (int) KEYED.of(between, ports | (icmpType & 0xffff));
  }
}
