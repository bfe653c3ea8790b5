// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Segment;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Whole conversations of the demo: their packets, names, transfers, and what they leave behind. */
class ConversationTest {
  private static final Path DEMO = Path.of("../demo/marrowby.site.yaml");

  private static Site site() throws Exception {
    return SiteReader.read(DEMO);
  }

  private static Conversation converse(Site site, String from, String to, String service)
      throws Exception {
    return Tracer.of(site)
        .converse(QuestionReader.on(site).from(from).to(to).service(service).attempt());
  }

  private static String story(Conversation conversation) {
    StringBuilder story = new StringBuilder();
    for (Segment segment : conversation.segments()) {
      story.append(segment.isReply() ? "<" : ">").append(segment.what());
      story.append(segment.delivered() ? " " : "! ");
    }
    return story.toString().strip();
  }

  @ParameterizedTest
  @CsvSource({
    "clerk, kiosk, ping, answered, >echo request <echo reply",
    "clerk, kiosk, https, answered, >SYN <SYN ACK >ACK >request <response >FIN <FIN >ACK",
    "kiosk, hydrographic, 8883/tcp, answered, >SYN <SYN ACK >ACK >FIN <FIN >ACK",
    "stranger, 203.0.113.39, 53/udp, answered, >request <reply",
    "clerk, ramp, http, refused, >SYN <RST",
    "clerk, ramp, 53/udp, refused, >request <notice",
    "clerk, 10.44.8.1, 8443/tcp, refused, >SYN <RST",
    "clerk, 10.44.8.1, 8443/udp, refused, >request <notice",
    "clerk, hydrographic, gre, dropped, >request!",
    "stranger, 203.0.113.35, ssh, dropped, >SYN!",
    "clerk, 203.0.113.99, ping, answered, >echo request <echo reply",
    "passenger, 203.0.113.37, ftp, dropped, >SYN!",
  })
  void everyTalkHasItsPackets(String from, String to, String service, String outcome, String story)
      throws Exception {
    Conversation conversation = converse(site(), from, to, service);
    assertThat(story(conversation)).isEqualTo(story);
    assertThat(conversation.outcome()).as(conversation.reason()).hasToString(outcome);
  }

  /** In either mode and by either words the data connection opens, from the side that has to. */
  @ParameterizedTest
  @CsvSource({
    "PASSIVE, >data SYN <data SYN ACK, 203.0.113.37",
    "EXTENDED_PASSIVE, >data SYN <data SYN ACK, 203.0.113.37",
    "ACTIVE, <data SYN >data SYN ACK, 198.51.100.37",
    "EXTENDED_ACTIVE, <data SYN >data SYN ACK, 198.51.100.37",
  })
  void aFileTransferOpensItsDataConnection(FileTransfer.Mode mode, String story, String to)
      throws Exception {
    Site site = site();
    Conversation conversation =
        Tracer.of(site)
            .converse(
                QuestionReader.on(site)
                    .from("auditor")
                    .to("203.0.113.37")
                    .service("ftp")
                    .mode(mode)
                    .attempt());
    assertThat(story(conversation)).isEqualTo(">SYN <SYN ACK >ACK " + story + " >FIN <FIN >ACK");
    assertThat(conversation.outcome()).isEqualTo(Outcome.ANSWERED);
    assertThat(conversation.transfer().data().question().to()).hasToString(to);
    assertThat(conversation.deciding()).isEqualTo(conversation.opening());
  }

  @Test
  void aNameIsLookedUpWhereTheHostAsks() throws Exception {
    Site site = site();
    Conversation clerk = converse(site, "clerk", "booking.marrowby.example:8443", "tcp");
    assertThat(clerk.lookup().answeredBy()).isEqualTo("pilot");
    assertThat(clerk.lookup().addresses())
        .extracting(Address::toString)
        .containsExactly("10.44.20.117");
    assertThat(clerk.opening().deliveredTo().name()).isEqualTo("booking");
    Conversation kiosk = converse(site, "kiosk", "booking.marrowby.example", "https");
    // The question goes through the tunnel to the office.
    assertThat(kiosk.lookup().trace().request())
        .extracting(Leg::where)
        .containsExactly("kiosk", "skerry", "breakwater", "pilot");
    // A resolver without an answer of its own gives that of the internet.
    assertThat(converse(site, "clerk", "manifests.marrowby.example", "ssh").lookup().reason())
        .isEqualTo("pilot says that manifests.marrowby.example is 203.0.113.36");
    Conversation device = converse(site, "skerry", "booking.marrowby.example", "https");
    assertThat(device.reason()).contains("devices ask nobody");
    assertThat(device.opening()).isNull();
  }

  @ParameterizedTest
  @CsvSource({
    "clerk, 10.44.8.1, ping, breakwater itself answers",
    "ferry, tender, ping, it crosses no device",
    "clerk, 203.0.113.99, ping, does not describe 203.0.113.99",
  })
  void whatMisleadsIsSaid(String from, String to, String service, String hint) throws Exception {
    assertThat(converse(site(), from, to, service).hints()).anyMatch(each -> each.contains(hint));
  }

  @Test
  void devicesThatNoPacketMetAreNamed() throws Exception {
    Site site = site();
    assertThat(converse(site, "clerk", "kiosk", "ping").notThere()).containsExactly("lockhouse");
    assertThat(converse(site, "ferry", "tender", "ping").notThere())
        .containsExactly("breakwater", "lockhouse", "skerry");
    assertThat(converse(site, "clerk", "10.44.20.130", "ssh").notThere()).containsExactly("skerry");
  }

