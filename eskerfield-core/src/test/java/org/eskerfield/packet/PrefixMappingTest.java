// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.eskerfield.Numbers.a;
import static org.eskerfield.Numbers.p;

import java.util.Objects;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.IntRange;
import org.eskerfield.plain.PlainPrefix;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** RFC 6296, with addresses worked out by hand and by a second implementation. */
class PrefixMappingTest {
  @Test
  void theExampleOfTheRfc() {
    PrefixMapping out = new PrefixMapping(p("fd01:203:405::/48"), p("2001:db8:1::/48"));
    assertThat(out.adjustment()).isEqualTo(0xd54f);
    assertThat(out.moved(a("fd01:203:405:1::1234"))).isEqualTo(a("2001:db8:1:d550::1234"));
    assertThat(out.reversed().moved(a("2001:db8:1:d550::1234")))
        .isEqualTo(a("fd01:203:405:1::1234"));
  }

  @ParameterizedTest
  @CsvSource({
    // The sums of the two prefixes differ by d54f, as in the example of the RFC.
    "fd01:203:405::/48,    2001:db8:1::/48,      fd01:203:405:2ab0::1,   2001:db8:1::1", // = ffff
    "fd01:203:405::/48,    2001:db8:1::/48,      fd01:203:405:2ab1::1,   2001:db8:1:1::1",
    "fd01:203:405::/48,    2001:db8:1::/48,      fd01:203:405:fffe::1,   2001:db8:1:d54e::1",
    "fd01:203:405::/48,    2001:db8:1::/48,      fd01:203:405:ffff::1,   ",
    // The bits between the prefix and the word stay: fd00 + 100 - 2001 = ddff.
    "fd00:100::/32,        2001::/32,            fd00:100:77:1::9,       2001:0:77:de00::9",
    // Longer than /48: fd01 + 203 + 405 + 10 - (2001 + db8 + 1 + 4420) = 912f in ones' complement.
    "fd01:203:405:10::/60, 2001:db8:1:4420::/60, fd01:203:405:13::1234,  2001:db8:1:4423:913f::1234",
    "fd01:203:405:10::/60, 2001:db8:1:4420::/60,"
        + " fd01:203:405:13:ffff:1:2:3, 2001:db8:1:4423:ffff:9140:2:3",
    "fd01:203:405:10::/60, 2001:db8:1:4420::/60," + " fd01:203:405:13:ffff:ffff:ffff:ffff, ",
    // Prefixes of the same sum adjust nothing.
    "fd01:203:405::/48,    fd01:405:203::/48,    fd01:203:405:7::1,      fd01:405:203:7::1",
  })
  void addressesAreExchanged(String from, String to, String inside, String outside) {
    PrefixMapping out = PrefixMapping.between(p(from), p(to));
    Address there = out.moved(a(inside));
    assertThat(there).isEqualTo(outside == null ? null : a(outside));
    if (there != null) {
      assertThat(out.reversed().moved(there)).isEqualTo(a(inside));
    }
  }

  @Test
  void theShorterPrefixCountsAsLongAsTheOther() {
    PrefixMapping out = PrefixMapping.between(p("fd01:203:405::/48"), p("2001:db8:1:4400::/56"));
    assertThat(out.from()).isEqualTo(p("fd01:203:405::/56"));
    assertThat(out.to()).isEqualTo(p("2001:db8:1:4400::/56"));
  }

  @Test
  void whatIsNoPairOfPrefixesIsRefused() {
    assertThatThrownBy(() -> new PrefixMapping(p("10.0.0.0/8"), p("10.0.0.0/8")))
        .hasMessageContaining("IPv6");
    assertThatThrownBy(() -> new PrefixMapping(p("fd00::/48"), p("fd00::/56")))
        .hasMessageContaining("same length");
    assertThatThrownBy(() -> new PrefixMapping(p("fd00::/65"), p("fd01::/65")))
        .hasMessageContaining("64 bits");
  }

  @Property(tries = 3000)
  void noMappingChangesAChecksumAndTheWayBackIsTheWayThere(
      @ForAll long high,
      @ForAll long low,
      @ForAll long prefix,
      @ForAll long other,
      @ForAll @IntRange(min = 1, max = 64) int length,
      @ForAll @IntRange(max = 20) int ones) {
    // Words of ffff are rare, so some are made.
    long some = ones < 5 ? low | -1L << (16 * (4 - ones)) : low;
    Prefix from = Prefix.around(new Address(Family.IPV6, prefix, 0), length);
    Prefix to = Prefix.around(new Address(Family.IPV6, other, 0), length);
    long kept = length == 64 ? 0 : -1L >>> length;
    Address inside =
        new Address(Family.IPV6, from.first().high() | (high & kept), ones == 0 ? -1 : some);
    PrefixMapping out = new PrefixMapping(from, to);
    Address outside = out.moved(inside);
    assertThat(outside).isEqualTo(PlainPrefix.mapped(inside, to.first(), length));
    if (outside != null) {
      assertThat(to.contains(outside)).isTrue();
      assertThat(PlainPrefix.checksum(outside) % 0xffff)
          .isEqualTo(PlainPrefix.checksum(inside) % 0xffff);
      assertThat(Objects.requireNonNull(out.reversed().moved(outside))).isEqualTo(inside);
    }
  }
}
