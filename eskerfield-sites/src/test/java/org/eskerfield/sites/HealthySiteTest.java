// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Objects;
import java.util.stream.Stream;
import org.eskerfield.check.Checker;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** What looks like a mistake and is none: nothing is said of it. */
class HealthySiteTest {
  /**
   * A variant of the clean site.
   *
   * @param why why it is fine
   * @param edits texts of the clean site, each followed by what takes its place
   */
  record Variant(String why, List<String> edits) {
    @Override
    public String toString() {
      return why;
    }
  }

  private static Variant fine(String why, String... edits) {
    return new Variant(why, List.of(edits));
  }

  private static final String END = "        otherwise: drop\n";
  private static final String BUYS = "          - accept: everybody buys\n";
  private static final String LAST = "      - shared: everybody else\n";
  private static final String FIRST = "      - untouched: the shop works in the store\n";

  static Stream<Variant> variants() {
    return Stream.of(
        // Order.
        fine(
            "a rule for less before one for more is how lists are written",
            BUYS,
            "          - { drop: a pest, from: 203.0.113.9, to: web, service: https, log: true }\n"
                + BUYS),
        fine(
            "a rule that logs what the rest of the list does silently",
            END,
            "          - { drop: telnet, service: 23/tcp, log: true }\n" + END),
        fine(
            "two halves of a network are not all of it",
            END,
            "          - { drop: a, from: 203.0.113.0/26, to: files, log: true }\n"
                + "          - { drop: b, from: 203.0.113.128/25, to: files, log: true }\n"
                + "          - { reject: c, from: 203.0.113.0/24, to: files, log: true }\n"
                + END),
        fine(
            "a rule that only acts at another time hides nothing",
            "names:\n",
            "schedules: { night: { days: every day, hours: 22:00-06:00 } }\nnames:\n",
            BUYS,
            "          - { drop: at night, to: web, service: https, when: night, log: true }\n"
                + BUYS),
        fine(
            "a narrow static before a broad shared rule",
            FIRST,
            "      - { static: pilot, facing: uplink, external: 192.0.2.71, internal: pilot }\n"
                + FIRST,
            END,
            "          - { accept: x, to: pilot, service: domain, log: true, disabled: true }\n"
                + END
                + "      names:\n        guards: { arriving: uplink, leaving: shop }\n        rules:\n"
                + "          - { accept: names, from: partner, to: pilot, service: domain, log: true }\n"
                + "        otherwise: drop\n",
            "stance: { shop to any: accept",
            "stance: { shop to internet: accept, shop to store: accept, shop to works: accept"),
        // Translation and access.
        fine(
            "an admission is an access rule",
            "becomes: web\n",
            "becomes: web\n        admit: { from: any, log: true }\n",
            "            to: web\n            service: https\n            log: true\n",
            "            to: web\n            service: https\n            disabled: true\n"),
        fine(
            "originals are seen where the device says so",
            "    stance: { shop",
            "    access-sees: original\n    stance: { shop",
            "to: web\n",
            "to: 192.0.2.66\n",
            "to: files\n",
            "to: 192.0.2.67\n",
            "to: bench\n",
            "to: 192.0.2.68\n"),
        fine(
            "a rule that is switched off asks for nothing",
            "becomes: files\n",
            "becomes: files\n        disabled: true\n",
            "            from: partner\n            to: files\n            service: ssh\n",
            "            from: partner\n            to: files\n            service: ssh\n            disabled: true\n"),
        fine(
            "a list between inner networks needs no translation",
            END,
            END
                + "      inside:\n        guards: { arriving: store, leaving: shop }\n        rules:\n"
                + "          - { accept: files asks pilot, from: files, to: pilot, service: domain }\n"
                + "        otherwise: drop\n"),
        fine(
            "another rule takes the address where it arrives; this one is for insiders",
            "      - destination: files\n",
            "      - { destination: web from inside, arriving: works, at: 192.0.2.66 https, becomes: web }\n"
                + "      - destination: files\n",
            "works to internet",
            "works to store: accept, works to internet",
            "findings",
            "findings"),
        fine(
            "a port of the device that it does not use itself",
            "at: 192.0.2.67 ssh",
            "at: uplink 2222/tcp",
            "becomes: files\n",
            "becomes: files 22\n"),
        // Ways.
        fine(
            "a stance that drops what comes from outside, and accepts the rest",
            "{ shop to any: accept, store to internet: accept, works to internet: accept, otherwise: drop }",
            "{ internet to any: drop, shop to any: accept, any to internet: accept, otherwise: drop }"),
        fine(
            "what is left of a block is discarded",
            "      - { to: lab, via: 10.0.0.2 }\n",
            "      - { to: lab, via: 10.0.0.2 }\n      - { to: 192.0.2.64/28, discard: true }\n",
            "otherwise: drop }\n    interfaces",
            "internet to internet: accept, otherwise: drop }\n    interfaces"),
        fine(
            "a second route of less preference",
            "      - { to: lab, via: 10.0.0.2 }\n",
            "      - { to: lab, via: 10.0.0.2 }\n      - { to: lab, via: 10.0.0.3, preference: 50 }\n",
            "between: { prefix: 10.0.0.0/30",
            "between: { prefix: 10.0.0.0/29"),
        // Addresses.
        fine(
            "an address that the carrier assigns, named by its interface everywhere",
            "at: 198.51.100.140 }",
            "at: assigned by the carrier, now: 198.51.100.140 }",
            "at: 192.0.2.66 https",
            "at: uplink https",
            "internet: 192.0.2.66",
            "internet: edge uplink"),
        fine(
            "as many addresses as hosts",
            "from: files\n        leaving: uplink\n        pool: 192.0.2.70",
            "from: [files, web]\n        leaving: uplink\n        pool: 192.0.2.70-192.0.2.71"),
        fine(
            "network and broadcast address of a block that is only routed",
            "192.0.2.66 https",
            "192.0.2.64 https",
            "internet: 192.0.2.66",
            "internet: 192.0.2.64",
            "192.0.2.67 ssh",
            "192.0.2.79 ssh"),
        // Management and hosts.
        fine(
            "ping of the device for everybody",
            "{ service: [ssh, ping], from: shop }",
            "{ service: ssh, from: shop }\n      - { service: ping, from: any }"),
        fine("a leased host that nobody offers", "till: { on", "till: { assigned: leased, on"),
        fine(
            "a reserved address among the leases",
            "at: 10.1.0.31",
            "assigned: reserved, at: 10.1.0.131"),
        fine(
            "a filter that lets in whom it is for",
            "web: { on",
            "web: { filter: { rules: [{ accept: buyers, service: https }], otherwise: drop }, on"),
        fine(
            "remote administration for a partner only",
            "bench\n        arriving: uplink\n        at: 192.0.2.68 9000-9009/tcp",
            "bench\n        arriving: uplink\n        at: 192.0.2.68 9000-9009/tcp\n        from: partner"),
        // Names.
        fine(
            "a name that only insiders have",
            "names:\n",
            "names:\n  till.example: { pilot: till }\n"),
        fine(
            "insiders who are told the external address and may use it",
            "{ internet: 192.0.2.66, pilot: web }",
            "192.0.2.66"),
        fine(
            "each side with an answer of its own",
            "names:\n",
            "names:\n  files.example: { internet: 192.0.2.67, pilot: files }\n"),
        // Leftovers.
        fine(
            "a group that is used by a group that is used",
            "names:\n",
            "groups: { a: partner, b: a }\nnames:\n",
            "from: partner\n            to: files",
            "from: b\n            to: files"),
        fine(
            "IPv6 beside a list that is for both",
            "prefix: 10.2.0.0/24",
            "prefix: [10.2.0.0/24, '2001:db8:2::/64']",
            "store: { on: store, at: 10.2.0.1 }",
            "store: { on: store, at: [10.2.0.1, '2001:db8:2::1'] }"),
        fine(
            "what is known is accepted, with the reason",
            LAST,
            "      - { dynamic: tills, from: [till, clerk], leaving: uplink, pool: 192.0.2.72 }\n"
                + LAST,
            "devices:\n",
            "findings: [{ accept: sharing-left-out, at: tills, because: one at a time }]\ndevices:\n"),
        fine(
            "what counts for nothing is still no error",
            "service: https\n            log: true\n",
            "service: https\n",
            "devices:\n",
            "findings: [{ accept: inbound-not-logged, because: the shop logs }]\ndevices:\n"));
  }

