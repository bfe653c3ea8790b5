// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.eskerfield.formats.Problem;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.edit.Edit;
import org.eskerfield.formats.site.edit.SiteEditor;
import org.eskerfield.formats.site.write.SiteWriter;
import org.eskerfield.formats.traffic.TrafficReader;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.words.Printable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** Site files of a stranger, who wants the reader to run out of stack, memory or time. */
class HostileSiteTest {
  private static final String FRAME =
      """
      eskerfield: 1
      site: Gull Rock light
      networks:
        rock: { prefix: 10.77.4.0/24, zone: rock }
      GROUPS
      devices:
        keeper:
          stance: drop
          interfaces: { rock: { on: rock, at: 10.77.4.1 } }
          services: [{ service: 22/tcp, from: [FROM] }]
      """;

  private static Site read(String groups, String from) throws Exception {
    return SiteReader.read("gull.site.yaml", FRAME.replace("GROUPS", groups).replace("FROM", from));
  }

  private static AddressSet addresses(Site site, String group) {
    return site.addresses(
        List.of(new AddressTerm(AddressTerm.Kind.GROUP, group, AddressSet.NONE, Place.IN_CODE)));
  }

  private static String groups(int most, String line) {
    StringBuilder groups = new StringBuilder("groups:\n");
    for (int i = 0; i < most; i++) {
      groups.append(line.replace("THIS", "" + i).replace("NEXT", "" + (i + 1)));
    }
    return groups.toString();
  }

  @Test
  void aChainOfGroupsMayBeAnyLength() throws Exception {
    String groups = groups(10_000, "  g-THIS: [g-NEXT]\n") + "  g-10000: [10.77.4.9]\n";
    assertThat(addresses(read(groups, "g-0"), "g-0")).hasToString("10.77.4.9");
  }

  /** Each level names both of the next: spelled out, the first would have 2^200 members. */
  @Test
  void groupsThatDoubleAreEachLookedIntoOnce() throws Exception {
    String groups =
        groups(200, "  a-THIS: [a-NEXT, b-NEXT]\n  b-THIS: [b-NEXT, a-NEXT]\n")
            + "  a-200: [10.77.4.9]\n  b-200: [10.77.4.11]\n";
    assertThat(addresses(read(groups, "a-0"), "a-0")).hasToString("10.77.4.9, 10.77.4.11");
  }

