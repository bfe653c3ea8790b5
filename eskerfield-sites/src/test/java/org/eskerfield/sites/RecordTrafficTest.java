// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;
import static org.eskerfield.formats.flow.IpfixBytes.usual;

import java.io.ByteArrayInputStream;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.eskerfield.compare.ChangedFlows;
import org.eskerfield.formats.flow.IpfixBytes;
import org.eskerfield.formats.replay.FlowPart;
import org.eskerfield.formats.replay.Replay;
import org.eskerfield.formats.replay.Resends;
import org.eskerfield.formats.replay.Traffic;
import org.eskerfield.matches.Matches;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;

/** Records of flows on the workshop of {@link MatchesTest}, worked by hand. */
class RecordTrafficTest {
  private static final Instant AT = Instant.parse("2026-03-02T08:00:00Z");
  private static final int TCP = 6;
  private static final int UDP = 17;
  private static final int WHOLE = 0x13; // SYN, ACK and FIN
  private static final int OPENED = 0x12; // SYN and ACK
  private static final Address CLERK = Address.ipv4(10, 1, 0, 10);
  private static final Address VISITOR = Address.ipv4(10, 2, 0, 5);
  private static final Address FEED = Address.ipv4(192, 0, 2, 200);
  private static final Address MAKER = Address.ipv4(192, 0, 2, 40);
  private static final Address NAMES = Address.ipv4(192, 0, 2, 53);
  private static final Address EDGE = Address.ipv4(203, 0, 113, 2);

  private static long millis(double seconds) {
    return AT.toEpochMilli() + Math.round(seconds * 1000);
  }

  /** A record of a flow from second to second, of so many packets and bytes. */
  private static byte[] record(
      Address from, int port, Address to, int toPort, int protocol, int flags, double... rest) {
    return usual(
        from,
        port,
        to,
        toPort,
        protocol,
        flags,
        millis(rest[0]),
        millis(rest[1]),
        (long) rest[2],
        (long) rest[3]);
  }

  private static byte[] file(byte[]... records) {
    return new IpfixBytes(AT.plusSeconds(600))
        .template(256, IpfixBytes.USUAL)
        .set(256, records)
        .toArray();
  }

  /** A morning, as an exporter writes it: each record at its end. */
  private static byte[] morning() {
    return file(
        record(VISITOR, 50200, NAMES, 53, UDP, 0, 1, 1, 1, 60),
        // One connection in both directions, seen inside, and what answers it seen outside, too.
        record(CLERK, 50100, FEED, 443, TCP, WHOLE, 0, 2, 6, 600),
        record(FEED, 443, CLERK, 50100, TCP, WHOLE, 0, 2, 5, 5000),
        record(FEED, 443, EDGE, 50100, TCP, WHOLE, 0.02, 2, 5, 5000),
        record(
            EDGE, 50100, FEED, 443, TCP, WHOLE, 0.01, 2, 6, 600), // as it left: no flow of its own
        // The same ports again, half a minute after they were closed.
        record(CLERK, 50100, FEED, 443, TCP, WHOLE, 40, 41, 4, 400),
        // One connection that a time-out of the exporter has cut in two.
        record(MAKER, 50300, EDGE, 443, TCP, OPENED, 10, 70, 60, 6000),
        record(MAKER, 50300, EDGE, 443, TCP, 0x11, 70.5, 130, 50, 5000),
        record(EDGE, 443, MAKER, 50300, TCP, OPENED, 10.1, 70, 40, 4000));
  }

  private interface At {
    void see(Duration at, Run run);
  }

  private static Matches matches(byte[] file, At watcher) throws Exception {
    Site site = GuaranteesTest.file(MatchesTest.SITE).site();
    Tracer tracer = Tracer.of(site);
    Matches matches = new Matches(tracer);
    try (Traffic traffic = open(site, file)) {
      Run run = tracer.run(traffic.start());
      assertThat(traffic.start().toInstant()).isEqualTo(AT);
      Replay.of(
          run,
          traffic,
          List.of(),
          null,
          (number, what) -> {
            if (what == null) {
              return;
            }
            FlowPart part = what.part();
            if (what.trace() != null) {
              matches.begin(part.flow(), what.at(), what.trace());
              watcher.see(what.at(), run);
            }
            matches.grow(part.flow(), part.added().packets(), part.added().bytes());
          });
    }
    return matches;
  }

  private static Traffic open(Site site, byte[] file) throws Exception {
    return Traffic.open(
        site, "day", new ByteArrayInputStream(file), null, Resends.NONE, /* told= */ true);
  }

  @Test
  void recordsOfOneFlowAreOneFlow() throws Exception {
    Matches matches = matches(morning(), (at, run) -> {});
    Map<String, String> told = new TreeMap<>();
    for (Matches.Row row : matches.rows()) {
      if (row.flows() > 0) {
        told.put(Labels.of(row.by()), row.flows() + " " + row.packets() + " " + row.bytes());
      }
    }
    assertThat(matches.flows()).isEqualTo(4);
    // clerk: 6 + 5 + 5 and 4; maker: 60 + 50 + 40.
    assertThat(told)
        .containsEntry("shared rule 'everybody'", "2 20 11000")
        .containsEntry("destination rule 'the shop'", "1 150 15000")
        .containsEntry("access rule 'the shop is open'", "1 150 15000")
        .containsEntry("access rule 'noise'", "1 1 60")
        .doesNotContainKey("list 'from outside'");
  }