  @ParameterizedTest
  @MethodSource("variants")
  void nothingIsSaid(Variant variant) throws Exception {
    String text;
    try (InputStream in =
        Objects.requireNonNull(HealthySiteTest.class.getResourceAsStream("clean.site.yaml"))) {
      text = new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
    for (int i = 0; i < variant.edits.size(); i += 2) {
      if (!variant.edits.get(i).equals("findings")) {
        assertThat(text).contains(variant.edits.get(i));
      }
      text = text.replace(variant.edits.get(i), variant.edits.get(i + 1));
    }
    SiteFile file =
        SiteReader.read(
            "x", new java.io.ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)));
    assertThat(
            Checker.check(file.site(), file.policy(), (what, done, of) -> {}).stream()
                .filter(finding -> finding.accepted() == null)
                .map(finding -> finding.code() + ": " + finding.message()))
        .isEmpty();
  }

  @Test
  void severitiesAreThoseOfTheFile() throws Exception {
    String counted = "findings: [{ count: unused, as: error, note: we keep it tidy }]\ndevices:\n";
    String text =
        Sites.skerryText()
            .replace("devices:\n", counted)
            .replace("services:\n  ramp", "services:\n  spare: 9/tcp\n  ramp");
    SiteFile file =
        SiteReader.read(
            "x", new java.io.ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)));
    assertThat(Checker.check(file.site(), file.policy(), (what, done, of) -> {}))
        .extracting(finding -> finding.severity() + " " + finding.handle())
        .containsExactly("error unused@20");
    assertThat(Checker.check(file.site()))
        .extracting(finding -> finding.severity() + " " + finding.handle())
        .containsExactly("advice unused@20");
  }
}
