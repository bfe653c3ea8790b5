// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.eskerfield.Numbers.a;

import java.time.DayOfWeek;
import java.time.LocalDate;
import java.time.LocalTime;
import java.time.ZoneOffset;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.Combinators;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import org.eskerfield.model.Place;
import org.eskerfield.model.Schedule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.state.VirtualClock;
import org.junit.jupiter.api.Test;

/** Sets of packets against what they say of each single one. */
class PacketSetTest {
  private static final ZonedDateTime NOW = VirtualClock.start(ZoneOffset.UTC);
  private static final PacketSpace SPACE = new PacketSpace(2, new Times(List.of(), NOW));
  private static final PacketSet IPV4 = SPACE.of(Family.IPV4);

  private static boolean holds(PacketSet set, Packet packet) {
    return set.contains(packet, 0, 0, NOW);
  }

  private static AddressSet range(String first, String last) {
    return AddressSet.of(List.of(new AddressRange(a(first), a(last))));
  }

  /** Ranges that begin and end at the ends of the space, around 2^64, and anywhere. */
  @Provide
  Arbitrary<PacketSet> sets() {
    Arbitrary<AddressSet> addresses =
        Arbitraries.of(
            range("0.0.0.0", "10.0.0.3"),
            range("10.0.0.2", "255.255.255.255"),
            AddressSet.of(a("10.0.0.1"), a("2001:db8::1")),
            range("2001:db8::", "2001:db8:0:1::"),
            range("2001:db8:0:1::", "ffff:ffff:ffff:ffff:ffff:ffff:ffff:ffff"),
            AddressSet.ALL);
    Arbitrary<PacketSet> services =
        Arbitraries.of(
            SPACE.all(),
            SPACE.protocol(47),
            SPACE
                .withPorts()
                .intersection(SPACE.ports(Dimension.DESTINATION_PORT, PortSet.range(1, 80))),
            SPACE
                .protocol(6)
                .intersection(SPACE.ports(Dimension.DESTINATION_PORT, PortSet.range(80, 65535))));
    Arbitrary<PacketSet> boxes =
        Combinators.combine(addresses, addresses, services)
            .as(
                (from, to, what) ->
                    SPACE.sources(from).intersection(SPACE.destinations(to)).intersection(what));
    return boxes.list().ofMinSize(1).ofMaxSize(3).map(SPACE::union);
  }

  @Provide
  Arbitrary<Packet> packets() {
    Arbitrary<Address> four =
        Arbitraries.of("0.0.0.0", "10.0.0.1", "10.0.0.2", "10.0.0.3", "255.255.255.255")
            .map(text -> a(text));
    Arbitrary<Address> six =
        Arbitraries.of("2001:db8::", "2001:db8::1", "2001:db8:0:1::", "2001:db8:0:1::1", "ffff::")
            .map(text -> a(text));
    Arbitrary<Integer> ports = Arbitraries.of(1, 79, 80, 81, 65535);
    Arbitrary<Integer> protocols = Arbitraries.of(6, 17, 47);
    return Arbitraries.oneOf(
        Combinators.combine(four, four, ports, protocols).as(PacketSetTest::packet),
        Combinators.combine(six, six, ports, protocols).as(PacketSetTest::packet));
  }

  private static Packet packet(Address from, Address to, int port, int protocol) {
    return new Packet(from, 1000, to, protocol == 47 ? 0 : port, protocol, Icmp.NO_TYPE, 0);
  }

  @Property(tries = 2_000, seed = "20260105")
  void operationsAreThoseOfSets(
      @ForAll("sets") PacketSet one,
      @ForAll("sets") PacketSet two,
      @ForAll("packets") Packet packet) {
    boolean in = holds(one, packet);
    boolean also = holds(two, packet);
    assertThat(holds(one.union(two), packet)).isEqualTo(in || also);
    assertThat(holds(one.intersection(two), packet)).isEqualTo(in && also);
    assertThat(holds(one.minus(two), packet)).isEqualTo(in && !also);
    assertThat(holds(one.complement(), packet)).isEqualTo(!in);
    // The same set by another way is the same diagram.
    assertThat(one.minus(two).union(one.intersection(two))).isEqualTo(one);
    assertThat(one.complement().union(two.complement()))
        .isEqualTo(one.intersection(two).complement());
    assertThat(one.covers(two)).isEqualTo(two.minus(one).isEmpty());
    assertThat(one.meets(two)).isEqualTo(!one.intersection(two).isEmpty());
    assertThat(one.bounds().mayMeet(two.bounds()) || !one.meets(two)).isTrue();
    // A sample is in its set, and boxes make it up again.
    PacketSet.Member sample = one.sample();
    assertThat(sample == null).isEqualTo(one.isEmpty());
    assertThat(sample == null || holds(one, sample.packet())).isTrue();
    assertThat(one.boxes(1_000).isEmpty()).isEqualTo(one.isEmpty());
  }