  /**
   * Seen when the next flows come: 15 minutes, and 5 minutes and a second after the last packet.
   */
  @Test
  void aFlowKeepsItsSessionAsLongAsItHasPackets() throws Exception {
    List<Integer> sessions = new ArrayList<>();
    byte[] file =
        file(
            record(CLERK, 40000, FEED, 5000, UDP, 0, 0, 1200, 1200, 100_000),
            record(VISITOR, 1, NAMES, 53, UDP, 0, 900, 900, 1, 60),
            record(VISITOR, 2, NAMES, 53, UDP, 0, 1499, 1499, 1, 60),
            record(VISITOR, 3, NAMES, 53, UDP, 0, 1501, 1501, 1, 60));
    matches(
        file,
        (at, run) -> {
          long second = at.toSeconds();
          if (second == 900 || second == 1499 || second == 1501) {
            sessions.add(run.sessionCount("edge"));
          }
        });
    assertThat(sessions).containsExactly(1, 1, 0);
  }

  /** Where nobody looked at the flags it is taken for closed; where they say so, it stays open. */
  @Test
  void aConnectionIsClosedAtItsEndUnlessItsFlagsSayThatItWasNot() throws Exception {
    List<Integer> sessions = new ArrayList<>();
    for (int flags : new int[] {WHOLE, OPENED}) {
      byte[] file =
          file(
              record(CLERK, 40000, FEED, 443, TCP, flags, 0, 10, 10, 1000),
              record(VISITOR, 1, NAMES, 53, UDP, 0, 300, 300, 1, 60));
      matches(
          file,
          (at, run) -> {
            if (at.toSeconds() == 300) {
              sessions.add(run.sessionCount("edge"));
            }
          });
    }
    assertThat(sessions).containsExactly(0, 1);
  }

  /** Where nobody looked at the flags, what follows at once is the same connection all the same. */
  @Test
  void recordsThatWereCutAreOneFlowWithoutFlagsToo() throws Exception {
    byte[] file =
        file(
            record(CLERK, 40000, FEED, 443, TCP, 0x10, 0, 60, 10, 1000),
            record(CLERK, 40000, FEED, 443, TCP, 0x10, 61, 120, 10, 1000));
    byte[] without =
        new IpfixBytes(AT)
            .template(
                256,
                new int[] {8, 4},
                new int[] {12, 4},
                new int[] {7, 2},
                new int[] {11, 2},
                new int[] {4, 1},
                new int[] {152, 8},
                new int[] {153, 8})
            .set(
                256,
                IpfixBytes.join(IpfixBytes.address(CLERK), IpfixBytes.address(FEED)),
                IpfixBytes.bytes(40000, 2, 443, 2, 6, 1, millis(0), 8, millis(60), 8),
                IpfixBytes.join(IpfixBytes.address(CLERK), IpfixBytes.address(FEED)),
                IpfixBytes.bytes(40000, 2, 443, 2, 6, 1, millis(61), 8, millis(120), 8))
            .toArray();
    assertThat(matches(file, (at, run) -> {}).flows()).isEqualTo(1);
    assertThat(matches(without, (at, run) -> {}).flows()).isEqualTo(1);
  }

  @Test
  void whatOpensNothingIsNotSentAndSaid() throws Exception {
    Site site = GuaranteesTest.file(MatchesTest.SITE).site();
    byte[] file =
        new IpfixBytes(AT)
            .template(256, IpfixBytes.USUAL)
            .set(
                256,
                record(MAKER, 0, EDGE, 0x0303, 1, 0, 0, 0, 1, 60),
                record(EDGE, 40001, FEED, 443, TCP, WHOLE, 0, 2, 6, 600),
                record(CLERK, 7, FEED, 443, TCP, 0x10, 1, 2, 3, 300))
            .toArray();
    try (Traffic traffic = open(site, file)) {
      Replay replay =
          Replay.of(
              Tracer.of(site).run(traffic.start()), traffic, List.of(), null, (number, what) -> {});
      assertThat(replay.outcomes().values()).containsExactly(1L);
      assertThat(traffic.afterwards().lines())
          .containsExactly(
              "1 record of ICMP that opens nothing, not sent",
              "1 record from an address of a device or a rule, which no host has: not sent, since"
                  + " what leaves a device is no new flow",
              "1 TCP connection had begun before its first record: sent as if it opened then");
    }
  }

  @Test
  void flowsThatEndOtherwiseAreThoseOfTheRuleThatWentAway() throws Exception {
    Site old = GuaranteesTest.file(MatchesTest.SITE).site();
    Site now =
        GuaranteesTest.file(
                MatchesTest.SITE.replace(
                    "[{ accept: the shop is open, to: web, service: https }]",
                    "[{ accept: the shop is open, to: web, service: ssh }]"))
            .site();
    try (Traffic traffic = open(old, morning())) {
      ChangedFlows changed =
          Replay.compared(
              Tracer.of(old).run(traffic.start()),
              Tracer.of(now).run(traffic.start()),
              traffic,
              (number, what) -> {});
      assertThat(changed.flows()).isEqualTo(4);
      assertThat(changed.changes())
          .singleElement()
          .satisfies(
              each -> {
                assertThat(each.kind().text()).isEqualTo("no longer answered");
                assertThat(each.flows()).isEqualTo(1);
                assertThat(each.first()).isEqualTo(Duration.ofSeconds(10));
                assertThat(each.senders()).containsOnlyKeys(MAKER);
              });
    }
    try (Traffic traffic = open(old, morning())) {
      Run run = Tracer.of(old).run(traffic.start());
      Run same = Tracer.of(old).run(traffic.start());
      assertThat(Replay.compared(run, same, traffic, (number, what) -> {}).changed()).isZero();
    }
  }
}
