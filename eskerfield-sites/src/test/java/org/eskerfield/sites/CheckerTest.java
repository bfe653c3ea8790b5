// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.EnumSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Code;
import org.eskerfield.check.Finding;
import org.eskerfield.formats.Generated;
import org.eskerfield.formats.site.edit.CuredSite;
import org.eskerfield.formats.site.edit.SiteEditor;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** Each kind of finding on a site made for it, and silence on the sites next to it. */
class CheckerTest {
  @TempDir Path folder;

  /**
   * A mistake.
   *
   * @param codes what is found, the one that it is an example of first
   * @param byHand whether only a person can cure it
   * @param edits texts of the clean site, each followed by what takes its place
   */
  record Mistake(String codes, boolean byHand, List<String> edits) {
    Code code() {
      return Objects.requireNonNull(Code.of(codes.split(" ")[0]), codes);
    }

    @Override
    public String toString() {
      return codes + " " + edits.get(edits.size() - 1).strip();
    }
  }

  private static Mistake cured(String codes, String... edits) {
    return new Mistake(codes, false, List.of(edits));
  }

  private static Mistake byHand(String codes, String... edits) {
    return new Mistake(codes, true, List.of(edits));
  }

  private static final String MEASURED =
      "{ accept: measuring, to: bench, service: 9000-9009/tcp, log: true }, ";
  private static final String ANSWERED =
      "{ accept: answers, service: tcp, flags: { any: [ack, rst] }, log: true }, ";
  private static final String ANSWERED_HIGH =
      "{ accept: answers, service: 1024-65535/tcp, flags: { any: [ack, rst] }, log: true }";

  /** A list without sessions for what comes to the inner device. */
  private static String listed(String rules) {
    return "    access:\n      in: { guards: { arriving: up }, stateless: true, otherwise: drop, rules: ["
        + rules
        + "] }\n";
  }

  private static final String RULES = "        rules:\n";
  private static final String END = "        otherwise: drop\n";
  private static final String STANCE =
      "{ shop to any: accept, store to internet: accept, works to internet: accept, otherwise: drop }";
  private static final String BUYS = "          - accept: everybody buys\n";
  private static final String FIRST = "      - untouched: the shop works in the store\n";
  private static final String LAST = "      - shared: everybody else\n";
  private static final String SSH = "{ service: [ssh, ping], from: shop }";
  private static final String INNER = "    stance: accept\n";
  private static final String LINK = "zone: internet, carrier: 198.51.100.129";

  private static String rule(String rule) {
    return "          - { " + rule + ", log: true }\n";
  }

  private static String translation(String rule) {
    return "      - { " + rule + " }\n";
  }