  /** Both are answered without working out what is left, or what both have. */
  @Property(tries = 2_000, seed = "20261129")
  void coveringAndMeetingAreThoseOfSets(
      @ForAll("sets") PacketSet one, @ForAll("sets") PacketSet other) {
    PacketSet both = one.intersection(other);
    assertThat(one.covers(other)).isEqualTo(other.minus(one).isEmpty());
    assertThat(one.covers(both)).isTrue();
    assertThat(one.union(other).covers(one)).isTrue();
    assertThat(one.meets(other)).isEqualTo(!both.isEmpty());
    assertThat(one.meets(other.minus(one))).isFalse();
  }

  @Property(tries = 1_000, seed = "20260105")
  void whatIsRewrittenComesBack(@ForAll("sets") PacketSet set, @ForAll("packets") Packet packet) {
    PacketSet host = SPACE.destinations(AddressSet.of(a("10.0.0.9")));
    Rewrite becomes = Rewrite.NONE.andBecomes(Dimension.DESTINATION, host, IPV4);
    Rewrite moves =
        Rewrite.NONE
            .andMoves(Dimension.DESTINATION, 0x0a00_0000L, 0x0a00_0003L, 0x100, 0xffff_ffffL, IPV4)
            .andMoves(Dimension.DESTINATION_PORT, 79, 81, 1000, 65535, SPACE.withPorts());
    boolean four = packet.family == Family.IPV4;
    Packet led = packet.copy();
    if (four) {
      led.rewriteDestination(a("10.0.0.9"), packet.destinationPort);
    }
    if (holds(set, packet)) {
      assertThat(holds(set.image(becomes), led)).isTrue();
    }
    assertThat(holds(set.preImage(becomes), packet)).isEqualTo(holds(set, led));
    boolean moved = four && (packet.destinationLow & ~3L) == 0x0a00_0000L;
    boolean ported =
        packet.protocol != 47 && packet.destinationPort >= 79 && packet.destinationPort <= 81;
    boolean kept = packet.protocol == 47;
    Packet there = packet.copy();
    there.destinationLow += moved ? 0x100 : 0;
    there.destinationPort += ported ? 1000 : 0;
    if ((moved || !four) && (ported || kept)) {
      assertThat(holds(set.image(moves), there)).isEqualTo(holds(set, packet));
      assertThat(holds(set.image(moves).preImage(moves), packet)).isEqualTo(holds(set, packet));
    }
  }

  @Test
  void timeIsCutWhereSchedulesBeginAndEnd() {
    Schedule.Window night =
        new Schedule.Window(
            Set.of(DayOfWeek.SUNDAY),
            LocalTime.of(22, 0),
            LocalTime.of(4, 0),
            LocalDate.of(2026, 3, 1),
            LocalDate.of(2026, 3, 9),
            "");
    Schedule schedule = new Schedule("night", List.of(night), Place.IN_CODE);
    PacketSpace space = new PacketSpace(1, new Times(List.of(schedule), NOW));
    PacketSet during = space.during(schedule);
    Packet packet = packet(a("10.0.0.1"), a("10.0.0.2"), 80, 6);
    for (int hour = 0; hour < 24 * 80; hour++) {
      ZonedDateTime moment = NOW.plusHours(hour);
      assertThat(during.contains(packet, 0, 0, moment)).isEqualTo(schedule.covers(moment));
    }
    assertThat(Objects.requireNonNull(during.sample()).at()).matches(schedule::covers);
  }

