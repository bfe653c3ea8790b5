// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.catchThrowableOfType;
import static org.assertj.core.api.Assertions.tuple;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.cause.Cause;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Code;
import org.eskerfield.check.Policy;
import org.eskerfield.compare.Comparison;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.formats.snapshot.SnapshotJson;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Passed;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Segment;
import org.eskerfield.trace.Tracer;
import org.eskerfield.trace.Transit;
import org.eskerfield.verify.Wanted;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** Packets that are too large for a link on the way; by hand. */
class PacketSizesTest {
  private static final String TEXT =
      """
      eskerfield: 1
      site: Harbour and pier
      networks:
        office: { prefix: [10.44.8.0/24, "fd01:44:8::/64"], zone: office }
        tunnel: { prefix: [10.44.0.4/30, "fd01:44:4::/64"], zone: tunnel, mtu: 1400 }
        pier: { prefix: [10.77.4.0/24, "fd01:77:4::/64"], zone: pier }
        link: { prefix: 203.0.113.32/28, zone: internet, carrier: 203.0.113.46, mtu: 1492 }
      hosts:
        clerk: { on: office, at: [10.44.8.31, "fd01:44:8::31"] }
        planner: { on: office, at: 10.44.8.32 }
        kiosk: { on: pier, at: [10.77.4.20, "fd01:77:4::20"], listens: [https, 500/udp] }
        hydrographic: { on: internet, at: 192.0.2.200, listens: [https, 500/udp] }
      devices:
        breakwater:
          stance: accept
          interfaces:
            office: { on: office, at: [10.44.8.1, "fd01:44:8::1"] }
            tunnel: { on: tunnel, at: [10.44.0.5, "fd01:44:4::5"] }
            uplink: { on: link, at: 203.0.113.33 }
          routes:
            - { to: any, via: 203.0.113.46 }
            - { to: pier, via: [10.44.0.6, "fd01:44:4::6"] }
          translation:
            - shared: everybody
              from: [office, pier]
              leaving: uplink
        skerry:
          stance: accept
          interfaces:
            tunnel: { on: tunnel, at: [10.44.0.6, "fd01:44:4::6"] }
            pier: { on: pier, at: [10.77.4.1, "fd01:77:4::1"] }
          routes:
            - { to: any, via: 10.44.0.5 }
            - { to: "::/0", via: "fd01:44:4::5" }
      """
          .replace(
              "- { to: pier, via: [10.44.0.6, \"fd01:44:4::6\"] }",
              "- { to: 10.77.4.0/24, via: 10.44.0.6 }\n"
                  + "      - { to: \"fd01:77:4::/64\", via: \"fd01:44:4::6\" }")
          .replace("to: any, via: 203", "to: 0.0.0.0/0, via: 203")
          .replace("to: any, via: 10", "to: 0.0.0.0/0, via: 10");

  private static final String NO_NOTICES =
      "    access:\n      no control messages:\n        guards: { arriving: tunnel }\n"
          + "        stateless: true\n"
          + "        rules: [{ drop: control messages, service: [icmp, icmpv6] }]\n"
          + "        otherwise: accept\n    interfaces:\n      office:";

  private static Site site(String... piecesAndReplacements) throws Exception {
    return SiteReader.read("x.site.yaml", Sites.edited(TEXT, piecesAndReplacements));
  }

  private static QuestionReader ask(Site site, String from, String to, String service) {
    return QuestionReader.on(site).from(from).to(to).service(service);
  }