  static List<Mistake> mistakes() {
    return List.of(
        // The order of rules.
        cured(
            "rule-never-acts",
            END,
            rule("reject: pests, from: 203.0.113.0/25, to: web, service: https") + END),
        cured(
            "rule-never-acts",
            END,
            rule("accept: a, from: 192.0.2.0/25, to: files, service: 81/tcp")
                + rule("accept: b, from: 192.0.2.128/25, to: files, service: 81/tcp")
                + rule("drop: both, from: 192.0.2.0/24, to: files, service: 81/tcp")
                + END,
            "- destination: files\n",
            "- { destination: x, arriving: uplink, at: 192.0.2.69 81/tcp, becomes: files }\n      - destination: files\n",
            "listens: ssh",
            "listens: [ssh, 81/tcp]"),
        cured(
            "rule-never-acts",
            "- dynamic: files fetches\n",
            "- { shared: wide, from: store, leaving: uplink }\n      - dynamic: files fetches\n"),
        cured(
            "rule-after-everything",
            END,
            rule("drop: all") + rule("reject: x, to: files, service: 82/tcp") + END),
        cured("untouched-first", "to: [store, lab]", "to: any"),
        cured("rule-redundant", END, "          - { drop: telnet, service: 23/tcp }\n" + END),
        byHand("rules-cross", BUYS, rule("drop: pests, from: 203.0.113.0/25") + BUYS),
        // Translation and access.
        cured(
            "translation-without-access",
            "            to: files\n            service: ssh\n",
            "            to: files\n            service: ssh\n            disabled: true\n"),
        cured("translation-without-access", "hairpin: shop", "hairpin: [shop, works]"),
        byHand(
            "only-sends",
            FIRST,
            translation("static: pilot, facing: uplink, external: 192.0.2.71, internal: pilot")
                + FIRST),
        cured(
            "access-without-translation",
            "      - destination: files\n        arriving: uplink\n        at: 192.0.2.67 ssh\n        becomes: files\n",
            ""),
        cured(
            "half-let-in",
            "            service: 9000-9009/tcp\n",
            "            service: 9000-9004/tcp\n"),
        // One wrong inner port is told with one cure.
        cured(
            "translation-without-access",
            "becomes: web\n        hairpin",
            "becomes: web 444\n        hairpin"),
        // So is one wrong host.
        cured(
            "nothing-listens", "becomes: web\n        hairpin", "becomes: files\n        hairpin"),
        cured("other-side-named", "            to: web\n", "            to: 192.0.2.66\n"),
        cured(
            "list-guards-nothing",
            "        guards: [{ arriving: uplink, leaving: store }, { arriving: uplink, leaving: works }]\n",
            ""),
        cured(
            "way-unguarded block-loops never-met offered-zone-reaches-inside",
            STANCE,
            "accept",
            "[{ arriving: uplink, leaving: store }, { arriving: uplink, leaving: works }]",
            "{ arriving: uplink, leaving: store }"),
        cured(
            "family-unfiltered",
            "prefix: 10.2.0.0/24",
            "prefix: [10.2.0.0/24, '2001:db8:2::/64']",
            "store: { on: store, at: 10.2.0.1 }",
            "store: { on: store, at: [10.2.0.1, '2001:db8:2::1'] }",
            END,
            "          - { drop: the rest of IPv4, to: 0.0.0.0/0 }\n        otherwise: accept\n"),
        // The sides of a translation.
        cured(
            "wrong-interface access-without-translation",
            "arriving: uplink\n        at: 192.0.2.68",
            "arriving: shop\n        at: 192.0.2.68"),
        cured(
            "wrong-interface",
            "from: files\n        leaving: uplink",
            "from: files\n        leaving: store"),
        cured(
            "clients-rewritten",
            "from: [shop, store, between, lab]\n        leaving: uplink",
            "from: any\n        leaving: any"),
        cured(
            "sources-untranslated",
            "from: [shop, store, between, lab]",
            "from: [store, between, lab]"),
        byHand(
            "no-counterpart",
            "shop: { prefix: 10.1.0.0/24",
            "shop: { prefix: [10.1.0.0/24, 'fd01:203:405:ffff::/64']",
            "clerk: { on: shop, at: 10.1.0.31",
            "clerk: { on: shop, at: [10.1.0.31, 'fd01:203:405:ffff::31']",
            "prefix: 198.51.100.128/26",
            "prefix: [198.51.100.128/26, '2001:db8:ffff::/64']",
            "carrier: 198.51.100.129, routed: { to: 192.0.2.64/28, via: 198.51.100.140 }",
            "carrier: [198.51.100.129, '2001:db8:ffff::1'], routed: [{ to: 192.0.2.64/28, via:"
                + " 198.51.100.140 }, { to: '2001:db8:1::/48', via: '2001:db8:ffff::2' }]",
            "uplink: { on: link, at: 198.51.100.140 }",
            "uplink: { on: link, at: [198.51.100.140, '2001:db8:ffff::2'] }",
            "shop: { on: shop, at: 10.1.0.1 }",
            "shop: { on: shop, at: [10.1.0.1, 'fd01:203:405:ffff::1'] }",
            "      - { to: any, via: 198.51.100.129 }\n      - { to: lab",
            "      - { to: any, via: 198.51.100.129 }\n      - { to: any, via: '2001:db8:ffff::1' }\n"
                + "      - { to: lab",
            FIRST,
            "      - prefix: ours outside\n        facing: uplink\n        external: 2001:db8:1::/48\n"
                + "        internal: fd01:203:405::/48\n"
                + FIRST),
        cured("sources-not-let-out", "works to internet: accept, otherwise", "otherwise"),
        cured(
            "return-route-missing",
            "      - { to: any, via: 10.0.0.1 }",
            "      - { to: shop, via: 10.0.0.1 }"),
        cured(
            "route-missing translation-without-access", "      - { to: lab, via: 10.0.0.2 }\n", ""),
        cured(
            "reply-by-other-way",
            "hairpin: shop",
            "hairpin: { from: [shop, store], source: kept }",
            "store to internet",
            "store to store: accept, store to internet"),
        cured(
            "replies-not-let-in",
            INNER,
            INNER.replace("accept", "drop")
                + "    access:\n      in: { guards: { arriving: up }, otherwise: accept }\n"
                + "      out: { guards: { arriving: lab }, stateless: true, otherwise: drop }\n"),
        cured("notices-dropped", INNER, INNER + listed(MEASURED + ANSWERED_HIGH)),
        cured(
            "notice-lost notices-dropped",
            INNER,
            INNER
                + listed("{ drop: control messages, service: icmp }")
                    .replace("otherwise: drop", "otherwise: accept"),
            LINK,
            LINK + ", mtu: 1492"),
        cured(
            "answers-forged",
            INNER,
            INNER
                + listed(
                    MEASURED + ANSWERED + "{ accept: notices, service: icmp 3/4, log: true }")),
        cured(
            "return-route-missing",
            "      - { to: lab, via: 10.0.0.2 }",
            "      - { to: lab, via: 10.0.0.2 }\n      - { to: 198.51.100.64/26, via: 10.0.0.2 }",
            "works to internet",
            "works to works: accept, works to internet"),
        byHand(
            "loop",
            "      - { to: lab, via: 10.0.0.2 }",
            "      - { to: lab, via: 10.0.0.2 }\n      - { to: 10.4.0.0/24, via: 10.0.0.2 }",
            "bench\n",
            "10.4.0.5\n",
            "destination: 10.4.0.5\n",
            "destination: bench\n",
            "works to internet",
            "works to works: accept, works to internet"),
        // External addresses.
        byHand(
            "address-claimed-twice",
            "pool: 192.0.2.70",
            "pool: 198.51.100.150",
            "  customer:",
            "  modem: { on: link, at: 198.51.100.150 }\n  customer:"),
        byHand("address-not-routed", "pool: 192.0.2.70", "pool: 203.0.113.70"),
        byHand("address-of-carrier", "at: 192.0.2.66 https", "at: 198.51.100.129 https"),
        byHand(
            "address-of-device",
            FIRST,
            translation("static: clerk, facing: uplink, external: uplink, internal: clerk")
                + FIRST),
        byHand(
            "address-of-network access-without-translation",
            "at: 192.0.2.66 https",
            "at: 198.51.100.191 https"),
        byHand(
            "address-private",
            LINK,
            "zone: internet, carrier: 100.64.0.1",
            "prefix: 198.51.100.128/26",
            "prefix: 100.64.0.0/24",
            "198.51.100.140",
            "100.64.0.40",
            "198.51.100.129",
            "100.64.0.1",
            "at: 192.0.2.66 https",
            "at: uplink https"),
        // What is sent from a pool that no carrier carries is discarded, and was not said.
        byHand("address-private", "pool: 192.0.2.70", "pool: 10.99.0.70"),
        cured(
            "address-changed",
            "at: 198.51.100.140 }",
            "at: assigned by the carrier, now: 198.51.100.140 }",
            "at: 192.0.2.66 https",
            "at: 198.51.100.141 https"),
        cured(
            "changing-address-told",
            "at: 198.51.100.140 }",
            "at: assigned by the carrier, now: 198.51.100.140 }",
            "at: 192.0.2.66 https",
            "at: uplink https",
            "internet: 192.0.2.66",
            "internet: 198.51.100.140"),
        cured(
            "block-loops",
            "otherwise: drop }\n    interfaces",
            "internet to internet: accept, otherwise: drop }\n    interfaces"),
        cured("pools-overlap", "pool: 192.0.2.70", "pool: 192.0.2.68-192.0.2.70"),
        cured(
            "pool-too-small",
            "from: files\n        leaving: uplink\n        pool: 192.0.2.70",
            "from: [files, web, till]\n        leaving: uplink\n        pool: 192.0.2.70-192.0.2.71"),
        cured(
            "sharing-left-out",
            "from: files\n        leaving",
            "from: [files, web]\n        leaving"),
        byHand(
            "ports-too-few",
            "        leaving: uplink\n    access",
            "        leaving: uplink\n        state: { ports-per-source: 30000 }\n    access"),
        // Management.
        cured(
            "own-service-taken",
            "at: 192.0.2.67 ssh",
            "at: uplink ssh",
            SSH,
            "{ service: ssh, from: [shop, partner] }"),
        byHand(
            "management-closed",
            END,
            END
                + "      to itself:\n        guards: { to: device }\n        rules:\n          - { accept: pings, service: ping }\n        otherwise: drop\n"),
        byHand(
            "management-closed",
            "  files: { on: store,",
            "  files: { filter: { rules: [{ accept: x, service: 82/tcp }], otherwise: drop }, on: store,",
            "listens: ssh",
            "listens: [ssh, 82/tcp]",
            "      - destination: files\n        arriving: uplink\n        at: 192.0.2.67 ssh\n        becomes: files\n",
            "",
            "          - accept: the partner fetches files\n            from: partner\n            to: files\n            service: ssh\n            log: true\n",
            ""),
        cured("management-open", SSH, "{ service: ssh, from: any }"),
        // Who is offered.
        byHand("offered-zone-reaches-inside", "store to internet: accept", "store to any: accept"),
        byHand("nothing-listens", "listens: https }\n  files", "listens: 8443/tcp }\n  files"),
        cured(
            "host-moved",
            "  web: { on: store, at: 10.2.0.10",
            "  web: { on: store, at: 10.2.0.11",
            "becomes: web",
            "becomes: 10.2.0.10",
            "to: web",
            "to: 10.2.0.10"),
        cured(
            "host-moved access-without-translation",
            "becomes: files\n      - destination: bench",
            "becomes: 10.99.0.1\n        admit: { from: partner, log: true }\n      - destination: bench"),
        cured("host-off", "web: { on", "web: { off: true, on"),
        cured("host-leased", "web: { on", "web: { assigned: leased, on"),
        cured("fixed-among-leases", "at: 10.1.0.31", "at: 10.1.0.131"),
        cured("gateway-or-prefix-wrong", "gateway: 10.2.0.1", "gateway: 10.2.0.9"),
        cured("gateway-or-prefix-wrong", "web: { on", "web: { own-prefix: 0.0.0.0/0, on"),
        cured("host-filter", "web: { on", "web: { filter: { otherwise: drop }, on"),
        cured("sender-network-blocks", "at: 192.0.2.140", "at: 192.0.2.140, network-blocks: ssh"),
        cured(
            "interface-down",
            "lab: { on: lab, at: 10.3.0.1 }",
            "lab: { on: lab, at: 10.3.0.1, state: no link }"),
        // A route that leads over a link without signal is no missing route.
        cured(
            "interface-down",
            "works: { on: between, at: 10.0.0.1 }",
            "works: { on: between, at: 10.0.0.1, state: no link }"),
        cured(
            "interface-off",
            "lab: { on: lab, at: 10.3.0.1 }",
            "lab: { on: lab, at: 10.3.0.1, state: off }"),
        // What the file promises.
        byHand(
            "accepted-then-dropped",
            "shop to any: accept",
            "shop to works: accept, shop to any: accept",
            INNER,
            INNER.replace("accept", "{ any to any: accept, otherwise: accept }")
                + "    access:\n      in:\n        guards: { arriving: up }\n        rules:\n"
                + "          - { accept: measuring, from: partner, to: bench, log: true, service: 9000-9009/tcp }\n"
                + "        otherwise: drop\n"),
        byHand(
            "never-met",
            BUYS,
            rule("accept: the till buys, from: till, to: web, service: http") + BUYS),
        byHand(
            "never-met", BUYS, rule("accept: manage, from: shop, to: edge, service: ssh") + BUYS),
        byHand("resolver-fails", "at: 10.1.0.53, listens: domain", "at: 10.1.0.53, listens: ntp"),
        byHand("open-otherwise administration-offered", END, END.replace("drop", "accept")),
        byHand(
            "expectation-fails",
            "names:\n",
            "expect:\n  - { from: customer, to: 192.0.2.66, service: http, outcome: answered }\nnames:\n"),
        cured(
            "guarantee-broken",
            "names:\n",
            "guarantees:\n"
                + "  - { never: the bench stays here, from: bench, to: internet }\n"
                + "  - { only: no more, from: internet, to: any, may: { to: any, service: any } }\n"
                + "names:\n"),
        byHand(
            "way-in-uncovered",
            "names:\n",
            "guarantees:\n  - { never: no pings, from: internet, to: lab, service: ping }\nnames:\n"),
        cured(
            "transfer-not-helped clear-text-offered",
            "listens: ssh",
            "listens: ftp",
            "service: ssh\n",
            "service: ftp\n",
            "192.0.2.67 ssh",
            "192.0.2.67 ftp"),
        // Names.
        cured("name-wrong-side", "resolver: pilot", "resolver: open-resolver"),
        cured("name-unknown", "pilot: web", "pilot: none"),
        cured(
            "hairpin-missing",
            "resolver: pilot",
            "resolver: open-resolver",
            "{ internet: 192.0.2.66, pilot: web }",
            "192.0.2.66",
            "        hairpin: shop\n",
            ""),
        // Exposure.
        cured(
            "everything-offered",
            "listens: ssh",
            "listens: 9443/tcp",
            "at: 192.0.2.67 ssh",
            "at: 192.0.2.67",
            "becomes: files\n",
            "becomes: files\n        admit: { from: any, log: true }\n",
            BUYS,
            "          - { accept: x, to: web, service: https, log: true, disabled: true }\n"
                + BUYS,
            "          - accept: the partner fetches files\n            from: partner\n            to: files\n            service: ssh\n            log: true\n",
            ""),
        byHand(
            "administration-offered",
            "            from: partner\n            to: files\n",
            "            to: files\n"),
        byHand(
            "clear-text-offered",
            "listens: ssh",
            "listens: telnet",
            "service: ssh\n",
            "service: telnet\n",
            "192.0.2.67 ssh",
            "192.0.2.67 telnet"),
        cured("inbound-not-logged", "service: https\n            log: true\n", "service: https\n"),
        cured(
            "prefix-offered access-without-translation",
            END,
            rule("accept: replies, to: store, service: 1024-65535/tcp+udp") + END),
        // Leftovers.
        cured("unused", "names:\n", "services: { spare: 99/tcp }\nnames:\n"),
        cured("unused", "names:\n", "groups: { spare: till }\nnames:\n"),
        cured(
            "unused", "networks:\n", "networks:\n  spare: { prefix: 10.9.0.0/24, zone: spare }\n"),
        cured("unused", "  till:", "  old: { on: shop, at: 10.1.0.8, off: true }\n  till:"),
        byHand(
            "schedule-never-acts translation-without-access",
            "names:\n",
            "schedules: { sale: { days: sun, first-day: 2026-01-05, last-day: 2026-01-10 } }\nnames:\n",
            "to: bench\n",
            "to: bench\n            when: sale\n"),
        byHand(
            "schedule-never-acts",
            "names:\n",
            "schedules: { sale: { days: sun, last-day: 2025-06-30 } }\nnames:\n",
            "to: bench\n",
            "to: bench\n            when: sale\n"),
        cured(
            "disabled-rule-needed access-without-translation",
            "becomes: bench\n",
            "becomes: bench\n        disabled: true\n"),
        cured(
            "routes-conflict",
            "      - { to: lab, via: 10.0.0.2 }",
            "      - { to: lab, via: 10.0.0.2 }\n      - { to: lab, via: 10.0.0.3 }"),
        cured(
            "acceptance-unused",
            "devices:\n",
            "findings: [{ accept: unused, because: we keep it }, { accept: unused, at: x, because: y }]\ndevices:\n",
            "names:\n",
            "services: { spare: 99/tcp }\nnames:\n"));
  }

