// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.snapshot;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Random;
import org.eskerfield.formats.SiteLot;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.BindingRow;
import org.eskerfield.state.SessionRow;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Snapshot;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Runs that are cut by snapshots, on sites and with traffic drawn by lot. */
class SnapshotTest {
  private static final int SITES = 60;
  private static final int STEPS = 100;
  private static final int CUTS = 10;

  private static final String[] STATES = {
    "",
    "    state: { port-hold-down: 90s, port-preservation: false, filtering: endpoint-independent }\n",
    "    state: { mapping: address-and-port-dependent, pooling: arbitrary, mid-stream: true }\n",
    "    state: { ports-per-source: 3, inbound-refreshes: true, filtering: address-and-port-dependent }\n"
  };

  private static @Nullable Site read(String text) {
    try {
      return SiteReader.read("lot", text);
    } catch (UnreadableSiteException e) {
      return null;
    }
  }

  /** The run that goes on from what is written of another one. */
  private static Run cut(Run run, List<Site> sites) throws Exception {
    String text = SnapshotJson.write(run.snapshot());
    Snapshot back = SnapshotJson.read("a snapshot", text);
    assertThat(SnapshotJson.write(back)).isEqualTo(text);
    assertThat(back).isEqualTo(run.snapshot());
    Site last = sites.get(sites.size() - 1);
    return Tracer.of(last).goOn(back, sites.subList(0, sites.size() - 1));
  }

  private static List<String> told(Run run) {
    List<String> rows = new ArrayList<>();
    for (BindingRow row : run.bindings("edge")) {
      rows.add(row.toString());
    }
    for (SessionRow row : run.sessions("edge")) {
      rows.add(row.toString());
    }
    run.fills("edge").forEach(fill -> rows.add(fill.toString()));
    return rows;
  }

  @Test
  void aRunThatIsCutIntoTenEqualsTheRunInOne() throws Exception {
    int held = 0;
    int usable = 0;
    for (int seed = 0; seed < SITES; seed++) {
      SiteLot lot = new SiteLot(seed);
      String text = lot.site();
      text = text.replace("    stance:", STATES[seed % STATES.length] + "    stance:");
      Site site = read(text);
      if (site == null) {
        continue;
      }
      usable++;
      Random random = new Random(seed);
      List<Site> sites = new ArrayList<>(List.of(site));
      Run whole = Tracer.of(site).run(VirtualClock.start(site.timeZone()));
      Run parts = Tracer.of(site).run(VirtualClock.start(site.timeZone()));
      List<Packet> sent = new ArrayList<>();
      for (int step = 0; step < STEPS; step++) {
        if (step % (STEPS / CUTS) == STEPS / CUTS - 1) {
          parts = cut(parts, sites);
          assertThat(told(parts)).as("seed %s, step %s", seed, step).isEqualTo(told(whole));
        }
        Duration time = Duration.ofMillis(random.nextInt(random.nextBoolean() ? 500 : 120_000));
        whole.advance(time);
        parts.advance(time);
        Site changed = random.nextInt(40) == 0 ? read(lot.site()) : null;
        if (changed != null) {
          sites.add(changed);
          whole.goOnWith(changed);
          parts.goOnWith(changed);
        }
        Packet packet = packet(lot, random, sent);
        Device edge = Objects.requireNonNull(whole.site().devices().get("edge"));
        Interface by = edge.interfaces().get(random.nextInt(edge.interfaces().size()));
        Trace wanted = whole.arrive(edge, by, packet.copy());
        Trace found = parts.arrive(edge, by, packet.copy());
        assertThat(found.toString())
            .as("seed %s, step %s: %s", seed, step, packet.header())
            .isEqualTo(wanted.toString());
        held += whole.sessionCount("edge");
      }
    }
    assertThat(usable).isGreaterThan(SITES / 2);
    assertThat(held).isGreaterThan(5_000);
  }

  /** A new packet, or one that was sent before, with other flags or the other way round. */
  private static Packet packet(SiteLot lot, Random random, List<Packet> sent) {
    if (sent.isEmpty() || random.nextInt(3) > 0) {
      Packet fresh = lot.packet();
      sent.add(fresh);
      return fresh;
    }
    Packet old = sent.get(random.nextInt(sent.size()));
    int[] flags = {Packet.SYN, Packet.ACK, Packet.FIN | Packet.ACK, Packet.RST};
    return new Packet(
        old.source(),
        old.sourcePort,
        old.destination(),
        old.destinationPort,
        old.protocol,
        old.icmpType,
        old.protocol == Protocol.TCP ? flags[random.nextInt(flags.length)] : 0);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "'' | it is empty",
        "[1] | the snapshot must be an object",
        "{ | line 1, column",
        "{\"now\": 1} | the snapshot has no 'eskerfield-snapshot'",
        "{\"eskerfield-snapshot\": 2} | it is of version 2, and this reads 1 only",
        "{\"eskerfield-snapshot\": 1} | the snapshot has no 'devices'",
        "{\"eskerfield-snapshot\": 1, \"devices\": {}, \"now\": \"today\"} "
            + "| now of the snapshot is no moment: today",
        "{\"eskerfield-snapshot\": 1, \"devices\": {\"edge\": 7}} "
            + "| edge of devices of the snapshot must be an object",
        "{\"eskerfield-snapshot\": 1.5} | a snapshot holds no 1.5"
      })
  void whatIsNoSnapshotIsTold(String text, String message) {
    assertThatThrownBy(() -> SnapshotJson.read("x.json", text))
        .isInstanceOf(UnreadableSnapshotException.class)
        .hasMessageContaining("x.json")
        .hasMessageContaining(message);
  }

  @Test
  void aSnapshotOfOtherRulesIsRefused() throws Exception {
    Site site = Objects.requireNonNull(read(new SiteLot(3).site()));
    Run run = Tracer.of(site).run(VirtualClock.start(site.timeZone()));
    Snapshot snapshot = run.snapshot();
    String text = SnapshotJson.write(snapshot).replace("\"edge\"", "\"core\"");
    Snapshot other = SnapshotJson.read("other", text);
    assertThatThrownBy(() -> Tracer.of(site).goOn(other, List.of()))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessage("the devices are edge, and the snapshot is of core");
  }
}
