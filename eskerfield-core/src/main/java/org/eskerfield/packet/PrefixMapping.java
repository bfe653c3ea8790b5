// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import org.jspecify.annotations.Nullable;

/**
 * How the addresses of one IPv6 prefix become those of another so that no checksum changes (RFC
 * 6296 sections 3.4 to 3.7).
 *
 * <p>Idea: the prefix is exchanged, and what this does to the sum of the 16-bit words is taken off
 * one word behind it again. Sums are those of the checksum, in ones' complement, where 0xffff is
 * zero: so the word that takes the difference must not be 0xffff, and never becomes it. It is the
 * fourth word where the prefixes are of 48 bits or fewer; else the first one of the interface
 * identifier that is not 0xffff. An address without such a word has no counterpart.
 *
 * @param from the prefix that is exchanged, of 64 bits at most
 * @param to the prefix that takes its place, as long
 */
public record PrefixMapping(Prefix from, Prefix to) {
  /** The longest prefix that leaves a word of the interface identifier to adjust. */
  public static final int LONGEST = 64;

  /** A prefix that leaves the subnet's word whole is at most so long. */
  private static final int BEFORE_SUBNET = 48;

  private static final int WORD = 0xffff;

  /** Checks that the prefixes are of IPv6 and equally long. */
  public PrefixMapping {
    if (from.family() != Family.IPV6 || to.family() != Family.IPV6) {
      throw new IllegalArgumentException("prefixes of IPv6, not " + from + " and " + to);
    }
    if (from.length() != to.length() || from.length() > LONGEST) {
      throw new IllegalArgumentException(
          "prefixes of the same length, 64 bits at most, not " + from + " and " + to);
    }
  }

  /**
   * The mapping between two prefixes, the shorter of which is taken for as long as the other one,
   * filled with zeros (RFC 6296 section 3.7).
   */
  public static PrefixMapping between(Prefix from, Prefix to) {
    int length = Math.max(from.length(), to.length());
    return new PrefixMapping(new Prefix(from.first(), length), new Prefix(to.first(), length));
  }

  /** The way back. */
  public PrefixMapping reversed() {
    return new PrefixMapping(to, from);
  }

  /** The amount added to the word that takes the difference: 0 to 0xfffe, modulo 0xffff. */
  public int adjustment() {
    return Math.floorMod(sum(from.first().high()) - sum(to.first().high()), WORD);
  }

  private static int sum(long words) {
    int sum = 0;
    for (int shift = 0; shift < Long.SIZE; shift += 16) {
      sum += word(words, shift);
    }
    return sum;
  }

  private static int word(long words, int shift) {
    return (int) (words >>> shift) & WORD;
  }

  /** Whether the word of the subnet takes the difference, and not the interface identifier. */
  public boolean isAdjustedInSubnet() {
    return from.length() <= BEFORE_SUBNET;
  }

  /**
   * The counterpart of an address; null if it has none.
   *
   * @param address one of {@link #from}
   */
  public @Nullable Address moved(Address address) {
    long high = address.high() ^ from.first().high() ^ to.first().high();
    if (isAdjustedInSubnet()) {
      return word(high, 0) == WORD
          ? null
          : new Address(Family.IPV6, adjusted(high, 0), address.low());
    }
    for (int shift = 48; shift >= 0; shift -= 16) {
      if (word(address.low(), shift) != WORD) {
        return new Address(Family.IPV6, high, adjusted(address.low(), shift));
      }
    }
    return null;
  }

  private long adjusted(long words, int shift) {
    long word = (word(words, shift) + (long) adjustment()) % WORD;
    return (words & ~((long) WORD << shift)) | word << shift;
  }
}
