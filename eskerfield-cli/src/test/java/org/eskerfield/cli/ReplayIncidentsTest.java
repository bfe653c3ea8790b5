// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.eskerfield.cli.MainTest.run;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.regex.Pattern;
import org.eskerfield.cli.MainTest.Result;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What befalls devices in a replay: they forget, are restarted, get another file. */
class ReplayIncidentsTest {
  private static final String SITE = "../demo/skerry.site.yaml";

  @TempDir private Path folder;

  private String file(String name, String text) throws Exception {
    Path file = folder.resolve(name);
    Files.writeString(file, text);
    return file.toString();
  }

  private static List<String> outcomes(String followed) {
    return Pattern.compile("(?m)^[0-9][0-9dhms ]* ([a-z]+) ")
        .matcher(followed)
        .results()
        .map(r -> r.group(1))
        .toList();
  }

  private static final String GAUGES =
      """
      eskerfield: 1
      site: Two gauges, one address
      networks:
        plant: { prefix: 10.44.60.0/24, zone: plant }
        link: { prefix: 203.0.113.32/28, zone: internet, carrier: 203.0.113.46, routed: { to: 192.0.2.64/28, via: 203.0.113.33 } }
      hosts:
        gauge-1: { on: plant, at: 10.44.60.11 }
        gauge-2: { on: plant, at: 10.44.60.12 }
        hydrographic: { on: internet, at: 192.0.2.200, listens: 8883/udp }
      devices:
        breakwater:
          stance: { plant to internet: accept, otherwise: drop }
          state: { port-hold-down: 2m }
          interfaces:
            uplink: { on: link, at: 203.0.113.33 }
            plant: { on: plant, at: 10.44.60.1 }
          routes: [{ to: any, via: 203.0.113.46 }]
          translation:
            - { RULE, from: plant, leaving: uplink }
      """;