  @Test
  void aSampleIsOneThatPeopleKnow() {
    Packet any = Objects.requireNonNull(SPACE.all().sample()).packet();
    assertThat(any.header()).hasToString("198.51.100.1:50000 → 192.0.2.1:443 tcp SYN");
    assertThat(SPACE.none().sample()).isNull();
    PacketSet six = SPACE.of(Family.IPV6).intersection(SPACE.protocol(58));
    assertThat(Objects.requireNonNull(six.sample()).packet().icmpType)
        .isEqualTo(Icmp.ECHO_REQUEST_V6);
  }

  @Test
  void whatWouldTakeTooMuchRoomIsSaidToBeUndetermined() {
    PacketSpace small = new PacketSpace(1, new Times(List.of(), NOW));
    small.allow(10);
    assertThatThrownBy(
            () ->
                small
                    .ports(
                        Dimension.SOURCE_PORT,
                        PortSet.of(5).union(PortSet.of(9)).union(PortSet.of(99)))
                    .union(small.protocol(6))
                    .union(small.protocol(17)))
        .isInstanceOf(UndeterminedException.class);
  }

  /** Twice as many addresses without any order take twice the room, not four times. */
  @Test
  void scatteredAddressesTakeRoomInProportion() {
    int few = roomOf(4_000);
    int many = roomOf(16_000);
    assertThat((double) many / few).isBetween(3.5, 5.5);
  }

  private static int roomOf(int count) {
    List<AddressRange> ranges = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      int at = (int) (i * 2_654_435_761L % 0xff_ffff);
      Address one = Address.ipv4(10, at >> 16, at >> 8 & 0xff, at & 0xff);
      ranges.add(new AddressRange(one, one));
    }
    PacketSpace space = new PacketSpace(1, new Times(List.of(), NOW));
    space.allow(Integer.MAX_VALUE);
    assertThat(space.sources(AddressSet.of(ranges)).isEmpty()).isFalse();
    return space.used();
  }

  /** Whatever is found not to overlap does not, and what cannot is not brought together at all. */
  @Property(tries = 300, seed = "20260105")
  void thoseAreFoundThatHaveSomethingInCommon(
      @ForAll("manySets") List<PacketSet> sets, @ForAll("sets") PacketSet some) {
    Unions unions = new Unions(SPACE, sets);
    List<Integer> meeting = new ArrayList<>();
    PacketSet all = SPACE.none();
    for (int i = 0; i < sets.size(); i++) {
      PacketSet common = sets.get(i).intersection(some);
      assertThat(sets.get(i).meets(some)).isEqualTo(!common.isEmpty());
      if (!common.isEmpty()) {
        meeting.add(i);
      }
      all = all.union(sets.get(i));
    }
    assertThat(unions.meeting(some)).isEqualTo(meeting);
    assertThat(unions.all()).isEqualTo(all);
  }

  @Property(tries = 200)
  void setsThatMeetOverlap(@ForAll("manySets") List<PacketSet> sets) {
    int[][] found = Overlaps.of(sets.stream().map(PacketSet::bounds).toList());
    for (int i = 0; i < sets.size(); i++) {
      for (int j = 0; j < i; j++) {
        boolean overlap = Arrays.binarySearch(found[i], j) >= 0;
        assertThat(overlap).isEqualTo(sets.get(i).bounds().mayMeet(sets.get(j).bounds()));
        assertThat(overlap || !sets.get(i).meets(sets.get(j))).isTrue();
      }
    }
  }

  @Provide
  Arbitrary<List<PacketSet>> manySets() {
    return Arbitraries.integers()
        .between(0, 40)
        .list()
        .ofMinSize(2)
        .ofMaxSize(6)
        .list()
        .ofMaxSize(12)
        .map(
            all ->
                all.stream()
                    .map(
                        values -> {
                          PacketSet set = SPACE.none();
                          for (int i = 0; i + 1 < values.size(); i += 2) {
                            int at = values.get(i);
                            set =
                                set.union(
                                    SPACE
                                        .where(Dimension.SOURCE, at, at + values.get(i + 1) / 10)
                                        .intersection(
                                            SPACE.where(Dimension.DESTINATION_PORT, at / 8, 9)));
                          }
                          return set;
                        })
                    .toList());
  }
}
