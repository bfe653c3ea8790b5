// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.net.InetAddress;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Random;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Policy;
import org.eskerfield.check.Severity;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.ChangedFates;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.formats.snapshot.SnapshotJson;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.set.PacketSet;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.eskerfield.walk.DeviceMachine;
import org.eskerfield.walk.EveryPacket;
import org.eskerfield.walk.EveryPacket.Passage;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Prefix translation (RFC 6296) on whole sites; counterparts are worked out by hand. */
class PrefixTranslationTest {
  private static final Path DEMO = Path.of("../demo/ipv6.site.yaml");
  private static final String STANCE =
      "stance: { office to internet: accept, office to quay: accept, otherwise: drop }";

  private static Site site(String... piecesAndReplacements) throws Exception {
    return SiteReader.read(
        "ipv6.site.yaml", Sites.edited(Files.readString(DEMO), piecesAndReplacements));
  }

  /** A plain router that accepts everything keeps no state; prefix translation asks for none. */
  private static Site stateless(String... more) throws Exception {
    List<String> edits = new ArrayList<>(List.of(STANCE, "stance: accept"));
    edits.addAll(List.of("guards: { arriving: uplink }", "guards: { arriving: quay, to: device }"));
    edits.addAll(List.of(more));
    return site(edits.toArray(String[]::new));
  }

  private static Question ask(Site site, String from, String to, String service) throws Exception {
    return QuestionReader.on(site).from(from).to(to).service(service).read();
  }

  private static String told(Trace trace) {
    Endpoint seen = trace.seenAs();
    return trace.outcome() + (seen == null ? "" : " as " + seen.address());
  }

  @ParameterizedTest
  @CsvSource({
    "clerk, hydrographic, https, answered as 2001:db8:1:d550::1234",
    "clerk, hydrographic, ping, answered as 2001:db8:1:d550::1234",
    "clerk, hydrographic, 5000/udp, refused as 2001:db8:1:d550::1234", // by a notice
    "passenger, 2001:db8:1:d551::80, https, answered as 2001:db8:77::20",
    "passenger, 2001:db8:1:d551::80, 5000/udp, refused as 2001:db8:77::20",
    "passenger, 2001:db8:1:d551::81, https, unroutable", // nobody is there
    "passenger, 2001:db8:1:ffff::80, https, unroutable", // no counterpart
    "clerk, 2001:db8:1:d551::80, https, answered as 2001:db8:1:d550::1234",
    "passenger, 2001:db8:1:d551::91, https, refused as 2001:db8:77::20",
  })
  void everyPacketIsTranslatedByItself(String from, String to, String service, String says)
      throws Exception {
    Site site = stateless("hairpin: office", "hairpin: [office, quay]");
    Run run = Tracer.of(site).run(VirtualClock.start(site.timeZone()));
    Trace trace = run.open(ask(site, from, to, service));
    assertThat(told(trace)).as(trace.reason()).isEqualTo(says);
    assertThat(run.sessionCount("breakwater")).isZero();
  }

  @Test
  void whatTheDemoExpectsHolds() throws Exception {
    SiteFile demo = SiteReader.readFile(DEMO);
    assertThat(new Verifier(Tracer.of(demo.site())).verify(demo.expectations()))
        .hasSize(8)
        .allMatch(Verdict::holds);
    assertThat(Checker.check(demo.site())).isEmpty();
  }

  @Test
  void withoutSessionsRepliesToInsidersNeedAHairpinToo() throws Exception {
    Site site = stateless();
    Trace there = Tracer.of(site).trace(ask(site, "clerk", "2001:db8:1:d551::80", "https"));
    assertThat(told(there)).isEqualTo("unanswered as 2001:db8:1:d550::1234");
    assertThat(there.reason()).contains("matches only packets arriving on uplink");
    Trace by = Tracer.of(site).trace(ask(site, "booking", "2001:db8:1:d550::1234", "https"));
    assertThat(told(by)).isEqualTo("dropped");
  }

  @Test
  void aRouterInsideIsShownByItsOwnCounterpart() throws Exception {
    Site site =
        stateless(
            "::1234\", assigned: reserved",
            "::1234\", assigned: reserved, gateway: \"fd01:203:405:1::1\"",
            "hosts:\n",
            "  shed: { prefix: \"fd01:203:405:5::/64\", zone: shed }\nhosts:\n",
            "devices:\n",
            """
            devices:
              inner:
                stance: accept
                interfaces:
                  office: { on: office, at: "fd01:203:405:1::9" }
                  shed: { on: shed, at: "fd01:203:405:5::1" }
                routes: [{ to: any, via: "fd01:203:405:1::1" }]
            """,
            "      - { to: any, via: \"2001:db8:ffff::1\" }",
            "      - { to: any, via: \"2001:db8:ffff::1\" }\n"
                + "      - { to: \"fd01:203:405:5::/64\", via: \"fd01:203:405:1::9\" }");
    Trace trace = Tracer.of(site).trace(ask(site, "passenger", "2001:db8:1:d554::7", "5000/udp"));
    assertThat(trace.outcome()).hasToString("unroutable");
    Leg last = trace.reply().get(trace.reply().size() - 1);
    Header notice = last.decisions().get(0).before();
    assertThat(notice.source()).hasToString("2001:db8:1:d550::9");
    assertThat(Objects.requireNonNull(notice.inner()).destination())
        .hasToString("2001:db8:1:d554::7");
  }

