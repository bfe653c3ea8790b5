// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import java.math.BigInteger;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A block of addresses that share their leading bits (RFC 4632 for IPv4, RFC 4291 for IPv6).
 *
 * @param first the lowest address of the block; all host bits are zero
 * @param length the number of leading bits: 0 to 32 or 0 to 128
 */
public record Prefix(Address first, int length) {
  /** Checks the length and that no host bit is set. */
  public Prefix {
    if (length < 0 || length > first.family().bits()) {
      throw new IllegalArgumentException(
          "the prefix length of "
              + first.family()
              + " is 0 to "
              + first.family().bits()
              + ", not "
              + length);
    }
    if (!mask(first, length, false).equals(first)) {
      throw new IllegalArgumentException(first + "/" + length + " has host bits set");
    }
  }

  /** The block of this length that holds the address. */
  public static Prefix around(Address address, int length) {
    return new Prefix(mask(address, length, false), length);
  }

  /** The block of one address. */
  public static Prefix of(Address address) {
    return new Prefix(address, address.family().bits());
  }

  /** The family of its addresses. */
  public Family family() {
    return first.family();
  }

  /**
   * The highest address of the block; in an IPv4 network of /30 or wider, its broadcast address.
   */
  public Address last() {
    return mask(first, length, true);
  }

  /** Whether the block holds the address; never true across families. */
  public boolean contains(Address address) {
    return contains(address.family(), address.high(), address.low());
  }

  /** As {@link #contains(Address)}, for an address that exists only as its parts. */
  public boolean contains(Family family, long high, long low) {
    if (family != first.family()) {
      return false;
    }
    int free = family.bits() - length; // the bits that members may have as they like
    return free < Long.SIZE
        ? high == first.high() && low >>> free == first.low() >>> free
        : free == 2 * Long.SIZE
            || high >>> (free - Long.SIZE) == first.high() >>> (free - Long.SIZE);
  }

  /**
   * Whether the address names the whole network rather than a member: its network or broadcast
   * address. Blocks of /31 and /32 (RFC 3021) and IPv6 blocks have neither.
   */
  public boolean isNetworkOrBroadcast(Address address) {
    return first.family() == Family.IPV4
        && length <= 30
        && (address.equals(first) || address.equals(last()));
  }

  /**
   * Whether the address is that of every router of an IPv6 network, and so no host's (RFC 4291
   * section 2.6.1); point-to-point links of /127 (RFC 6164) and single addresses have none.
   */
  public boolean isRouterAnycast(Address address) {
    return first.family() == Family.IPV6 && length <= 126 && address.equals(first);
  }

  /**
   * The address at the same position of another block.
   *
   * @param member an address of this block
   * @param to a block of the same length
   */
  public Address moved(Address member, Prefix to) {
    // Host bits only: both blocks begin at a multiple of their length.
    long high = to.first.high() | (member.high() ^ first.high());
    long low = to.first.low() | (member.low() ^ first.low());
    return new Address(member.family(), high, low);
  }

  /** The addresses of the block as a range. */
  public AddressRange range() {
    return new AddressRange(first, last());
  }

  /** How many addresses the block has: 1 to 2^32 or 2^128. */
  public BigInteger size() {
    return BigInteger.ONE.shiftLeft(first.family().bits() - length);
  }

  /** The address whose leading bits, as many as the prefix has, are ones (RFC 950). */
  public Address netmask() {
    return mask(Address.highest(first.family()), length, false);
  }

  /** The address whose host bits are ones: the netmask turned round. */
  public Address hostMask() {
    return mask(Address.lowest(first.family()), length, true);
  }

  /** The two halves of the prefix, the lower one first; empty for a single address. */
  public List<Prefix> halves() {
    if (length == first.family().bits()) {
      return List.of();
    }
    Prefix lower = new Prefix(first, length + 1);
    Address next = lower.last().next();
    return next == null ? List.of() : List.of(lower, new Prefix(next, length + 1));
  }

  /**
   * The addresses that members of a connected network of this prefix can have. Of an IPv4 network
   * all but the first and last, of /31 (RFC 3021) and /32 all; of an IPv6 network all but the first
   * (RFC 4291 section 2.6.1), of /127 (RFC 6164) and /128 all. Where a block is merely routed, and
   * connected nowhere, every address can be used.
   */
  public AddressRange usable() {
    int hostBits = first.family().bits() - length;
    Address second = first.next();
    Address beforeLast = last().previous();
    if (hostBits < 2 || second == null || beforeLast == null) {
      return range();
    }
    return new AddressRange(second, first.family() == Family.IPV4 ? beforeLast : last());
  }

  private static Address mask(Address address, int length, boolean ones) {
    int hostBits = address.family().bits() - length;
    long highMask = hostBits <= 64 ? 0 : hostBits == 128 ? -1 : (1L << (hostBits - 64)) - 1;
    long lowMask = hostBits >= 64 ? -1 : (1L << hostBits) - 1;
    return ones
        ? new Address(address.family(), address.high() | highMask, address.low() | lowMask)
        : new Address(address.family(), address.high() & ~highMask, address.low() & ~lowMask);
  }

  // Written out, since those that a record has by itself are linked at run time, at every start.

  @Override
  public boolean equals(@Nullable Object other) {
    return other instanceof Prefix it && length == it.length && first.equals(it.first);
  }

  @Override
  public int hashCode() {
    return 31 * first.hashCode() + length;
  }

  /** {@code address/length}. */
  @Override
  public String toString() {
    return first + "/" + length;
  }
}
