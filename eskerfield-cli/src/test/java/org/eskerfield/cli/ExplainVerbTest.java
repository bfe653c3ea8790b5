// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** {@code explain} as text: the policy in the order in which devices act, and rules in depth. */
class ExplainVerbTest {
  private static final String MISTAKES = "../demo/mistakes/";

  private static String flat(String text) {
    return text.replaceAll("\\s+", " ");
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "../demo/marrowby.site.yaml",
        "../demo/harbour.site.yaml",
        "../demo/skerry.site.yaml",
        MISTAKES + "working.site.yaml",
        MISTAKES + "order.site.yaml"
      })
  void everythingIsToldInTheOrderOfActionWithItsLine(String site) throws Exception {
    MainTest.Result result = MainTest.run("explain", site);
    assertThat(result.status()).isZero();
    assertThat(result.err()).isEmpty();
    assertThat(result.out().lines())
        .allSatisfy(line -> assertThat(line).hasSizeLessThanOrEqualTo(100));
    List<String> lines = Files.readAllLines(Path.of(site));
    // Each numbered statement of a rule ends with its line, in which the file has its name.
    Matcher told =
        Pattern.compile(
                "(?m)^ {2}( \\d|\\d\\d) {2}([^:\\n]+): ((?:.|\\n(?! {2}[ \\d]\\d ))*?)line (\\d+)$")
            .matcher(result.out());
    int rules = 0;
    while (told.find()) {
      String name = flat(told.group(2));
      if (name.equals("Default")) {
        continue; // what becomes of packets that no rule matches has no name
      }
      assertThat(lines.get(Integer.parseInt(told.group(4)) - 1)).as(name).contains(name);
      rules++;
    }
    long written =
        lines.stream()
            .filter(
                line ->
                    line.matches(
                        " *- (?:\\{ )?(shared|dynamic|static|destination|untouched|accept|drop|reject): .*"))
            .count();
    long ofFindings =
        lines.stream().filter(line -> line.matches("  - (?:\\{ )?accept: .*-.*")).count();
    // A static rule acts on both sides, and so it is told twice.
    long twice = lines.stream().filter(line -> line.matches(" *- (?:\\{ )?static: .*")).count();
    assertThat(rules).isEqualTo((int) (written + twice - ofFindings));
    List<Integer> order = new ArrayList<>();
    String first = result.out().split("(?m)^(?=\\S)")[0];
    for (String title :
        new String[] {
          "\n  Interfaces",
          "\n  Destination translation",
          "\n  Routes",
          "\n  Default for traffic that no list guards",
          "\n  Source translation"
        }) {
      order.add(first.indexOf(title));
    }
    assertThat(order).isSorted().doesNotContain(-1);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "order 'the web shop' | access rule 'the web shop' in list 'to the quay' of lockhouse, 2 of 4"
            + " | Before it access rule 'noise' matches some: Drop every service from the internet to"
            + " any destination.",
        "order 154 | access rule 'noise' in list 'to the quay' of lockhouse, 1 of 4"
            + " | Drop every service from the internet to any destination.",
        "order 'the ramp' | access rule 'the ramp' in list 'to the quay' of lockhouse, 3 of 4"
            + " | access rule 'noise' matches all of its packets, so it never acts",
        "order--translation booking | destination rule 'booking' of breakwater, 4 of 9"
            + " | destination rule 'everything else' matches some",
        "order--translation booking | destination rule 'booking' of lockhouse, 1 of 4"
            + " | Before it no earlier rule matches any of its packets",
        "working 'the far end of a tunnel' | static rule 'the far end of a tunnel' of breakwater"
            + " | Rules that let the example through accepts it by access rule 'the other end of the tunnel'",
        "working 'gauges borrow an address' | dynamic rule 'gauges borrow an address' of breakwater"
            + " | In 10.44.60.11:50000",
        "working 'to the quay' | list 'to the quay' of lockhouse | Default: drop.",
        "working 65 | route to 0.0.0.0/0 | Packets for every other address go to 203.0.113.46",
        "working 68 | own service ssh | breakwater answers ssh (22/tcp) from zone office",
      })
  void aRuleIsToldInDepth(String call, String head, String says) {
    String site = MISTAKES + call.substring(0, call.indexOf(' ')) + ".site.yaml";
    String rule = call.substring(call.indexOf(' ') + 1).replace("'", "");
    MainTest.Result result = MainTest.run("explain", site, rule);
    assertThat(result.status()).as(result.err()).isZero();
    assertThat(flat(result.out())).contains(head);
    if (!says.startsWith("In ")) {
      assertThat(flat(result.out())).contains(says);
    } else {
      assertThat(flat(result.out())).contains(says.substring(3));
    }
  }

  /** What lets something through is shown with something that comes through. */
  @Test
  void samplesAreAnswered() {
    for (String site : List.of("skerry", "marrowby", "harbour")) {
      String told = flat(MainTest.run("explain", "../demo/" + site + ".site.yaml").out());
      for (String part : told.split(" e\\.g\\. ")) {
        Matcher result = Pattern.compile("result: ([a-z]+)").matcher(part);
        boolean refuses = part.contains("; drops it") || part.contains("; refuses it");
        if (result.find() && !refuses) {
          assertThat(result.group(1)).as(part).isEqualTo("answered");
        }
      }
    }
  }

  @Test
  void notesAndFiltersOfHostsAreInEveryForm() {
    String site = "../demo/marrowby.site.yaml";
    String text = flat(MainTest.run("explain", site).out());
    assertThat(text).contains("note: lockhouse expects 8443");
    assertThat(text).contains("Filter of archive itself (first match wins) 1 the insurers: ");
    assertThat(text)
        .contains(
            "e.g. from auditor: 198.51.100.37:50000 → 10.44.20.134:21 tcp SYN; result: answered");
    assertThat(MainTest.run("explain", site, "--csv").out())
        .contains(",lockhouse expects 8443\n")
        .contains("\narchive,filter,,1,the insurers,accept,");
    assertThat(MainTest.run("explain", site, "--json").out())
        .contains("\"note\" : \"lockhouse expects 8443\"")
        .contains("\"host\" : \"archive\"");
  }

  @Test
  void theWorkSheetGoesFromTheFarthestDeviceOutwardsAndShutsFirst() {
    String sheet = MainTest.run("explain", "../demo/marrowby.site.yaml", "--markdown").out();
    assertThat(sheet.indexOf("## lockhouse"))
        .isPositive()
        .isLessThan(sheet.indexOf("## breakwater"));
    String breakwater = sheet.substring(sheet.indexOf("## breakwater"));
    assertThat(breakwater)
        .containsSubsequence(
            "leave uplink shut down until step 7",
            "The default first: ",
            "| 1 | accept | any |",
            "Note: lockhouse expects 8443",
            "let uplink come up");
    // Where the office manages it was tried: not at the address on the tunnel's far side.
    assertThat(sheet).contains("ping of lockhouse answers admin, at 10.44.0.2, 10.44.20.1.");
  }

  @Test
  void oneDeviceAloneIsPartOfTheWhole() {
    String whole = MainTest.run("explain", "../demo/marrowby.site.yaml").out();
    for (String device : List.of("breakwater", "lockhouse", "skerry")) {
      String alone =
          MainTest.run("explain", "../demo/marrowby.site.yaml", "--device", device).out();
      assertThat(alone).startsWith(device + ", the ");
      assertThat(whole).contains(alone);
    }
  }
}
