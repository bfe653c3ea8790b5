// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import java.util.List;
import java.util.Map;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Policy;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.Comparison;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.ledger.Block;
import org.eskerfield.ledger.Ledger;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Wanted;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/**
 * What is not translation is the same over IPv4 and IPv6: one site twice, with the addresses of one
 * family each; and where the families differ.
 */
class BothFamiliesTest {
  /** Two routers in a row, without translation: all but what lies between them are public. */
  private static final String TEXT =
      """
      eskerfield: 1
      site: Pier
      networks:
        pier:  { prefix: PIER0/PLEN, zone: pier, resolver: pilot }
        quay:  { prefix: QUAY0/PLEN, zone: quay }
        belt:  { prefix: BELT0/PLEN, zone: belt }
        link:  { prefix: LINK0/PLEN, zone: internet, carrier: LINK1, routed: [{ to: PIER0/PLEN, via: LINK2 }, { to: QUAY0/PLEN, via: LINK2 }] }
      hosts:
        ramp:  { on: pier, at: PIER9, listens: [502/tcp, ssh] }
        kiosk: { on: pier, at: PIER20 }
        pilot: { on: quay, at: QUAY53, listens: domain }
        booking: { on: quay, at: QUAY117, listens: https, filter: { rules: [{ accept: all, from: any, service: https }], otherwise: drop } }
        contractor: { on: internet, at: FAR7 }
      names:
        shop.example: booking
      devices:
        edge:
          stance: { pier to any: accept, belt to any: accept, otherwise: drop }
          interfaces:
            uplink: { on: link, at: LINK2 }
            pier: { on: pier, at: PIER1 }
            belt: { on: belt, at: BELT1 }
          routes:
            - { to: any, via: LINK1 }
            - { to: quay, via: BELT2 }
          services:
            - { service: ssh, from: pier }
          access:
            in:
              guards: { arriving: uplink }
              otherwise: drop
              rules:
                - { accept: the ramp, from: contractor, to: ramp, service: 502/tcp, log: true }
                - { accept: the shop, to: booking, service: https, log: true }
        inner:
          stance: accept
          interfaces:
            belt: { on: belt, at: BELT2 }
            quay: { on: quay, at: QUAY1 }
          routes:
            - { to: any, via: BELT1 }
      """;

  private static final Map<String, List<String>> NETWORKS =
      Map.of(
          "PIER", List.of("203.0.113.", "2001:db8:1::"),
          "QUAY", List.of("198.51.100.", "2001:db8:2::"),
          "BELT", List.of("10.3.0.", "2001:db8:3::"),
          "LINK", List.of("192.0.2.", "2001:db8:4::"),
          "FAR", List.of("192.0.2.20", "2001:db8:9::"));

  private static String text(boolean six, String... edits) {
    return addressed(six, Sites.edited(TEXT, edits));
  }

  private static String addressed(boolean six, String text) {
    for (Map.Entry<String, List<String>> each : NETWORKS.entrySet()) {
      String base = each.getValue().get(six ? 1 : 0);
      text = text.replace(each.getKey() + "0/PLEN", six ? "\"" + base + "/64\"" : base + "0/25");
      text = text.replaceAll(each.getKey() + "([0-9]+)", six ? "\"" + base + "$1\"" : base + "$1");
    }
    return text;
  }

  private static Site site(boolean six, String... edits) throws Exception {
    return SiteReader.read("x.site.yaml", text(six, edits));
  }

  private static Trace ask(Site site, boolean six, String from, String to, String service)
      throws Exception {
    String where = addressed(six, to).replace("\"", "");
    return Tracer.of(site)
        .trace(QuestionReader.on(site).from(from).to(where).service(service).read());
  }