  private static String clean() throws Exception {
    try (InputStream in =
        Objects.requireNonNull(CheckerTest.class.getResourceAsStream("clean.site.yaml"))) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }

  static String edited(List<String> edits) throws Exception {
    String text = clean();
    for (int i = 0; i < edits.size(); i += 2) {
      assertThat(text).contains(edits.get(i));
      text = text.replace(edits.get(i), edits.get(i + 1));
    }
    return text;
  }

  @Test
  void whatEndsPacketsEarlyMayHideWhatIsAccepted() throws Exception {
    String accepted = "findings: [{ accept: inbound-not-logged, because: enough }]\ndevices:\n";
    String clean = edited(List.of("devices:\n", accepted));
    assertThat(check(clean)).extracting(Finding::code).containsExactly(Code.ACCEPTANCE_UNUSED);
    String off = clean.replace("web: { on", "web: { off: true, on");
    assertThat(check(off)).extracting(Finding::code).containsExactly(Code.HOST_OFF);
  }

  /** Insiders whom a rule somewhere else names for the same host say nothing of outsiders. */
  @Test
  void anOfferIsTriedByThoseWhoSendToIt() throws Exception {
    String orders =
        "    access:\n      of the lab:\n        guards: { arriving: lab }\n        rules:\n"
            + rule("accept: the bench orders, from: bench, to: web, service: https")
            + "        otherwise: accept\n";
    String buys = BUYS + "            to: web\n            service: https\n            log: true\n";
    String shut = edited(List.of(buys, "", INNER, INNER + orders));
    assertThat(codes(check(shut))).contains("translation-without-access");
  }

