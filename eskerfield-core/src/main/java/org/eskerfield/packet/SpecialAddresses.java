// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import java.util.List;

/** The address blocks that mean something special wherever they are met (RFC 6890 and others). */
public final class SpecialAddresses {
  /**
   * Addresses that the internet does not carry: private (RFC 1918), shared between carrier and
   * customer (RFC 6598), link-local (RFC 3927, RFC 4291), unique local (RFC 4193), loopback and
   * unspecified.
   */
  public static final AddressSet NOT_ON_THE_INTERNET =
      AddressSet.ofPrefixes(
          List.of(
              v4(10, 0, 0, 0, 8),
              v4(172, 16, 0, 0, 12),
              v4(192, 168, 0, 0, 16),
              v4(100, 64, 0, 0, 10),
              v4(169, 254, 0, 0, 16),
              v4(127, 0, 0, 0, 8),
              v4(0, 0, 0, 0, 8),
              v6(0xfc00, 7),
              v6(0xfe80, 10),
              new Prefix(Address.lowest(Family.IPV6), 127)));

  /** Addresses that never leave their host: loopback and unspecified (RFC 6890, RFC 4291). */
  public static final AddressSet NEVER_ON_A_WIRE =
      AddressSet.ofPrefixes(
          List.of(
              v4(127, 0, 0, 0, 8),
              v4(0, 0, 0, 0, 8),
              new Prefix(Address.lowest(Family.IPV6), 127)));

  /** Multicast groups of both families (RFC 5771, RFC 4291) and the limited broadcast address. */
  public static final AddressSet MULTICAST_OR_BROADCAST =
      AddressSet.ofPrefixes(
          List.of(v4(224, 0, 0, 0, 4), v6(0xff00, 8), Prefix.of(Address.ipv4(255, 255, 255, 255))));

  /** Addresses that no packet may bear as its source (RFC 1122 section 3.2.1, RFC 4291). */
  public static final AddressSet NEVER_A_SOURCE = MULTICAST_OR_BROADCAST.union(NEVER_ON_A_WIRE);

  private static final AddressSet SHARED = AddressSet.ofPrefixes(List.of(v4(100, 64, 0, 0, 10)));

  /** The addresses that no router passes on to another network (RFC 4291 section 2.5.6). */
  public static final AddressSet FOR_NEIGHBOURS_ONLY =
      AddressSet.ofPrefixes(List.of(v6(0xfe80, 10)));

  private static final AddressSet LINK_LOCAL =
      AddressSet.ofPrefixes(List.of(v4(169, 254, 0, 0, 16), v6(0xfe80, 10)));

  private SpecialAddresses() {}

  /** Whether it is link-local: for neighbours on one network only (RFC 3927, RFC 4291). */
  public static boolean isLinkLocal(Address address) {
    return LINK_LOCAL.contains(address);
  }

  /** The kind of special address, as a sentence calls it: {@code a private address}. */
  public static String kind(Address address) {
    if (MULTICAST_OR_BROADCAST.contains(address)) {
      return "a multicast or broadcast address";
    }
    if (NEVER_ON_A_WIRE.contains(address)) {
      return "a loopback or unspecified address";
    }
    if (SHARED.contains(address)) {
      return "an address that carriers share among their customers (RFC 6598)";
    }
    if (LINK_LOCAL.contains(address)) {
      return "a link-local address";
    }
    return NOT_ON_THE_INTERNET.contains(address) ? "a private address" : "a public address";
  }

  private static Prefix v4(int a, int b, int c, int d, int length) {
    return new Prefix(Address.ipv4(a, b, c, d), length);
  }

  private static Prefix v6(int firstGroup, int length) {
    return new Prefix(new Address(Family.IPV6, (long) firstGroup << 48, 0), length);
  }
}