  @ParameterizedTest
  @CsvSource({
    "contractor, PIER9, 502/tcp, answered",
    "contractor, PIER9, ssh, dropped",
    "contractor, QUAY117, https, answered",
    "contractor, QUAY117, ping, dropped",
    "contractor, PIER77, 502/tcp, dropped",
    "kiosk, QUAY117, https, answered",
    "kiosk, QUAY117, ping, dropped", // by the host's own filter
    "kiosk, QUAY53, 53/udp, answered",
    "kiosk, QUAY53, 54/udp, refused", // by a notice
    "kiosk, QUAY53, 54/tcp, refused",
    "kiosk, QUAY77, ping, unroutable", // nobody is there
    "kiosk, PIER77, ping, unroutable",
    "kiosk, PIER1, ssh, answered",
    "contractor, LINK2, ssh, dropped",
    "kiosk, FAR7, ping, answered",
    "pilot, PIER9, 502/tcp, answered",
  })
  void packetsMeetTheSame(String from, String to, String service, String outcome) throws Exception {
    for (boolean six : new boolean[] {false, true}) {
      Trace trace = ask(site(six), six, from, to, service);
      assertThat(trace.outcome()).as(trace.reason()).hasToString(outcome);
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "- { service: ssh, from: pier } | - { service: ssh, from: any }",
        "to: booking, service: https, | to: quay,",
        "- { to: quay, via: BELT2 } | - { to: quay, via: BELT7 }",
        "ramp:  { on: pier, | ramp:  { gateway: PIER20, on: pier,",
      })
  void theCheckFindsTheSame(String piece, String by) throws Exception {
    assertThat(found(true, piece, by)).as(piece).isEqualTo(found(false, piece, by)).isNotEmpty();
  }

