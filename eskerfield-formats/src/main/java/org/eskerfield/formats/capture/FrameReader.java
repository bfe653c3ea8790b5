// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.List;
import org.eskerfield.formats.capture.CapturedPacket.Skipped;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.jspecify.annotations.Nullable;

/**
 * Finds addresses and ports in a captured frame, which may be anything: every length is checked
 * before it is used, and nothing is ever read twice.
 */
final class FrameReader {
  /** Frames of Ethernet, tags for networks of its own included (IEEE 802.1Q). */
  static final int ETHERNET = 1;

  /** Packets without a frame; which family it is says their first half byte. */
  static final int RAW = 101;

  private static final int DO_NOT_FRAGMENT = 0x4000;
  private static final int MORE_FRAGMENTS = 0x2000;
  private static final int IPV4_ONLY = 228;
  private static final int IPV6_ONLY = 229;

  /** Packets that a host has captured at several interfaces. */
  private static final int COOKED = 113;

  private static final int MOST_TAGS = 4;
  private static final int MOST_EXTENSIONS = 8;

  private final byte[] bytes;
  private int at;

  /** What was found; null as long as something is missing. */
  @Nullable Packet packet;

  /** Why nothing was found; null if something was. */
  @Nullable Skipped skipped;

  private FrameReader(byte[] bytes) {
    this.bytes = bytes;
  }

  /** Whether frames of a kind of link can be read. */
  static boolean reads(int link) {
    return switch (link) {
      case ETHERNET, RAW, 12, 14, IPV4_ONLY, IPV6_ONLY, COOKED -> true;
      default -> false;
    };
  }

  /** Reads a frame of a kind of link that {@link #reads} knows. */
  static FrameReader of(int link, byte[] frame) {
    FrameReader reader = new FrameReader(frame);
    reader.skipped = reader.frame(link);
    return reader;
  }

  private @Nullable Skipped frame(int link) {
    if (link == ETHERNET || link == COOKED) {
      at = link == ETHERNET ? 12 : 14;
      if (!has(2)) {
        return Skipped.CUT_OFF;
      }
      int type = take16();
      for (int tags = 0; isTag(type); tags++) {
        if (tags == MOST_TAGS) {
          return Skipped.DAMAGED;
        }
        if (!has(4)) {
          return Skipped.CUT_OFF;
        }
        at += 2;
        type = take16();
      }
      if (type != 0x0800 && type != 0x86dd) {
        return Skipped.NOT_IP;
      }
    }
    return ip(true);
  }

  private static boolean isTag(int type) {
    return type == 0x8100 || type == 0x88a8 || type == 0x9100;
  }

  private @Nullable Skipped ip(boolean outermost) {
    if (!has(1)) {
      return Skipped.CUT_OFF;
    }
    return switch ((bytes[at] & 0xff) >> 4) {
      case 4 -> ipv4(outermost);
      case 6 -> ipv6(outermost);
      default -> Skipped.NOT_IP;
    };
  }

  private @Nullable Skipped ipv4(boolean outermost) {
    if (!has(20)) {
      return Skipped.CUT_OFF;
    }
    int start = at;
    int header = (bytes[at] & 15) * 4;
    int total = get16(at + 2);
    // Some network cards fill in the length later, and captures show 0.
    if (header < 20 || (total != 0 && total < header)) {
      return Skipped.DAMAGED;
    }
    int fragmenting = get16(at + 6);
    int identification = get16(at + 4);
    int offset = (fragmenting & 0x1fff) * 8;
    boolean more = (fragmenting & MORE_FRAGMENTS) != 0;
    int ttl = bytes[at + 8] & 0xff;
    int protocol = bytes[at + 9] & 0xff;
    Address source = address(at + 12, 4);
    Address destination = address(at + 16, 4);
    at = start + header;
    int end = total == 0 ? bytes.length : start + total;
    int length = end - start;
    if (offset != 0 || more) {
      return fragment(
          new Packet(source, 0, destination, 0, protocol, Icmp.NO_TYPE, 0),
          Size.ofFragment(identification, new Size.Fragment(offset, length - header, length, more)),
          new End(ttl, end, outermost));
    }
    Skipped wrong = transport(source, destination, protocol, ttl, end, outermost);
    size(length, (fragmenting & DO_NOT_FRAGMENT) == 0, identification);
    return wrong;
  }