  /** An inner device hides its networks behind its own address, and the outer one forgets that. */
  @Test
  void whoIsHiddenInsideIsTranslatedOutside() throws Exception {
    String text = DrawnBusiness.text(603);
    String forgotten =
        Mutations.of(text).stream()
            .filter(slip -> slip.what().equals("edge / translation: taken away"))
            .findFirst()
            .orElseThrow()
            .text();
    assertThat(text).contains("{ shared: the shop, from: shop, leaving: outer }");
    assertThat(check(forgotten))
        .filteredOn(each -> each.message().startsWith("sources of shop leave edge"))
        .extracting(each -> each.cure().summary())
        .containsExactly("share the address of uplink among the sources of transit");
  }

  /** The neighbours on a link are many over IPv6 as well, and one of them is the sample. */
  @Test
  void managementIsOpenToNeighboursOfEitherFamily() throws Exception {
    String text = Files.readString(Path.of("../demo/ipv6.site.yaml"));
    String own = "    services: [{ service: ssh, from: [office, '2001:db8:ffff::/64'] }]\n\n";
    List<Finding> six = check(text.replace("    translation:\n", own + "    translation:\n"));
    assertThat(codes(six)).contains("management-open");
    for (Finding each : six) {
      if (each.code() == Code.MANAGEMENT_OPEN) {
        assertThat(each.message()).endsWith("is open to everybody on carrier-link");
        assertThat(each.sample()).isNotNull();
        assertThat(each.sample().attempt().sender().name()).startsWith("2001:db8:ffff:");
      }
    }
    String link = "{ service: [ssh, ping], from: [shop, 198.51.100.128/26] }";
    assertThat(codes(check(edited(List.of(SSH, link))))).contains("management-open");
  }

