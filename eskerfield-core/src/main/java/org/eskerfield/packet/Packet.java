// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import org.jspecify.annotations.Nullable;

/**
 * The header of one packet on its way, open to rewriting.
 *
 * <p>Plain primitives, because the engine rewrites them in place and must not allocate for a packet
 * of a known session. Where TCP and UDP have ports, an ICMP query has its identifier (RFC 5508
 * section 3.1): in a request it stands as {@code sourcePort}, in a reply as {@code
 * destinationPort}, and the other one is 0. Seen so, a reply mirrors its request in every protocol.
 * Protocols without either have 0 in both.
 *
 * <p>Not safe for use by several threads.
 */
public final class Packet {
  /** TCP flag: no more data from the sender (RFC 9293). */
  public static final int FIN = 1;

  /** TCP flag: synchronize, the opening of a connection. */
  public static final int SYN = 2;

  /** TCP flag: the connection is reset. */
  public static final int RST = 4;

  /** TCP flag: what came so far is to be handed on. */
  public static final int PSH = 8;

  /** TCP flag: the acknowledgement field counts. */
  public static final int ACK = 16;

  /** TCP flag: the urgent pointer counts. */
  public static final int URG = 32;

  /** The hop count that hosts start with here. */
  public static final int INITIAL_TTL = 64;

  /** The family of both addresses. */
  public final Family family;

  /** Source address, upper half; see {@link Address#high}. */
  public long sourceHigh;

  /** Source address, lower half. */
  public long sourceLow;

  /** Destination address, upper half. */
  public long destinationHigh;

  /** Destination address, lower half. */
  public long destinationLow;

  /** Protocol number, 0 to 255. */
  public final int protocol;

  /** Source port or the identifier of an ICMP request, 0 to 65535. */
  public int sourcePort;

  /** Destination port or the identifier of an ICMP reply, 0 to 65535. */
  public int destinationPort;

  /** ICMP type, or {@link Icmp#NO_TYPE}. */
  public int icmpType;

  /** ICMP code, 0 where there is none. */
  public int icmpCode;

  /** TCP flags, or 0. */
  public int tcpFlags;

  /** In an ICMP error the packet that it is about (RFC 5508 section 3.2), else null. */
  public @Nullable Packet inner;

  /**
   * A piece of the text of a control connection, such as commands of RFC 959, with its line ends;
   * null for none.
   */
  public @Nullable String payload;

  /** How large it is; null where nobody asked, and it fits everywhere. */
  public @Nullable Size size;

  /** Time to live (IPv4) or hop limit (IPv6), 0 to 255. */
  public int ttl = INITIAL_TTL;

  /**
   * Makes a packet.
   *
   * @throws IllegalArgumentException if the addresses are of different families
   */
  // So many parameters: they are the fields of the header, and one is made for every packet.
  public Packet(
      Address source,
      int sourcePort,
      Address destination,
      int destinationPort,
      int protocol,
      int icmpType,
      int tcpFlags) {
    this(source, sourcePort, destination, destinationPort, protocol, icmpType, 0, tcpFlags);
  }

  /**
   * Makes a packet with an ICMP code, 0 to 255.
   *
   * @throws IllegalArgumentException if the addresses are of different families
   */
  // So many parameters: they are the fields of the header, and one is made for every packet.
  public Packet(
      Address source,
      int sourcePort,
      Address destination,
      int destinationPort,
      int protocol,
      int icmpType,
      int icmpCode,
      int tcpFlags) {
    if (source.family() != destination.family()) {
      throw new IllegalArgumentException(
          "one packet has one family, but goes from " + source + " to " + destination);
    }
    this.family = source.family();
    this.protocol = protocol;
    this.icmpType = icmpType;
    this.icmpCode = icmpCode;
    this.tcpFlags = tcpFlags;
    rewriteSource(source, sourcePort);
    rewriteDestination(destination, destinationPort);
  }

  /** Whether it is IPv4 of no size that matters, and neither an error nor carries text. */
  public boolean isPlain() {
    return family == Family.IPV4 && inner == null && payload == null && size == null;
  }

  /**
   * The length in bytes, as {@link Size#length} counts them; those of its headers where it has no
   * size.
   */
  public int length() {
    return size == null ? Size.headers(family, protocol) : size.length();
  }

  /** A packet with the same header. */
  public Packet copy() {
    Packet copy =
        new Packet(
            source(),
            sourcePort,
            destination(),
            destinationPort,
            protocol,
            icmpType,
            icmpCode,
            tcpFlags);
    copy.ttl = ttl;
    copy.inner = inner == null ? null : inner.copy();
    copy.payload = payload;
    copy.size = size;
    return copy;
  }

  /** A packet that answers this one, of the same type and with the same flags. */
  public Packet mirrored() {
    return new Packet(
        /* source= */ destination(),
        /* sourcePort= */ destinationPort,
        /* destination= */ source(),
        /* destinationPort= */ sourcePort,
        protocol,
        icmpType,
        tcpFlags);
  }

  /** A packet with the addresses, ports and protocol of a header, for TCP one that opens. */
  public static Packet of(Header header) {
    return new Packet(
        header.source(),
        header.sourcePort(),
        header.destination(),
        header.destinationPort(),
        header.protocol(),
        header.icmpType(),
        header.icmpCode(),
        header.protocol() == Protocol.TCP ? SYN : 0);
  }

  /** An ICMP error about a packet that was not too large; see the longer one. */
  public static Packet error(Address from, Packet about, int icmpType, int icmpCode) {
    return error(from, about, icmpType, icmpCode, 0);
  }

  /**
   * An ICMP error about a packet.
   *
   * @param from who sends it, of the family of the packet
   * @param about the packet, as the sender of the error got it; copied
   * @param icmpType the type of the family's ICMP, such as {@link Icmp#UNREACHABLE}
   * @param icmpCode its code
   * @param nextMtu the MTU that the packet did not fit, in bytes; 0 where that is not why
   */
  public static Packet error(Address from, Packet about, int icmpType, int icmpCode, int nextMtu) {
    int protocol = about.family == Family.IPV4 ? Protocol.ICMP : Protocol.ICMPV6;
    Packet error = new Packet(from, 0, about.source(), 0, protocol, icmpType, icmpCode, 0);
    error.inner = about.copy();
    if (about.size != null) {
      error.size = Size.notice(about.family, about.size.length(), nextMtu);
    }
    return error;
  }

  /** The source address as an object. */
  public Address source() {
    return new Address(family, sourceHigh, sourceLow);
  }

  /** The destination address as an object. */
  public Address destination() {
    return new Address(family, destinationHigh, destinationLow);
  }

  /** Replaces source address and port. */
  public void rewriteSource(Address address, int port) {
    sourceHigh = address.high();
    sourceLow = address.low();
    sourcePort = port;
  }

  /** Replaces destination address and port. */
  public void rewriteDestination(Address address, int port) {
    destinationHigh = address.high();
    destinationLow = address.low();
    destinationPort = port;
  }

  /** Whether this is a TCP segment that opens a connection: SYN without ACK or RST. */
  public boolean opensTcp() {
    return protocol == Protocol.TCP && (tcpFlags & (SYN | ACK | RST)) == SYN;
  }

  /** The header as it is now, unchanging. */
  public Header header() {
    return new Header(
        source(),
        sourcePort,
        destination(),
        destinationPort,
        protocol,
        icmpType,
        icmpCode,
        tcpFlags,
        ttl,
        inner == null ? null : inner.header(),
        payload,
        size);
  }
}
