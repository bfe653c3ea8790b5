// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.nio.charset.StandardCharsets;
import java.util.Locale;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.trace.Transit;
import org.jspecify.annotations.Nullable;

/**
 * What packets carry in a capture: a little that fits the port, so that who looks at it sees a
 * conversation and not damage.
 */
final class Payloads {
  private static final byte[] NONE = {};
  private static final int DOMAIN = 53;

  private Payloads() {}

  /** As many bytes as make a packet as large as it is; none where it has no size. */
  static byte[] filler(Header header) {
    Size size = header.size();
    if (size == null || size.largestSegment() > 0) {
      return NONE;
    }
    int headers = Size.headers(header.source().family(), header.protocol());
    byte[] filler = new byte[Math.max(0, size.length() - headers)];
    for (int i = 0; i < filler.length; i++) {
      filler[i] = (byte) ('a' + i % 26);
    }
    return filler;
  }

  /**
   * What a packet carries where it is sent.
   *
   * @param asked the name that a lookup is about; null for packets of other kinds
   */
  static byte[] of(Site site, Transit packet, @Nullable String asked) {
    Header sent = packet.sent();
    if (sent.payload() != null) {
      return text(sent.payload());
    }
    if (sent.inner() != null) {
      return NONE;
    }
    if (sent.size() != null) {
      return filler(sent);
    }
    return switch (sent.protocol()) {
      case Protocol.TCP ->
          packet.what().equals("request") || packet.what().equals("response")
              ? stream(site, packet, asked)
              : NONE;
      case Protocol.UDP -> datagram(site, packet, asked);
      case Protocol.ICMP, Protocol.ICMPV6 ->
          sent.icmpType() == Icmp.NO_TYPE ? NONE : text("abcdefghijklmnopqrstuvwxyz012345");
      case GRE -> new byte[] {0, 0, 0, 0};
      case ESP -> new byte[ESP_LEAST];
      // An authentication header (RFC 4302 section 2) with nothing behind it.
      case AH ->
          new Bytes().put8(59).put8(4).put16(0).put32(1).put32(1).put(new byte[12]).toArray();
      default -> NONE;
    };
  }

  private static final int GRE = 47;
  private static final int ESP = 50;
  private static final int AH = 51;
  private static final int ESP_LEAST = 24;

  private static byte[] stream(Site site, Transit packet, @Nullable String asked) {
    boolean reply = packet.isReply();
    return switch (serverPort(packet)) {
      case 80, 8080, 8000 ->
          reply
              ? text("HTTP/1.1 200 OK\r\nContent-Length: 0\r\n\r\n")
              : text("GET / HTTP/1.1\r\nHost: " + packet.question().to() + "\r\n\r\n");
      // A record of TLS with application data (RFC 8446 section 5.1), as in an open connection.
      case 443, 8443, 8883, 993, 995, 465, 636, 853 ->
          new Bytes().put8(23).put16(0x0303).put16(24).put(new byte[24]).toArray();
      case 22, 2222 -> text("SSH-2.0-eskerfield\r\n");
      case 25, 587 -> text(reply ? "250 ok\r\n" : "EHLO eskerfield.example\r\n");
      case 502 ->
          // Read one register, and its value: the open protocol of controllers.
          reply
              ? new byte[] {0, 1, 0, 0, 0, 5, 1, 3, 2, 0, 0}
              : new byte[] {0, 1, 0, 0, 0, 6, 1, 3, 0, 0, 0, 1};
      case DOMAIN -> {
        byte[] message = domain(site, packet, asked);
        yield new Bytes().put16(message.length).put(message).toArray();
      }
      default -> text(reply ? "an answer\r\n" : "a little data\r\n");
    };
  }

  private static byte[] datagram(Site site, Transit packet, @Nullable String asked) {
    int port = serverPort(packet);
    if (port == DOMAIN) {
      return domain(site, packet, asked);
    }
    if (port < 1024 || port == 5060 || port == 5353 || port == 5355) {
      return NONE; // a datagram without data is always well-formed
    }
    return text(packet.isReply() ? "an answer\r\n" : "a little data\r\n");
  }

  /** The port at the end that answers, as that end sees it. */
  private static int serverPort(Transit packet) {
    if (packet.isReply()) {
      return packet.sent().sourcePort();
    }
    return packet.end().after().destinationPort();
  }

  static byte[] text(String text) {
    return text.getBytes(StandardCharsets.UTF_8);
  }

  // Names.

  private static final int TYPE_A = 1;
  private static final int TYPE_NS = 2;
  private static final int TYPE_AAAA = 28;
  private static final int INTERNET = 1;

  /**
   * A question for a name or its answer (RFC 1035 section 4.1), with as many addresses as there
   * are.
   */
  private static byte[] domain(Site site, Transit packet, @Nullable String asked) {
    DomainName known = asked == null ? null : site.names().get(asked);
    String who = packet.isReply() ? packet.legs().get(0).where() : "";
    DomainName.Answer answer = known == null || !packet.isReply() ? null : known.by(who);
    Family family = packet.question().to().family();
    boolean v6 = family == Family.IPV6;
    if (answer != null && !answer.addresses().isEmpty()) {
      v6 = answer.addresses().stream().noneMatch(a -> a.family() == Family.IPV4);
    }
    int type = asked == null ? TYPE_NS : v6 ? TYPE_AAAA : TYPE_A;
    Bytes records = new Bytes();
    int count = 0;
    if (answer != null) {
      for (Address address : answer.addresses()) {
        if ((address.family() == Family.IPV6) == v6) {
          records.put16(0xc00c).put16(type).put16(INTERNET).put32(300).put16(v6 ? 16 : 4);
          records.put(address);
          count++;
        }
      }
    }
    boolean none = packet.isReply() && asked != null && count == 0;
    Bytes message = new Bytes().put16(packet.question().sourcePort());
    message.put16(packet.isReply() ? none ? 0x8183 : 0x8180 : 0x0100);
    message.put16(1).put16(count).put16(0).put16(0);
    for (String label :
        asked == null ? new String[0] : asked.toLowerCase(Locale.ROOT).split("\\.")) {
      byte[] bytes = text(label);
      message.put8(bytes.length).put(bytes);
    }
    return message.put8(0).put16(type).put16(INTERNET).put(records.toArray()).toArray();
  }
}
