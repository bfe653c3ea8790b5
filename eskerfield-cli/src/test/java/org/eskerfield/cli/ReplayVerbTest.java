// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.eskerfield.cli.MainTest.run;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.networknt.schema.JsonSchemaFactory;
import com.networknt.schema.SpecVersion;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Pattern;
import org.eskerfield.cli.MainTest.Result;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** {@code replay}: flows over time, what they leave, what the log says of them. */
class ReplayVerbTest {
  private static final String SITE = "../demo/skerry.site.yaml";
  private static final ObjectMapper JSON = new ObjectMapper();
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

  /**
   * Worked by hand: the pool is lent to gauges 1 to 4; gauge 1's address is free at 5m, four
   * minutes after its close. A SYN goes out again 1 and 3 seconds after the first.
   */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // Fails at 4m58s and 4m59s, gets the address at 5m1s.
        "4m58s,gauge-5,hydrographic,8883/tcp,, | exhausted exhausted answered | 5 answered | 2 SYNs",
        // Gives up before that.
        "4m56s,gauge-5,hydrographic,8883/tcp,, | exhausted exhausted exhausted | 1 exhausted | 2 SYNs",
        // Closes, and so waits no longer; what is tried anew is sent again by itself.
        "4m58s,gauge-5,hydrographic,8883/tcp,,;5m,gauge-5,hydrographic,8883/tcp,,close"
            + " | exhausted exhausted closed | 1 exhausted | 1 SYN",
        "4m58s,gauge-5,hydrographic,8883/tcp,,;5m,gauge-5,hydrographic,8883/tcp,,"
            + " | exhausted exhausted answered | 5 answered, 1 exhausted | 1 SYN",
        // Two that wait at once take turns; another port is another connection.
        "4m56s,gauge-5,hydrographic,8883/tcp,1,;4m58s,gauge-5,hydrographic,8883/tcp,2,"
            + " | exhausted exhausted exhausted exhausted exhausted answered"
            + " | 5 answered, 1 exhausted | 4 SYNs",
        // A refusal is an answer, and a datagram is nothing that TCP would send again.
        "2m,gauge-1,hydrographic,99/tcp,, | refused | 4 answered, 1 refused | ''",
        "2m,gauge-5,hydrographic,99/udp,, | exhausted | 1 exhausted | ''",
      })
  void synsThatNobodyAnswersAreSentAgain(
      String rows, String outcomes, String total, String again, @TempDir Path folder)
      throws Exception {
    StringBuilder lines = new StringBuilder("at,from,to,service,source-port,do\n");
    for (int gauge = 1; gauge <= 4; gauge++) {
      lines.append("0s,gauge-" + gauge + ",hydrographic,8883/tcp,,\n");
    }
    lines.append("1m,gauge-1,hydrographic,8883/tcp,,close\n").append(rows.replace(';', '\n'));
    String file = Files.writeString(folder.resolve("t.csv"), lines + "\n").toString();
    String out = run("replay", GAUGES, file, "--follow", "--retry").out();
    List<String> all = outcomes(out);
    assertThat(String.join(" ", all.subList(5, all.size()))).isEqualTo(outcomes);
    String counted = "sent again, since nobody answered: " + again + "\n";
    assertThat(out).contains(total).contains(again.isEmpty() ? "" : counted);
    assertThat(out.contains("sent again")).isEqualTo(!again.isEmpty());
    // A capture has all of them, and changes nothing of what --retry says.
    String capture = folder.resolve("c.pcapng").toString();
    Result seen =
        run("replay", GAUGES, file, "--follow", "--capture", capture, "--seen-at", "gauge-5");
    assertThat(seen.out()).isEqualTo(out);
    if (total.endsWith("exhausted") && !total.contains("answered")) {
      // Each is answered by a notice (RFC 5508), a datagram as well as a SYN.
      long sent = outcomes.split("exhausted", -1).length - 1;
      assertThat(seen.err()).startsWith("wrote " + 2 * sent + " packets");
    }
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
                + " +line 32, .*, forwarded from 192.0.2.69:50000\n");
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
        .contains("no port or address left  0")
        .containsPattern("2 +destination rule 'ramp controller', line 37")
        .containsPattern("2 +shared rule 'pier to the internet', line 42")
        .containsPattern("1 +access rule 'the contractor works on the ramp', line 50")
        .containsPattern("1 +list 'from the internet', otherwise, line 47");
    String gauges = run("replay", GAUGES, TRAFFIC, "--log", "--figures").out();
    assertThat(gauges)
        .contains("no port or address left  5")
        .contains("at most 4 since 3s")
        .containsPattern("bindings +4 now, at most 4 since 3s, aged out 3\n")
        .containsPattern("4 +4 +3s +4 +5 +addresses +line 32")
        .contains("nothing left for a flow, first at 4s");
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
            "lantern discards it: it sent to 203.0.113.36:443, and this reply comes from 10.44.20.117:8443")
        // Untouched: among the sessions, not among the bindings.
        .contains("10.44.8.31:50003 → 10.77.4.20:443 7s 2h 3m 53s forwarded unchanged")
        // A range shifted by 1000, a file transfer in both modes.
        .contains(
            "198.51.100.77:50004 → 203.0.113.37:11007 6s 4m 54s line 68, radio traffic, forwarded to 10.44.20.140:10007")
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
    "--retry --arriving gauge-1, this is for a capture",
    "--log-as xml,          --log-as: 'xml' is none of",
    "--log-done seen,       --log-done: 'seen' is none of",
    "--log-list nowhere,    no list is called 'nowhere'",
    "--log-rule nothing,    no rule is called 'nothing'",
    "--log-host nobody,     no host is called 'nobody'",
    "--log-to no/such/file,  no/such/file cannot be written",
    "--log-to ., is a folder",
    "--at soon,             'soon' is no time since the start",
    "--change 5m,           is not a file",
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
