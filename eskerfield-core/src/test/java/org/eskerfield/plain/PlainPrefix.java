// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.plain;

import org.eskerfield.model.PrefixRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * RFC 6296 written down once more: the prefix is exchanged bit by bit, and the word that takes the
 * difference is found by the checksums of the whole addresses before and after.
 */
public final class PlainPrefix {
  private PlainPrefix() {}

  /** The checksum of an address, in ones' complement, before it is turned round. */
  public static int checksum(Address address) {
    int sum = 0;
    for (int word : words(address)) {
      sum = plus(sum, word);
    }
    return sum;
  }

  private static int plus(int one, int other) {
    int sum = one + other;
    return (sum & 0xffff) + (sum >> 16);
  }

  private static int[] words(Address address) {
    int[] words = new int[8];
    for (int i = 0; i < 8; i++) {
      long half = i < 4 ? address.high() : address.low();
      words[i] = (int) (half >>> (48 - 16 * (i % 4))) & 0xffff;
    }
    return words;
  }

  private static Address address(int[] words) {
    long high = 0;
    long low = 0;
    for (int i = 0; i < 4; i++) {
      high = high << 16 | words[i];
      low = low << 16 | words[i + 4];
    }
    return new Address(Family.IPV6, high, low);
  }

  /** The counterpart of an address under another prefix; null if there is none. */
  public static @Nullable Address mapped(Address address, Address prefix, int length) {
    int[] words = words(address);
    int[] there = words(prefix);
    int at = 3;
    if (length > 48) {
      at = 4;
      while (at < 8 && words[at] == 0xffff) {
        at++;
      }
    }
    if (at == 8 || words[at] == 0xffff) {
      return null;
    }
    for (int bit = 0; bit < length; bit++) {
      int mask = 0x8000 >> (bit % 16);
      words[bit / 16] = (words[bit / 16] & ~mask) | (there[bit / 16] & mask);
    }
    int more = plus(checksum(address), ~checksum(address(words)) & 0xffff);
    words[at] = plus(words[at], more);
    words[at] = words[at] == 0xffff ? 0 : words[at];
    return address(words);
  }

  /** Both prefixes count as long as the longer one. */
  static int length(PrefixRule rule) {
    return Math.max(outside(rule).length(), rule.written().length());
  }

  private static Prefix outside(PrefixRule rule) {
    Prefix outside = rule.external().literal();
    if (outside == null) {
      throw new AssertionError("a prefix rule names its external prefix");
    }
    return outside;
  }

  static Prefix block(PrefixRule rule) {
    return new Prefix(outside(rule).first(), length(rule));
  }

  static Prefix inside(PrefixRule rule) {
    return new Prefix(rule.written().first(), length(rule));
  }

  static @Nullable Address internal(PrefixRule rule, Address external) {
    return mapped(external, rule.written().first(), length(rule));
  }

  static @Nullable Address external(PrefixRule rule, Address internal) {
    return mapped(internal, outside(rule).first(), length(rule));
  }
}
