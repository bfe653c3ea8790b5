// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import org.jspecify.annotations.Nullable;

/**
 * One IPv4 or IPv6 address.
 *
 * <p>The bits are kept in two longs, so that comparing and masking are plain arithmetic: an IPv4
 * address lies in the lower 32 bits of {@code low}, everything above is zero.
 *
 * @param family the family
 * @param high the upper 64 bits of an IPv6 address; 0 for IPv4
 * @param low the lower 64 bits of an IPv6 address; for IPv4 the address, 0 to 2^32-1
 */
public record Address(Family family, long high, long low) implements Comparable<Address> {
  private static final KeyedHash KEYED = KeyedHash.fresh();

  /** Checks that an IPv4 address fits into 32 bits. */
  public Address {
    if (family == Family.IPV4 && (high != 0 || low >>> 32 != 0)) {
      throw new IllegalArgumentException(
          "an IPv4 address has 32 bits, but high=" + high + " low=" + low);
    }
  }

  /** The IPv4 address with these four octets, each 0 to 255. */
  public static Address ipv4(int a, int b, int c, int d) {
    if (((a | b | c | d) & ~0xff) != 0) {
      throw new IllegalArgumentException("octets are 0 to 255: " + a + "," + b + "," + c + "," + d);
    }
    return new Address(Family.IPV4, 0, ((long) a << 24) | (b << 16) | (c << 8) | d);
  }

  /** The address in network byte order: four bytes make IPv4, sixteen make IPv6. */
  public static Address ofBytes(byte[] bytes) {
    if (bytes.length != 4 && bytes.length != 16) {
      throw new IllegalArgumentException("an address has 4 or 16 bytes, not " + bytes.length);
    }
    long high = 0;
    long low = 0;
    for (byte b : bytes) {
      high = (high << 8) | (low >>> 56);
      low = (low << 8) | (b & 0xff);
    }
    return bytes.length == 4
        ? new Address(Family.IPV4, 0, low)
        : new Address(Family.IPV6, high, low);
  }

  /** The next higher address; null for the highest of the family. */
  public @Nullable Address next() {
    if (equals(highest(family))) {
      return null;
    }
    return new Address(family, low == -1 ? high + 1 : high, low + 1);
  }

  /** The next lower address; null for the lowest of the family. */
  public @Nullable Address previous() {
    if (high == 0 && low == 0) {
      return null;
    }
    return new Address(family, low == 0 ? high - 1 : high, low - 1);
  }

  /** The lowest address of a family: all bits zero, the unspecified address. */
  public static Address lowest(Family family) {
    return new Address(family, 0, 0);
  }

  /** The highest address of a family: all bits one. */
  public static Address highest(Family family) {
    return family == Family.IPV4
        ? new Address(family, 0, 0xffff_ffffL)
        : new Address(family, -1, -1);
  }

  /** IPv4 before IPv6, then by value as an unsigned number. */
  @Override
  public int compareTo(Address other) {
    return compare(family, high, low, other);
  }

  /** As {@link #compareTo}, for an address that exists only as its parts. */
  static int compare(Family family, long high, long low, Address other) {
    int c = family.compareTo(other.family);
    if (c == 0) {
      c = Long.compareUnsigned(high, other.high);
    }
    return c != 0 ? c : Long.compareUnsigned(low, other.low);
  }

  // Written out, since addresses are compared and hashed for every packet: what a record derives is
  // linked at run time and slower, most of all at start-up.

  @Override
  public boolean equals(@Nullable Object other) {
    return other instanceof Address that
        && low == that.low
        && high == that.high
        && family == that.family;
  }

  @Override
  public int hashCode() {
    return (int) KEYED.of(high, low);
  }

  /** Dotted decimal for IPv4; the canonical text of RFC 5952 for IPv6. */
  @Override
  public String toString() {
    if (family == Family.IPV4) {
      return (low >> 24) + "." + (low >> 16 & 0xff) + "." + (low >> 8 & 0xff) + "." + (low & 0xff);
    }
    return ipv6Text();
  }

  private int group(int index) {
    long half = index < 4 ? high : low;
    return (int) (half >>> (48 - 16 * (index & 3))) & 0xffff;
  }

  /**
   * RFC 5952 section 4: the longest run of at least two zero groups, the first of equals, is cut.
   */
  private String ipv6Text() {
    int cutAt = -1;
    int cutLength = 1;
    for (int i = 0; i < 8; i++) {
      int run = 0;
      while (i + run < 8 && group(i + run) == 0) {
        run++;
      }
      if (run > cutLength) {
        cutAt = i;
        cutLength = run;
      }
      i += run;
    }
    StringBuilder text = new StringBuilder(39);
    for (int i = 0; i < 8; i++) {
      if (i == cutAt) {
        text.append("::");
        i += cutLength - 1;
        continue;
      }
      if (text.length() > 0 && text.charAt(text.length() - 1) != ':') {
        text.append(':');
      }
      text.append(Integer.toHexString(group(i)));
    }
    return text.toString();
  }
}