  private String site(String rule) throws Exception {
    return file("gauges.site.yaml", GAUGES.replace("RULE", rule));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // What is forgotten, and what gauge 2 gets of the one address that gauge 1 had.
        "5s,,,,forget                | answered, forgotten, answered",
        "5s,breakwater,,,forget      | answered, forgotten, answered",
        "5s,gauge-1,,,forget         | answered, forgotten, answered",
        "5s,gauge-2,,,forget         | answered, forgotten, exhausted",
        "5s,breakwater,,,restart     | answered, restarted, answered",
        "5s,gauge-2,hydrographic,8883/udp,open | answered, exhausted, exhausted",
      })
  void aDeviceForgetsWhatTheTrafficSays(String line, String expected) throws Exception {
    String traffic =
        file(
            "t.csv",
            "at,from,to,service,do\n0s,gauge-1,hydrographic,8883/udp,open\n"
                + line
                + "\n10s,gauge-2,hydrographic,8883/udp,open\n");
    String site = site("dynamic: lend, pool: 192.0.2.68");
    Result result = run("replay", site, traffic, "--follow");
    assertThat(result.err()).isEmpty();
    assertThat(String.join(", ", outcomes(result.out()))).isEqualTo(expected);
  }

  /** What the call asks for is told like what the traffic asks for, and the call's goes first. */
  @Test
  void followedIncidentsOfTheCallAreTold() throws Exception {
    String traffic =
        file(
            "t.csv",
            "at,from,to,service,do\n0s,gauge-1,hydrographic,8883/udp,open\n5s,,,,forget\n"
                + "10s,gauge-2,hydrographic,8883/udp,open\n");
    String site = site("dynamic: lend, pool: 192.0.2.68");
    String call = "replay " + site + " " + traffic + " --follow --change 20s=" + site;
    String asked = " --restart 5s=breakwater --forget 30s=gauge-2 --forget 2m --at 1m";
    String out = run((call + asked).split(" ")).out();
    assertThat(outcomes(out))
        .containsExactly("answered", "restarted", "forgotten", "answered", "changed", "forgotten");
    assertThat(out)
        .containsPattern("5s +restarted +breakwater")
        .containsPattern("5s +forgotten +every device")
        .containsPattern("20s +changed +to .*gauges.site.yaml")
        .containsPattern("30s +forgotten +gauge-2");
    assertThat(outcomes(run((call + asked).replace(" --follow", "").split(" ")).out())).isEmpty();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // Ports that were freed rest two minutes where they were forgotten, not after a restart.
        "--forget 5s                  | 50002",
        "--forget 5s=breakwater       | 50002",
        "--forget 5s=gauge-1          | 50002",
        "--restart 5s=breakwater      | 50000",
        "--restart 5s=breakwater --at 4m | 50000",
        "--forget 5s --restart 6s=breakwater | 50000",
      })
  void freedPortsRestUnlessTheDeviceIsRestarted(String options, String port) throws Exception {
    String traffic =
        file(
            "t.yaml",
            """
            - { at: 0s, from: gauge-1, to: hydrographic, service: 8883/udp }
            - { at: 10s, from: gauge-2, to: hydrographic, service: 8883/udp }
            """);
    String site = site("shared: s");
    String[] call = ("replay " + site + " " + traffic + " --sessions " + options).split(" ");
    Result result = run(call);
    assertThat(result.err()).isEmpty();
    assertThat(result.out()).contains("forwarded from 203.0.113.33:" + port);
  }

  @Test
  void anIncidentInYamlNeedsNoReceiver() throws Exception {
    String traffic =
        file(
            "t.yaml",
            """
            - { at: 0s, from: gauge-1, to: hydrographic, service: 8883/udp }
            - { at: 5s, do: forget }
            """);
    String site = site("dynamic: lend, pool: 192.0.2.68");
    assertThat(run("replay", site, traffic, "--sessions").out())
        .contains("Sessions of breakwater  none");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "--forget 5x          | '5x' is no time since the start",
        "--forget 5s=gauge-9  | no device or host is called 'gauge-9'; did you mean 'gauge-",
        "--restart 5s         | is not a device; write --restart 5m=skerry",
        "--restart 5s=gauge-1 | no device is called 'gauge-1'; there is: breakwater",
        "--retry-pace never   | --retry-pace: 'never' is neither doubling nor steady",
      })
  void aWrongIncidentIsExplained(String options, String message) throws Exception {
    String site = site("shared: s");
    String traffic =
        file("t.yaml", "- { at: 0s, from: gauge-1, to: hydrographic, service: ping }\n");
    Result result = run(("replay " + site + " " + traffic + " " + options).split(" "));
    assertThat(result.status()).isEqualTo(2);
    assertThat(result.err()).contains(message);
  }

  /** Names, hosts and addresses are those of the file in force, also of senders that come later. */
  @Test
  void afterAChangeNamesAreThoseOfTheNewFile() throws Exception {
    String before = Files.readString(Path.of(SITE));
    String changed =
        file(
            "changed.site.yaml",
            before
                .replace("at: 10.77.4.20, assigned", "at: 10.77.4.25, assigned")
                .replace("  kiosk:", "  newcomer: { on: pier, at: 10.77.4.77 }\n  kiosk:"));
    String traffic =
        file(
            "t.yaml",
            """
            - { at: 0s, from: kiosk, to: hydrographic, service: 8883/tcp }
            - { at: 1m, from: kiosk, to: hydrographic, service: 8883/tcp }
            - { at: 2m, from: newcomer, to: kiosk, service: ping }
            """);
    Result result =
        run("replay", SITE, traffic, "--change", "30s=" + changed, "--sessions", "--follow");
    assertThat(result.err()).isEmpty();
    assertThat(outcomes(result.out()))
        .containsExactly("answered", "changed", "answered", "answered");
    assertThat(result.out()).contains("10.77.4.20:50000 →").contains("10.77.4.25:50000 →");
    // Without the change the newcomer is nobody.
    assertThat(run("replay", SITE, traffic).err())
        .contains("no host or device is called 'newcomer'");
  }

  /** Worked by hand: gauge 2 waits for the address that gauge 1 gives back at 2.5 s. */
  @ParameterizedTest
  @CsvSource({"doubling, 2", "steady, 2", "none, 0"})
  void synsAreSentAgainAsOneChooses(String how, int again) throws Exception {
    String site = site("dynamic: lend, pool: 192.0.2.68");
    Files.writeString(
        Path.of(site), Files.readString(Path.of(site)).replace("8883/udp", "8883/tcp"));
    String traffic =
        file(
            "t.csv",
            """
            at,from,to,service,do
            0s,gauge-1,hydrographic,8883/tcp,open
            0s,gauge-2,hydrographic,8883/tcp,open
            1.5s,gauge-1,,,forget
            """);
    String out =
        run(
                "replay",
                site,
                traffic,
                "--follow",
                how.equals("none") ? "--sessions" : "--retry-pace=" + how)
            .out();
    assertThat(Pattern.compile("sent again:").matcher(out).results()).hasSize(again);
    // Doubling: at 1 s in vain, at 3 s with success; steady: at 1 s in vain, at 2 s with success.
    String last = how.equals("doubling") ? "3s " : how.equals("steady") ? "2s " : "0s ";
    assertThat(
            out.lines()
                .filter(line -> line.contains("gauge-2 →"))
                .reduce((a, b) -> b)
                .orElseThrow())
        .startsWith(last);
  }

  @Test
  void whatNoRuleMatchesIsLoggedWhereTheListSaysSo() throws Exception {
    String site =
        file(
            "logged.site.yaml",
            Files.readString(Path.of(SITE))
                .replace("        otherwise: drop\n", "        otherwise: drop and log\n"));
    String traffic =
        file("t.yaml", "- { at: 0s, from: stranger, to: 198.51.100.140:1502, service: tcp }\n");
    Result result = run("replay", site, traffic, "--log");
    assertThat(result.out())
        .contains("dropped")
        .contains("198.51.100.250:50000")
        .contains("from the internet");
    assertThat(run("replay", SITE, traffic, "--log").out()).doesNotContain("198.51.100.250:50000");
    assertThat(run("replay", site, traffic, "--log", "--log-list", "from the internet").out())
        .contains("198.51.100.250:50000");
    assertThat(run("explain", site).out()).contains("drop and log");
  }

  @Test
  void pingsAreToldApartInTablesAndTraces() throws Exception {
    String traffic =
        file(
            "t.yaml",
            """
            - { at: 0s, from: gauge-1, to: hydrographic, service: ping, source-port: 7 }
            - { at: 1s, from: gauge-1, to: hydrographic, service: ping, source-port: 8 }
            """);
    String out = run("replay", site("shared: s"), traffic, "--sessions", "--bindings").out();
    assertThat(out)
        .contains("10.44.60.11 id 7 → 192.0.2.200")
        .contains("10.44.60.11 id 8 → 192.0.2.200");
    assertThat(out)
        .contains("forwarded from 203.0.113.33 id 7")
        .contains("forwarded from 203.0.113.33 id 8");
    assertThat(
            run("trace", SITE, "--from", "kiosk", "--to", "hydrographic", "--service", "ping")
                .out())
        .contains("198.51.100.140 id 50000");
  }
}
