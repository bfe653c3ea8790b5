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
import org.eskerfield.formats.Schemas;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** The command line as a person and a script meet it. */
class MainTest {
  private static final String SITE = "../demo/skerry.site.yaml";
  private static final ObjectMapper JSON = new ObjectMapper();

  record Result(int status, String out, String err) {}

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
        .contains("and it is Sunday 11 January 2026 10:00")
        .containsPattern("8 .* ([0-9]+) of \\1 hold");
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
        "nonsense                                             | Unmatched argument at index 0: 'nonsense'",
        "trace                                                | Missing required",
        "trace " + SITE + "                                   | Missing required options",
        "trace " + SITE + " --from kiosk --to ramp            | '--service=WHAT'",
        "trace " + SITE + " --from kiosk --to ramp --service  | --service",
        "trace "
            + SITE
            + " --from x --to ramp --service ping | --from: no host or device is called 'x'",
        "trace "
            + SITE
            + " --from kiosk --to ramp --service ping --at noon | --at: 'noon' is no time",
        "trace "
            + SITE
            + " --from kiosk --to ramp --service ping --source-port x | 'x' is not an int",
        "trace "
            + SITE
            + " --from kiosk --to ramp --service ping --source-port 70000 | outside 0-65535",
        "trace nowhere.yaml --from a --to b --service ping    | there is no file nowhere.yaml",
        "trace .. --from a --to b --service ping              | is a folder",
        "check                                                | Missing required parameter: 'SITE'",
        "check a b                                            | Unmatched argument at index 2: 'b'",
        "check " + SITE + " --fail-on never                   | '--fail-on'",
        "check pom.xml                                        | in pom.xml",
        "schema tree                                          | for positional parameter at index 0",
        "help nothing                                         | there is no verb 'nothing'",
        "demo x                                               | Unmatched argument at index 1: 'x'",
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
            "First: what does not work (1 error)\n\n  shut.yaml:37  translation-without-access\n")
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
    assertThat(json.get("problems")).hasSize(2);
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
        "--cure nonsense | names no finding; write CODE@LINE",
        "--cure unused@1 | there is no finding unused@1; there are translation-without-access@76",
        "--write | name the one finding to cure",
        "--json --sarif | choose one",
        "--fail-on sometimes | expected one of",
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
    assertThat(run("check").err()).contains("Missing required parameter: 'SITE'");
    Result hand =
        run(
            "check",
            "../demo/mistakes/address-private.site.yaml",
            "--cure",
            "address-private@81",
            "--write");
    assertThat(hand.status()).isEqualTo(2);
    assertThat(hand.err()).contains("has no cure that can be carried out: ask the carrier");
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
        .contains("no edit of the file is known that lets it through\n");
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
            "All that this lets in, this packet included\n"
                + "  skerry, arriving on uplink\n"
                + "    from stranger (198.51.100.250) to ramp (10.77.4.9), 502/tcp\n"
                + "    from stranger (198.51.100.250) to 198.51.100.140, 1502/tcp\n");
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

  private static final String GAUGES = "../demo/gauges.site.yaml";
  private static final String TRAFFIC = "../demo/gauges.csv";

  private static List<String> outcomes(String followed) {
    return Pattern.compile(
            "(?m)^[0-9][0-9dhms ]* (answered|refused|dropped|exhausted|unroutable|unanswered|closed) ")
        .matcher(followed)
        .results()
        .map(r -> r.group(1))
        .toList();
  }

  /** Worked by hand: seven gauges, four addresses, RFC 5382's times for closing and for idling. */
  @Test
  void threeOfSevenGaugesGetNothingUntilOthersCloseOrFallSilent() {
    Result result = run("replay", GAUGES, TRAFFIC, "--follow");
    assertThat(result.status()).isZero();
    String answered = "answered";
    String exhausted = "exhausted";
    assertThat(outcomes(result.out()))
        .containsExactly(
            answered, answered, answered, answered, exhausted, exhausted, exhausted, "closed",
            exhausted, answered, // 4m59s and 5m: four minutes after the close
            exhausted, answered, answered); // 2h4m: idle gauges 2 and 3 are due at +1s and +2s
    assertThat(result.out()).contains("after 2h 4m 2s: 12 flows: 7 answered, 5 exhausted");
  }

  @Test
  void tablesShowTheStateOfTheMoment() {
    Result after = run("replay", GAUGES, TRAFFIC, "--at", "4m59s", "--bindings", "--sessions");
    assertThat(after.out())
        .contains("after 4m 59s: 8 flows: 4 answered, 4 exhausted")
        .contains("Bindings of breakwater  4")
        .containsPattern(
            "any +10.44.60.11 +192.0.2.68 +1 +4m 59s +1s\n"
                + " +line 32, gauges borrow an address each, with 192.0.2.200:8883")
        .containsPattern("any +10.44.60.12 +192.0.2.69 +1 +4m 58s +1h 59m 2s\n")
        .containsPattern(
            "tcp +10.44.60.12:50000 → 192.0.2.200:8883 +4m 58s +1h 59m 2s\n"
                + " +line 32, .*, goes on from 192.0.2.69:50000\n");
    assertThat(run("replay", GAUGES, TRAFFIC, "--at", "3h", "--bindings", "--sessions").out())
        .contains("Bindings of breakwater  2")
        .contains("Sessions of breakwater  2");
    assertThat(run("replay", GAUGES, TRAFFIC, "--at", "1d", "--bindings", "--sessions").out())
        .contains("Bindings of breakwater  none")
        .contains("Sessions of breakwater  none");
    assertThat(
            run("replay", SITE, TRAFFIC.replace("gauges.csv", "skerry.csv"), "--bindings").status())
        .isEqualTo(2);
    assertThat(after.out().lines())
        .allSatisfy(line -> assertThat(line).hasSizeLessThanOrEqualTo(100));
  }

  @ParameterizedTest
  @CsvSource({"59s, 1", "1m, none"})
  void aRuleMayKeepStateInItsOwnWay(String at, String left, @TempDir Path folder) throws Exception {
    String pool = "        pool: 192.0.2.68-192.0.2.71\n";
    String text = Files.readString(Path.of(GAUGES));
    assertThat(text).contains(pool);
    Path site =
        Files.writeString(
            folder.resolve("s.yaml"), text.replace(pool, pool + "        state: { udp: 1m }\n"));
    Path traffic =
        Files.writeString(
            folder.resolve("t.csv"), "at,from,to,service\n0s,gauge-1,hydrographic,53/udp\n");
    assertThat(run("replay", site.toString(), traffic.toString(), "--at", at, "--bindings").out())
        .contains("Bindings of breakwater  " + left + "\n");
  }

  @Test
  void theLogAndTheFiguresAddUp(@TempDir Path folder) throws Exception {
    Path traffic =
        Files.writeString(
            folder.resolve("t.csv"),
            """
            at,from,to,service
            0s,contractor,198.51.100.140,1502/tcp
            1s,stranger,198.51.100.140,1502/tcp
            2s,kiosk,hydrographic,ping
            1h,kiosk,hydrographic,ping
            """);
    String out = run("replay", SITE, traffic.toString(), "--log", "--figures").out();
    assertThat(out)
        .contains("after 1h: 4 flows: 3 answered, 1 dropped")
        .contains("log  0s        skerry accepts it by access rule 'the contractor works")
        .contains("sessions     2 now, at most 2 since 2s") // the connection, and the second ping
        .contains("bindings     1 now, at most 1 since 2s")
        .contains("got nothing  0")
        .containsPattern("2 +destination rule 'ramp controller', line 37")
        .containsPattern("2 +shared rule 'pier to the internet', line 42")
        .containsPattern("1 +access rule 'the contractor works on the ramp', line 50")
        .containsPattern("1 +list 'from the internet', otherwise, line 47");
    String gauges = run("replay", GAUGES, TRAFFIC, "--log", "--figures").out();
    assertThat(gauges)
        .contains("got nothing  5")
        .contains("at most 4 since 3s")
        .containsPattern("bindings +4 now, at most 4 since 3s, aged out 3\n")
        .containsPattern("4 +4 +addresses +line 32");
    assertThat(gauges.lines().filter(line -> line.startsWith("log "))).hasSize(5);
  }

  /** The harbour office, worked by hand in docs/replay.md. */
  @Test
  void theHarbourShowsEveryKindOfTranslation() {
    String site = GAUGES.replace("gauges", "harbour");
    String traffic = TRAFFIC.replace("gauges", "harbour");
    Result result = run("replay", site, traffic, "--follow", "--bindings", "--sessions");
    assertThat(outcomes(result.out()))
        .containsExactly(
            "answered",
            "answered",
            "answered",
            "unanswered",
            "answered",
            "answered",
            "answered",
            "answered",
            "answered",
            "dropped",
            "answered",
            "dropped");
    String out = result.out().replaceAll("\\s+", " ");
    assertThat(out)
        // Two passengers with one source port, to one server.
        .contains(
            "hydrographic 192.0.2.200:8883 answers, and sees the sender as breakwater 203.0.113.33:50000")
        .contains(
            "hydrographic 192.0.2.200:8883 answers, and sees the sender as breakwater 203.0.113.33:50001")
        // A hairpin with the source rewritten, and without.
        .contains("it sees the sender as breakwater 10.44.20.1:50001")
        .contains(
            "lantern discards it: it spoke to 203.0.113.36:443, and this comes from 10.44.20.117:8443")
        // Untouched: among the sessions, not among the bindings.
        .contains("10.44.8.31:50003 → 10.77.4.20:443 7s 2h 3m 53s goes on unchanged")
        // A range shifted by 1000, a file transfer in both modes.
        .contains(
            "198.51.100.77:50004 → 203.0.113.37:11007 6s 4m 54s line 68, radio traffic, goes on to 10.44.20.140:10007")
        .contains(
            "'227 Entering Passive Mode (10,44,20,134,195,100)', heard as '227 Entering Passive Mode (203,0,113,38,195,100)'")
        .contains(
            "active data connection: 'PORT 198,51,100,37,195,100'; archive → 198.51.100.37 50020/tcp: auditor");
    String bindings = out.substring(out.indexOf("Bindings of"), out.indexOf("Sessions of"));
    assertThat(bindings).doesNotContain("10.77.4.20").contains("tcp 10.44.20.134:50020");
    assertThat(run("check", site).status()).isZero();
  }

  @Test
  void theLogComesInOpenFormatsAndFiltered(@TempDir Path folder) throws Exception {
    String site = GAUGES.replace("gauges", "harbour");
    String traffic = TRAFFIC.replace("gauges", "harbour");
    Path file = folder.resolve("log");
    run("replay", site, traffic, "--log-to", file.toString(), "--log-as", "rfc5424");
    assertThat(Files.readString(file))
        .isEqualTo(
            "<134>1 2026-01-05T09:00:11.000Z breakwater eskerfield - accepted [flow@32473"
                + " list=\"to the quay\" rule=\"everybody asks for names\" proto=\"udp\""
                + " src=\"198.51.100.77\" dst=\"10.44.20.130\" sport=\"50007\" dport=\"53\"]"
                + " \ufeffaccepts it by access rule 'everybody asks for names'\n");
    run("replay", site, traffic, "--log-to", file.toString(), "--log-as", "jsonl");
    JsonNode line = JSON.readTree(Files.readString(file));
    assertThat(line.at("/rule").asText()).isEqualTo("everybody asks for names");
    assertThat(line.at("/destinationPort").asInt()).isEqualTo(53);
    for (String[] filter :
        new String[][] {
          {"--log-list", "to the quay", "1"},
          {"--log-rule", "everybody asks for names", "1"},
          {"--log-rule", "booking", "0"},
          {"--log-host", "lantern", "1"},
          {"--log-host", "198.51.100.77", "1"},
          {"--log-host", "auditor", "0"},
          {"--log-done", "accepted", "1"},
          {"--log-done", "dropped", "0"},
        }) {
      String out = run("replay", site, traffic, filter[0], filter[1]).out();
      assertThat(out.lines().filter(each -> each.startsWith("log ")))
          .as(filter[0] + " " + filter[1])
          .hasSize(Integer.parseInt(filter[2]));
    }
  }

  @ParameterizedTest
  @CsvSource({
    "--log-as xml,          --log-as: 'xml' is none of",
    "--log-done seen,       --log-done: 'seen' is none of",
    "--log-list nowhere,    no list is called 'nowhere'",
    "--log-rule nothing,    no rule is called 'nothing'",
    "--log-host nobody,     no host is called 'nobody'",
    "--log-to no/such/file,  no/such/file cannot be written",
    "--log-to ., is a folder",
    "--at soon,             'soon' is no time since the start",
    "--change 5m,           names no file",
    "--change 5m=none.yaml, none.yaml",
  })
  void aWrongCallOfReplayIsExplained(String call, String message) {
    List<String> words = new ArrayList<>(List.of("replay", GAUGES, TRAFFIC));
    words.addAll(List.of(call.split(" ")));
    Result result = run(words.toArray(new String[0]));
    assertThat(result.status()).isEqualTo(2);
    assertThat(result.err()).contains(message);
  }

  @Test
  void aReplayGoesOnWithAnotherFileAndKeepsItsSessions(@TempDir Path folder) throws Exception {
    Path changed =
        Files.writeString(
            folder.resolve("changed.yaml"),
            Files.readString(Path.of(SITE))
                .replace("shared: pier", "disabled: true\n        shared: pier"));
    Path traffic =
        Files.writeString(
            folder.resolve("t.yaml"),
            """
            - { at: 0s, from: kiosk, to: hydrographic, service: 8883/tcp }
            - at: 1m
              from: kiosk
              to: hydrographic
              service: 8883/tcp
              source-port: 50001
            """);
    String out =
        run(
                "replay",
                SITE,
                traffic.toString(),
                "--change",
                "30s=" + changed,
                "--follow",
                "--sessions")
            .out();
    assertThat(outcomes(out)).containsExactly("answered", "unroutable");
    assertThat(out).contains("Sessions of skerry  2");
    for (String[] bad :
        new String[][] {
          {"- { at: 0s, from: kiosk, to: ramp, servce: ping }", "t.yaml:1:1  unknown key 'servce'"},
          {"- { at: 0s, from: kiosk }", "the flow lacks 'to'"},
          {"at: 0s", "no list of flows"},
          {"- { at: [0s], from: a, to: b, service: c }", "plain values only"},
          {"- { at: 0s, at: 1s, from: a, to: b, service: c }", "stands here twice"},
          {"- {", "this is not YAML"},
        }) {
      Files.writeString(traffic, bad[0] + "\n");
      Result result = run("replay", SITE, traffic.toString());
      assertThat(result.status()).isEqualTo(2);
      assertThat(result.err()).contains(bad[1]);
    }
  }

  @Test
  void aReplayAsDataFitsItsSchema() throws Exception {
    JsonNode json = JSON.readTree(run("replay", GAUGES, TRAFFIC, "--json", "--at", "5m").out());
    assertThat(
            JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012)
                .getSchema(run("schema", "replay").out())
                .validate(json))
        .isEmpty();
    assertThat(json.at("/outcomes/exhausted").asInt()).isEqualTo(4);
    assertThat(json.at("/devices/0/bindings/0/internal").asText()).isEqualTo("10.44.60.15/32");
    assertThat(json.at("/devices/0/sessions")).hasSize(4);
    assertThat(json.at("/devices/0/figures/pools/0/taken").asInt()).isEqualTo(4);
    assertThat(json.at("/devices/0/figures/bindings/agedOut").asInt()).isEqualTo(1);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "at,from,to,service;0s,gauge-9,hydrographic,8883/tcp   | t.csv:2:1  from: no host or device is called 'gauge-9'",
        "at,from,to,service;5s,gauge-1,hydrographic,ping;4s,gauge-1,hydrographic,ping | t.csv:3:1  the time 4s is before",
        "at,from,to,service;soon,gauge-1,hydrographic,ping     | t.csv:2:1  'soon' is no time since the start",
        "at,from,to,service;0s,gauge-1,hydrographic            | t.csv:2:1  the line has 3 values, the header row 4",
        "at,from,to;0s,gauge-1,hydrographic                    | t.csv:1:1  the header row lacks the column 'service'",
        "at,from,to,servce;0s,a,b,c                            | did you mean 'service'?",
        "at,from,to,service,do;0s,gauge-1,hydrographic,ping,go | t.csv:2:1  'go' is nothing to do",
        "at,from,to,service,do;0s,gauge-1,hydrographic,ping,active      | 'active' needs a control connection, and ping is none",
        "at,from,to,service,do;0s,2001:db8::1,2001:db8::2,21/tcp,passive | 'passive' is for IPv4 only",
        "at,from,to,service,data-port;0s,gauge-1,hydrographic,21/tcp,0  | data-port: nothing listens on port 0",
        "at,at,to,service;0s,a,b,c                             | the header row cannot be used",
        "at,from,to,service,source-port;0s,gauge-1,hydrographic,80/udp,x | source-port: 'x' is no port",
      })
  void trafficThatCannotBeUsedIsExplained(String lines, String message, @TempDir Path folder)
      throws Exception {
    Path file = Files.writeString(folder.resolve("t.csv"), lines.replace(';', '\n') + "\n");
    Result result = run("replay", GAUGES, file.toString());
    assertThat(result.status()).isEqualTo(2);
    assertThat(result.err()).contains(message);
  }
}
