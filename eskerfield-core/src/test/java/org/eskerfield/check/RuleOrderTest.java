// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Random;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Times;
import org.eskerfield.state.VirtualClock;
import org.junit.jupiter.api.Test;

/** Small lists drawn by lot, and the same answers counted packet by packet. */
class RuleOrderTest {
  private static final int LISTS = 1_000;
  private static final int ADDRESSES = 6;
  private static final int PORTS = 4;
  private static final int[] PROTOCOLS = {6, 17, 47};

  private final Random random = new Random(20260105);

  /** A box of packets, told plainly. */
  private record Box(int[] source, int[] destination, int[] port, int protocol) {
    boolean holds(Packet packet) {
      return (protocol == 0 || protocol == packet.protocol)
          && within(source, packet.sourceLow & 0xff)
          && within(destination, packet.destinationLow & 0xff)
          && (port.length == 0 || (packet.protocol != 47 && within(port, packet.destinationPort)));
    }

    private static boolean within(int[] range, long value) {
      return range.length == 0 || (range[0] <= value && value <= range[1]);
    }
  }

  private int[] range(int size) {
    if (random.nextInt(3) == 0) {
      return new int[0];
    }
    int first = random.nextInt(size);
    return new int[] {first, first + random.nextInt(size - first)};
  }

  private Box box() {
    int[] port = random.nextBoolean() ? new int[0] : range(PORTS);
    return new Box(
        range(ADDRESSES), range(ADDRESSES), port, new int[] {0, 6, 17}[random.nextInt(3)]);
  }

  private static PacketSet set(PacketSpace space, Box box) {
    PacketSet set = box.protocol == 0 ? space.all() : space.protocol(box.protocol);
    if (box.source.length > 0) {
      set = set.intersection(space.sources(addresses(box.source)));
    }
    if (box.destination.length > 0) {
      set = set.intersection(space.destinations(addresses(box.destination)));
    }
    PortSet ports = box.port.length == 0 ? PortSet.ALL : PortSet.range(box.port[0], box.port[1]);
    return box.port.length == 0
        ? set
        : set.intersection(space.withPorts())
            .intersection(space.ports(Dimension.DESTINATION_PORT, ports));
  }

  private static AddressSet addresses(int[] range) {
    return AddressSet.of(List.of(new AddressRange(address(range[0]), address(range[1]))));
  }

  private static Address address(int last) {
    return Address.ipv4(10, 0, 0, last);
  }

  /** Every packet of the shrunken space. One more of each kind stands for all that lies beyond. */
  private static List<Packet> packets() {
    List<Packet> packets = new ArrayList<>();
    for (int source = 0; source <= ADDRESSES; source++) {
      for (int destination = 0; destination <= ADDRESSES; destination++) {
        for (int protocol : PROTOCOLS) {
          for (int port = 0; port <= (protocol == 47 ? 0 : PORTS); port++) {
            packets.add(
                new Packet(
                    address(source), 0, address(destination), port, protocol, Icmp.NO_TYPE, 0));
          }
        }
      }
    }
    return packets;
  }

  private static int decider(List<Box> boxes, Packet packet, int without) {
    for (int i = 0; i < boxes.size(); i++) {
      if (i != without && boxes.get(i).holds(packet)) {
        return i;
      }
    }
    return -1;
  }

  @Test
  void whatNeverActsAndWhatIsRedundantIsExact() {
    List<Packet> packets = packets();
    int hidden = 0;
    int redundant = 0;
    for (int list = 0; list < LISTS; list++) {
      PacketSpace space =
          new PacketSpace(1, new Times(List.of(), VirtualClock.start(ZoneOffset.UTC)));
      List<Box> boxes = new ArrayList<>();
      List<RuleOrder.Entry> entries = new ArrayList<>();
      List<String> effects = new ArrayList<>();
      for (int i = random.nextInt(7); i >= 0; i--) {
        Box box = box();
        boxes.add(box);
        effects.add(random.nextBoolean() ? "accept" : "drop");
        entries.add(new RuleOrder.Entry(set(space, box), effects.get(effects.size() - 1)));
      }
      List<RuleOrder.Standing> standings = RuleOrder.of(space, entries, "drop");
      for (int i = 0; i < boxes.size(); i++) {
        boolean acts = false;
        boolean changes = false;
        PacketSet decides = Objects.requireNonNull(standings.get(i).decides);
        for (Packet packet : packets) {
          boolean mine = decider(boxes, packet, -1) == i;
          acts |= mine;
          int next = decider(boxes, packet, i);
          changes |= mine && !effects.get(i).equals(next < 0 ? "drop" : effects.get(next));
          assertThat(decides.contains(packet, 0, 0, VirtualClock.start(ZoneOffset.UTC)))
              .isEqualTo(mine);
        }
        assertThat(standings.get(i).neverActs()).isEqualTo(!acts);
        assertThat(standings.get(i).redundant).isEqualTo(acts && !changes);
        hidden += acts ? 0 : 1;
        redundant += acts && !changes ? 1 : 0;
      }
    }
    assertThat(hidden).isGreaterThan(LISTS / 10);
    assertThat(redundant).isGreaterThan(LISTS / 10);
  }

  /** Rules with any range in four fields at once: too much to work out, and said to be so. */
  @Test
  void hostileListsAreCutShort() {
    PacketSpace space =
        new PacketSpace(1, new Times(List.of(), VirtualClock.start(ZoneOffset.UTC)));
    List<RuleOrder.Entry> entries = new ArrayList<>();
    for (int i = 0; i < 1_500; i++) {
      PacketSet set = space.protocol(6);
      for (Dimension each :
          List.of(
              Dimension.SOURCE,
              Dimension.DESTINATION,
              Dimension.SOURCE_PORT,
              Dimension.DESTINATION_PORT)) {
        int one = 1 + random.nextInt(60_000);
        int other = 1 + random.nextInt(60_000);
        set = set.intersection(space.where(each, Math.min(one, other), Math.max(one, other)));
      }
      entries.add(new RuleOrder.Entry(set, random.nextBoolean()));
    }
    List<RuleOrder.Standing> standings = RuleOrder.of(space, entries, false);
    long undetermined = standings.stream().filter(each -> each.decides == null).count();
    assertThat(undetermined).isBetween(100L, 1_400L);
    // What is determined is so: the first rule decides all that it matches.
    assertThat(standings.get(0).decides).isEqualTo(entries.get(0).takes());
    for (int i = 0; i < entries.size(); i++) {
      PacketSet decides = standings.get(i).decides;
      PacketSet.Member one = decides == null ? null : decides.sample();
      for (int j = 0; one != null && j < i; j++) {
        assertThat(entries.get(j).takes().contains(one.packet(), 0, 0, one.at())).isFalse();
      }
    }
    // Small questions of the same space are answered as before.
    space.allow(Integer.MAX_VALUE);
    assertThat(entries.get(1).takes().minus(entries.get(1).takes()).isEmpty()).isTrue();
  }
}
