// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.time.ZoneId;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.ChangedFates;
import org.eskerfield.formats.SiteLot;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Named;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.SharedRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.StaticRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.outcome.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketSet;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** The packets whose fate changes, against every packet of a small space tried by itself. */
class ChangedFatesTest {
  static final String HOSTS =
      """
      hosts:
        ann: { on: inside, at: 10.1.0.2, listens: [22/tcp, 80/tcp, 1080/tcp, 81/udp] }
        bob: { on: inside, at: 10.1.0.3, listens: [80-82/tcp, 1081/udp], answers-ping: false }
        cyd:
          on: middle
          at: 10.2.0.3
          listens: any
          filter: { rules: [{ drop: some, from: 203.0.113.0/31, service: tcp }], otherwise: accept }
        dee: { on: middle, at: 10.2.0.5, gateway: 10.2.0.9, listens: any }
        eve: { on: internet, at: 203.0.113.1, listens: 80/tcp }
        fay: { on: internet, at: 203.0.113.3, network-blocks: 81/tcp }
        gus: { on: inside, at: 10.1.0.8, off: true }
      """;

  private static final List<String> SENDERS =
      List.of(
          "10.1.0.2",
          "10.1.0.3",
          "10.1.0.5",
          "10.1.0.8",
          "10.2.0.3",
          "10.2.0.5",
          "10.2.0.7",
          "203.0.113.0",
          "203.0.113.1",
          "203.0.113.2",
          "203.0.113.3",
          "203.0.113.66",
          "198.51.100.131",
          "10.1.0.1",
          "10.2.0.1",
          "198.51.100.129",
          "192.0.2.9");
  private static final List<String> RECEIVERS =
      List.of(
          "10.1.0.1",
          "10.1.0.2",
          "10.1.0.3",
          "10.1.0.7",
          "10.2.0.1",
          "10.2.0.3",
          "10.2.0.4",
          "10.2.0.5",
          "10.2.0.15",
          "198.51.100.129",
          "198.51.100.135",
          "198.51.100.136",
          "198.51.100.137",
          "198.51.100.138",
          "198.51.100.139",
          "198.51.100.140",
          "203.0.113.0",
          "203.0.113.1",
          "203.0.113.65",
          "192.0.2.9",
          "224.0.0.1");
  private static final int[] PORTS = {22, 79, 80, 81, 82, 180, 1080, 1081};

  private static Site site(String text) throws UnreadableSiteException {
    return SiteReader.read("x", text.replace("groups:", HOSTS + "groups:"));
  }

  /** The fate of a packet, found by tracing it alone. */
  private static String fate(Site site, PacketSet.Member member) {
    Packet packet = member.packet();
    Address source = packet.source();
    Named device = site.deviceAt(source);
    Host host = site.hostAt(source);
    Named sender = host != null ? host : Host.unnamed(source, site.networkOf(source));
    Trace trace =
        Tracer.of(site)
            .trace(
                new Question(
                    device == null ? sender : device,
                    source,
                    packet.destination(),
                    Icmp.isEchoRequest(packet.icmpType)
                        ? Probe.ping(packet.family)
                        : Probe.of(packet.protocol, packet.destinationPort),
                    packet.sourcePort,
                    member.at()));
    List<String> rules = new ArrayList<>();
    String seen = trace.seenAs() == null ? "" : trace.seenAs().address().toString();
    for (Leg leg : trace.request()) {
      for (Decision decision : leg.decisions()) {
        Placed by = decision.by();
        Step step = decision.ruling().step();
        if (by != null
            && !(by instanceof Interface)
            && (List.of(Step.DESTINATION, Step.DEVICE, Step.ACCESS, Step.SOURCE).contains(step)
                || decision.ruling().code().matches("host-(accepted-by-rule|filtered|rejected)"))) {
          rules.add(leg.where() + " " + Labels.of(by));
        }
        if (decision.ruling() == Ruling.SOURCE_TRANSLATED && trace.seenAs() != null) {
          seen = lent(by, leg) == null ? seen : "one of " + lent(by, leg);
        }
      }
    }
    String to =
        trace.deliveredTo() == null
            ? ""
            : trace.deliveredTo().address() + " " + trace.deliveredTo().port();
    return trace.outcome() + " " + rules + " " + to + " seen as " + seen;
  }

  private static @Nullable Object lent(@Nullable Placed by, Leg leg) {
    Pool pool =
        by instanceof SharedRule shared
            ? shared.pool()
            : by instanceof DynamicRule dynamic
                ? dynamic.pool()
                : by instanceof DestinationRule to && to.sources() != null && to.hairpin() == null
                    ? to.sources().pool()
                    : null;
    boolean led =
        leg.decisions().stream()
            .anyMatch(d -> d.ruling() == Ruling.DESTINATION_TRANSLATED && by.equals(d.by()));
    boolean asDevice =
        by instanceof InwardRule inward
            && inward.hairpin() != null
            && inward.hairpin().source() == Hairpin.Source.DEVICE
            && led;
    boolean moves = by instanceof StaticRule && !asDevice;
    return pool != null ? pool.addresses() : moves ? null : leg.leaving().addresses().get(0);
  }

  private static Address address(String text) throws Exception {
    return Literals.address(text);
  }

