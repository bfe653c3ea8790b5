// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Objects;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Policy;
import org.eskerfield.compare.Comparison;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Wanted;
import org.eskerfield.walk.DeviceMachine;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Rules that ask for TCP flags, and for types and codes of ICMP; by hand. */
class HeaderFieldsTest {
  /** A plain router with a stateless list for what comes in. */
  private static Site site(String rules) throws Exception {
    return SiteReader.read(
        "x.site.yaml",
        """
        eskerfield: 1
        site: Pier
        networks:
          pier: { prefix: [192.0.2.0/25, "fd01:203:405:4::/64"], zone: pier }
          link: { prefix: 198.51.100.128/26, zone: internet, carrier: 198.51.100.129, routed: { to: 192.0.2.0/25, via: 198.51.100.140 } }
        hosts:
          ramp: { on: pier, at: 192.0.2.9, listens: [502/tcp, 502/udp] }
          kiosk: { on: pier, at: 192.0.2.20 }
          store: { on: link, at: 198.51.100.150, listens: https }
        devices:
          skerry:
            stance: accept
            interfaces:
              uplink: { on: link, at: 198.51.100.140 }
              pier: { on: pier, at: [192.0.2.1, "fd01:203:405:4::1"] }
            routes: [{ to: any, via: 198.51.100.129 }]
            access:
              in: { guards: { arriving: uplink }, stateless: true, otherwise: drop, rules: [%s] }
        """
            .formatted(rules));
  }

  private static final String ANSWERS =
      "{ accept: answers, service: tcp, flags: { any: [ack, rst] } }";

  @ParameterizedTest
  @CsvSource({
    "kiosk, store, https, answered", // the SYN ACK has ACK
    "kiosk, store, 81/tcp, refused", // the reset has RST
    "store, ramp, 502/tcp, dropped", // a SYN alone has neither
    "store, ramp, 502/udp, dropped", // no flags at all
    "kiosk, store, 82/udp, unanswered", // the notice is no TCP
  })
  void flagsTellAnswersFromOpenings(String from, String to, String service, String outcome)
      throws Exception {
    Site site = site(ANSWERS);
    Trace trace =
        Tracer.of(site).trace(QuestionReader.on(site).from(from).to(to).service(service).read());
    assertThat(trace.outcome()).as(trace.reason()).hasToString(outcome);
  }

