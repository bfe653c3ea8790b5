// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Random;
import java.util.Set;
import java.util.stream.Stream;
import org.eskerfield.cause.Cause;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;

/** Causes on small changes of a working site, and what stands behind them. */
class CausesTest {
  private static final Path WORKING = Path.of("../demo/mistakes/working.site.yaml");
  private static final String SHOP_RULE = "          - accept: the web shop\n";
  private static final String TO_QUAY = "        guards: { arriving: transit, leaving: quay }\n";

  /**
   * A row.
   *
   * @param causes the codes in order; the last is {@code ?} if what comes behind is not told
   * @param ask from, to and service
   * @param edits pieces of the file, each followed by what takes its place
   */
  private static Arguments row(String causes, String ask, String... edits) {
    return Arguments.of(causes, ask, List.of(edits));
  }

  static Stream<Arguments> rows() {
    return Stream.of(
        row("", "passenger booking.example https"),
        // On purpose, or not for this sender.
        row(
            "denied",
            "passenger booking.example https",
            SHOP_RULE,
            "          - drop: everything to the shop\n            to: 10.44.20.117\n",
            "            to: 10.44.20.117\n            service: 8443/tcp\n",
            ""),
        row("sender-not-admitted sender-not-admitted", "passenger harbour.example:1502 tcp"),
        row("own-service-closed", "passenger harbour.example ssh"),
        row("own-service-closed", "gauge-1 10.44.60.1 ssh"),
        // An access rule for one interface that names hosts behind another.
        row(
            "wrong-interface",
            "passenger booking.example https",
            TO_QUAY,
            "        guards: { arriving: quay, leaving: transit }\n",
            "            to: 10.44.20.117\n            service: 8443/tcp\n",
            "            from: internet\n            service: 8443/tcp\n"),
        // A list that guards backwards.
        row(
            "wrong-interface",
            "passenger booking.example https",
            TO_QUAY,
            "        guards: { arriving: quay, leaving: transit }\n"),
        // A list that guards another way, or what its rules for the way back should guard.
        row(
            "wrong-interface",
            "passenger booking.example https",
            "guards: { arriving: uplink, leaving: transit }",
            "guards: { arriving: uplink, leaving: office }"),
        row(
            "wrong-interface",
            "passenger booking.example https",
            "guards: { arriving: quay, leaving: transit }",
            TO_QUAY.strip()),
        // A list for the device itself with a rule for a host behind it.
        row(
            "wrong-interface",
            "passenger booking.example https",
            "guards: { arriving: uplink, leaving: transit }",
            "guards: { arriving: uplink, to: device }"),
        // The only rule that would accept it stands in the list of another way.
        row(
            "wrong-interface",
            "contractor harbour.example:1502 tcp",
            "          - accept: the ramp\n            from: contractor\n            to: ramp\n"
                + "            service: 502/tcp\n",
            "",
            "          - accept: everything\n",
            "          - accept: the ramp\n            from: contractor\n            to: ramp\n"
                + "            service: 502/tcp\n          - accept: everything\n"),
        // A rule for what goes out is not what keeps somebody from coming in.
        row(
            "access-missing",
            "passenger booking.example https",
            SHOP_RULE + "            to: 10.44.20.117\n",
            "          - accept: what the quay buys\n            from: quay\n"),
        // One wrong inner port, and no access rule that keeps it out.
        row(
            "wrong-service",
            "passenger booking.example https",
            "becomes: 10.44.0.2 8443",
            "becomes: 10.44.0.2 8444"),
        // Disabled rules are named.
        row(
            "access-missing",
            "passenger booking.example https",
            "            service: 8443/tcp\n          - accept: the ramp",
            "            service: 8443/tcp\n            disabled: true\n          - accept: the ramp"),
        // Hosts.
        row(
            "host-off",
            "passenger booking.example https",
            "listens: 8443/tcp",
            "listens: 8443/tcp\n    off: true"),
        row("nothing-listens", "clerk till 80/tcp", TO_QUAY + "        rules:\n", OPEN_LIST),
        row(
            "no-ping",
            "clerk till ping",
            TO_QUAY + "        rules:\n",
            OPEN_LIST,
            "till:    { on: quay,",
            "till:    { answers-ping: false, on: quay,"),
        row(
            "host-filter",
            "passenger booking.example https",
            "    listens: 8443/tcp\n",
            "    listens: 8443/tcp\n    filter: { otherwise: reject }\n"),
        // Ways.
        row(
            "route-missing wrong-address ?",
            "gauge-1 10.99.0.1 ping",
            "      - { to: any, via: 203.0.113.46 }\n",
            ""),
        row("loop ?", "passenger 192.0.2.78 ping", STANCE, "    stance: accept\n"),
        row("not-forwarded ?", "clerk 192.0.2.78 ping", STANCE, "    stance: accept\n"),
        row("not-forwarded ?", "clerk 10.44.60.255 ping"),
        row("wrong-address ?", "clerk 10.44.8.99 ping"),
        row("address-not-routed ?", "passenger 192.0.2.67 ping", ROUTED, ""),
        row(
            "interface-down",
            "clerk hydrographic 8883/tcp",
            "now: 203.0.113.33 }",
            "now: 203.0.113.33, state: off }"),
        // Two and three behind each other.
        row(
            "host-off host-filter",
            "passenger booking.example https",
            "    listens: 8443/tcp\n",
            "    listens: 8443/tcp\n    off: true\n    filter: { otherwise: drop }\n"),
        row(
            "outside-schedule nothing-listens return-route-missing",
            "contractor harbour.example:1502 tcp",
            "days: mon-fri",
            "days: sat",
            "listens: 502/tcp",
            "listens: 503/tcp",
            "      - { to: any, via: 10.44.0.1 }",
            "      - { to: office, via: 10.44.0.1 }"));
  }

