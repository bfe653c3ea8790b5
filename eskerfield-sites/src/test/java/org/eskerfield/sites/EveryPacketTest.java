// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.formats.SiteLot;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Packet;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.set.PacketSet;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.walk.DeviceMachine;
import org.eskerfield.walk.EveryPacket;
import org.eskerfield.walk.EveryPacket.Passage;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;

/** Sets and the machine, on devices and packets drawn by lot. */
class EveryPacketTest {
  private static final int DEVICES = 300;
  private static final int PACKETS = 400;

  /** What became of a packet, in both tellings. */
  private static String told(Ruling end, DeviceMachine machine) {
    if (end == Ruling.DEVICE_ANSWERS) {
      return "the device";
    }
    Interface leaving = machine.leaving();
    return end.ends() != null || leaving == null
        ? "nowhere"
        : leaving.name() + " " + machine.nextHop();
  }

  @Test
  void theyTellTheSameOfEveryPacket() {
    Set<String> met = new HashSet<>();
    int usable = 0;
    for (int seed = 0; seed < DEVICES; seed++) {
      SiteLot lot = new SiteLot(seed);
      String text = lot.site();
      Site site = read(text);
      if (site == null) {
        continue;
      }
      usable++;
      Device edge = Objects.requireNonNull(site.devices().get("edge"));
      DeviceProgram program = DeviceProgram.compile(site, edge);
      ZonedDateTime usual = VirtualClock.start(site.timeZone());
      EveryPacket sets =
          Objects.requireNonNull(EveryPacket.of(SiteProgram.compile(site), usual).get("edge"));
      for (int number = 0; number < edge.interfaces().size(); number++) {
        Interface arriving = edge.interfaces().get(number);
        List<Passage> passages = sets.passages(arriving);
        List<PacketSet.Member> drawn = new ArrayList<>();
        for (Passage passage : passages) {
          drawn.add(Objects.requireNonNull(passage.arrived().sample()));
          PacketSet.Member left = Objects.requireNonNull(passage.left().sample());
          PacketSet one = sets.space().only(left);
          drawn.add(Objects.requireNonNull(passage.arrivedAs(one).sample()));
        }
        for (int i = 0; i < PACKETS / 3; i++) {
          ZonedDateTime at = usual.plusDays(lot.random.nextInt(7)).withHour(lot.random.nextInt(24));
          drawn.add(new PacketSet.Member(lot.packet(), number, 0, at));
        }
        for (PacketSet.Member member : drawn) {
          Packet packet = member.packet().copy();
          DeviceMachine machine = new DeviceMachine(program, new VirtualClock(member.at()));
          String wanted = told(machine.arrive(packet, arriving, null), machine);
          String found = "nowhere";
          for (Passage passage : passages) {
            if (passage.arrived().contains(member.packet(), number, 0, member.at())) {
              assertThat(found).as("one passage a packet").isEqualTo("nowhere");
              Interface leaving = passage.leaving();
              Address via = passage.via() == null ? packet.destination() : passage.via();
              found = leaving == null ? "the device" : leaving.name() + " " + via;
              met.add(
                  found.split(" ")[0]
                      + kind(passage.destinationRule())
                      + kind(passage.sourceRule()));
              assertThat(passage.left().contains(packet, number, 0, member.at()))
                  .as(
                      "seed %s: %s becomes %s by %s",
                      seed, member.packet().header(), packet.header(), passage)
                  .isTrue();
            }
          }
          assertThat(found)
              .as(
                  "seed %s: %s at %s by %s\n%s",
                  seed, member.packet().header(), member.at(), arriving.name(), text)
              .isEqualTo(wanted);
        }
      }
    }
    assertThat(usable).isGreaterThan(DEVICES / 2);
    assertThat(met).hasSizeGreaterThan(20);
  }

  /** The site; null where the lot has drawn what no site may say. */
  static @Nullable Site read(String text) {
    try {
      return SiteReader.read("lot", text);
    } catch (UnreadableSiteException e) {
      return null;
    }
  }

  private static String kind(@Nullable TranslationRule rule) {
    return rule == null ? " -" : " " + rule.kind();
  }
}
