// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;

/**
 * The numbers of the protocols above IP, 0 to 255, and their names in the IANA registry of assigned
 * internet protocol numbers.
 */
public final class Protocol {
  /** Internet Control Message Protocol (RFC 792). */
  public static final int ICMP = 1;

  /** Transmission Control Protocol (RFC 9293). */
  public static final int TCP = 6;

  /** User Datagram Protocol (RFC 768). */
  public static final int UDP = 17;

  /** ICMP for IPv6 (RFC 4443). */
  public static final int ICMPV6 = 58;

  private static final Map<Integer, String> NAMES =
      Map.ofEntries(
          Map.entry(ICMP, "icmp"),
          Map.entry(2, "igmp"),
          Map.entry(4, "ipv4"),
          Map.entry(TCP, "tcp"),
          Map.entry(UDP, "udp"),
          Map.entry(33, "dccp"),
          Map.entry(41, "ipv6"),
          Map.entry(46, "rsvp"),
          Map.entry(47, "gre"),
          Map.entry(50, "esp"),
          Map.entry(51, "ah"),
          Map.entry(ICMPV6, "icmpv6"),
          Map.entry(89, "ospf"),
          Map.entry(97, "etherip"),
          Map.entry(103, "pim"),
          Map.entry(108, "ipcomp"),
          Map.entry(112, "vrrp"),
          Map.entry(132, "sctp"),
          Map.entry(136, "udplite"),
          Map.entry(137, "mpls-in-ip"));

  private static final Map<String, Integer> NUMBERS = new TreeMap<>();

  static {
    NAMES.forEach((number, name) -> NUMBERS.put(name, number));
  }

  private Protocol() {}

  /** The registry's name in lower case; {@code protocol N} where this table has none. */
  public static String name(int number) {
    String name = NAMES.get(number);
    return name != null ? name : "protocol " + number;
  }

  /** The number of a name in any case; -1 where this table does not have it. */
  public static int number(String name) {
    Integer number = NUMBERS.get(name.toLowerCase(Locale.ROOT));
    return number != null ? number : -1;
  }

  /** Whether packets of the protocol bear ports that a translator can tell senders apart by. */
  public static boolean hasPorts(int number) {
    return number == TCP || number == UDP;
  }

  /** Whether it is ICMP of either family. */
  public static boolean isIcmp(int number) {
    return number == ICMP || number == ICMPV6;
  }
}