  /** What is known of a packet besides its addresses. */
  private record End(int ttl, int end, boolean outermost) {}

  /** A fragment: the first one has what others have, later ones have no more than addresses. */
  private @Nullable Skipped fragment(Packet later, Size size, End known) {
    Skipped wrong = null;
    if (size.hasFirst()) {
      wrong =
          transport(
              later.source(),
              later.destination(),
              later.protocol,
              known.ttl,
              known.end,
              known.outermost);
    } else if (isOfOtherFamily(later.family, later.protocol)) {
      wrong = Skipped.DAMAGED;
    } else {
      later.ttl = known.ttl;
      packet = later;
    }
    if (packet != null) {
      packet.size = size;
    }
    return wrong;
  }

  /** Takes note of how large a packet is that was read whole. */
  private void size(int length, boolean mayFragment, int identification) {
    Packet read = packet;
    if (read != null) {
      Size known = read.size; // what its own words say of sizes
      read.size =
          new Size(
              Math.min(length, Size.MOST),
              mayFragment,
              mayFragment ? identification : 0,
              List.of(),
              known == null ? 0 : known.largestSegment(),
              known == null ? 0 : known.nextMtu());
    }
  }

  private @Nullable Skipped ipv6(boolean outermost) {
    if (!has(40)) {
      return Skipped.CUT_OFF;
    }
    int next = bytes[at + 6] & 0xff;
    int ttl = bytes[at + 7] & 0xff;
    int length = get16(at + 4);
    Address source = address(at + 8, 16);
    Address destination = address(at + 24, 16);
    int start = at;
    Size.Fragment fragment = null;
    int identification = 0;
    at += 40;
    int end = length == 0 ? bytes.length : at + length;
    // Hop-by-hop options, routing, fragment and destination options (RFC 8200 section 4).
    for (int i = 0; next == 0 || next == 43 || next == 44 || next == 60; i++) {
      if (i == MOST_EXTENSIONS) {
        return Skipped.DAMAGED;
      }
      if (!has(8)) {
        return Skipped.CUT_OFF;
      }
      int fragmenting = next == 44 ? get16(at + 2) : 0;
      if ((fragmenting & 0xfff9) != 0) {
        identification = get16(at + 4) << 16 | get16(at + 6);
        fragment =
            new Size.Fragment(
                fragmenting & 0xfff8, end - at - 8, end - start, (fragmenting & 1) != 0);
      }
      int extension = next == 44 ? 8 : ((bytes[at + 1] & 0xff) + 1) * 8;
      next = bytes[at] & 0xff;
      at += extension;
      if (fragment != null) { // what follows belongs to the packet, and not to its fragments
        return fragment(
            new Packet(source, 0, destination, 0, next, Icmp.NO_TYPE, 0),
            Size.ofFragment(identification, fragment),
            new End(ttl, end, outermost));
      }
    }
    Skipped wrong = transport(source, destination, next, ttl, end, outermost);
    size(end - start, /* mayFragment= */ false, 0);
    return wrong;
  }

  /** Whether it is the ICMP of the other family, which no sender means. */
  private static boolean isOfOtherFamily(Family family, int protocol) {
    return Protocol.isIcmp(protocol) && (protocol == Protocol.ICMP) != (family == Family.IPV4);
  }