  /**
   * Of two hosts with one address the rule leads to the one of the realm where it sends packets.
   */
  @Test
  void aHostOfAnotherRealmIsAskedForItself() throws Exception {
    String name = "/org/eskerfield/sites/whole/realms.site.yaml";
    String text = Files.readString(Path.of("src/test/resources" + name));
    assertThat(codes(check(text))).isEmpty();
    List<Finding> found = check(text.replace("listens: https }", "listens: 8443/tcp }"));
    assertThat(found).hasSize(1);
    assertThat(found.get(0).message()).contains("443/tcp of store, which listens on 8443/tcp");
  }

  @Test
  void aServiceThatNobodyReachedIsNotTaken() throws Exception {
    String itself =
        "      to itself:\n        guards: { to: device }\n        rules:\n"
            + "          - { accept: the shop, from: shop }\n        otherwise: drop\n";
    String[] taking = {
      "at: 192.0.2.67 ssh", "at: uplink ssh", SSH, "{ service: ssh, from: [shop, partner] }"
    };
    String taken = edited(List.of(taking));
    assertThat(codes(check(taken))).containsExactly("own-service-taken");
    assertThat(codes(check(taken.replace(END, END + itself)))).doesNotContain("own-service-taken");
  }

  /** Who is kept in takes no address of a pool. */
  @Test
  void aPoolIsCountedForThoseWhoUseIt() throws Exception {
    String both =
        edited(List.of("from: files\n        leaving", "from: [files, bench]\n        leaving"));
    assertThat(codes(check(both))).containsExactly("sharing-left-out");
    assertThat(codes(check(both.replace("works to internet: accept, otherwise", "otherwise"))))
        .containsExactly("sources-not-let-out");
  }