  /** Each packet that has a size: where it goes, how large it is and whether it is lost. */
  private static String story(Conversation conversation) {
    List<String> story = new ArrayList<>();
    for (Segment segment : conversation.segments()) {
      Header sent = segment.legs().get(0).decisions().get(0).before();
      if (sent.size() != null && sent.size().largestSegment() == 0) {
        boolean notice = sent.inner() != null;
        story.add(
            (segment.isReply() ? "< " : "> ")
                + (notice ? "MTU " + sent.size().nextMtu() : sent.size().length())
                + (segment.delivered() ? "" : " lost"));
      }
    }
    return String.join(", ", story);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "clerk | kiosk | https | > 1500 lost, < MTU 1400, > 1400, < 1500 lost, > MTU 1400, < 1400",
        // What comes from the pier is cut down by the tunnel first, the link takes the rest.
        "kiosk | hydrographic | https"
            + " | > 1500 lost, < MTU 1400, > 1400, < 1500 lost, > MTU 1492, < 1492 lost,"
            + " > MTU 1400, < 1400",
        "clerk | hydrographic | https | > 1500 lost, < MTU 1492, > 1492, < 1500 lost, > MTU 1492,"
            + " < 1492",
        "clerk | planner | https | ", // refused: nothing was opened
        "clerk | fd01:77:4::20 | https"
            + " | > 1500 lost, < MTU 1400, > 1400, < 1500 lost, > MTU 1400, < 1400",
      })
  void whoHearsThatItIsTooMuchSendsLess(String from, String to, String service, String story)
      throws Exception {
    Site site = site();
    Conversation conversation = Tracer.of(site).converse(ask(site, from, to, service).attempt());
    assertThat(story(conversation)).isEqualTo(story == null ? "" : story);
  }

  @ParameterizedTest
  @CsvSource({
    "clerk, kiosk, ping, 1400, false, '> 1400, < 1400'",
    "clerk, kiosk, ping, 1401, false, '> 1401 lost, < MTU 1400, > 1400, < 1400'",
    "clerk, kiosk, ping, 1500, true, '> 1500, < 1500'",
    "clerk, kiosk, 500/udp, 1500, true, '> 1500'", // the answer has no size of its own
    "clerk, kiosk, 500/udp, 1500, false, '> 1500 lost, < MTU 1400, > 1400'",
    "clerk, kiosk, ping, 9000, true, '> 9000, < 9000'", // cut by its own network first
    "clerk, kiosk, ping, 9000, false, '> 9000 lost, > 1500 lost, < MTU 1400, > 1400, < 1400'",
    "clerk, kiosk, https, 1300, false, '> 1300, < 1300'",
    "clerk, kiosk, https, 9000, false, '> 1500 lost, < MTU 1400, > 1400, < 1500 lost, > MTU 1400,"
        + " < 1400'", // no larger than the other end says in its SYN
    "clerk, fd01:77:4::20, ping, 1500, false, '> 1500 lost, < MTU 1400, > 1400, < 1400'",
  })
  void whatIsAskedForIsSent(
      String from, String to, String service, int size, boolean mayFragment, String story)
      throws Exception {
    Site site = site();
    QuestionReader asked = ask(site, from, to, service).size(size);
    Conversation conversation =
        Tracer.of(site).converse((mayFragment ? asked.mayFragment() : asked).attempt());
    assertThat(conversation.outcome()).hasToString("answered");
    assertThat(story(conversation)).isEqualTo(story);
  }

  @Test
  void theNoticeQuotesThePacketAsItWasSent() throws Exception {
    Site site = site();
    Conversation conversation =
        Tracer.of(site).converse(ask(site, "clerk", "hydrographic", "https").attempt());
    Segment notice =
        conversation.segments().stream().filter(s -> s.what().equals("notice")).findFirst().get();
    Header heard = Leg.last(notice.legs()).after();
    assertThat(heard.icmpType()).isEqualTo(Icmp.UNREACHABLE);
    assertThat(heard.icmpCode()).isEqualTo(4);
    assertThat(Objects.requireNonNull(heard.size()).nextMtu()).isEqualTo(1492);
    // Breakwater has translated the packet when it finds that it does not fit.
    assertThat(Objects.requireNonNull(heard.inner()).toString())
        .isEqualTo("10.44.8.31:50000 → 192.0.2.200:443 tcp ACK, 1500 bytes");
  }

  /** A notice of a router beyond the one that translates finds its way back (RFC 5508 4.2). */
  @Test
  void aNoticeFromBeyondTheTranslationIsTranslated() throws Exception {
    Site site =
        site(
            "tunnel: { on: tunnel, at: [10.44.0.6",
            "narrow: { on: narrow, mtu: 1300, at: 10.78.0.1 }\n      tunnel: { on: tunnel, at: [10.44.0.6",
            "  link: {",
            "  narrow: { prefix: 10.78.0.0/24, zone: narrow }\n  link: {",
            "  clerk:",
            "  mast: { on: narrow, at: 10.78.0.9, listens: https }\n  clerk:",
            "      - { to: 10.77.4.0/24,",
            "      - { to: 10.78.0.0/24, via: 10.44.0.6 }\n      - { to: 10.77.4.0/24,",
            "leaving: uplink",
            "leaving: any");
    Conversation conversation =
        Tracer.of(site).converse(ask(site, "clerk", "mast", "https").attempt());
    assertThat(Objects.requireNonNull(conversation.opening()).seenAs())
        .hasToString("breakwater 10.44.0.5:50000");
    assertThat(story(conversation))
        .isEqualTo(
            "> 1500 lost, < MTU 1400, > 1400 lost, < MTU 1300, > 1300,"
                + " < 1500 lost, > MTU 1400, < 1400");
  }

  @Test
  void fragmentsAreCutAtMultiplesOfEight() throws Exception {
    Site site = site();
    Conversation conversation =
        Tracer.of(site)
            .converse(ask(site, "clerk", "kiosk", "500/udp").size(1500).mayFragment().attempt());
    Size at = Leg.last(Objects.requireNonNull(conversation.opening()).request()).after().size();
    assertThat(Objects.requireNonNull(at).fragments())
        .containsExactly(
            new Size.Fragment(0, 1376, 1396, true), new Size.Fragment(172 * 8, 104, 124, false));
    // By hand: 1376 bytes of data in two of 576 and one of 224 bytes; the last one stays as it is.
    assertThat(at.cut(600).fragments())
        .extracting(Size.Fragment::offset, Size.Fragment::length, Size.Fragment::more)
        .containsExactly(
            tuple(0, 596, true),
            tuple(576, 596, true),
            tuple(1152, 244, true),
            tuple(1376, 124, false));
  }

  @ParameterizedTest
  @ValueSource(strings = {"10.77.4.20", "fd01:77:4::20"})
  void whereNoticesAreLostTheTransferHangs(String to) throws Exception {
    // What breakwater itself says meets no list; what skerry says arrives by the tunnel.
    String[] edits = {
      "pier: { on: pier, at: [10.77.4.1",
      "pier: { mtu: 1300, on: pier, at: [10.77.4.1",
      "    interfaces:\n      office:",
      NO_NOTICES
    };
    Site site = site(edits);
    Diagnosis why = Diagnosis.of(Tracer.of(site), ask(site, "clerk", to, "https").attempt());
    assertThat(why.conversation().opening().outcome()).hasToString("answered");
    assertThat(why.conversation().outcome()).hasToString("unanswered");
    assertThat(why.conversation().reason())
        .startsWith("the connection opens, but the full segment of 1400 bytes is lost: skerry")
        .endsWith("breakwater drops it by access rule 'control messages'");
    assertThat(why.obstacles()).extracting(o -> o.cause()).containsExactly(Cause.NOTICE_LOST);
    assertThat(why.complete()).isTrue();
    // The cure makes segments fit, with the headers of the family that the link has.
    assertThat(why.obstacles().get(0).cure().summary())
        .isEqualTo("let SYNs that pass interface pier ask for segments of 1240 bytes at most");
    assertThat(Checker.check(site, Policy.NONE, (what, done, of) -> {}))
        .extracting(finding -> finding.code())
        .contains(Code.NOTICE_LOST);
  }

  @Test
  void segmentsAreLimitedBothWays() throws Exception {
    Site site =
        site(
            "tunnel: { on: tunnel, at: [10.44.0.5",
            "tunnel: { largest-segment: 1360, on: tunnel, at: [10.44.0.5");
    for (String[] ends : new String[][] {{"clerk", "kiosk"}, {"kiosk", "hydrographic"}}) {
      Conversation conversation =
          Tracer.of(site).converse(ask(site, ends[0], ends[1], "https").attempt());
      assertThat(story(conversation)).isEqualTo("> 1400, < 1400");
      Header syn = Leg.last(Objects.requireNonNull(conversation.opening()).request()).after();
      Header answer = Leg.last(conversation.opening().reply()).after();
      assertThat(Objects.requireNonNull(syn.size()).largestSegment()).isEqualTo(1360);
      assertThat(Objects.requireNonNull(answer.size()).largestSegment()).isEqualTo(1360);
    }
  }

  @Test
  void aComparisonLeadsFullSegmentsOnBoth() throws Exception {
    Comparison.Side wide = side(site("zone: tunnel, mtu: 1400", "zone: tunnel"));
    Comparison.Side narrow = side(site());
    Comparison none = Comparison.of(narrow, narrow, (who, done, of) -> {});
    assertThat(none.transfers().tried()).isGreaterThan(4);
    assertThat(none.changesNothing()).isTrue();
    Comparison some = Comparison.of(wide, narrow, (who, done, of) -> {});
    assertThat(some.changedFates().changes()).isEmpty(); // first packets are small
    assertThat(some.changesNothing()).isFalse();
    assertThat(some.transfers().changes())
        .extracting(
            each -> each.attempt().sender().name() + " to " + each.attempt().to(),
            each -> each.before().passedOrUsual(),
            each -> each.after().passedOrUsual())
        .containsExactly(
            tuple("clerk to 10.77.4.20", new Passed(1500, 1500), new Passed(1400, 1400)),
            tuple("kiosk to 192.0.2.200", new Passed(1492, 1492), new Passed(1400, 1400)),
            tuple("kiosk to 192.0.2.1", new Passed(1492, 1492), new Passed(1400, 1400)),
            tuple("clerk to fd01:77:4::20", new Passed(1500, 1500), new Passed(1400, 1400)));
  }

  private static Comparison.Side side(Site site) {
    return new Comparison.Side(site, Wanted.NOTHING, Policy.NONE);
  }

  @Test
  void whatIsTooLargeLeavesNoState() throws Exception {
    Site site = site();
    Run run = Tracer.of(site).run(VirtualClock.start(site.timeZone()));
    Packet packet = datagram("10.44.8.31", "192.0.2.200");
    packet.size = Size.of(1500, false);
    assertThat(run.send(packet).outcome()).hasToString("unroutable");
    assertThat(run.sessionCount("breakwater")).isZero();
    assertThat(run.bindings("breakwater")).isEmpty();
  }

  // Fragments that come one by one.

  private static Packet datagram(String from, String to) throws Exception {
    return new Packet(
        Literals.address(from), 4500, Literals.address(to), 500, Protocol.UDP, Icmp.NO_TYPE, 0);
  }

  private static Packet fragment(String from, int identification, int offset, boolean more)
      throws Exception {
    Packet packet = datagram(from, "192.0.2.200");
    if (offset > 0) { // it has no ports
      packet.sourcePort = 0;
      packet.destinationPort = 0;
    }
    packet.size = Size.ofFragment(identification, new Size.Fragment(offset, 800, 820, more));
    return packet;
  }

  private static String seen(Transit transit) {
    Header end = transit.end().after();
    Size size = Objects.requireNonNull(end.size());
    return size.fragments().get(0).offset()
        + " "
        + end.source()
        + " id "
        + size.identification()
        + " "
        + transit.end().ruling();
  }

  @Test
  void fragmentsGoTheWayOfTheirPacketWhicheverComesFirst() throws Exception {
    Site site = site();
    Run run = Tracer.of(site).run(VirtualClock.start(site.timeZone()));
    List<String> seen = new ArrayList<>();
    run.watch(
        transit -> {
          if (!transit.isReply()) {
            seen.add(seen(transit));
          }
        });
    run.send(fragment("10.44.8.31", 77, 1600, false));
    run.send(fragment("10.44.8.32", 77, 800, false)); // another source: it is not mixed up
    run.send(fragment("10.44.8.31", 77, 0, true));
    run.send(fragment("10.44.8.31", 77, 800, true));
    run.send(fragment("10.44.8.32", 77, 0, true));
    assertThat(seen)
        .containsExactly(
            "1600 10.44.8.31 id 77 FRAGMENT_WAITS",
            "800 10.44.8.32 id 77 FRAGMENT_WAITS",
            "0 203.0.113.33 id 1 HOST_ANSWERS",
            "1600 203.0.113.33 id 1 FRAGMENT_RECEIVED", // after its first one
            "800 203.0.113.33 id 1 FRAGMENT_RECEIVED",
            "0 203.0.113.33 id 2 HOST_ANSWERS", // an identification of its own
            "800 203.0.113.33 id 2 FRAGMENT_RECEIVED");
  }

  @ParameterizedTest
  @CsvSource({"29999, FRAGMENT_RECEIVED", "30000, FRAGMENT_WAITS"})
  void whatAFirstFragmentSaysIsKnownForHalfAMinute(long millis, Ruling last) throws Exception {
    Site site = site();
    Tracer tracer = Tracer.of(site);
    Run run = tracer.run(VirtualClock.start(site.timeZone()));
    run.send(fragment("10.44.8.31", 5, 0, true));
    run.advance(Duration.ofMillis(millis));
    String text = SnapshotJson.write(run.snapshot());
    Run goesOn = tracer.goOn(SnapshotJson.read("x", text), List.of());
    for (Run each : List.of(run, goesOn)) {
      assertThat(Leg.last(each.send(fragment("10.44.8.31", 5, 800, false)).request()).ruling())
          .isEqualTo(last);
    }
  }

  @Test
  void atMostSixteenFragmentsOfASourceWait() throws Exception {
    Site site = site();
    Tracer tracer = Tracer.of(site);
    Run run = tracer.run(VirtualClock.start(site.timeZone()));
    for (int i = 1; i <= 17; i++) {
      Ruling last = Leg.last(run.send(fragment("10.44.8.31", i, 800, false)).request()).ruling();
      assertThat(last).isEqualTo(i < 17 ? Ruling.FRAGMENT_WAITS : Ruling.FRAGMENT_NOT_KEPT);
    }
    assertThat(Leg.last(run.send(fragment("10.44.8.32", 1, 800, false)).request()).ruling())
        .isEqualTo(Ruling.FRAGMENT_WAITS);
    // They wait across a snapshot, and for half a minute.
    Run goesOn = tracer.goOn(SnapshotJson.read("x", SnapshotJson.write(run.snapshot())), List.of());
    assertThat(goesOn.snapshot()).isEqualTo(run.snapshot());
    goesOn.advance(Duration.ofSeconds(30));
    assertThat(Leg.last(goesOn.send(fragment("10.44.8.31", 18, 800, false)).request()).ruling())
        .isEqualTo(Ruling.FRAGMENT_WAITS);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "mtu: 1400 | mtu: 60 | '60' is no value for 'mtu'",
        "mtu: 1400 | mtu: 1279 | IPv6 needs links that take 1280 bytes (RFC 8200), and this takes"
            + " 1279",
        "mtu: 1400 | mtu: large | 'large' is no value for 'mtu'",
      })
  void whatNoLinkTakesIsRefused(String piece, String instead, String message) {
    assertThat(
            catchThrowableOfType(UnreadableSiteException.class, () -> site(piece, instead))
                .problems()
                .get(0)
                .message())
        .isEqualTo(message);
  }
}
