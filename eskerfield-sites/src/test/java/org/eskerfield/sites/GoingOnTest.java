// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.formats.snapshot.SnapshotJson;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/**
 * What becomes of live sessions: under another policy, after a snapshot, when insiders meet them.
 */
class GoingOnTest {
  private static final String TEXT =
      """
      eskerfield: 1
      site: x
      networks:
        pier: { prefix: 10.77.4.0/24, zone: pier }
        link: { prefix: 203.0.113.32/28, zone: internet, carrier: 203.0.113.46 }
        spare: { prefix: 198.51.100.128/28, zone: internet, carrier: 198.51.100.129 }
      hosts:
        kiosk: { on: pier, at: 10.77.4.20 }
        server: { on: pier, at: 10.77.4.40, listens: 1-65535/tcp }
        hydrographic: { on: internet, at: 192.0.2.200, listens: [8883/tcp, 8883/udp] }
        stranger: { on: internet, at: 198.51.100.250 }
      devices:
        skerry:
          stance: accept
          state: { file-transfer: true }
          interfaces:
            uplink: { on: link, at: 203.0.113.33 }
            backup: { on: spare, at: 198.51.100.130 }
            pier: { on: pier, at: 10.77.4.1 }
          routes:
            - { to: any, via: 203.0.113.46 }
          translation:
            - { destination: w, arriving: uplink, at: uplink, becomes: server }
            - { shared: s, from: pier, leaving: uplink }
      """;

  private static Site site(String text) throws Exception {
    return SiteReader.read("x.site.yaml", text);
  }

  private static Run run(Site site) {
    return Tracer.of(site).run(VirtualClock.start(site.timeZone()));
  }

  private static Attempt attempt(Site site, String from, String to, String service)
      throws Exception {
    return QuestionReader.on(site).from(from).to(to).service(service).attempt();
  }

  private static Trace opening(Run run, Attempt attempt) {
    return Objects.requireNonNull(run.converse(attempt).opening());
  }

  private static String leaving(Trace trace) {
    for (Leg leg : trace.request()) {
      if (leg.where().equals("skerry")) {
        return Objects.requireNonNull(leg.leaving()).name();
      }
    }
    return "nowhere";
  }

  @Test
  void packetsOfAKnownSessionFollowTheRoutesOfTheNewPolicy() throws Exception {
    Site before = site(TEXT);
    Run run = run(before);
    Attempt udp = attempt(before, "kiosk", "hydrographic", "8883/udp");
    Trace first = opening(run, udp);
    assertThat(leaving(first)).isEqualTo("uplink");
    assertThat(run.send(first.question())).isEqualTo(Outcome.ANSWERED);
    String more = "routes:\n      - { to: 192.0.2.200/32, via: 198.51.100.129 }";
    run.goOnWith(site(TEXT.replace("routes:", more))); // the other routes have other numbers now
    assertThat(run.send(first.question())).isEqualTo(Outcome.ANSWERED);
    Trace then = opening(run, udp);
    assertThat(leaving(then)).isEqualTo("backup");
    assertThat(then.seenAs()).hasToString("skerry 203.0.113.33:50000");
  }

  @Test
  void anEndpointIsFreeWhenItsSessionEndsAfterAChangeOfPolicy() throws Exception {
    Site before = site(TEXT);
    Run run = run(before);
    Attempt inward = attempt(before, "stranger", "203.0.113.33", "50000/tcp");
    assertThat(run.leaveOpen(inward).outcome()).isEqualTo(Outcome.ANSWERED);
    run.goOnWith(site(TEXT + "    note: the same otherwise\n"));
    Attempt outward = attempt(before, "kiosk", "hydrographic", "8883/tcp");
    assertThat(opening(run, outward).seenAs()).hasToString("skerry 203.0.113.33:50001");
    run.advance(Duration.ofHours(9));
    assertThat(run.sessionCount("skerry")).isZero();
    assertThat(opening(run, outward).seenAs()).hasToString("skerry 203.0.113.33:50000");
  }

  /** Half an announcement before the first snapshot, the data connection after the second. */
  @Test
  void anAnnouncementIsUnderstoodAcrossSnapshots() throws Exception {
    Site site = site(TEXT);
    Device skerry = Objects.requireNonNull(site.devices().get("skerry"));
    Interface uplink = skerry.interfaces().get(0);
    Interface pier = skerry.interfaces().get(2);
    Address client = Literals.address("10.77.4.20");
    Address far = Literals.address("192.0.2.200");
    Address seen = Literals.address("203.0.113.33");
    Run run = run(site);
    for (String text : List.of("", "PORT 10,77,4,20,", "195,101\r\n")) {
      int flags = text.isEmpty() ? Packet.SYN : Packet.ACK;
      Packet packet = new Packet(client, 50_000, far, 21, Protocol.TCP, Icmp.NO_TYPE, flags);
      packet.payload = text.isEmpty() ? null : text;
      run.arrive(skerry, pier, packet);
      if (text.isEmpty()) {
        Packet answer =
            new Packet(far, 21, seen, 50_000, Protocol.TCP, Icmp.NO_TYPE, Packet.SYN | Packet.ACK);
        run.arrive(skerry, uplink, answer);
      }
      String written = SnapshotJson.write(run.snapshot());
      run = Tracer.of(site).goOn(SnapshotJson.read("x", written), List.of());
    }
    int before = run.sessionCount("skerry");
    Packet data = new Packet(far, 20, seen, 50_021, Protocol.TCP, Icmp.NO_TYPE, Packet.SYN);
    Trace trace = run.arrive(skerry, uplink, data.copy());
    assertThat(trace.request().get(trace.request().size() - 1).where()).isEqualTo("kiosk");
    assertThat(before).isGreaterThan(1);
    Packet other = new Packet(far, 20, seen, 50_022, Protocol.TCP, Icmp.NO_TYPE, Packet.SYN);
    Trace strange = run.arrive(skerry, uplink, other);
    assertThat(strange.request().get(strange.request().size() - 1).where()).isEqualTo("server");
  }

  @ParameterizedTest
  @CsvSource({
    "pier,  SOURCE_TRANSLATED, SOURCE_KEPT",
    "kiosk, SOURCE_KEPT,       SOURCE_TRANSLATED",
  })
  void anInsiderToALiveBindingIsTranslatedIfARuleSaysSo(String from, Ruling said, Ruling unsaid)
      throws Exception {
    Site site =
        site(
            TEXT.replace("from: pier", "from: " + from)
                .replace("file-transfer: true", "filtering: endpoint-independent"));
    Run run = run(site);
    opening(run, attempt(site, "kiosk", "hydrographic", "8883/udp"));
    Trace trace = opening(run, attempt(site, "server", "203.0.113.33", "50000/udp"));
    assertThat(trace.request().get(trace.request().size() - 1).where()).isEqualTo("kiosk");
    List<Ruling> rulings = new ArrayList<>();
    trace.request().forEach(leg -> leg.decisions().forEach(each -> rulings.add(each.ruling())));
    assertThat(rulings).contains(said).doesNotContain(unsaid);
  }
}