  @Test
  void rulesCrossOnlyWhereTheirPacketsCome() throws Exception {
    String pests = rule("drop: pests, from: 203.0.113.0/25, to: edge");
    String manage = rule("accept: manage, to: edge, service: ssh");
    String both = edited(List.of(BUYS, pests + manage + BUYS));
    assertThat(check(both))
        .noneMatch(each -> each.code() == Code.RULES_CROSS)
        .anyMatch(each -> each.message().contains("filters only what passes through edge"));
    // Who logs and who does not do the same.
    String some = "          - { accept: some, from: 203.0.113.0/25, service: https }\n";
    assertThat(codes(check(edited(List.of(BUYS, some + BUYS))))).doesNotContain("rules-cross");
  }

  @Test
  void whatIsSpokenOutsideIsInTheClearWhateverItsPortInside() throws Exception {
    String[] ftp = {
      "listens: ssh", "listens: 2121/tcp",
      "192.0.2.67 ssh\n        becomes: files", "192.0.2.67 ftp\n        becomes: files 2121",
      "            service: ssh\n", "            service: 2121/tcp\n"
    };
    assertThat(codes(check(edited(List.of(ftp)))))
        .containsExactly("clear-text-offered", "transfer-not-helped");
  }

  private List<Finding> check(String text) throws Exception {
    Path file = folder.resolve("x.site.yaml");
    Files.writeString(file, text);
    SiteFile read = SiteReader.readFile(file);
    return Checker.check(read.site(), read.policy(), read.wanted(), (what, done, of) -> {});
  }

