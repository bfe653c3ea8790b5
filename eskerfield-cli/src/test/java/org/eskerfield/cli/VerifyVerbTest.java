// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.networknt.schema.JsonSchemaFactory;
import com.networknt.schema.SpecVersion;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashSet;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import javax.xml.parsers.DocumentBuilderFactory;
import org.eskerfield.cause.Cause;
import org.eskerfield.formats.schema.Schemas;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.w3c.dom.Element;

/** {@code verify}, the expectations of {@code trace}, and the page of causes. */
class VerifyVerbTest {
  private static final String DEMO = "../demo/marrowby.site.yaml";
  private static final String ORDER = "../demo/mistakes/order.site.yaml";
  private static final Path PAGE = Path.of("../docs/causes.md");
  private static final ObjectMapper JSON = new ObjectMapper();

  @Test
  void aHealthySiteScoresInFull() {
    MainTest.Result result = MainTest.run("verify", DEMO);
    assertThat(result.status()).isZero();
    assertThat(result.out())
        .matches(
            "(?s)Proved of "
                + DEMO
                + ".*SHA-256 [0-9a-f]{12}\\. Assumed:\n(?:  .*\n)+(\\d+) of \\1 expectations hold\n(\\d) of \\2 guarantees hold\n");
    assertThat(MainTest.run("verify", DEMO, "--all").out())
        .contains("holds  ", "rests on breakwater: stance, line ", "2h 4m (TCP)");
  }

  @Test
  void aFailureIsToldInEveryForm(@TempDir Path folder) throws Exception {
    Path xml = folder.resolve("result.xml");
    MainTest.Result text = MainTest.run("verify", ORDER, "--junit", xml.toString());
    assertThat(text.status()).isEqualTo(1);
    assertThat(text.out())
        .contains("fails  passenger to booking.example, https: answered by booking")
        .contains("expected answered, but it is dropped")
        .contains("an earlier rule matches it first (order)  order.site.yaml:154")
        .contains("8 of 12 expectations hold");
    Element suite =
        DocumentBuilderFactory.newInstance()
            .newDocumentBuilder()
            .parse(xml.toFile())
            .getDocumentElement();
    assertThat(suite.getAttribute("tests")).isEqualTo("12");
    assertThat(suite.getAttribute("failures")).isEqualTo("4");
    assertThat(suite.getElementsByTagName("failure").item(0).getTextContent()).contains("order: ");
    MainTest.Result json = MainTest.run("verify", ORDER, "--json");
    assertThat(json.status()).isEqualTo(1);
    JsonNode answer = MainTest.valid(Schemas.VERIFY, json);
    assertThat(answer.get("hold").asInt()).isEqualTo(8);
  }

  @Test
  void expectationsMayStandInFilesOfTheirOwn(@TempDir Path folder) throws Exception {
    Path file = folder.resolve("more.yaml");
    Files.writeString(
        file, "expect:\n  - { from: boats, to: planner, service: ping, outcome: answered }\n");
    MainTest.Result result = MainTest.run("verify", DEMO, file.toString());
    assertThat(result.status()).isEqualTo(1);
    assertThat(result.out())
        .contains("ferry: expected answered")
        .contains("tender: expected answered")
        .contains("access-missing");
    Files.writeString(
        file,
        """
        expect:
          - { from: boat, to: planner, service: ping, outcome: answered }
          - { from: ferry, to: planner, service: ping, outcome: fine }
          - { from: ferry, to: plannr, service: ping, outcome: answered by clark, rule: boking }
          - { from: ferry, service: ping, outcome: dropped }
        """);
    MainTest.Result wrong = MainTest.run("verify", DEMO, file.toString());
    assertThat(wrong.status()).isEqualTo(2);
    assertThat(wrong.err())
        .contains("more.yaml:2:")
        .contains("no host or device is called 'boat'")
        .contains("more.yaml:3:")
        .contains("'fine' is no value for 'outcome'")
        .contains("did you mean 'planner'")
        .contains("an expectation needs 'to'");
    assertThat(MainTest.run("verify", DEMO, "nowhere.yaml").err()).contains("there is no file");
    assertThat(MainTest.run("verify", "../demo/skerry.site.yaml").status()).isEqualTo(2);
  }

  @ParameterizedTest
  @CsvSource(
      quoteCharacter = '`',
      value = {
        "--from stranger --to 203.0.113.35 --service https --expect answered, 0",
        "--from stranger --to 203.0.113.35 --service https --expect dropped, 1",
        "--from stranger --to 203.0.113.35 --service http --expect Dropped, 0",
        "--from boats --to kiosk --service https --expect dropped, 0",
        "--from clerk --to kiosk --service https --expect 'answered by kiosk', 0",
        "--from clerk --to kiosk --service https --expect 'answered by ramp', 1",
        "--from stranger --to 203.0.113.35 --service https --expect fine, 2",
        "--from auditor --to 203.0.113.37 --service ftp --mode backwards, 2",
        "--from stranger --to nowhere.example --service https, 2",
        "--from stranger --to booking.marrowby.example --service https, 0",
      })
  void aTraceTellsByItsStatusWhetherItEndsAsExpected(String options, int status) {
    MainTest.Result result = MainTest.run(MainTest.words("trace " + DEMO + " " + options));
    assertThat(result.status()).as(result.err()).isEqualTo(status);
  }

