// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import org.junit.jupiter.api.Test;

/** Ports that are drawn by lot. */
class LotTest {
  private static PortSpace space(int address) {
    return new PortSpace((long) address << 32 | 6 << 8, new BitSet());
  }

  private static List<Integer> draws(Lot lot, PortSpace at, int count) {
    List<Integer> drawn = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      drawn.add(lot.draw(at, 64512));
    }
    return drawn;
  }

  @Test
  void whatIsDrawnElsewhereChangesNothing() {
    List<Integer> alone = draws(new Lot("skerry"), space(7), 100);
    Lot lot = new Lot("skerry");
    PortSpace here = space(7);
    List<Integer> among = new ArrayList<>();
    for (int i = 0; i < 100; i++) {
      draws(lot, space(8 + i), i % 5);
      among.add(lot.draw(here, 64512));
    }
    assertThat(among).isEqualTo(alone);
  }

  @Test
  void eachDeviceAddressAndProtocolHasDrawsOfItsOwn() {
    List<Integer> one = draws(new Lot("skerry"), space(7), 50);
    for (String other : List.of("breakwater", "akerry", "skerra")) {
      assertThat(draws(new Lot(other), space(7), 50))
          .as(other)
          .doesNotContainSequence(one.subList(0, 2));
    }
    assertThat(draws(new Lot("skerry"), space(8), 50)).doesNotContainSequence(one.subList(0, 2));
    PortSpace udp = new PortSpace(7L << 32 | 17 << 8, new BitSet());
    assertThat(draws(new Lot("skerry"), udp, 50)).doesNotContainSequence(one.subList(0, 2));
  }

  /** Of 64,000 draws each 64th of the range gets about 1,000: five deviations are 157. */
  @Test
  void everyPortIsAsLikely() {
    int[] counts = new int[64];
    draws(new Lot("skerry"), space(7), 64_000).forEach(each -> counts[each / 1008]++);
    for (int count : counts) {
      assertThat(count).isBetween(843, 1_157);
    }
  }
}