  /** What is closed leaves soon, what stays open stays: RFC 5382 REQ-5. */
  @Test
  void anOpenConnectionHoldsItsAddress() throws Exception {
    Site site = site();
    QuestionReader ask = QuestionReader.on(site).to("hydrographic").service("8883/tcp");
    Run run = Tracer.of(site).run(ask.from("gauge-1").attempt().at());
    for (String gauge : List.of("gauge-1", "gauge-2", "gauge-3")) {
      assertThat(run.leaveOpen(ask.from(gauge).attempt()).outcome()).isEqualTo(Outcome.ANSWERED);
    }
    assertThat(run.converse(ask.from("gauge-4").attempt()).outcome()).isEqualTo(Outcome.ANSWERED);
    assertThat(run.converse(ask.from("gauge-5").attempt()).outcome()).isEqualTo(Outcome.EXHAUSTED);
    run.advance(Duration.ofMinutes(4)); // gauge-4 has closed, and its session is transitory
    assertThat(run.leaveOpen(ask.from("gauge-5").attempt()).outcome()).isEqualTo(Outcome.ANSWERED);
    assertThat(run.converse(ask.from("gauge-6").attempt()).outcome()).isEqualTo(Outcome.EXHAUSTED);
    assertThat(run.figures("breakwater").gotNothing()).isEqualTo(2);
  }

  /** Conversations of a run are logged and counted as flows are, their lookups too. */
  @Test
  void aRunKeepsLogAndFiguresOfItsConversations() throws Exception {
    Site site = site();
    QuestionReader ask = QuestionReader.on(site).from("stranger").to("203.0.113.39");
    Run run = Tracer.of(site).run(ask.service("53/udp").attempt().at());
    run.converse(ask.service("53/udp").attempt());
    run.converse(ask.service("ssh").attempt());
    assertThat(run.log())
        .singleElement()
        .satisfies(
            entry -> {
              assertThat(entry.device()).isEqualTo("breakwater");
              assertThat(entry.decision().text()).contains("'everybody asks for names'");
            });
    assertThat(run.figures("breakwater").hits())
        .extracting(hit -> hit.by().place().line())
        .contains(run.log().get(0).decision().by().place().line());
    assertThat(run.sessions("breakwater")).hasSize(1);
    assertThat(run.sessions("lockhouse")).hasSize(1);
    assertThat(run.sessions("skerry")).isEmpty();
  }

  /** After a change of policy, new conversations ask the new site, hosts included. */
  @Test
  void aRunGoesOnWithAnotherSite() throws Exception {
    String text = Files.readString(DEMO);
    Site site = site();
    Site changed =
        SiteReader.read(
            "marrowby.site.yaml",
            text.replace("listens: https, note: sells", "listens: http, note: sells")
                .replace("resolver: open-resolver, note: passengers'", "note: passengers'"));
    QuestionReader ask = QuestionReader.on(site);
    Run run = Tracer.of(site).run(ask.from("clerk").to("kiosk").service("https").attempt().at());
    assertThat(run.converse(ask.attempt()).outcome()).isEqualTo(Outcome.ANSWERED);
    run.goOnWith(changed);
    assertThat(run.converse(ask.attempt()).outcome()).isEqualTo(Outcome.REFUSED);
    Conversation boat =
        run.converse(ask.from("ferry").to("booking.marrowby.example").service("https").attempt());
    assertThat(boat.reason()).contains("ferry has no resolver");
  }

  /** Where two realms use an address, no name is guessed. */
  @Test
  void anAddressOfTwoRealmsHasNoName() throws Exception {
    Site site =
        SiteReader.read(
            Path.of("src/test/resources/org/eskerfield/sites/whole/partners.site.yaml"));
    assertThat(site.ownerOf(Literals.address("10.8.0.7"))).isNull();
    assertThat(site.ownerOf(Literals.address("10.1.0.9")).name()).isEqualTo("clerk");
    assertThat(site.ownerOf(Literals.address("10.1.0.1")).name()).isEqualTo("between");
    Conversation conversation = converse(site, "clerk", "10.1.0.102", "ipp");
    assertThat(conversation.opening().deliveredTo()).hasToString("printer-two 10.8.0.7:631");
    assertThat(conversation.reason()).doesNotContain("printer-one");
  }

  /** A host on several networks sends from the address by which it reaches the other end. */
  @ParameterizedTest
  @CsvSource({
    "10.1.0.9,       10.1.0.5,     front",
    "10.2.0.9,       10.2.0.5,     back",
    "192.0.2.1,      10.1.0.5,     ",
    "10.2.7.7,       10.1.0.5,     ",
    "2001:db8:1::9,  2001:db8:1::5, front",
    "2001:db8:9::9,  2001:db8:1::5, ",
  })
  void aHostChoosesItsSource(String to, String source, String network) throws Exception {
    Site site =
        SiteReader.read(
            "x",
            """
            eskerfield: 1
            site: x
            networks:
              front: { prefix: [10.1.0.0/24, "2001:db8:1::/64"], zone: front }
              back: { prefix: 10.2.0.0/24, zone: back }
            hosts:
              server:
                on: [front, back]
                at: [10.2.0.5, 10.1.0.5, "2001:db8:1::5"]
                gateway: [10.1.0.1, "2001:db8:1::1"]
            devices:
              wall:
                stance: drop
                interfaces:
                  front: { on: front, at: [10.1.0.1, "2001:db8:1::1"] }
                  back: { on: back, at: 10.2.0.1 }
            """);
    Host server = site.hosts().get("server");
    Address other = Literals.address(to);
    assertThat(site.source(server, other)).hasToString(source);
    assertThat(server.networkTowards(other) == null ? null : server.networkTowards(other).name())
        .isEqualTo(network);
  }
}
