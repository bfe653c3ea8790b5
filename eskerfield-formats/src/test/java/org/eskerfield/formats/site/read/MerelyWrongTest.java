// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/**
 * Mistakes that a device would take: they are read, traced as the device would act, and found by
 * the check, at the line of the rule.
 */
class MerelyWrongTest {
  private static final String SITE =
      """
      eskerfield: 1
      site: Corners
      networks:
        pier: { prefix: 10.77.4.0/24, zone: pier }
        guests: { prefix: 10.77.5.0/24, zone: guests }
        link: { prefix: 203.0.113.32/28, zone: internet, carrier: 203.0.113.46 }
      hosts:
        ramp: { on: pier, at: 10.77.4.9, assigned: fixed, listens: [502/tcp, 22/tcp] }
        kiosk: { on: pier, at: 10.77.4.20, assigned: fixed }
        portal: { on: guests, at: 10.77.5.9, assigned: fixed, listens: [502/tcp, 22/tcp] }
        contractor: { on: internet, at: 192.0.2.140 }
        hydrographic: { on: internet, at: 192.0.2.200, listens: 8883/tcp }
      devices:
        skerry:
          stance: { pier to any: accept, guests to any: accept, otherwise: drop }
          interfaces:
            uplink: { on: link, at: 203.0.113.33 }
            pier: { on: pier, at: 10.77.4.1 }
            guests: { on: guests, at: 10.77.5.1 }
          routes: [{ to: any, via: 203.0.113.46 }]
          translation:
            - { shared: guests, from: guests, leaving: uplink }
      """;

  private static final String FOR_ALL =
      "destination: all, arriving: any, at: uplink 1502/tcp, becomes: ramp 502, admit: any";
  private static final String FOR_GUESTS =
      "destination: guests, arriving: guests, at: uplink 1502/tcp, becomes: portal 502, admit: any";
  private static final String FOR_THE_CONTRACTOR =
      "destination: one, arriving: uplink, from: contractor, at: uplink 1502/tcp,"
          + " becomes: ramp 22, admit: any";
  private static final String FROM_OUTSIDE =
      "destination: more, arriving: uplink, at: uplink 1500-1510/tcp, becomes: ramp 502, admit: any";

  private static String rules(String names) {
    StringBuilder text = new StringBuilder(SITE);
    for (String name : names.split(" ")) {
      String rule =
          switch (name) {
            case "all" -> FOR_ALL;
            case "guests" -> FOR_GUESTS;
            case "one" -> FOR_THE_CONTRACTOR;
            case "more" -> FROM_OUTSIDE;
            case "own" -> "dynamic: lend, from: pier, leaving: uplink, pool: 203.0.113.33";
            case "last" -> "dynamic: lend, from: pier, leaving: uplink, pool: 203.0.113.47";
            default -> throw new AssertionError(name);
          };
      text.append("      - { ").append(rule).append(" }\n");
    }
    return text.toString();
  }

  @ParameterizedTest
  @CsvSource({
    // The narrower rule above the broader one acts; below it never does.
    "guests all, portal,     203.0.113.33 1502/tcp, portal 10.77.5.9:502, ''",
    "all guests, portal,     203.0.113.33 1502/tcp, ramp 10.77.4.9:502,   rule-never-acts@24",
    "all guests, contractor, 203.0.113.33 1502/tcp, ramp 10.77.4.9:502,   rule-never-acts@24",
    "one more,   contractor, 203.0.113.33 1502/tcp, ramp 10.77.4.9:22,    ''",
    "more one,   contractor, 203.0.113.33 1502/tcp, ramp 10.77.4.9:502,   rule-never-acts@24",
    // Two rules on one port, of which the first takes everything.
    "all more,   contractor, 203.0.113.33 1502/tcp, ramp 10.77.4.9:502,   ''",
    // A pool that is the uplink's own address, and one that is the broadcast address.
    "own,        kiosk,      hydrographic 8883/tcp, hydrographic 192.0.2.200:8883, sharing-left-out@23",
    "last,       kiosk,      hydrographic 8883/tcp, unanswered,           address-of-network@23 sharing-left-out@23",
  })
  void isReadTracedAndFound(String rules, String from, String to, String end, String found)
      throws Exception {
    Site site = SiteReader.read("x.site.yaml", rules(rules));
    String[] ask = to.split(" ");
    Run run =
        Tracer.of(site)
            .run(QuestionReader.on(site).from(from).to(ask[0]).service(ask[1]).read().at());
    var trace = run.open(QuestionReader.on(site).from(from).to(ask[0]).service(ask[1]).read());
    assertThat(end.contains(" ") ? String.valueOf(trace.deliveredTo()) : trace.outcome().toString())
        .isEqualTo(end);
    List<Finding> findings = Checker.check(site);
    assertThat(findings.stream().map(Finding::handle).toList())
        .as(findings.toString())
        .filteredOn(
            text ->
                List.of(
                        "rule-never-acts",
                        "sharing-left-out",
                        "address-of-network",
                        "address-of-device")
                    .contains(text.split("@")[0]))
        .isEqualTo(found.isEmpty() ? List.of() : List.of(found.split(" ")));
    if (rules.equals("own")) { // the first has it, the second gets none
      assertThat(
              run.open(QuestionReader.on(site).from("ramp").to(ask[0]).service(ask[1]).read())
                  .outcome()
                  .toString())
          .isEqualTo("exhausted");
    }
  }
}
