// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.check.Opening;
import org.eskerfield.formats.SiteLot;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Packet;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.walk.DeviceMachine;
import org.junit.jupiter.api.Test;

/** What a change lets in, told and compared with what the machines do. */
class OpeningTest {
  private static Site changed(String... edits) throws Exception {
    return SiteReader.read("x", Sites.edited(Sites.skerryText(), edits));
  }

  private static List<String> opened(String... edits) throws Exception {
    List<String> lines = new ArrayList<>();
    Site after = changed(edits);
    for (Opening opening : Objects.requireNonNull(Opening.between(Sites.skerry(), after))) {
      lines.add(opening.device() + " " + opening.arriving());
      lines.addAll(opening.lines(after));
    }
    return lines;
  }

  @Test
  void whatAChangeLetsInIsToldInWords() throws Exception {
    assertThat(opened("note: moves the ramp", "note: moves")).isEmpty();
    assertThat(opened("- accept: the contractor", "- drop: the contractor")).isEmpty();
    String rule =
        "          - { accept: x, from: %s, to: %s, service: %s }\n        otherwise: drop";
    assertThat(opened("        otherwise: drop", rule.formatted("stranger", "kiosk", "https")))
        .containsExactly(
            "skerry uplink", "from stranger (198.51.100.250) to kiosk (10.77.4.20), 443/tcp");
    assertThat(
            opened(
                "        otherwise: drop",
                rule.formatted("192.0.2.0/25", "kiosk", "[gre, 80-90/udp]")))
        .containsExactly(
            "skerry uplink", "from 192.0.2.0/25 to kiosk (10.77.4.20), 80-90/udp, gre");
    assertThat(opened("when: working hours", "note: always"))
        .containsExactly(
            "skerry uplink",
            "from contractor (192.0.2.140) to ramp (10.77.4.9), 502/tcp, at some times",
            "from contractor (192.0.2.140) to skerry (198.51.100.140), 1502/tcp, at some times");
    assertThat(opened("        otherwise: drop", "        otherwise: accept"))
        .hasSizeLessThan(12)
        .contains("from contractor (192.0.2.140) to ramp (10.77.4.9), 502/tcp, at some times")
        .anyMatch(line -> line.startsWith("from the internet but for contractor"));
    assertThat(opened("from: pier }", "from: any }")).first().isEqualTo("skerry uplink");
  }

  private static boolean passes(DeviceProgram program, Packet sent, Interface arriving) {
    DeviceMachine machine =
        new DeviceMachine(program, new VirtualClock(VirtualClock.start(java.time.ZoneOffset.UTC)));
    Ruling end = machine.arrive(sent.copy(), arriving, null);
    return end == Ruling.DEVICE_ANSWERS || (end.ends() == null && machine.leaving() != null);
  }

  @Test
  void itIsWhatPassesNowAndDidNotBefore() throws Exception {
    int opened = 0;
    for (int seed = 0; seed < 200; seed++) {
      SiteLot lot = new SiteLot(seed);
      String text = lot.site();
      String more =
          text.replaceFirst("        rules:\n", "        rules:\n          - " + lot.rule() + "\n");
      Site before;
      Site after;
      try {
        before = SiteReader.read("before", text);
        after = SiteReader.read("after", more);
      } catch (UnreadableSiteException e) {
        continue; // the lot has drawn what no site may say
      }
      Device edge = Objects.requireNonNull(before.devices().get("edge"));
      DeviceProgram old = DeviceProgram.compile(before, edge);
      DeviceProgram now =
          DeviceProgram.compile(after, Objects.requireNonNull(after.devices().get("edge")));
      List<Opening> openings = Objects.requireNonNull(Opening.between(before, after));
      for (Interface arriving : edge.interfaces()) {
        for (int i = 0; i < 60; i++) {
          Packet packet = lot.packet();
          boolean told = false;
          for (Opening opening : openings) {
            told |=
                opening.arriving().equals(arriving.name())
                    && opening
                        .packets()
                        .contains(packet, 0, 0, VirtualClock.start(before.timeZone()));
          }
          assertThat(told)
              .as("seed %s: %s by %s", seed, packet.header(), arriving.name())
              .isEqualTo(passes(now, packet, arriving) && !passes(old, packet, arriving));
          opened += told ? 1 : 0;
        }
      }
    }
    assertThat(opened).isGreaterThan(50);
  }

  @Test
  void sitesOfOtherDevicesAreNotCompared() throws Exception {
    assertThat(
            Opening.between(
                Sites.skerry(), changed("  skerry:\n    stance", "  other:\n    stance")))
        .isNull();
  }
}
