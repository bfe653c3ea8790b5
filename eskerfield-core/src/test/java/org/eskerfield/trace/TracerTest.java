// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.eskerfield.Numbers.a;

import java.time.ZoneOffset;
import java.util.List;
import java.util.Objects;
import org.eskerfield.Draft;
import org.eskerfield.model.Action;
import org.eskerfield.model.Named;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.junit.jupiter.api.Test;

/** The way across a site of several nodes, there and back. */
class TracerTest {
  private static Trace trace(Site site, String from, String to, Probe probe) {
    Named sender =
        Objects.requireNonNull(
            site.hosts().containsKey(from) ? site.hosts().get(from) : site.devices().get(from));
    return Tracer.of(site)
        .trace(
            new Question(
                sender,
                site.hosts().containsKey(from)
                    ? site.hosts().get(from).addresses().get(0)
                    : site.devices().get(from).interfaces().get(0).addresses().get(0),
                a(to),
                probe,
                40000,
                VirtualClock.start(ZoneOffset.UTC)));
  }

  private static List<String> names(List<Leg> legs) {
    return legs.stream().map(Leg::where).toList();
  }

  private static Probe tcp(int port) {
    return Probe.of(Protocol.TCP, port);
  }

  @Test
  void twoDevicesInARowAreCrossedBothWays() {
    Site site =
        new Draft()
            .network("office", "10.1.0.0/24", null)
            .network("transit", "10.9.0.0/30", null)
            .network("plant", "10.2.0.0/24", null)
            .host("clerk", "office", "10.1.0.5")
            .host("gauge", "plant", "10.2.0.7", 502)
            .device("one", Action.ACCEPT)
            .on("office", "10.1.0.1")
            .on("transit", "10.9.0.1")
            .route("10.2.0.0/16", "10.9.0.2")
            .done()
            .device("two", Action.ACCEPT)
            .on("plant", "10.2.0.1")
            .on("transit", "10.9.0.2")
            .route("0.0.0.0/0", "10.9.0.1")
            .done()
            .site();
    Trace trace = trace(site, "clerk", "10.2.0.7", tcp(502));
    assertThat(trace.outcome()).isEqualTo(Outcome.ANSWERED);
    assertThat(names(trace.request())).containsExactly("clerk", "one", "two", "gauge");
    assertThat(names(trace.reply())).containsExactly("gauge", "two", "one", "clerk");
    assertThat(trace.request().get(3).decisions().get(0).after().ttl()).isEqualTo(62);
    assertThat(trace.seenAs()).hasToString("clerk 10.1.0.5:40000");
  }

  /**
   * The server's gateway is another router than the one that translated. That one knows nothing of
   * the session, forwards the reply as it is, and the client never spoke to its source.
   */
  @Test
  void aReplyByAnotherWayIsDiscardedByTheClient() {
    Draft draft =
        new Draft()
            .network("lab", "10.1.0.0/24", null)
            .network("shop", "10.2.0.0/24", null)
            .host("client", "lab", "10.1.0.5", "10.1.0.1")
            .host("server", "shop", "10.2.0.9", "10.2.0.2", 80)
            .device("translator", Action.ACCEPT)
            .on("lab", "10.1.0.1")
            .on("shop", "10.2.0.1")
            .destination("lab", "10.1.0.80", 80, "10.2.0.9", 0)
            .done()
            .device("bypass", Action.ACCEPT)
            .on("lab", "10.1.0.2")
            .on("shop", "10.2.0.2")
            .done();
    Trace trace = trace(draft.site(), "client", "10.1.0.80", tcp(80));
    assertThat(trace.outcome()).isEqualTo(Outcome.UNANSWERED);
    assertThat(names(trace.request())).containsExactly("client", "translator", "server");
    assertThat(names(trace.reply())).containsExactly("server", "bypass", "client");
    assertThat(trace.reason())
        .isEqualTo(
            "server answers, but the reply is lost: client discards it: it sent to 10.1.0.80:80,"
                + " and this reply comes from 10.2.0.9:80");
    Decision last = trace.reply().get(2).decisions().get(0);
    assertThat(last.ruling()).isEqualTo(Ruling.REPLY_DISCARDED);
    assertThat(trace.deliveredTo()).hasToString("server 10.2.0.9:80");
  }

  @Test
  void aPlainRouterLetsWaysDifferThereAndBack() {
    Draft draft =
        new Draft()
            .network("lab", "10.1.0.0/24", null)
            .network("shop", "10.2.0.0/24", null)
            .host("client", "lab", "10.1.0.5", "10.1.0.1")
            .host("server", "shop", "10.2.0.9", "10.2.0.2", 80);
    for (String name : List.of("1", "2")) {
      draft
          .device("way" + name, Action.ACCEPT)
          .on("lab", "10.1.0." + name)
          .on("shop", "10.2.0." + name)
          .done();
    }
    Trace trace = trace(draft.site(), "client", "10.2.0.9", tcp(80));
    assertThat(trace.outcome()).isEqualTo(Outcome.ANSWERED);
    assertThat(names(trace.reply())).containsExactly("server", "way2", "client");
  }