  private static List<String> codes(List<Finding> findings) {
    return findings.stream()
        .filter(finding -> finding.accepted() == null)
        .map(finding -> finding.code().toString())
        .distinct()
        .sorted()
        .toList();
  }

  @ParameterizedTest
  @MethodSource("mistakes")
  void eachIsFoundAndCured(Mistake mistake) throws Exception {
    List<Finding> findings = check(edited(mistake.edits));
    assertThat(codes(findings))
        .as(findings.stream().map(Finding::message).toList().toString())
        .isEqualTo(List.of(mistake.codes.split(" ")).stream().sorted().toList());
    for (Finding finding : findings) {
      assertThat(finding.cure().summary()).isNotBlank();
      if (finding.code() == mistake.code()) {
        Path file = folder.resolve("x.site.yaml");
        CuredSite cured = CuredSite.of(file, "x", finding, findings);
        if (mistake.byHand) {
          assertThat(finding.cure().changes()).isEmpty();
        } else {
          assertThat(cured).as("%s", finding.cure()).isNotNull();
        }
      }
    }
  }

  @Test
  void theCleanSiteHasNone() throws Exception {
    assertThat(check(clean()).stream().map(Finding::message)).isEmpty();
  }

  @Test
  void everyKindHasItsMistake() {
    Set<Code> left = EnumSet.allOf(Code.class);
    mistakes().forEach(mistake -> left.remove(mistake.code()));
    assertThat(left).containsExactly(Code.UNDETERMINED);
  }

