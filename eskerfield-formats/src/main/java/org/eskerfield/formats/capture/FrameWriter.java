// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;

/**
 * Turns headers into frames: Ethernet II, IPv4 (RFC 791) or IPv6 (RFC 8200), TCP (RFC 9293), UDP
 * (RFC 768) or ICMP (RFC 792, 4443), every length and checksum right.
 */
final class FrameWriter {
  private static final int IPV4 = 0x0800;
  private static final int IPV6 = 0x86dd;
  private static final int DO_NOT_FRAGMENT = 0x4000;
  private static final int MORE_FRAGMENTS = 0x2000;
  private static final int WINDOW = 64240;

  private FrameWriter() {}

  /**
   * The fields of TCP that no header has, and what else a packet carries.
   *
   * @param identification of IPv4, 0 to 65535
   * @param sequence the sequence number, 32 bits
   * @param acknowledgement the acknowledgement number, 32 bits; 0 where that flag is not set
   * @param icmpCode the code of an ICMP error
   * @param payload what comes behind the header of the transport
   */
  @SuppressWarnings("ArrayRecordComponent") // nobody compares contents
  record Content(
      int identification, long sequence, long acknowledgement, int icmpCode, byte[] payload) {}

  /** Frames of Ethernet: one, or one for each fragment. */
  static List<byte[]> frames(byte[] from, byte[] to, Header header, Content content) {
    List<byte[]> frames = new ArrayList<>();
    for (byte[] packet : packets(header, content)) {
      frames.add(
          new Bytes()
              .put(to)
              .put(from)
              .put16(header.source().family() == Family.IPV4 ? IPV4 : IPV6)
              .put(packet)
              .toArray());
    }
    return frames;
  }

  private static List<byte[]> packets(Header header, Content content) {
    Size size = header.size();
    if (size == null || size.fragments().isEmpty()) {
      return List.of(packet(header, content));
    }
    byte[] whole = transport(header, content);
    List<byte[]> packets = new ArrayList<>();
    for (Size.Fragment each : size.fragments()) {
      int end = Math.min(whole.length, each.offset() + each.data());
      byte[] part = Arrays.copyOfRange(whole, Math.min(each.offset(), end), end);
      int flags = (each.more() ? MORE_FRAGMENTS : 0) | each.offset() / 8;
      packets.add(new Bytes().put(ipv4(header, content, part.length, flags)).put(part).toArray());
    }
    return packets;
  }

  private static byte[] packet(Header header, Content content) {
    byte[] transport = transport(header, content);
    Bytes packet = new Bytes();
    if (header.source().family() == Family.IPV6) {
      return packet
          .put32(0x60000000L)
          .put16(transport.length)
          .put8(header.protocol())
          .put8(header.ttl())
          .put(header.source())
          .put(header.destination())
          .put(transport)
          .toArray();
    }
    boolean mayFragment = header.size() != null && header.size().mayFragment();
    byte[] ip = ipv4(header, content, transport.length, mayFragment ? 0 : DO_NOT_FRAGMENT);
    return packet.put(ip).put(transport).toArray();
  }

  private static byte[] ipv4(Header header, Content content, int data, int fragmenting) {
    byte[] ip =
        new Bytes()
            .put16(0x4500)
            .put16(20 + data)
            .put16(content.identification())
            .put16(fragmenting)
            .put8(header.ttl())
            .put8(header.protocol())
            .put16(0)
            .put(header.source())
            .put(header.destination())
            .toArray();
    Bytes.set16(ip, 10, Bytes.checksum(ip, 0));
    return ip;
  }

  private static byte[] transport(Header header, Content content) {
    return switch (header.protocol()) {
      case Protocol.TCP -> {
        int segment = header.size() == null ? 0 : header.size().largestSegment();
        // RFC 9293 section 3.7.1
        byte[] options =
            segment == 0 ? new byte[0] : new Bytes().put8(2).put8(4).put16(segment).toArray();
        byte[] tcp =
            new Bytes()
                .put16(header.sourcePort())
                .put16(header.destinationPort())
                .put32(content.sequence())
                .put32((header.tcpFlags() & Packet.ACK) == 0 ? 0 : content.acknowledgement())
                .put8((5 + options.length / 4) << 4)
                .put8(header.tcpFlags() | (content.payload().length > 0 ? PUSH : 0))
                .put16((header.tcpFlags() & Packet.RST) == 0 ? WINDOW : 0)
                .put32(0)
                .put(options)
                .put(content.payload())
                .toArray();
        yield summed(tcp, 16, header);
      }
      case Protocol.UDP -> {
        byte[] udp =
            new Bytes()
                .put16(header.sourcePort())
                .put16(header.destinationPort())
                .put16(8 + content.payload().length)
                .put16(0)
                .put(content.payload())
                .toArray();
        byte[] summed = summed(udp, 6, header);
        if (summed[6] == 0 && summed[7] == 0) {
          Bytes.set16(summed, 6, 0xffff); // zero would mean that there is none
        }
        yield summed;
      }
      case Protocol.ICMP -> icmp(header, content);
      case Protocol.ICMPV6 -> summed(icmp(header, content), 2, header);
      default -> content.payload();
    };
  }

  private static final int PUSH = 8;

  private static byte[] icmp(Header header, Content content) {
    Bytes bytes = new Bytes().put8(Math.max(header.icmpType(), 0));
    Header inner = header.inner();
    if (inner != null) {
      // The packet that it is about: without its data, or as much as it has room for.
      byte[] data = Payloads.filler(inner);
      Content itself = new Content(0, content.sequence(), 0, 0, data);
      byte[] about = packet(inner, itself);
      Size size = header.size();
      int room =
          size == null
              ? about.length
              : size.length() - Size.headers(header.source().family(), header.protocol());
      bytes
          .put8(content.icmpCode())
          .put16(0)
          .put32(size == null ? 0 : size.nextMtu())
          .put(Arrays.copyOf(about, Math.min(room, about.length)));
    } else {
      boolean request = Icmp.isEchoRequest(header.icmpType());
      bytes.put8(0).put16(0);
      bytes.put16(request ? header.sourcePort() : header.destinationPort()).put16(1);
      bytes.put(content.payload());
    }
    byte[] icmp = bytes.toArray();
    if (header.protocol() == Protocol.ICMP) {
      Bytes.set16(icmp, 2, Bytes.checksum(icmp, 0));
    }
    return icmp;
  }

  /** Puts in the checksum over a transport and its pseudo header (RFC 9293 section 3.1). */
  private static byte[] summed(byte[] transport, int at, Header header) {
    Bytes pseudo = new Bytes();
    for (Address address : new Address[] {header.source(), header.destination()}) {
      pseudo.put(address);
    }
    byte[] rest = pseudo.put32(transport.length).put32(header.protocol()).toArray();
    Bytes.set16(transport, at, Bytes.checksum(transport, Bytes.sum(rest)));
    return transport;
  }
}