  private @Nullable Skipped transport(
      Address source, Address destination, int protocol, int ttl, int end, boolean outermost) {
    if (isOfOtherFamily(source.family(), protocol)) {
      return Skipped.DAMAGED;
    }
    boolean ports = Protocol.hasPorts(protocol);
    boolean icmp = Protocol.isIcmp(protocol);
    // Of the packet inside an error, eight bytes are enough (RFC 792).
    int needed = protocol == Protocol.TCP && outermost ? 20 : ports || icmp ? 8 : 0;
    if (at + needed > end) {
      return Skipped.DAMAGED;
    }
    // Of a segment that the capture cut short, all up to its flags is enough.
    if (!has(Math.min(needed, 14))) {
      return Skipped.CUT_OFF;
    }
    int sourcePort = ports ? get16(at) : 0;
    int destinationPort = ports ? get16(at + 2) : 0;
    int type = icmp ? bytes[at] & 0xff : Icmp.NO_TYPE;
    if (Icmp.isEchoRequest(type)) {
      sourcePort = get16(at + 4);
    } else if (Icmp.isEchoReply(type)) {
      destinationPort = get16(at + 4);
    }
    int flags = 0;
    if (protocol == Protocol.TCP) {
      flags = outermost ? bytes[at + 13] & TOLD_FLAGS : Packet.ACK;
    }
    Packet found =
        new Packet(
            source,
            sourcePort,
            destination,
            destinationPort,
            protocol,
            type,
            icmp ? bytes[at + 1] & 0xff : 0,
            flags);
    found.ttl = ttl;
    if (icmp && isError(protocol, type)) {
      Skipped inside = outermost ? error(found) : Skipped.DAMAGED;
      if (inside != null) {
        return inside;
      }
    } else if (outermost && protocol == Protocol.TCP) {
      found.payload = text(end);
      int segment = found.opensTcp() || (flags & Packet.SYN) != 0 ? segment(end) : 0;
      if (segment > 0) {
        found.size = new Size(0, false, 0, List.of(), segment, 0);
      }
    }
    packet = found;
    return null;
  }

  /** What an error is about, and the MTU that it tells. */
  private @Nullable Skipped error(Packet error) {
    boolean v4 = error.protocol == Protocol.ICMP;
    boolean tooLarge =
        v4
            ? error.icmpType == Icmp.UNREACHABLE && error.icmpCode == Icmp.TOO_LARGE_CODE
            : error.icmpType == Icmp.TOO_LARGE_V6;
    if (tooLarge) {
      int told = v4 ? get16(at + 6) : get16(at + 4) << 16 | get16(at + 6);
      error.size = new Size(0, false, 0, List.of(), 0, Math.max(0, told));
    }
    at += 8;
    Skipped inside = ip(false);
    error.inner = packet;
    return inside;
  }

  /** The largest segment that a SYN offers (RFC 9293 section 3.2); 0 for none. */
  private int segment(int end) {
    int to = Math.min(Math.min(end, bytes.length), at + ((bytes[at + 12] & 0xff) >> 4) * 4);
    int from = at + 20;
    while (from + 1 < to && bytes[from] != 0) {
      int length = bytes[from] == 1 ? 1 : bytes[from + 1] & 0xff;
      if (bytes[from] == 2 && length == 4 && from + 4 <= to) {
        return get16(from + 2);
      }
      from += Math.max(1, length);
    }
    return 0;
  }

  private static final int TOLD_FLAGS = Packet.FIN | Packet.SYN | Packet.RST | Packet.ACK;

  private static boolean isError(int protocol, int type) {
    return protocol == Protocol.ICMP
        ? type == Icmp.UNREACHABLE || type == Icmp.TIME_EXCEEDED
        : type >= Icmp.UNREACHABLE_V6 && type <= Icmp.PARAMETER_PROBLEM_V6;
  }

  /** A short piece of text, as control connections of file transfers send it; null for none. */
  private @Nullable String text(int end) {
    int from = at + ((bytes[at + 12] & 0xff) >> 4) * 4;
    int to = Math.min(end, bytes.length);
    if (from >= to || to - from > LONGEST_TEXT) {
      return null;
    }
    for (int i = from; i < to; i++) {
      boolean printable = bytes[i] >= ' ' && bytes[i] < 0x7f;
      if (!printable && bytes[i] != '\r' && bytes[i] != '\n') {
        return null;
      }
    }
    return new String(bytes, from, to - from, StandardCharsets.US_ASCII);
  }

  private static final int LONGEST_TEXT = 1024;

  private Address address(int from, int length) {
    return Address.ofBytes(Arrays.copyOfRange(bytes, from, from + length));
  }

  private boolean has(int count) {
    return at + count <= bytes.length;
  }

  private int take16() {
    int value = get16(at);
    at += 2;
    return value;
  }

  private int get16(int from) {
    return ((bytes[from] & 0xff) << 8) | (bytes[from + 1] & 0xff);
  }
}