  @Test
  void aNoticeOutOfTheBlueIsTranslatedWithThePacketInside() throws Exception {
    Site site = stateless();
    Device device = Objects.requireNonNull(site.devices().get("breakwater"));
    DeviceMachine machine =
        new DeviceMachine(
            DeviceProgram.compile(site, device),
            new VirtualClock(VirtualClock.start(site.timeZone())));
    Packet sent = udp("2001:db8:1:d550::1234", "2001:db8:78::5");
    Packet error = Packet.error(address("2001:db8:4::4"), sent, Icmp.UNREACHABLE_V6, 0);
    Ruling last = machine.arrive(error, device.interfaces().get(0), null);
    assertThat(last).isEqualTo(Ruling.SESSION_NOT_NEEDED);
    assertThat(error.destination()).hasToString("fd01:203:405:1::1234");
    assertThat(Objects.requireNonNull(error.inner).source()).hasToString("fd01:203:405:1::1234");
    // About a packet that nobody here can have sent, it goes no further.
    Packet never = udp("2001:db8:1:ffff::1", "2001:db8:78::5");
    Packet forged = Packet.error(address("2001:db8:4::4"), never, Icmp.UNREACHABLE_V6, 0);
    assertThat(machine.arrive(forged, device.interfaces().get(0), null))
        .isEqualTo(Ruling.ERROR_UNMATCHED);
  }

  private static Packet udp(String from, String to) throws Exception {
    return new Packet(address(from), 5000, address(to), 53, Protocol.UDP, Icmp.NO_TYPE, 0);
  }

  private static Address address(String text) throws Exception {
    return Address.ofBytes(InetAddress.getByName(text).getAddress());
  }

  @Test
  void sessionsOverTranslatedAddressesGoOnFromASnapshot() throws Exception {
    Site site = site();
    Run run = Tracer.of(site).run(VirtualClock.start(site.timeZone()));
    run.open(ask(site, "clerk", "hydrographic", "https"));
    assertThat(run.sessionCount("breakwater")).isOne();
    String text = SnapshotJson.write(run.snapshot());
    Run on = Tracer.of(site).goOn(SnapshotJson.read("snapshot", text), List.of());
    assertThat(on.sessions("breakwater")).isEqualTo(run.sessions("breakwater"));
    // The reply of the session is let in from nowhere else.
    Device device = Objects.requireNonNull(site.devices().get("breakwater"));
    Packet reply =
        new Packet(
            address("2001:db8:78::5"),
            443,
            address("2001:db8:1:d550::1234"),
            50_000,
            Protocol.TCP,
            Icmp.NO_TYPE,
            Packet.ACK);
    Trace trace = on.arrive(device, device.interfaces().get(0), reply);
    assertThat(trace.request().get(0).decisions())
        .extracting(decision -> decision.ruling())
        .contains(Ruling.SESSION_KNOWN, Ruling.DESTINATION_RESTORED);
  }

  @Test
  void whoKeepsHisOwnAddressGetsRepliesThatHeDoesNotKnow() throws Exception {
    Site site = site("hairpin: office", "hairpin: { from: office, source: kept }");
    // The device leads the reply back by its session, so it works here ...
    Question question = ask(site, "clerk", "2001:db8:1:d551::80", "https");
    assertThat(told(Tracer.of(site).trace(question)))
        .startsWith("answered as fd01:203:405:1::1234");
    // ... but without a session the reply bears the address inside.
    Site plain = stateless("hairpin: office", "hairpin: { from: [office, quay], source: kept }");
    Trace lost = Tracer.of(plain).trace(ask(plain, "clerk", "2001:db8:1:d551::80", "https"));
    assertThat(lost.outcome()).hasToString("unanswered");
    assertThat(lost.reason()).contains("fd01:203:405:2::80");
  }

