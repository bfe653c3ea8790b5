// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.eskerfield.Numbers.a;
import static org.eskerfield.Numbers.p;

import java.math.BigInteger;
import java.net.InetAddress;
import java.util.ArrayList;
import java.util.List;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.constraints.IntRange;
import net.jqwik.api.constraints.Size;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class AddressTest {
  @Provide
  Arbitrary<Address> addresses() {
    Arbitrary<Address> v4 =
        Arbitraries.longs().between(0, 0xffff_ffffL).map(n -> new Address(Family.IPV4, 0, n));
    // Halves of few groups, so that runs of zeroes of every length come up.
    Arbitrary<Long> half =
        Arbitraries.of(0L, 1L, -1L, 1L << 16, 1L << 48, 0xdb8L << 32, 0x2001_0db8L << 32);
    Arbitrary<Address> v6 =
        half.flatMap(high -> half.map(low -> new Address(Family.IPV6, high, low)));
    return Arbitraries.oneOf(v4, v6);
  }

  private static BigInteger number(Address address) {
    return new BigInteger(1, bytes(address));
  }

  private static byte[] bytes(Address address) {
    byte[] bytes = new byte[address.family().bits() / 8];
    long low = address.low();
    long high = address.high();
    for (int i = bytes.length - 1; i >= 0; i--) {
      bytes[i] = (byte) low;
      low = (low >>> 8) | (high << 56);
      high >>>= 8;
    }
    return bytes;
  }

  @Property(seed = "20260105")
  void theTextNamesTheAddress(@ForAll("addresses") Address address) throws Exception {
    Address mapped = Address.ofBytes(bytes(address));
    assertThat(mapped).isEqualTo(address);
    // The platform turns IPv4 in IPv6 clothes into IPv4; all others come back as they are.
    Address back = Address.ofBytes(InetAddress.getByName(address.toString()).getAddress());
    assertThat(back).isEqualTo(address);
  }

  @ParameterizedTest
  @CsvSource({
    "2001:db8:0:0:0:0:0:1,             2001:db8::1",
    "2001:db8:0:1:1:1:1:1,             2001:db8:0:1:1:1:1:1",
    "2001:0:0:1:0:0:0:1,               2001:0:0:1::1",
    "2001:db8:0:0:1:0:0:1,             2001:db8::1:0:0:1",
    "0:0:0:0:0:0:0:0,                  ::",
    "0:0:0:0:0:0:0:1,                  ::1",
    "fe80:0:0:0:0:0:0:0,               fe80::",
    "2001:DB8:AAAA:BBBB:CCCC:DDDD:EEEE:FFFF, 2001:db8:aaaa:bbbb:cccc:dddd:eeee:ffff",
    "192.0.2.0,                        192.0.2.0",
  })
  void theTextIsCanonical(String written, String canonical) {
    assertThat(a(written)).hasToString(canonical);
  }

  @Property(seed = "20260105")
  void orderAndNeighboursAreThoseOfNumbers(
      @ForAll("addresses") Address one, @ForAll("addresses") Address other) {
    if (one.family() == other.family()) {
      assertThat(Integer.signum(one.compareTo(other)))
          .isEqualTo(number(one).compareTo(number(other)));
    }
    Address next = one.next();
    if (next == null) {
      assertThat(one).isEqualTo(Address.highest(one.family()));
    } else {
      assertThat(number(next)).isEqualTo(number(one).add(BigInteger.ONE));
      assertThat(next.previous()).isEqualTo(one);
    }
  }

  @Property(seed = "20260105")
  void aPrefixHoldsWhatSharesItsBits(
      @ForAll("addresses") Address one,
      @ForAll("addresses") Address other,
      @ForAll @IntRange(min = 0, max = 128) int length) {
    int bits = Math.min(length, one.family().bits());
    Prefix prefix = Prefix.around(one, bits);
    int host = one.family().bits() - bits;
    assertThat(prefix.contains(one)).isTrue();
    assertThat(prefix.contains(other))
        .isEqualTo(
            one.family() == other.family()
                && number(one).shiftRight(host).equals(number(other).shiftRight(host)));
    assertThat(number(prefix.last()).subtract(number(prefix.first())))
        .isEqualTo(BigInteger.ONE.shiftLeft(host).subtract(BigInteger.ONE));
  }

  @Test
  void networkAndBroadcastAreNoMembersButInSmallBlocks() {
    assertThat(p("10.0.0.0/30").isNetworkOrBroadcast(a("10.0.0.3"))).isTrue();
    assertThat(p("10.0.0.0/30").isNetworkOrBroadcast(a("10.0.0.2"))).isFalse();
    assertThat(p("10.0.0.0/31").isNetworkOrBroadcast(a("10.0.0.1"))).isFalse();
    assertThat(p("2001:db8::/64").isNetworkOrBroadcast(a("2001:db8::"))).isFalse();
  }

  @Test
  void wrongValuesAreTurnedAway() {
    assertThatThrownBy(() -> Address.ipv4(256, 0, 0, 1)).hasMessageContaining("0 to 255");
    assertThatThrownBy(() -> new Address(Family.IPV4, 1, 0)).hasMessageContaining("32 bits");
    assertThatThrownBy(() -> Address.ofBytes(new byte[5])).hasMessageContaining("4 or 16");
    assertThatThrownBy(() -> new Prefix(a("10.0.0.1"), 24)).hasMessageContaining("host bits");
    assertThatThrownBy(() -> new Prefix(a("10.0.0.0"), 33)).hasMessageContaining("0 to 32");
    assertThatThrownBy(() -> new AddressRange(a("10.0.0.2"), a("10.0.0.1")))
        .hasMessageContaining("no range");
    assertThatThrownBy(() -> PortSet.range(5, 4)).hasMessageContaining("5-4");
    assertThatThrownBy(() -> PortSet.of(65536)).hasMessageContaining("65535");
  }

  // Sets, against sets of single members over a small space at the edges of both families.

  private static final List<Address> SPACE = space();

  private static List<Address> space() {
    List<Address> space = new ArrayList<>();
    for (Address start :
        List.of(
            a("0.0.0.0"),
            a("255.255.255.248"),
            a("::"),
            a("0:0:0:1::"),
            a("ffff:ffff:ffff:ffff:ffff:ffff:ffff:fff8"))) {
      Address address = start;
      for (int i = 0; i < 8 && address != null; i++) {
        space.add(address);
        address = address.next();
      }
    }
    return space;
  }

  @Provide
  Arbitrary<AddressRange> ranges() {
    Arbitrary<Integer> index = Arbitraries.integers().between(0, SPACE.size() - 1);
    return index
        .flatMap(i -> index.map(j -> new int[] {Math.min(i, j), Math.max(i, j)}))
        .filter(ends -> SPACE.get(ends[0]).family() == SPACE.get(ends[1]).family())
        .map(ends -> new AddressRange(SPACE.get(ends[0]), SPACE.get(ends[1])));
  }

  private static boolean holds(List<AddressRange> ranges, Address address) {
    return ranges.stream()
        .anyMatch(
            r ->
                r.first().family() == address.family()
                    && r.first().compareTo(address) <= 0
                    && r.last().compareTo(address) >= 0);
  }

  @Property(seed = "20260105")
  void setsAreWhatTheirMembersSay(
      @ForAll @Size(max = 5) List<@net.jqwik.api.From("ranges") AddressRange> left,
      @ForAll @Size(max = 5) List<@net.jqwik.api.From("ranges") AddressRange> right) {
    AddressSet one = AddressSet.of(left);
    AddressSet other = AddressSet.of(right);
    boolean meet = false;
    for (Address address : SPACE) {
      boolean inOne = holds(left, address);
      boolean inOther = holds(right, address);
      meet |= inOne && inOther;
      assertThat(one.contains(address)).isEqualTo(inOne);
      assertThat(one.complement().contains(address)).isEqualTo(!inOne);
      assertThat(one.union(other).contains(address)).isEqualTo(inOne || inOther);
      assertThat(one.intersection(other).contains(address)).isEqualTo(inOne && inOther);
    }
    if (meet) {
      assertThat(one.intersects(other)).isTrue();
    }
    assertThat(one.complement().complement()).isEqualTo(one).hasSameHashCodeAs(one);
    assertThat(one.union(one.complement())).isEqualTo(AddressSet.ALL);
    assertThat(one.intersects(one.complement())).isFalse();
  }

  @Property(seed = "20260105")
  void portsAreWhatTheirMembersSay(
      @ForAll @Size(min = 1, max = 6) List<@IntRange(min = 0, max = 30) Integer> starts,
      @ForAll @IntRange(min = 0, max = 5) int length,
      @ForAll @IntRange(min = 0, max = 40) int other) {
    PortSet set = PortSet.range(starts.get(0), starts.get(0) + length);
    for (int start : starts) {
      set = set.union(PortSet.range(start, start + length));
    }
    int size = 0;
    for (int port = 0; port <= 40; port++) {
      int probe = port;
      boolean in = starts.stream().anyMatch(s -> s <= probe && probe <= s + length);
      size += in ? 1 : 0;
      assertThat(set.contains(port)).as("%s in %s", port, set).isEqualTo(in);
    }
    assertThat(set.size()).isEqualTo(size);
    assertThat(set.first()).isEqualTo(starts.stream().mapToInt(i -> i).min().orElseThrow());
    assertThat(set.intersects(PortSet.of(other))).isEqualTo(set.contains(other));
    assertThat(set.isRange()).isEqualTo(!set.toString().contains(","));
  }
}
