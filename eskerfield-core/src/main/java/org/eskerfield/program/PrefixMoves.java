// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.List;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PrefixMapping;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.Rewrite;
import org.eskerfield.set.Shifts;

/**
 * What a prefix rule does to one end of every packet (RFC 6296).
 *
 * <p>Idea: the word that takes the difference goes up by the adjustment, and round where it would
 * pass 0xfffe. So its values are two ranges, each of which moves by a distance of its own; the bits
 * above that stay are told apart, as many times two ranges as they have values. Cost: 2^(49-n)
 * ranges for a prefix of n bits up to 48, 8 for a longer one.
 */
final class PrefixMoves {
  private static final int SUBNET_END = 48;
  private static final long WORD = 0xffff;
  private static final long EVERY = -1;

  private PrefixMoves() {}

  /** What becomes of the sources, or of the destinations. */
  static Rewrite of(Meaning all, boolean source, PrefixMapping mapping) {
    PacketSet only = all.space().of(Family.IPV6);
    Dimension high = source ? Dimension.SOURCE_HIGH : Dimension.DESTINATION_HIGH;
    Dimension low = source ? Dimension.SOURCE : Dimension.DESTINATION;
    Rewrite prefix = Rewrite.NONE.andMoves(high, high(mapping), EVERY, only);
    return mapping.isAdjustedInSubnet()
        ? prefix
        : prefix.andMoves(low, low(mapping.adjustment()), EVERY, only);
  }

  private static Shifts high(PrefixMapping mapping) {
    long from = mapping.from().first().high();
    long distance = mapping.to().first().high() - from;
    if (!mapping.isAdjustedInSubnet()) {
      return new Shifts().add(from, mapping.from().last().high(), distance);
    }
    Shifts shifts = new Shifts();
    long subnets = 1L << (SUBNET_END - mapping.from().length());
    for (long i = 0; i < subnets; i++) {
      addWord(shifts, from + (i << 16), 0, mapping.adjustment(), distance);
    }
    return shifts;
  }

  /** Words that are 0xffff are passed over: the next one takes the difference. */
  private static Shifts low(int adjustment) {
    Shifts shifts = new Shifts();
    long before = 0;
    for (int shift = 48; shift >= 0; shift -= 16) {
      addWord(shifts, before, shift, adjustment, 0);
      before |= WORD << shift;
    }
    return shifts;
  }

  /**
   * The values of one word, and whatever stands behind it.
   *
   * @param before the value of which all bits from the word on are zero
   * @param shift how many bits stand behind the word
   * @param distance what is added besides
   */
  private static void addWord(Shifts to, long before, int shift, int adjustment, long distance) {
    long turn = before + ((WORD - adjustment) << shift);
    to.add(before, turn - 1, distance + ((long) adjustment << shift));
    if (adjustment > 0) {
      long end = before + (WORD << shift);
      to.add(turn, end - 1, distance + ((adjustment - WORD) << shift));
    }
  }

  /** The address that the rule rewrites has no counterpart. */
  record Lost(PrefixMapping mapping, boolean source) implements Condition {
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      Address address = source ? packet.source() : packet.destination();
      return mapping.from().contains(address) && mapping.moved(address) == null;
    }

    @Override
    public PacketSet among(Meaning all) {
      AddressSet block = AddressSet.ofPrefixes(List.of(mapping.from()));
      PacketSet within = source ? all.space().sources(block) : all.space().destinations(block);
      Rewrite moves = of(all, source, mapping);
      return within.minus(within.image(moves).preImage(moves));
    }
  }
}