  @Test
  void theReasonNamesTheFlags() throws Exception {
    Site site = site(ANSWERS);
    Trace trace =
        Tracer.of(site)
            .trace(QuestionReader.on(site).from("store").to("ramp").service("502/tcp").read());
    assertThat(trace.reason())
        .contains("accepts only packets with flags any of rst, ack, and this has syn");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        // the rule | flags of segments that it takes, as sums: FIN 1, SYN 2, RST 4, PSH 8, ACK 16
        "any: [ack, rst] | 4 6 16 17 18 22 24 25",
        "all: [syn, ack] | 18 22",
        "none: [syn, ack] | 0 1 4 8 32",
        "any: syn, none: ack | 2 3 6",
        "any: [fin, psh], all: ack | 17 24 25",
      })
  void groupsOfFlagsHoldTogether(String flags, String taken) throws Exception {
    Site site = site("{ accept: a, service: tcp, flags: { " + flags + " } }");
    List<String> wanted = List.of(taken.split(" "));
    for (int sum : new int[] {0, 1, 2, 3, 4, 6, 8, 16, 17, 18, 22, 24, 25, 32}) {
      Ruling last = arriving(site, segment(sum));
      assertThat(last.ends() == null)
          .as("%s: %s", sum, last)
          .isEqualTo(wanted.contains(Integer.toString(sum)));
    }
  }

  private static Packet segment(int flags) throws Exception {
    return new Packet(
        address("198.51.100.150"),
        443,
        address("192.0.2.20"),
        50_000,
        Protocol.TCP,
        Icmp.NO_TYPE,
        flags);
  }

  private static Ruling arriving(Site site, Packet packet) {
    Device skerry = Objects.requireNonNull(site.devices().get("skerry"));
    Interface uplink = skerry.interfaces().get(0);
    VirtualClock clock = new VirtualClock(VirtualClock.start(site.timeZone()));
    return new DeviceMachine(DeviceProgram.compile(site, skerry), clock)
        .arrive(packet, uplink, null);
  }

  private static Address address(String text) throws Exception {
    return Address.ofBytes(java.net.InetAddress.getByName(text).getAddress());
  }

  @ParameterizedTest
  @CsvSource({
    "icmp 3/4,             3, 4, true",
    "icmp 3/4,             3, 3, false",
    "icmp 3,               3, 3, true",
    "icmp 3,               11, 0, false",
    "icmp fragmentation-needed, 3, 4, true",
    "icmp time-exceeded,   11, 1, true",
    "icmp,                 3, 4, true",
    "icmpv6 packet-too-big, 3, 4, false", // another protocol
    "ping,                 8, 0, true",
    "icmp echo-request,    8, 0, true",
    "icmp 8/1,             8, 0, false",
  })
  void messagesAreToldByTypeAndCode(String service, int type, int code, boolean taken)
      throws Exception {
    Site site = site("{ accept: a, service: " + service + " }");
    Packet message =
        type == Icmp.ECHO_REQUEST
            ? new Packet(
                address("198.51.100.150"), 7, address("192.0.2.20"), 0, Protocol.ICMP, type, 0)
            : Packet.error(address("198.51.100.150"), sent(), type, code);
    assertThat(arriving(site, message).ends() == null).isEqualTo(taken);
  }

  private static Packet sent() throws Exception {
    return new Packet(
        address("192.0.2.20"),
        50_000,
        address("198.51.100.150"),
        443,
        Protocol.TCP,
        Icmp.NO_TYPE,
        Packet.ACK);
  }

  /** What is let in by answers alone opens nothing, so nothing is offered by it. */
  @Test
  void whatHasToBeAnAnswerIsNoOffer() throws Exception {
    String all = "{ accept: everything, service: tcp }";
    assertThat(Checker.open(site(all), Policy.NONE))
        .anyMatch(finding -> finding.code().toString().equals("prefix-offered"));
    assertThat(Checker.open(site(ANSWERS), Policy.NONE))
        .noneMatch(finding -> finding.code().toString().equals("prefix-offered"))
        .noneMatch(finding -> finding.code().toString().equals("administration-offered"));
  }

  @Test
  void aComparisonSaysWhatIsAskedForNow() throws Exception {
    Comparison changed =
        Comparison.of(
            side(site(ANSWERS)),
            side(site(ANSWERS.replace("any: [ack, rst]", "all: syn"))),
            (who, done, of) -> {});
    assertThat(changed.differences()).hasSize(1);
    assertThat(changed.differences().toString()).contains("any of rst, ack").contains("all of syn");
    assertThat(changed.changedFates().changes())
        .extracting(fate -> fate.kind().toString())
        .contains("OPENED", "OTHER_END"); // a reset has no SYN
    assertThat(Comparison.of(side(site(ANSWERS)), side(site(ANSWERS)), (w, d, o) -> {}))
        .matches(Comparison::changesNothing);
  }

  private static Comparison.Side side(Site site) {
    return new Comparison.Side(site, Wanted.NOTHING, Policy.NONE);
  }

  /** A notice opens nothing, so nobody comes in by it who had to be logged. */
  @Test
  void noticesAreNoOpenings() throws Exception {
    String notices = ", { accept: notices, service: [icmp 3, icmp time-exceeded] }";
    assertThat(Checker.open(site(ANSWERS + notices), Policy.NONE))
        .noneMatch(finding -> finding.code().toString().equals("inbound-not-logged"));
    String all = ", { accept: notices, service: icmp }";
    assertThat(Checker.open(site(ANSWERS + all), Policy.NONE))
        .anyMatch(finding -> finding.code().toString().equals("inbound-not-logged"));
  }
}
