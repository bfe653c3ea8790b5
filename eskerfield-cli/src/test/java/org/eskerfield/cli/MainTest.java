// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.networknt.schema.JsonSchema;
import com.networknt.schema.JsonSchemaFactory;
import com.networknt.schema.SpecVersion;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.schema.Schemas;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** The command line as a person and a script meet it. */
class MainTest {
  private static final String SITE = "../demo/skerry.site.yaml";
  private static final String GAUGES = "../demo/gauges.site.yaml";
  private static final ObjectMapper JSON = new ObjectMapper();

  record Result(int status, String out, String err) {}

  /** An answer as data, which fits its schema. */
  static JsonNode valid(Schemas schema, Result result) throws Exception {
    JsonNode answer = new ObjectMapper().readTree(result.out());
    assertThat(
            JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012)
                .getSchema(schema.text())
                .validate(answer))
        .isEmpty();
    return answer;
  }

  static Result run(String... args) {
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    int status =
        Main.run(
            new Terminal(new PrintWriter(out, true), new PrintWriter(err, true), Style.PLAIN),
            args);
    assertThat(out + err.toString()).doesNotContain("\tat ").doesNotContain("Exception");
    return new Result(status, out.toString(), err.toString());
  }

  /** Splits as a shell does: at blanks, but for what stands in single quotes. */
  static String[] words(String line) {
    List<String> words = new ArrayList<>();
    Matcher matcher = Pattern.compile("'([^']*)'|(\\S+)").matcher(line);
    while (matcher.find()) {
      words.add(matcher.group(1) != null ? matcher.group(1) : matcher.group(2));
    }
    return words.toArray(new String[0]);
  }

  @Test
  void theTourEndsAsItIsToldInTheStory() {
    Result tour = run("demo");
    assertThat(tour.status()).isZero();
    assertThat(tour.err()).isEmpty();
    String flat = tour.out().replaceAll("\\s+", " ");
    assertThat(flat)
        .contains("sees the sender as breakwater 10.44.0.1:50000")
        .contains("clerk 10.44.20.117, says pilot answered")
        .contains("passenger 203.0.113.35, says open-resolver dropped")
        .contains("gauge-4 192.0.2.200 answered")
        .contains("gauge-5 192.0.2.200 exhausted")
        .contains("the data connection opens as well (active)")
        .contains("and it is Sunday 10:00")
        .containsPattern("8 .* ([0-9]+) of \\1 expectations hold ([0-9]+) of \\2 guarantees hold");
  }

  /** Each command of the tour, run by itself, says what the tour said. */
  @Test
  void everyCommandLineOfTheTourGivesItsOutcome() throws Exception {
    String out = run("demo").out().replace(" \\\n", " ");
    String flat = out.replaceAll("\\s+", " ");
    List<String> outcomes = new ArrayList<>();
    for (String line : out.split("\n")) {
      if (line.contains("$ ./eskerfield trace")) {
        String[] words = words(line.substring(line.indexOf("trace")));
        words[1] = "../" + words[1];
        String[] json = Arrays.copyOf(words, words.length + 1);
        json[words.length] = "--json";
        JsonNode answer = JSON.readTree(run(json).out());
        assertThat(
                JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012)
                    .getSchema(Schemas.TRACE.text())
                    .validate(answer))
            .isEmpty();
        for (JsonNode each : answer.isArray() ? answer : JSON.createArrayNode().add(answer)) {
          String outcome = each.get("outcome").asText();
          outcomes.add(outcome);
          if (!outcome.equals("answered")) {
            assertThat(flat).contains(each.get("reason").asText());
          }
        }
      }
    }
    assertThat(String.join(" ", outcomes))
        .isEqualTo(
            "answered answered answered dropped answered answered answered answered"
                + " exhausted exhausted exhausted answered answered dropped");
  }

  @Test
  void aTraceSaysTheSameInTextAndInData() throws Exception {
    String[] ask =
        words("trace " + SITE + " --from contractor --to 198.51.100.140:1502 --service tcp");
    String text = run(ask).out();
    String[] withJson = Arrays.copyOf(ask, ask.length + 1);
    withJson[ask.length] = "--json";
    JsonNode json = JSON.readTree(run(withJson).out());
    String flat = text.replaceAll("\\s+", " ");
    assertThat(flat).startsWith(json.get("outcome").asText() + " " + json.get("reason").asText());
    assertThat(json.at("/deliveredTo/host").asText()).isEqualTo("ramp");
    assertThat(json.at("/deliveredTo/port").asInt()).isEqualTo(502);
    assertThat(json.at("/seenAs/address").asText()).isEqualTo("192.0.2.140");
    assertThat(Files.readAllLines(Path.of(SITE)).get(json.at("/decidedBy/place/line").asInt() - 1))
        .contains(json.at("/decidedBy/name").asText());
    for (String way : List.of("request", "reply")) {
      for (JsonNode leg : json.at("/" + way + "/legs")) {
        assertThat(text).contains(leg.get("where").asText());
        for (JsonNode decision : leg.get("decisions")) {
          assertThat(flat).contains(decision.get("text").asText());
        }
      }
    }
    assertThat(text.lines()).allSatisfy(line -> assertThat(line.length()).isLessThanOrEqualTo(100));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "nonsense                                             | there is no verb 'nonsense'; 'eskerfield --help' names",
        "chekc "
            + SITE
            + "                                   | no verb 'chekc'; did you mean 'check'?",
        "trace                                                | trace needs SITE: the site file",
        "trace " + SITE + "        | trace needs --from WHO, --to WHERE and --service WHAT",
        "trace " + SITE + " --from kiosk --to ramp            | trace needs --service WHAT",
        "trace " + SITE + " --from kiosk --to ramp --service  | --service needs a value: WHAT",
        "trace "
            + SITE
            + " --form kiosk --to ramp --service ping"
            + " | trace has no option --form; did you mean '--from'?",
        "trace "
            + SITE
            + " --from kiosk --to ramp --service ping --json --json | --json stands there twice",
        "check "
            + SITE
            + " --json=yes                        | --json takes no value; write it alone",
        "trace "
            + SITE
            + " --from x --to ramp --service ping | --from: no host or device is called 'x'",
        "trace "
            + SITE
            + " --from kiosk --to ramp --service ping --at noon | --at: 'noon' is no time",
        "trace "
            + SITE
            + " --from kiosk --to ramp --service ping --source-port x | --source-port: 'x' is no number",
        "trace "
            + SITE
            + " --from kiosk --to ramp --service ping --source-port 70000 | outside 0-65535",
        "trace nowhere.yaml --from a --to b --service ping    | there is no file nowhere.yaml",
        "trace .. --from a --to b --service ping              | is a folder",
        "check                                                | check needs SITE: the site file",
        "check a b                                            | 'b' is one word too many: check takes SITE",
        "check " + SITE + " --fail-on never | --fail-on: 'never' is none of error, warning, advice",
        "check pom.xml                                        | in pom.xml",
        "schema tree                                          | 'tree' is none of",
        "help nothing                                         | there is no verb 'nothing'",
        "demo x                                               | 'x' is one word too many: demo takes options only",
      })
  void whatCannotBeUsedIsExplainedAndExitsWithTwo(String call, String message) {
    Result result = run(words(call));
    assertThat(result.status()).isEqualTo(2);
    assertThat(result.out()).isEmpty();
    assertThat(result.err()).contains(message);
  }

  @ParameterizedTest
  @ValueSource(strings = {"", "--help", "help", "-h"})
  void withoutAVerbTheVerbsAreListed(String call) {
    Result result = run(words(call));
    assertThat(result.status()).isZero();
    assertThat(result.out()).contains("trace").contains("check").contains("Exit status");
  }

  @ParameterizedTest
  @ValueSource(strings = {"trace", "check", "replay", "demo", "schema", "completion", "help"})
  void everyVerbExplainsItself(String verb) {
    assertThat(run(verb, "--help").out()).startsWith("Usage: eskerfield " + verb);
    assertThat(run("help", verb).out()).isEqualTo(run(verb, "--help").out());
  }

  @Test
  void schemasAndCompletionArePrinted() throws Exception {
    for (String of : List.of("site", "trace", "check", "replay")) {
      assertThat(JSON.readTree(run("schema", of).out()).get("$schema").asText())
          .isEqualTo("https://json-schema.org/draft/2020-12/schema");
    }
    assertThat(run("schema").out()).isEqualTo(run("schema", "SITE").out());
    assertThat(run("completion").out()).contains("complete").contains("eskerfield");
    assertThat(run("--version").out()).startsWith("eskerfield ");
  }

  @Test
  void checkTellsByItsStatus(@TempDir Path folder) throws Exception {
    String healthy = Files.readString(Path.of(SITE));
    assertThat(run("check", SITE).status()).isZero();
    assertThat(run("check", SITE).out()).startsWith("nothing found in " + SITE);

    Path shut = folder.resolve("shut.yaml");
    Files.writeString(shut, healthy.replace("- accept: the", "- drop: the"));
    Result found = run("check", shut.toString());
    assertThat(found.status()).isEqualTo(1);
    assertThat(found.out())
        .startsWith(
            "Errors (1): this does not work\n\n  shut.yaml:37  translation-without-access\n")
        .contains("    sample: contractor to 198.51.100.140, 1502/tcp: dropped, ");

    Path untidy = folder.resolve("untidy.yaml");
    Files.writeString(
        untidy, healthy.replace("services:\n  ramp", "services:\n  x: 1/tcp\n  ramp"));
    assertThat(run("check", untidy.toString()).status()).isZero();
    assertThat(run("check", untidy.toString(), "--fail-on", "advice").status()).isEqualTo(1);

    Path broken = folder.resolve("broken.yaml");
    Files.writeString(broken, healthy.replace("stance:", "stanse:"));
    Result unusable = run("check", broken.toString(), "--json");
    assertThat(unusable.status()).isEqualTo(2);
    JsonNode json = JSON.readTree(unusable.out());
    assertThat(json.get("problems")).hasSize(1);
    String schema = run("schema", "check").out();
    assertThat(
            JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012)
                .getSchema(schema)
                .validate(json))
        .isEmpty();
  }

  private static final String ORDER = "../demo/mistakes/order.site.yaml";

  @Test
  void aCureIsShownAndCarriedOut(@TempDir Path folder) throws Exception {
    Path site = folder.resolve("order.site.yaml");
    Files.copy(Path.of(ORDER), site);
    String before = Files.readString(site);
    String file = site.toString();
    // Every cure, and one; the file stays as it is.
    assertThat(run("check", "--cure", file).out())
        .contains("    +          - drop: noise\n")
        .contains("cure: move access rule 'noise' behind the rules that accept");
    Result one = run("check", file, "--cure", "rule-never-acts@159", "--json");
    JsonNode finding = JSON.readTree(one.out()).get("findings").get(0);
    assertThat(finding.get("patch").asText()).startsWith("--- a/").contains("@@ -1");
    assertThat(finding.get("sample").isNull()).isTrue();
    assertThat(Files.readString(site)).isEqualTo(before);
    // Carried out, twice: then there is nothing left to cure.
    String handle = "translation-without-access@76";
    Result written = run("check", file, "--cure", handle, "--write");
    assertThat(written.status()).isZero();
    assertThat(written.out()).endsWith("written to " + file + "\n");
    assertThat(Files.readString(site))
        .contains("            service: [ftp, 5060/udp]\n          - drop: noise\n");
    assertThat(Files.readString(site).lines().sorted())
        .containsExactlyElementsOf(before.lines().sorted().toList());
    assertThat(run("verify", file).status()).isZero();
    assertThat(run("check", file, "--cure", handle, "--write").err())
        .contains("there is no finding " + handle);
    assertThat(folder)
        .isDirectoryContaining(each -> each.equals(site))
        .isDirectoryNotContaining(each -> !each.equals(site));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "--cure nonsense | is not a finding; write CODE@LINE",
        "--cure unused@1 | there is no finding unused@1; there are translation-without-access@76",
        "--write | name the one finding to cure",
        "--json --sarif | choose one",
        "--fail-on sometimes | is none of error, warning, advice",
      })
  void aCheckThatCannotBeIsRefused(String options, String message) {
    List<String> words = new ArrayList<>(List.of("check", ORDER));
    words.addAll(List.of(options.split(" ")));
    Result result = run(words.toArray(String[]::new));
    assertThat(result.status()).isEqualTo(2);
    assertThat(result.err()).contains(message);
  }

  @Test
  void whatIsNotCuredIsSaid() {
    assertThat(run("check").err()).contains("check needs SITE: the site file");
    Result hand =
        run(
            "check",
            "../demo/mistakes/address-private.site.yaml",
            "--cure",
            "address-private@81",
            "--write");
    assertThat(hand.status()).isEqualTo(2);
    assertThat(hand.err()).contains("has no cure that can be applied: ask the carrier");
    assertThat(
            run(
                    "trace",
                    SITE,
                    "--from",
                    "stranger",
                    "--to",
                    "10.77.4.9",
                    "--service",
                    "ping",
                    "--cure")
                .out())
        .contains("no change of the file is known that lets it through\n");
  }

  @Test
  void aTraceIsCuredAndTellsWhatElseThatLetsIn() {
    String[] call = {
      "trace",
      SITE,
      "--from",
      "stranger",
      "--to",
      "198.51.100.140:1502",
      "--service",
      "tcp",
      "--cure"
    };
    Result result = run(call);
    assertThat(result.status()).isZero();
    assertThat(result.out())
        .contains("  +          - accept: stranger to ramp\n  +            from: stranger\n")
        .contains("with that: ramp 10.77.4.9:502 answers")
        .endsWith(
            "Packets affected, this packet included\n"
                + "  newly answered:\n"
                + "    from stranger (198.51.100.250) to skerry (198.51.100.140), 1502/tcp\n");
  }

  /** A cure that takes something away is shown with what it takes, and written only if told. */
  @Test
  void aCureThatTakesAwayIsNotWrittenUnlessTold(@TempDir Path folder) throws Exception {
    String text = Files.readString(Path.of("../demo/mistakes/wrong-service.site.yaml"));
    Path file = Files.writeString(folder.resolve("w.site.yaml"), text);
    String handle = "nothing-listens@76";
    Result shown = run("check", file.toString(), "--cure", handle);
    assertThat(shown.out())
        .contains("packets affected, not clean")
        .contains("no longer answered:\n        from office, breakwater itself to lockhouse")
        .contains("holds now: passenger to booking.example, https: answered by booking");
    Result refused = run("check", file.toString(), "--cure", handle, "--write");
    assertThat(refused.status()).isEqualTo(1);
    assertThat(refused.out()).contains("not clean, so nothing was written; --even-so writes it");
    assertThat(Files.readString(file)).isEqualTo(text);
    JsonNode cure =
        JSON.readTree(run("check", file.toString(), "--cure", handle, "--json").out())
            .at("/findings/0/cures/0");
    assertThat(cure.get("clean").asBoolean()).isFalse();
    assertThat(cure.at("/effects/0/kind").asText()).isEqualTo("shut");
    assertThat(run("check", file.toString(), "--even-so").status()).isEqualTo(2);
    assertThat(run("check", file.toString(), "--cure", handle, "--write", "--even-so").status())
        .isZero();
    assertThat(Files.readString(file)).contains("at: transit 8444/tcp");
  }

  @Test
  void sarifIsWhatItsSchemaSays(@TempDir Path folder) throws Exception {
    JsonSchema schema =
        JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V7)
            .getSchema(MainTest.class.getResourceAsStream("/schema/sarif-schema-2.1.0.json"));
    Path broken = folder.resolve("not this.yaml");
    Files.writeString(broken, "eskerfield: 2\n");
    for (String site : List.of(ORDER, GAUGES, broken.toString())) {
      JsonNode sarif = JSON.readTree(run("check", site, "--sarif").out());
      assertThat(schema.validate(sarif)).isEmpty();
      JsonNode result = sarif.at("/runs/0/results/0");
      assertThat(sarif.at("/runs/0/tool/driver/rules/" + result.get("ruleIndex").asInt() + "/id"))
          .isEqualTo(result.get("ruleId"));
      assertThat(result.at("/locations/0/physicalLocation/artifactLocation/uri").asText())
          .isEqualTo(site.replace(" ", "%20"));
      assertThat(result.has("suppressions")).isEqualTo(site.equals(GAUGES));
    }
  }

  @Test
  void coloursOnlyUnderlineTheWords() {
    StringWriter out = new StringWriter();
    Main.run(
        new Terminal(new PrintWriter(out, true), new PrintWriter(out), new Style(true)), "demo");
    assertThat(out.toString()).contains("\u001b[");
    assertThat(out.toString().replaceAll("\u001b\\[[0-9;]*m", "")).isEqualTo(run("demo").out());
  }
}
