// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.TreeSet;
import org.eskerfield.formats.SiteLot;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Condition;
import org.eskerfield.program.DeviceMeaning;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.Needs;
import org.eskerfield.program.Translations;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Times;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.walk.EveryPacket;
import org.junit.jupiter.api.Test;

/** What a condition says of one packet, and the set of the packets for which it holds. */
class ConditionTest {
  private static final int DEVICES = 200;
  private static final int PACKETS = 60;

  /** Every condition that a device asks, by what it is and where it is asked. */
  private static Map<String, Condition> conditions(DeviceProgram program) {
    Map<String, Condition> all = new LinkedHashMap<>();
    all.put("impossible source", DeviceProgram.IMPOSSIBLE_SOURCE);
    all.put("owned", program.owned);
    all.put("unforwarded", program.unforwarded);
    all.put("standing", program.standing);
    all.put("shared", program.shared);
    for (Condition.Kind kind : Condition.Kind.values()) {
      all.put(kind.toString(), kind);
    }
    put(all, "service", program.services.entries());
    put(all, "offered", program.offered.entries());
    put(all, "way", program.routes.row().entries());
    put(all, "way down", program.routes.down().entries());
    put(all, "way back", program.routes.back().entries());
    for (Translations.Inbound entry : program.translations.inbound) {
      Prefix block = entry.external();
      if (block != null) {
        all.put("claimed at " + block, program.claimedAt(block.first(), 0));
      }
    }
    for (Interface own : program.device.interfaces()) {
      int number = program.number(own);
      all.put("own source by " + own.name(), program.ownSource(own));
      all.put("unmatched from " + own.name(), program.unmatched(own));
      put(all, "in from " + own.name(), program.translations.from(own, number).entries());
      put(all, "fixed from " + own.name(), program.translations.fixedFrom(own, number).entries());
      put(all, "out by " + own.name(), program.translations.towards(own, number).entries());
    }
    for (CompiledList list : program.lists()) {
      put(all, "entry of " + list.list().name(), list.entries());
    }
    return all;
  }

  private static void put(
      Map<String, Condition> all, String what, List<? extends Condition> entries) {
    for (int i = 0; i < entries.size(); i++) {
      all.put(what + " " + i, entries.get(i));
    }
  }

  /** The packet that goes the other way. */
  private static Packet turned(Packet packet) {
    return new Packet(
        packet.destination(),
        packet.destinationPort,
        packet.source(),
        packet.sourcePort,
        packet.protocol,
        packet.icmpType,
        packet.tcpFlags);
  }

  /** Packets by lot, and one inside and one outside of what a set says; all in both directions. */
  private static List<Packet> packets(SiteLot lot, PacketSet set) {
    List<Packet> all = new ArrayList<>();
    for (int i = 0; i < PACKETS; i++) {
      all.add(lot.packet());
    }
    for (PacketSet each : List.of(set, set.complement())) {
      PacketSet.Member member = each.sample();
      if (member != null) {
        all.add(member.packet());
      }
    }
    for (Packet packet : List.copyOf(all)) {
      if (Protocol.hasPorts(packet.protocol)) {
        all.add(turned(packet));
      }
    }
    return all;
  }

  private static boolean mayBeFound(Needs needs, Packet packet) {
    Address source = packet.source();
    Address destination = packet.destination();
    return (needs.sources() == null || needs.sources().contains(source))
        && (needs.destinations() == null || needs.destinations().contains(destination))
        && (needs.services().isEmpty()
            || ServiceTerm.anyCovers(
                needs.services(),
                packet.protocol,
                packet.destinationPort,
                packet.icmpType,
                packet.icmpCode));
  }

  @Test
  void theyHoldForThePacketsOfTheirSetsAndForNoOther() {
    Set<String> held = new TreeSet<>();
    Set<String> failed = new TreeSet<>();
    for (int seed = 0; seed < DEVICES; seed++) {
      SiteLot lot = new SiteLot(seed);
      String text = lot.site();
      Site site = EveryPacketTest.read(text);
      if (site == null) {
        continue;
      }
      Device edge = Objects.requireNonNull(site.devices().get("edge"));
      DeviceProgram program = DeviceProgram.compile(site, edge);
      ZonedDateTime usual = VirtualClock.start(site.timeZone());
      Times times = new Times(site.schedules().values(), usual);
      PacketSpace space = new PacketSpace(EveryPacket.numbers(site), times);
      DeviceMeaning meaning = new DeviceMeaning(program, space, 0);
      for (Map.Entry<String, Condition> each : conditions(program).entrySet()) {
        Condition condition = each.getValue();
        PacketSet others = meaning.of(condition);
        PacketSet own = condition.amongOwn(meaning);
        for (Packet packet : packets(lot, others)) {
          ZonedDateTime at = usual.plusDays(lot.random.nextInt(7)).withHour(lot.random.nextInt(24));
          String about =
              "seed " + seed + ": " + each.getKey() + " of " + packet.header() + " at " + at;
          boolean holds = condition.holds(packet, false, at);
          assertThat(others.contains(packet, 0, 0, at)).as("%s\n%s", about, text).isEqualTo(holds);
          assertThat(own.contains(packet, 0, 0, at))
              .as("own, %s\n%s", about, text)
              .isEqualTo(condition.holds(packet, true, at));
          assertThat(!holds || mayBeFound(condition.needs(), packet)).as(about).isTrue();
          (holds ? held : failed).add(each.getKey().split(" ")[0]);
        }
      }
    }
    assertThat(held).as("every kind holds for some and fails for others").isEqualTo(failed);
  }
}