  private static final Pattern EXAMPLE =
      Pattern.compile("(?s)(## ([a-z-]+)\n\n<!-- example -->\n).*?(<!-- end -->)");

  /** The reference shows, for each kind, the first mistake of the table with its cure. */
  @Test
  void theReferenceShowsEachKind() throws Exception {
    Path reference = Path.of("../docs/findings.md");
    Set<Code> left = EnumSet.allOf(Code.class);
    Matcher matcher = EXAMPLE.matcher(Files.readString(reference));
    StringBuilder wanted = new StringBuilder();
    while (matcher.find()) {
      Code code = Objects.requireNonNull(Code.of(matcher.group(2)), matcher.group(2));
      assertThat(left.remove(code)).as("%s stands once", code).isTrue();
      matcher.appendReplacement(
          wanted, Matcher.quoteReplacement(matcher.group(1) + example(code) + matcher.group(3)));
    }
    matcher.appendTail(wanted);
    assertThat(left).isEmpty();
    Generated.mustBe(reference, wanted.toString());
  }

  private String example(Code code) throws Exception {
    StringBuilder out = new StringBuilder();
    out.append("*").append(code.severity()).append("* · ").append(code.why()).append("\n\n");
    Mistake mistake =
        mistakes().stream().filter(each -> each.code() == code).findFirst().orElse(null);
    if (mistake == null) {
      return out.toString();
    }
    String text = edited(mistake.edits);
    List<Finding> findings = check(text);
    Finding finding =
        findings.stream().filter(each -> each.code() == code).findFirst().orElseThrow();
    out.append("With this in the file\n\n```diff\n");
    out.append(body(SiteEditor.patch("x", clean(), text))).append("```\n\nthe check says\n\n> ");
    out.append(finding.message()).append("\n\n");
    if (finding.sample() != null) {
      out.append("and shows it with a packet that ends ").append(finding.sample().outcome());
      out.append(". ");
    }
    out.append("Cure: ").append(finding.cure().summary()).append(".\n\n");
    if (!mistake.byHand) {
      CuredSite cured =
          Objects.requireNonNull(
              CuredSite.of(folder.resolve("x.site.yaml"), "x", finding, findings));
      out.append("```diff\n").append(body(cured.patch())).append("```\n");
    }
    return out.toString();
  }

  /** A patch without its head and the numbers of its lines. */
  private static String body(String patch) {
    return patch
        .lines()
        .filter(line -> !line.startsWith("---") && !line.startsWith("+++"))
        .map(line -> line.startsWith("@@") ? "…" : line)
        .map(line -> line.stripTrailing() + "\n")
        .collect(Collectors.joining())
        .replaceFirst("^…\n", "");
  }
}
