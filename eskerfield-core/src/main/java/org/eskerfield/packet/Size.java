// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;

/**
 * How large a packet is, and what it says about sizes. A packet that has none is as small as its
 * headers and fits everywhere.
 *
 * @param length its bytes, from the first one of the IP header to the last: the total length of
 *     IPv4, or 40 more than the payload length of IPv6
 * @param mayFragment whether devices may cut it: IPv4 without the don't-fragment bit (RFC 791)
 * @param identification which packet fragments belong to (RFC 6864), 0 to 65535; 0 where nobody may
 *     cut it
 * @param fragments the fragments in which it travels, in order; empty where it is in one piece
 * @param largestSegment in a SYN the largest segment that its sender takes (RFC 9293 section
 *     3.7.1); 0 in any other packet
 * @param nextMtu in a notice that a packet is too large the MTU that it did not fit (RFC 1191
 *     section 4, RFC 4443 section 3.2); 0 in any other packet
 */
public record Size(
    int length,
    boolean mayFragment,
    int identification,
    List<Fragment> fragments,
    int largestSegment,
    int nextMtu) {
  /** The most bytes that a packet can have. */
  public static final int MOST = 65535;

  /** The MTU of a link of which nothing else is said: that of Ethernet (RFC 894). */
  public static final int USUAL_MTU = 1500;

  /** The least MTU of a link for IPv4 (RFC 791 section 3.2). */
  public static final int LEAST_MTU = 68;

  /** The least MTU of a link for IPv6 (RFC 8200 section 5). */
  public static final int LEAST_MTU_V6 = 1280;

  /** The most bytes of a notice of IPv4 (RFC 1812, "Original Message Header"). */
  private static final int MOST_OF_NOTICE = 576;

  private static final int HEADER = 20;
  private static final int HEADER_V6 = 40;

  /** Fragments begin at multiples of this many bytes. */
  private static final int UNIT = 8;

  /**
   * A fragment of a packet.
   *
   * @param offset where its data begins in that of the packet, in bytes; a multiple of 8
   * @param data how many bytes of that it has
   * @param length its own bytes, its IP header included
   * @param more whether others follow it
   */
  public record Fragment(int offset, int data, int length, boolean more) {
    /** {@code 124 bytes at 1376}. */
    @Override
    public String toString() {
      return length + " bytes at " + offset;
    }
  }

  /** Copies the fragments. */
  public Size {
    fragments = List.copyOf(fragments);
  }

  /** That of a packet in one piece. */
  public static Size of(int length, boolean mayFragment) {
    return new Size(length, mayFragment, mayFragment ? 1 : 0, List.of(), 0, 0);
  }

  /** That of a SYN. */
  public static Size opening(Family family, int largestSegment) {
    int option = 4;
    return new Size(headers(family, Protocol.TCP) + option, false, 0, List.of(), largestSegment, 0);
  }

  /** That of a notice about a packet of some length; see {@link #nextMtu}. */
  static Size notice(Family family, int about, int nextMtu) {
    boolean ipv4 = family == Family.IPV4;
    int most = ipv4 ? MOST_OF_NOTICE : LEAST_MTU_V6;
    int all = headers(family, ipv4 ? Protocol.ICMP : Protocol.ICMPV6) + about;
    return new Size(Math.min(all, most), ipv4, ipv4 ? 1 : 0, List.of(), 0, nextMtu);
  }

  /** How many bytes the headers of a packet take: that of IP, and that of TCP, UDP or ICMP. */
  public static int headers(Family family, int protocol) {
    int ip = family == Family.IPV4 ? HEADER : HEADER_V6;
    return switch (protocol) {
      case Protocol.TCP -> ip + 20;
      case Protocol.UDP, Protocol.ICMP, Protocol.ICMPV6 -> ip + 8;
      default -> ip;
    };
  }

  /** Whether these are some of the fragments of a packet, and others are elsewhere. */
  public boolean isPart() {
    int next = 0;
    for (Fragment fragment : fragments) {
      if (fragment.offset != next) {
        return true;
      }
      next += fragment.data;
    }
    return !fragments.isEmpty() && fragments.get(fragments.size() - 1).more;
  }

  /** Whether the first fragment, which has the ports, is one of these. */
  public boolean hasFirst() {
    return fragments.isEmpty() || fragments.get(0).offset == 0;
  }

  /** That of a fragment on its own. */
  public static Size ofFragment(int identification, Fragment fragment) {
    return new Size(fragment.length, true, identification, List.of(fragment), 0, 0);
  }

  /** The longest piece in which it travels, in bytes. */
  public int longest() {
    int longest = fragments.isEmpty() ? length : 0;
    for (Fragment fragment : fragments) {
      longest = Math.max(longest, fragment.length);
    }
    return longest;
  }

  /** The same in fragments of at most some bytes, where it is longer (RFC 791 section 3.2). */
  public Size cut(int mtu) {
    List<Fragment> whole =
        fragments.isEmpty() ? List.of(new Fragment(0, length - HEADER, length, false)) : fragments;
    List<Fragment> cut = new ArrayList<>();
    for (Fragment each : whole) {
      int most = each.length <= mtu ? each.data : (mtu - HEADER) / UNIT * UNIT;
      for (int from = 0; from < each.data; from += most) {
        int taken = Math.min(most, each.data - from);
        boolean more = each.more || from + taken < each.data;
        cut.add(new Fragment(each.offset + from, taken, HEADER + taken, more));
      }
    }
    return new Size(
        length,
        mayFragment,
        identification,
        cut.size() == 1 ? List.of() : cut,
        largestSegment,
        nextMtu);
  }

  /** The same packet in one piece, as its receiver puts it together. */
  public Size whole() {
    return fragments.isEmpty()
        ? this
        : new Size(length, mayFragment, identification, List.of(), largestSegment, nextMtu);
  }

  /** The same of another length, in one piece. */
  public Size ofLength(int bytes) {
    return new Size(bytes, mayFragment, identification, List.of(), largestSegment, nextMtu);
  }

  /** The same with another identification. */
  public Size identified(int by) {
    return new Size(length, mayFragment, by, fragments, largestSegment, nextMtu);
  }

  /** The same of a SYN whose sender seems to take no larger segments. */
  public Size limited(int segment) {
    return new Size(length, mayFragment, identification, fragments, segment, nextMtu);
  }

  /** As a trace says it: {@code 1500 bytes, may be fragmented}. */
  @Override
  public String toString() {
    if (largestSegment > 0) {
      return "largest segment " + largestSegment;
    }
    if (nextMtu > 0) {
      return "MTU " + nextMtu;
    }
    if (fragments.isEmpty()) {
      return length + " bytes" + (mayFragment ? ", may be fragmented" : "");
    }
    if (isPart()) {
      return "fragment of "
          + fragments.stream().map(Fragment::toString).collect(Collectors.joining(", "));
    }
    StringBuilder text = new StringBuilder(length + " bytes in fragments of ");
    for (int i = 0; i < fragments.size(); i++) {
      boolean last = i == fragments.size() - 1;
      text.append(i == 0 ? "" : last ? " and " : ", ").append(fragments.get(i).length);
    }
    return text.toString();
  }
}