  @Test
  void aConversationIsShownPacketByPacketOnRequest() {
    String[] ask =
        MainTest.words(
            "trace "
                + DEMO
                + " --packets --mode active"
                + " --from auditor --to 203.0.113.37 --service ftp");
    String out = MainTest.run(ask).out().replaceAll("\\s+", " ");
    assertThat(out)
        .contains("→ SYN, ← SYN ACK, → ACK, ← data SYN, → data SYN ACK, → FIN, ← FIN, → ACK")
        .contains("Packet 4, back: data SYN")
        .contains("'PORT 198,51,100,37,156,65', heard as it was said")
        .contains("not passed skerry");
  }

  @Test
  void proofsAndWhoReachesWhomFitTheirSchemas(@TempDir Path folder) throws Exception {
    Path xml = folder.resolve("result.xml");
    String more = "../demo/outside.guarantees.yaml";
    String proofs = MainTest.run("verify", DEMO, more, "--json", "--junit", xml.toString()).out();
    String reach = MainTest.run("reach", DEMO, "--from", "internet", "--json").out();
    JsonSchemaFactory schemas = JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012);
    assertThat(schemas.getSchema(Schemas.VERIFY.text()).validate(JSON.readTree(proofs))).isEmpty();
    assertThat(schemas.getSchema(Schemas.REACH.text()).validate(JSON.readTree(reach))).isEmpty();
    String ways = MainTest.run("reach", DEMO, "--ways-in", "--json").out();
    assertThat(schemas.getSchema(Schemas.REACH.text()).validate(JSON.readTree(ways))).isEmpty();
    assertThat(JSON.readTree(proofs).at("/guarantees"))
        .filteredOn(each -> each.get("holds").asBoolean())
        .hasSize(10);
    assertThat(Files.readString(xml)).contains("tests=\"61\" failures=\"2\"");
  }

  /** Whatever becomes of a conversation, its data fit their schema and agree with the text. */
  @ParameterizedTest
  @CsvSource({
    "--from contractor --to booking.marrowby.example --service https, name-unknown",
    "--from kiosk --to booking.marrowby.example --service https, name-wrong-side",
    "--from auditor --to 203.0.113.37 --service ftp --mode extended-active, ''",
    "--from stranger --to 203.0.113.36:2222 --service tcp, sender-not-admitted sender-not-admitted",
    "--from clerk --to hydrographic --service gre, cannot-share",
    "--from ferry --to tender --service ping, ''",
  })
  void theDataOfATraceSayWhatTheTextSays(String options, String codes) throws Exception {
    String[] words = MainTest.words("trace " + DEMO + " " + options + " --json");
    JsonNode answer = JSON.readTree(MainTest.run(words).out());
    assertThat(
            JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012)
                .getSchema(Schemas.TRACE.text())
                .validate(answer))
        .isEmpty();
    StringBuilder found = new StringBuilder();
    answer.get("causes").forEach(cause -> found.append(cause.get("code").asText()).append(' '));
    assertThat(found.toString().strip()).isEqualTo(codes);
    String text = MainTest.run(MainTest.words("trace " + DEMO + " " + options)).out();
    assertThat(text.replaceAll("\\s+", " "))
        .startsWith(answer.get("outcome").asText() + " " + answer.get("reason").asText());
    for (String code : codes.split(" ")) {
      assertThat(text).contains(code.isEmpty() ? "Request" : "(" + code + ")");
    }
  }

  /** Every code has a section, and what the page shows of the tool is what it says. */
  @Test
  void thePageOfCausesIsWhatTheToolSays() throws Exception {
    String page = Files.readString(PAGE);
    Set<String> codes = new LinkedHashSet<>();
    Pattern.compile("^### (.*)$", Pattern.MULTILINE)
        .matcher(page)
        .results()
        .forEach(match -> codes.add(match.group(1)));
    assertThat(codes)
        .containsExactlyInAnyOrderElementsOf(
            Stream.of(Cause.values()).map(Cause::toString).toList());
    Matcher shown =
        Pattern.compile("(<!-- says (.*?) -->\n)(.*?)(<!-- end -->)", Pattern.DOTALL).matcher(page);
    String wanted =
        shown.replaceAll(
            match -> {
              String out = MainTest.run("verify", "../demo/mistakes/" + match.group(2)).out();
              String first = out.substring(0, out.indexOf("\n\n") + 1);
              String indented = "\n    " + first.strip().replace("\n", "\n    ") + "\n\n";
              return Matcher.quoteReplacement(match.group(1) + indented + match.group(4));
            });
    if (Boolean.getBoolean("regenerate")) {
      Files.writeString(PAGE, wanted);
    }
    assertThat(Files.readString(PAGE)).isEqualTo(wanted);
  }
}