  @Test
  void aCircleOfAnyLengthIsReportedOnce() {
    String groups = groups(20_000, "  g-THIS: [g-NEXT]\n") + "  g-20000: [g-7]\n";
    assertThatThrownBy(() -> read(groups, "g-0"))
        .isInstanceOfSatisfying(
            UnreadableSiteException.class,
            e ->
                assertThat(e.problems())
                    .extracting(Problem::message)
                    .containsExactly("group 'g-7' contains itself"));
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "1.",
        "1,",
        "1-",
        ":",
        "::1 ",
        "192.0.2.1/",
        "g",
        "80,",
        "1/",
        "(",
        "a:",
        "tcp+",
        "\\\\",
      })
  void aLongLiteralIsOneProblem(String part) {
    String literal = part.repeat(20_000);
    for (String each :
        List.of(literal, literal + "/tcp", "'" + literal + "'", "\"" + literal + "\"")) {
      assertThatThrownBy(() -> read("groups: { g: [" + each + "] }", "g"))
          .isInstanceOfSatisfying(
              UnreadableSiteException.class,
              e -> {
                assertThat(e.problems()).hasSizeBetween(1, 501);
                String message = e.problems().get(0).message();
                assertThat(message.length()).as(message).isLessThan(400);
              });
    }
  }

  /** However YAML spells them: characters that do not show stand in no name and in no message. */
  @ParameterizedTest
  @CsvSource(
      delimiter = ';',
      value = {
        "\"g\\e[31mx\"; U+001B",
        "\"g\\u202Ex\"; U+202E",
        "\"g\\x9bx\"; U+009B",
        "\"g\\u2028x\"; U+2028",
        "\"g\\Nx\"; U+0085",
        "\"g\\n\"; U+000A",
        "\"g\\0x\"; U+0000",
        "\"g\\U000E0041x\"; U+E0041",
        "\"g\\ud800x\"; U+D800",
        "g\u202ex; U+202E",
        "g\u2066x; U+2066",
        "g\ufeffx; U+FEFF",
      })
  void namesShowWhatTheyAre(String name, String character) {
    for (String groups :
        List.of("groups: { " + name + ": [10.77.4.9] }", "groups: { g: [" + name + "] }")) {
      assertThatThrownBy(() -> read(groups, "rock"))
          .isInstanceOfSatisfying(
              UnreadableSiteException.class,
              e -> {
                assertThat(e.problems().get(0).place().line()).isEqualTo(5);
                assertThat(e.problems())
                    .extracting(Problem::message)
                    .anySatisfy(message -> assertThat(message).contains(character));
                for (Problem problem : e.problems()) {
                  String shown = problem.message() + problem.remedy() + problem.excerpt();
                  assertThat(Printable.firstThatIsNot(shown)).as(shown).isNegative();
                }
              });
    }
  }

  /** Titles that YAML would take for something else when they are written again. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "+1",
        "0x1f",
        "0o17",
        "1_000",
        ".5",
        "1e3",
        "-.inf",
        ".NaN",
        "True",
        "NULL",
        "~",
        "yes",
        "a: b",
        "# a",
        "- a",
        "? a",
        "&a",
        "*a",
        "!a",
        "|",
        ">",
        "%a",
        "@a",
        "`a",
        "'a'",
        "[a]",
        "{a}",
        "a #b",
        "2026-11-29",
        "=",
        "<<",
      })
  void whatIsWrittenReadsBack(String title) throws Exception {
    String quoted = "'" + title.replace("'", "''") + "'";
    String text = FRAME.replace("GROUPS", "").replace("FROM", "rock");
    Site site = SiteReader.read("gull.site.yaml", text.replace("Gull Rock light", quoted));
    assertThat(site.name()).isEqualTo(title);
    assertThat(SiteReader.read("again", SiteWriter.write(site)).name()).isEqualTo(title);
  }

  @Test
  void notesMayHoldAnyCharacter() throws Exception {
    String note = "\"since\\e[2J \\u202E May\"";
    Site site = read("note: " + note, "rock");
    assertThat(site.note()).isEqualTo("since\u001b[2J \u202e May");
    assertThat(SiteReader.read("again", SiteWriter.write(site)).note()).isEqualTo(site.note());
    assertThat(Printable.line(site.note() + "\n\n now"))
        .isEqualTo("since\\u001b[2J \\u202e May now");
  }

  /** A character of two halves, wherever the buffer of a scanner ends. */
  @Test
  void charactersBeyondTheBasicPlaneStandAnywhere() throws Exception {
    for (int before = 1_000; before < 1_030; before++) {
      String comment = "# " + "x".repeat(before) + "\ud83d\ude00".repeat(700) + "\n";
      String text = comment + FRAME.replace("GROUPS", "").replace("FROM", "rock");
      Site site = SiteReader.read("gull.site.yaml", text);
      String wanted = text.replace("stance: drop", "stance: accept");
      Edit edit = new Edit.Put(site.devices().get("keeper").place(), "stance", "accept");
      assertThat(SiteEditor.edited(text, List.of(edit))).isEqualTo(wanted);
      String flow = "- { at: 0s, from: keeper, to: 10.77.4.9, service: ping }\n";
      byte[] traffic = (comment + flow).getBytes(StandardCharsets.UTF_8);
      try (TrafficReader reader =
          TrafficReader.open(site, "t.yaml", new ByteArrayInputStream(traffic))) {
        assertThat(reader.next()).isNotNull();
      }
    }
  }

  @Test
  void manyMembersAreOneSet() throws Exception {
    String members =
        IntStream.range(0, 60_000)
            .mapToObj(i -> "10." + i / 30_000 + "." + i % 30_000 / 125 + "." + 2 * (i % 125))
            .collect(Collectors.joining(", "));
    AddressSet set = addresses(read("groups: { g: [" + members + "] }", "g"), "g");
    assertThat(set.ranges()).hasSize(60_000);
  }
}