  private static final String OPEN_LIST =
      TO_QUAY + "        rules:\n          - accept: whatever\n            from: office\n";
  private static final String STANCE =
      "    stance:\n"
          + "      office to any: accept\n"
          + "      plant to internet: accept\n"
          + "      mast to internet: accept\n"
          + "      transit to internet: accept\n"
          + "      transit to transit: accept\n"
          + "      otherwise: drop\n";
  private static final String ROUTED = "    routed: { to: 192.0.2.64/28, via: 203.0.113.33 }\n";

  private static final Path DEMO = Path.of("../demo");
  private static final Path WHOLE = Path.of("src/test/resources/org/eskerfield/sites/whole");

  private static Arguments elsewhere(Path file, String causes, String ask, String... edits) {
    return Arguments.of(file, causes, ask, List.of(edits));
  }

  static Stream<Arguments> otherSites() {
    return Stream.of(
        // The rule is missing, and one host alone is open to the sender.
        elsewhere(
            DEMO.resolve("skerry.site.yaml"),
            "translation-missing",
            "contractor 198.51.100.140 1502/tcp",
            "      - destination: ramp controller\n        arriving: uplink\n        at: uplink 1502/tcp\n"
                + "        becomes: ramp 502\n"
                + "        note: the address may change; the contractor calls before each visit\n",
            ""),
        // The rule leads out by the wrong side.
        elsewhere(
            WHOLE.resolve("partners.site.yaml"),
            "wrong-interface",
            "clerk 10.1.0.103 ipp",
            "becomes: 10.8.0.101\n        leaving: two",
            "becomes: 10.8.0.101\n        leaving: ours"),
        // The rule leads to a host that does not run it; one alone does, and is open.
        elsewhere(
            DEMO.resolve("skerry.site.yaml"),
            "nothing-listens",
            "contractor 198.51.100.140:1502 tcp",
            "becomes: ramp 502",
            "becomes: kiosk 502"),
        // The link of the sender is down.
        elsewhere(
            WHOLE.resolve("partners.site.yaml"),
            "interface-down",
            "printer-one 10.8.0.101 https",
            "one: { on: one, at: 10.8.0.1 }",
            "one: { on: one, at: 10.8.0.1, state: no link }"),
        // A rule for this very address is disabled, and another address would do as well.
        elsewhere(
            WHOLE.resolve("carriers.site.yaml"),
            "translation-missing",
            "friend 198.51.100.1 https",
            "{ destination: by the slow one,",
            "{ disabled: true, destination: by the slow one,"),
        // The carrier routes a block to nobody: on the way there, and on the way back.
        elsewhere(
            WHOLE.resolve("carriers.site.yaml"),
            "address-not-routed ?",
            "friend 2001:db8:1::7 https",
            "203.0.113.1, 2001:db8:f::1]",
            "203.0.113.1, '2001:db8:f::11']"),
        elsewhere(
            DEMO.resolve("gauges.site.yaml"),
            "address-not-routed ?",
            "gauge-1 hydrographic 8883/tcp",
            "via: 203.0.113.33 }",
            "via: 203.0.113.34 }"),
        // Nobody is there to be a gateway.
        elsewhere(
            DEMO.resolve("gauges.site.yaml"),
            "route-missing ?",
            "gauge-1 hydrographic 8883/tcp",
            "      plant:  { on: plant, at: 10.44.60.1 }\n",
            ""));
  }