  @ParameterizedTest
  @CsvSource({
    "2001:db8:1::/48, fd01:203:405::/48",
    "2001:db8:1:d550::/60, fd01:203:405::/48",
    "2001:db8:1:7::/64, fd01:203:405:1::/64",
    "2001:db8::/40, fd01:203:400::/40",
    "2001:db8::/33, fd01:203::/32",
  })
  void setsSayOfEveryPacketWhatTheMachineDoes(String external, String internal) throws Exception {
    Site site =
        stateless(
            "external: 2001:db8:1::/48",
            "external: " + external,
            "internal: fd01:203:405::/48",
            "internal: " + internal);
    Device device = Objects.requireNonNull(site.devices().get("breakwater"));
    DeviceProgram program = DeviceProgram.compile(site, device);
    ZonedDateTime now = VirtualClock.start(site.timeZone());
    EveryPacket sets =
        Objects.requireNonNull(EveryPacket.of(SiteProgram.compile(site), now).get("breakwater"));
    Random random = new Random(6296);
    int passed = 0;
    int lost = 0;
    for (int number = 0; number < device.interfaces().size(); number++) {
      Interface arriving = device.interfaces().get(number);
      List<Passage> passages = sets.passages(arriving);
      List<Packet> drawn = new ArrayList<>();
      for (Passage passage : passages) {
        PacketSet.Member left = Objects.requireNonNull(passage.left().sample());
        PacketSet one = sets.space().only(left);
        drawn.add(Objects.requireNonNull(passage.arrivedAs(one).sample()).packet());
      }
      for (int i = 0; i < 400; i++) {
        drawn.add(udp(any(random), any(random)));
      }
      for (Packet packet : drawn) {
        Packet left = packet.copy();
        DeviceMachine machine = new DeviceMachine(program, new VirtualClock(now));
        Ruling end = machine.arrive(left, arriving, null);
        lost += end == Ruling.DESTINATION_UNTRANSLATABLE ? 1 : 0;
        lost += end == Ruling.SOURCE_UNTRANSLATABLE ? 1 : 0;
        List<Passage> taken =
            passages.stream()
                .filter(each -> each.arrived().contains(packet, arrivingNumber(arriving), 0, now))
                .toList();
        boolean on = end.ends() == null && machine.leaving() != null;
        assertThat(taken.stream().anyMatch(each -> each.leaving() != null))
            .as("%s by %s: %s", packet.header(), arriving.name(), end)
            .isEqualTo(on);
        for (Passage passage : taken) {
          assertThat(passage.left().contains(left, arrivingNumber(arriving), 0, now))
              .as("%s as %s", packet.header(), left.header())
              .isTrue();
          passed++;
        }
      }
    }
    assertThat(passed).isGreaterThan(100);
    assertThat(lost).isPositive();
  }

  /** Interfaces are numbered from the first of the first device. */
  private static int arrivingNumber(Interface own) {
    return List.of("uplink", "office", "quay").indexOf(own.name());
  }

  private static String any(Random random) {
    String[] prefixes = {
      "fd01:203:405:1:", "fd01:203:405:2:", "fd01:203:405:7:", "fd01:203:405:ffff:",
      "2001:db8:1:d550:", "2001:db8:1:d551:", "2001:db8:1:7:", "2001:db8:1:ffff:",
      "2001:db8:77:0:", "2001:db8:78:ffff:",
    };
    String[] ends = {
      "0:0:0:1234", "0:0:0:80", "ffff:0:0:1", "ffff:ffff:ffff:ffff", "ffff:ffff:ffff:1", "1:2:3:4"
    };
    return prefixes[random.nextInt(prefixes.length)] + ends[random.nextInt(ends.length)];
  }

  private static List<ChangedFate> changes(Site was, Site is) {
    return ChangedFates.between(was, is, (what, done, all) -> {}).changes();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        // what is damaged | how | what the check says, or nothing | how it is cured
        "hairpin: office | hairpin: office | | ",
        "hairpin: office | disabled: true | disabled-rule-needed | enable prefix rule",
        "facing: uplink | facing: quay | wrong-interface | face uplink",
        "external: 2001:db8:1::/48 | external: 2001:db8:9::/48 | address-not-routed | carrier",
        "external: 2001:db8:1::/48 | external: 2001:db8:1::/64 | sources-untranslated"
            + " | translate fd01:203:405:1::/64 to 2001:db8:1:1::/64",
        "internal: fd01:203:405::/48 | internal: fd01:203:406::/48 | sources-untranslated | ",
        STANCE + " | stance: accept | hairpin-missing | who come by quay use",
        // Nobody has to be let in: the rule is for those who go out.
        "log: true | disabled: true | | ",
      })
  void theCheckAsksWhatBecomesOfPackets(
      String piece, String by, @Nullable String code, @Nullable String cure) throws Exception {
    Site site = site(piece, by);
    List<Finding> found = Checker.open(site, Policy.NONE);
    assertThat(found).filteredOn(each -> each.severity() == Severity.ERROR).hasSizeLessThan(2);
    if (code == null) {
      assertThat(found).filteredOn(each -> each.severity() != Severity.ADVICE).isEmpty();
      return;
    }
    assertThat(found)
        .filteredOn(each -> each.code().toString().equals(code))
        .anySatisfy(
            each -> assertThat(String.valueOf(each.cure())).contains(cure == null ? "" : cure));
  }

  @Test
  void aCarrierWithAnotherPrefixIsSeenInTheComparison() throws Exception {
    Site was = site();
    assertThat(changes(was, site())).isEmpty();
    Site is = site("external: 2001:db8:1::/48", "external: 2001:db8:1:4400::/56");
    assertThat(changes(was, is)).isNotEmpty();
  }
}