  private static List<PacketSet.Member> space(
      Random random, int count, List<String> senders, List<String> receivers, int... portsTried)
      throws Exception {
    List<PacketSet.Member> all = new ArrayList<>();
    ZonedDateTime usual = VirtualClock.start(ZoneId.of("UTC"));
    for (int i = 0; i < count; i++) {
      int protocol = new int[] {6, 6, 6, 17, 17, 1, 47}[random.nextInt(7)];
      boolean ports = Protocol.hasPorts(protocol);
      Packet packet =
          new Packet(
              address(senders.get(random.nextInt(senders.size()))),
              ports || protocol == 1 ? 1023 + random.nextInt(5) : 0,
              address(receivers.get(random.nextInt(receivers.size()))),
              ports ? portsTried[random.nextInt(portsTried.length)] : 0,
              protocol,
              protocol == 1 ? Icmp.ECHO_REQUEST : Icmp.NO_TYPE,
              protocol == 6 ? Packet.SYN : 0);
      ZonedDateTime at = usual.plusDays(random.nextInt(7)).withHour(random.nextInt(24));
      all.add(new PacketSet.Member(packet, 0, 0, at));
    }
    return all;
  }

  /** Another policy for the same site: some lines drawn anew. */
  private static String varied(String text, SiteLot lot) {
    String[] lines = text.split("\n");
    for (int change = lot.random.nextInt(3); change >= 0; change--) {
      int at = lot.random.nextInt(lines.length);
      if (lines[at].startsWith("          - {")) {
        lines[at] = lot.chance(30) ? "" : "          - " + lot.rule();
      } else if (lines[at].matches("      - \\{ (static|dest|untouch|shared|dynamic).*")) {
        lines[at] = "      - " + lot.translation();
      } else if (lines[at].startsWith("        guards:")) {
        lines[at] = "        guards: " + lot.guards();
      } else if (lines[at].startsWith("        otherwise:")) {
        lines[at] = "        otherwise: " + lot.one("accept", "drop");
      } else {
        change++;
      }
    }
    return String.join("\n", lines) + "\n";
  }

  @Test
  void theChangedPacketsAreExactlyThoseThatBruteForceFinds() throws Exception {
    int pairs = Integer.getInteger("pairs", 40);
    int packets = Integer.getInteger("packets", 1000);
    int changed = 0;
    int compared = 0;
    for (int seed = Integer.getInteger("from", 0); compared < pairs; seed++) {
      SiteLot lot = new SiteLot(seed);
      String text = lot.site();
      String other = lot.chance(15) ? new SiteLot(seed + 5000).site() : varied(text, lot);
      Site before;
      Site after;
      try {
        before = site(text);
        after = site(other);
      } catch (UnreadableSiteException e) {
        continue;
      }
      compared++;
      ChangedFates reach = ChangedFates.between(before, after, (who, done, of) -> {});
      assertThat(reach.complete()).isTrue();
      List<PacketSet.Member> drawn = space(lot.random, packets, SENDERS, RECEIVERS, PORTS);
      changed += assertExact(before, after, reach, drawn, "seed " + seed);
    }
    assertThat(changed).isGreaterThan(pairs * packets / 100);
  }

  /** How many of the packets change, each of which must be told, and no other. */
  private static int assertExact(
      Site before, Site after, ChangedFates reach, List<PacketSet.Member> packets, String where) {
    int changed = 0;
    for (PacketSet.Member each : packets) {
      boolean found = false;
      for (ChangedFate change : reach.changes()) {
        found |= change.packets().contains(each.packet(), 0, 0, each.at());
      }
      String was = fate(before, each);
      String is = fate(after, each);
      changed += was.equals(is) ? 0 : 1;
      assertThat(found)
          .as("%s: %s at %s\n%s\n%s", where, each.packet().header(), each.at(), was, is)
          .isEqualTo(!was.equals(is));
    }
    return changed;
  }

  /** The same across two devices, with hairpins, names of hosts, routes and filters. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "order",
        "access-missing",
        "translation-missing",
        "wrong-service",
        "interface-down",
        "return-route-missing",
        "host-filter",
        "gateway-or-prefix-wrong",
        "untouched-first",
        "replies-not-let-in",
        "reply-by-other-way"
      })
  void theyAreExactAcrossDevicesToo(String mistake) throws Exception {
    Path folder = Path.of("../demo/mistakes");
    Site before = SiteReader.readWithoutExpectations(folder.resolve("working.site.yaml"));
    Site after = SiteReader.readWithoutExpectations(folder.resolve(mistake + ".site.yaml"));
    List<String> senders = new ArrayList<>();
    List<String> receivers =
        new ArrayList<>(List.of("203.0.113.33", "203.0.113.46", "192.0.2.66", "192.0.2.67"));
    for (Host host : before.hosts().values()) {
      senders.add(host.addresses().get(0).toString());
      receivers.add(host.addresses().get(0).toString());
    }
    senders.addAll(List.of("10.44.8.77", "10.44.20.78", "203.0.113.40", "198.51.100.9"));
    senders.addAll(List.of("203.0.113.33", "203.0.113.46", "10.44.0.1", "10.44.0.2", "10.44.8.1"));
    receivers.addAll(List.of("10.44.0.1", "10.44.0.2", "10.44.8.1", "10.44.20.1", "10.44.20.99"));
    ChangedFates reach = ChangedFates.between(before, after, (who, done, of) -> {});
    assertThat(reach.complete()).isTrue();
    List<PacketSet.Member> drawn =
        space(new Random(7), 4000, senders, receivers, 21, 22, 53, 443, 502, 1502, 5060, 8443);
    // Its schedules are in another zone than the drawn moments.
    drawn.replaceAll(
        each ->
            new PacketSet.Member(
                each.packet(), 0, 0, each.at().withZoneSameLocal(before.timeZone())));
    assertThat(assertExact(before, after, reach, drawn, mistake)).isPositive();
  }
}