  @ParameterizedTest(name = "{1} {2}")
  @MethodSource("otherSites")
  void aFailureElsewhereHasItsCauses(Path file, String causes, String ask, List<String> edits)
      throws Exception {
    assertCauses(Files.readString(file), causes, ask, edits);
  }

  @ParameterizedTest(name = "{0} {1}")
  @MethodSource("rows")
  void aFailureHasItsCauses(String causes, String ask, List<String> edits) throws Exception {
    String text = Files.readString(WORKING).split("\nexpect:")[0] + "\n";
    assertCauses(text, causes, ask, edits);
  }

  private static void assertCauses(String text, String causes, String ask, List<String> edits)
      throws Exception {
    for (int i = 0; i < edits.size(); i += 2) {
      assertThat(text).contains(edits.get(i));
      text = text.replace(edits.get(i), edits.get(i + 1));
    }
    Site site = SiteReader.read("x.site.yaml", text);
    String[] words = ask.split(" ");
    Diagnosis found =
        Diagnosis.of(
            site, QuestionReader.on(site).from(words[0]).to(words[1]).service(words[2]).attempt());
    List<String> codes = new ArrayList<>();
    found.obstacles().forEach(each -> codes.add(each.cause().toString()));
    if (!found.complete()) {
      codes.add("?");
    }
    assertThat(String.join(" ", codes)).as(found.conversation().reason()).isEqualTo(causes);
    assertThat(found.conversation().outcome() == Outcome.ANSWERED).isEqualTo(causes.isEmpty());
    for (Obstacle obstacle : found.obstacles()) {
      assertThat(obstacle.sentence()).isNotEmpty();
    }
  }

  /**
   * However a site is damaged, as long as it can be read, every expectation can be verified, and
   * one that fails to be answered has a cause.
   */
  @Test
  void damagedSitesAreExplained() throws Exception {
    String text = Files.readString(WORKING);
    List<String> lines = text.lines().toList();
    Random random = new Random(20260105);
    Set<Cause> met = EnumSet.noneOf(Cause.class);
    int read = 0;
    for (int i = 0; i < 800; i++) {
      List<String> damaged = new ArrayList<>(lines);
      for (int j = 0; j <= random.nextInt(3); j++) {
        int at = random.nextInt(damaged.size());
        int swapped = random.nextInt(damaged.size());
        switch (random.nextInt(3)) {
          case 0 -> damaged.remove(at);
          case 1 -> damaged.add(at, damaged.get(swapped));
          default -> damaged.set(at, damaged.get(at).replaceFirst("[0-9](?=\\D*$)", "7"));
        }
      }
      try (var in =
          new java.io.ByteArrayInputStream(
              String.join("\n", damaged).getBytes(java.nio.charset.StandardCharsets.UTF_8))) {
        SiteFile file = SiteReader.read("damaged.site.yaml", in);
        read++;
        for (Verdict verdict : new Verifier(Tracer.of(file.site())).verify(file.expectations())) {
          for (Verdict.Result result : verdict.results()) {
            boolean asked = verdict.expectation().outcome() == Outcome.ANSWERED;
            if (asked && result.conversation().outcome() != Outcome.ANSWERED) {
              assertThat(result.diagnosis()).isNotNull();
              assertThat(result.diagnosis().obstacles())
                  .as("%s%n%s", result.conversation().reason(), String.join("\n", damaged))
                  .isNotEmpty();
              result.diagnosis().obstacles().forEach(each -> met.add(each.cause()));
            }
          }
        }
      } catch (UnreadableSiteException e) {
        continue; // says what is wrong, as other tests see to
      }
    }
    assertThat(read).isGreaterThan(160);
    assertThat(met).hasSizeGreaterThan(10);
  }
}
