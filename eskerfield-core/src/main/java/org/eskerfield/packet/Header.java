// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import org.jspecify.annotations.Nullable;

/**
 * The header of a packet at one moment, as a trace shows it.
 *
 * @param source source address
 * @param sourcePort source port, or the identifier of an ICMP request; 0 where there is none
 * @param destination destination address
 * @param destinationPort destination port, or the identifier of an ICMP reply; 0 where there is
 *     none
 * @param protocol protocol number, see {@link Protocol}
 * @param icmpType ICMP type; {@link Icmp#NO_TYPE} for other protocols
 * @param icmpCode ICMP code; 0 where there is none
 * @param tcpFlags TCP flags as in {@link Packet}; 0 for other protocols
 * @param ttl time to live or hop limit
 * @param inner in an ICMP error the header of the packet that it is about, else null
 * @param payload the text that the packet carries, see {@link Packet#payload}, or null
 * @param size how large it is; null where nobody asked, and it fits everywhere
 */
public record Header(
    Address source,
    int sourcePort,
    Address destination,
    int destinationPort,
    int protocol,
    int icmpType,
    int icmpCode,
    int tcpFlags,
    int ttl,
    @Nullable Header inner,
    @Nullable String payload,
    @Nullable Size size) {

  /** The source as people write it: {@code 192.0.2.1:443}, without a port where there is none. */
  public String sourceText() {
    return endpoint(source, sourcePort, protocol);
  }

  /** The destination as people write it. */
  public String destinationText() {
    return endpoint(destination, destinationPort, protocol);
  }

  /** Address and port as people write them; IPv6 in brackets (RFC 3986 section 3.2.2). */
  public static String endpoint(Address address, int port, int protocol) {
    if (!Protocol.hasPorts(protocol)) {
      return address.toString();
    }
    return address.family() == Family.IPV6 ? "[" + address + "]:" + port : address + ":" + port;
  }

  /** The kind of packet: {@code tcp SYN}, {@code udp}, {@code icmp echo request id 7}. */
  public String kind() {
    StringBuilder text = new StringBuilder(Protocol.name(protocol));
    if (protocol == Protocol.TCP) {
      appendFlag(text, Packet.SYN, " SYN");
      appendFlag(text, Packet.FIN, " FIN");
      appendFlag(text, Packet.RST, " RST");
      appendFlag(text, Packet.ACK, " ACK");
    } else if (Icmp.isEchoRequest(icmpType)) {
      text.append(" echo request id ").append(sourcePort);
    } else if (Icmp.isEchoReply(icmpType)) {
      text.append(" echo reply id ").append(destinationPort);
    } else if (inner != null) {
      text.append(' ').append(Icmp.errorName(protocol, icmpType, icmpCode));
    }
    boolean opens = size != null && size.largestSegment() > 0; // said where it is changed
    if (size != null && !opens && (inner == null || size.nextMtu() > 0)) {
      text.append(", ").append(size);
    }
    return text.toString();
  }

  private void appendFlag(StringBuilder text, int flag, String name) {
    if ((tcpFlags & flag) != 0) {
      text.append(name);
    }
  }

  /** {@code source → destination kind}, and what an error is about. */
  @Override
  public String toString() {
    String text = line();
    return inner == null ? text : text + " about " + inner;
  }

  /** {@code source → destination kind}. */
  public String line() {
    return sourceText() + " → " + destinationText() + " " + kind();
  }
}