  private static List<String> found(boolean six, String... edits) throws Exception {
    return Checker.check(site(six, edits), Policy.NONE, (what, done, of) -> {}).stream()
        .map(finding -> finding.code().toString())
        .distinct()
        .sorted()
        .toList();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "service: https, log: true } | service: [https, 8443/tcp], log: true }",
        "from: contractor, | ",
        "- { to: quay, via: BELT2 } | - { to: quay, discard: true }",
        "stance: { pier to any: accept, | stance: { pier to belt: drop, pier to any: accept,",
        "from: any, service: https | from: pier, service: https",
      })
  void aComparisonSeesTheSame(String piece, String by) throws Exception {
    String now = by == null ? "" : by;
    assertThat(changed(true, piece, now))
        .as(piece)
        .isEqualTo(changed(false, piece, now))
        .isNotEmpty();
  }

  private static List<String> changed(boolean six, String... edits) throws Exception {
    Comparison comparison =
        Comparison.of(
            new Comparison.Side(site(six), Wanted.NOTHING, Policy.NONE),
            new Comparison.Side(site(six, edits), Wanted.NOTHING, Policy.NONE),
            (who, done, of) -> {});
    return comparison.changedFates().changes().stream()
        .filter(each -> !each.before().reason().contains("broadcast")) // IPv4's
        .map(BothFamiliesTest::told)
        .distinct()
        .sorted()
        .toList();
  }

  private static String told(ChangedFate each) {
    return each.kind()
        + " "
        + each.before().outcome()
        + " "
        + each.after().outcome()
        + " "
        + each.rulesBefore()
        + each.rulesAfter();
  }

  // Where they differ.

  @Test
  void thereIsNoBroadcastAndTheLowestAddressIsEveryRouters() throws Exception {
    String last = "\"2001:db8:1::ffff:ffff:ffff:ffff\"";
    Site site = site(true, "at: PIER20", "at: " + last);
    assertThat(ask(site, true, "kiosk", "QUAY117", "https").outcome()).hasToString("answered");
    UnreadableSiteException refused =
        catchThrowableOfType(
            UnreadableSiteException.class, () -> site(true, "at: PIER20", "at: \"2001:db8:1::\""));
    assertThat(refused.problems().get(0).message())
        .isEqualTo(
            "the address 2001:db8:1:: of host 'kiosk' is that of every router on"
                + " 2001:db8:1::/64 (subnet-router anycast, RFC 4291)");
    assertThat(refused.problems().get(0).remedy())
        .isEqualTo("choose a higher one, such as 2001:db8:1::1");
    Block pier = Ledger.of(site).of(site.networks().get("pier")).get(0);
    assertThat(pier.stretches().get(0).isFree()).isFalse();
    assertThat(pier.stretches().get(0).holdings().get(0).who()).startsWith("every router there");
    // The router takes what is for every router, and serves it as what is for itself.
    assertThat(ask(site, true, "ramp", "PIER0", "ssh").outcome()).hasToString("answered");
    assertThat(ask(site, true, "ramp", "PIER0", "80/tcp").outcome()).hasToString("refused");
    assertThat(ask(site, true, "pilot", "PIER0", "ssh").outcome())
        .isEqualTo(ask(site, true, "pilot", "PIER1", "ssh").outcome())
        .hasToString("refused"); // served to the pier only
  }

  @Test
  void pointToPointLinksHaveNoAddressOfEveryRouter() throws Exception {
    Site site = site(true, "BELT0/PLEN", "\"2001:db8:3::2/127\"", "BELT1", "\"2001:db8:3::3\"");
    assertThat(ask(site, true, "kiosk", "QUAY117", "https").outcome()).hasToString("answered");
  }

  @Test
  void routersAreKnownToTheirNeighboursByLinkLocalAddresses() throws Exception {
    Site site =
        site(
            true,
            "belt: { on: belt, at: BELT1 }",
            "belt: { on: belt, at: [\"fe80::1\", BELT1] }",
            "pier: { on: pier, at: PIER1 }",
            "pier: { on: pier, at: [PIER1, \"fe80::1\"] }", // the same on both
            "belt: { on: belt, at: BELT2 }",
            "belt: { on: belt, at: [BELT2, \"fe80::2\"] }",
            "- { to: any, via: BELT1 }",
            "- { to: any, via: \"fe80::1\" }",
            "- { to: quay, via: BELT2 }",
            "- { to: quay, via: \"fe80::2\" }",
            "carrier: LINK1",
            "carrier: [LINK1, \"fe80::9\"]",
            "- { to: any, via: LINK1 }",
            "- { to: any, via: \"fe80::9\" }",
            "kiosk: { on: pier,",
            "kiosk: { gateway: \"fe80::1\", on: pier,");
    for (String[] row :
        new String[][] {
          {"kiosk", "QUAY117", "https", "answered"},
          {"kiosk", "FAR7", "ping", "answered"},
          {"contractor", "QUAY117", "https", "answered"},
          {"pilot", "PIER9", "502/tcp", "answered"},
          {"kiosk", "fe80::1", "ssh", "answered"}, // its router itself
          {"kiosk", "fe80::2", "ssh", "unroutable"}, // on another network
        }) {
      assertThat(ask(site, true, row[0], row[1], row[2]).outcome()).hasToString(row[3]);
    }
    assertThat(Checker.check(site, Policy.NONE, (what, done, of) -> {})).isEmpty();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "- { to: any, via: BELT1 } | - { to: any, via: \"fe80::1\" }"
            + " | no router next to 'inner' has the link-local address fe80::1",
        "pier: { on: pier, at: PIER1 } | pier: { on: pier, at: \"fe80::1\" }"
            + " | the interface has no address of pier but the link-local fe80::1",
      })
  void aLinkLocalAddressIsSomeRouters(String piece, String by, String message) {
    UnreadableSiteException refused =
        catchThrowableOfType(UnreadableSiteException.class, () -> site(true, piece, by));
    assertThat(refused.problems().get(0).message()).isEqualTo(message);
  }

  @Test
  void whatIsForNeighboursIsNotPassedOn() throws Exception {
    Site site = site(true, "kiosk: { on: pier,", "kiosk: { own-prefix: PIER0/PLEN, on: pier,");
    Trace trace = ask(site, true, "kiosk", "fe80::1", "ping");
    assertThat(trace.outcome()).hasToString("dropped"); // it takes it for somebody far away
    assertThat(trace.request()).hasSize(2);
  }
}