  @Test
  void aStatelessListJudgesTheReplyToo() {
    Draft draft =
        new Draft()
            .network("lab", "10.1.0.0/24", null)
            .network("shop", "10.2.0.0/24", null)
            .host("client", "lab", "10.1.0.5")
            .host("server", "shop", "10.2.0.9", 80);
    Trace lost =
        trace(
            draft
                .device("router", Action.ACCEPT)
                .on("lab", "10.1.0.1")
                .on("shop", "10.2.0.1")
                .list("shop", "lab", true, "10.1.0.0/24", null, 0)
                .done()
                .site(),
            "client",
            "10.2.0.9",
            tcp(80));
    assertThat(lost.outcome()).isEqualTo(Outcome.UNANSWERED);
    assertThat(lost.reason()).contains("router drops it: no rule of list 'list' accepts it");
    Trace kept =
        trace(
            draft
                .device("router", Action.ACCEPT)
                .on("lab", "10.1.0.1")
                .on("shop", "10.2.0.1")
                .list("shop", "lab", false, "10.1.0.0/24", null, 0)
                .list("lab", "shop", false, null, null, 80)
                .done()
                .site(),
            "client",
            "10.2.0.9",
            tcp(80));
    assertThat(kept.outcome()).isEqualTo(Outcome.ANSWERED);
  }

  @Test
  void ipv6CrossesTheSameWayUntranslated() {
    Site site =
        new Draft()
            .network("pier", "2001:db8:77:4::/64", null)
            .network("link", "2001:db8:ffff::/64", "2001:db8:ffff::1")
            .host("kiosk", "pier", "2001:db8:77:4::20")
            .host("service", null, "2001:db8:1::9", 443)
            .device("edge", Action.ACCEPT)
            .on("pier", "2001:db8:77:4::1")
            .on("link", "2001:db8:ffff::2")
            .route("::/0", "2001:db8:ffff::1")
            .shared("any", "link")
            .done()
            .site();
    Trace out = trace(site, "kiosk", "2001:db8:1::9", tcp(443));
    // Nobody but the link itself is known to the internet: the reply finds no way to the pier.
    assertThat(out.outcome()).isEqualTo(Outcome.UNANSWERED);
    assertThat(out.seenAs()).hasToString("kiosk [2001:db8:77:4::20]:40000");
    assertThat(out.reason()).contains("network pier is no link to a carrier");
    Trace ping = trace(site, "edge", "2001:db8:77:4::20", Probe.ping(Family.IPV6));
    assertThat(ping.outcome()).isEqualTo(Outcome.ANSWERED);
  }

  @Test
  void whereTwoGatewaysStandAndNoneIsChosenNothingLeaves() {
    Draft draft =
        new Draft()
            .network("lab", "10.1.0.0/24", null)
            .network("shop", "10.2.0.0/24", null)
            .host("client", "lab", "10.1.0.5");
    for (String name : List.of("1", "2")) {
      draft.device("d" + name, Action.ACCEPT).on("lab", "10.1.0." + name).done();
    }
    Trace trace = trace(draft.site(), "client", "10.2.0.9", tcp(80));
    assertThat(trace.outcome()).isEqualTo(Outcome.UNROUTABLE);
    assertThat(trace.reason()).startsWith("client has no gateway to 10.2.0.9");
    assertThat(trace.reply()).isEmpty();
  }

  @Test
  void theSameQuestionAlwaysHasTheSameAnswer() {
    Site site =
        new Draft()
            .network("lab", "10.1.0.0/24", null)
            .network("link", "198.51.100.128/26", "198.51.100.129")
            .host("client", "lab", "10.1.0.5")
            .device("edge", Action.ACCEPT)
            .on("lab", "10.1.0.1")
            .on("link", "198.51.100.140")
            .route("0.0.0.0/0", "198.51.100.129")
            .shared("10.1.0.0/24", "link")
            .done()
            .site();
    Tracer tracer = Tracer.of(site);
    Question question =
        new Question(
            Objects.requireNonNull(site.hosts().get("client")),
            a("10.1.0.5"),
            a("203.0.113.5"),
            tcp(80),
            40000,
            VirtualClock.start(ZoneOffset.UTC));
    assertThat(tracer.trace(question)).isEqualTo(tracer.trace(question));
  }

  @Test
  void questionsThatMakeNoSenseAreTurnedAway() {
    Site site = new Draft().network("lab", "10.1.0.0/24", null).host("c", "lab", "10.1.0.5").site();
    assertThatThrownBy(() -> trace(site, "c", "2001:db8::1", tcp(80)))
        .hasMessageContaining("different families");
    assertThatThrownBy(() -> trace(site, "c", "10.1.0.9", Probe.ping(Family.IPV6)))
        .hasMessageContaining("icmpv6 is not the ICMP of IPv4");
  }
}
