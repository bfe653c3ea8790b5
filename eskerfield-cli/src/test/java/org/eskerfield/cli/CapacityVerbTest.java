// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.schema.Schemas;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Ports and addresses over time, and what other settings would make of them. */
class CapacityVerbTest {
  private static final String GAUGES = "../demo/gauges.site.yaml";
  private static final String FLOWS = "../demo/gauges.csv";
  private static final String SITE = "../demo/marrowby.site.yaml";
  private static final String DAY = "../demo/marrowby-day.csv.gz";

  @TempDir private Path folder;

  /** By hand, see docs/replay.md: four at 3 s; 4, 5, 6 s, 4 min 59 s and 2 h 4 min find none. */
  @Test
  void thePoolOfTheGaugesIsUsedUpFromTheFourthSecondOn() throws Exception {
    MainTest.Result result =
        MainTest.run(
            "capacity",
            GAUGES,
            FLOWS,
            "--if",
            "gauges borrow an address each: pool=192.0.2.68-192.0.2.74",
            "--if",
            "breakwater: tcp-established=1h",
            "--every",
            "1s",
            "--json");
    assertThat(result.err()).isEmpty();
    JsonNode answer = MainTest.valid(Schemas.CAPACITY, result);
    JsonNode use = answer.get("uses").get(0);
    assertThat(answer.get("uses")).hasSize(1);
    assertThat(use.get("what").asText()).isEqualTo("192.0.2.68-192.0.2.71");
    assertThat(use.get("protocol").isNull()).isTrue();
    assertThat(use.get("size").asInt()).isEqualTo(4);
    assertThat(use.get("most").asInt()).isEqualTo(4);
    assertThat(use.get("at").asDouble()).isEqualTo(3);
    assertThat(use.get("refused").asInt()).isEqualTo(5);
    assertThat(use.get("first").asDouble()).isEqualTo(4);
    assertThat(use.get("sender").asText()).isEqualTo("10.44.60.15");
    for (int second = 0; second < 5; second++) {
      assertThat(use.get("highest").get(second).asInt()).isEqualTo(Math.min(4, second + 1));
    }
    JsonNode larger = answer.get("suppositions").get(0).get("uses").get(0);
    assertThat(larger.get("size").asInt()).isEqualTo(7);
    assertThat(larger.get("refused").asInt()).isZero();
    assertThat(larger.get("most").asInt()).isEqualTo(7);
    // Who fell silent at 1 s has lost its address long before 2 h 4 min.
    JsonNode shorter = answer.get("suppositions").get(1).get("uses").get(0);
    assertThat(shorter.get("refused").asInt()).isEqualTo(4);
  }

  /** Peaks and refusals are those that the figures of a replay count in the pools themselves. */
  @Test
  void peaksAreThoseOfTheFigures() throws Exception {
    JsonNode uses =
        MainTest.valid(Schemas.CAPACITY, MainTest.run("capacity", SITE, DAY, "--json")).get("uses");
    JsonNode devices =
        MainTest.valid(Schemas.REPLAY, MainTest.run("replay", SITE, DAY, "--figures", "--json"))
            .get("devices");
    List<String> wanted = new ArrayList<>();
    for (JsonNode device : devices) {
      for (JsonNode pool : device.get("figures").get("pools")) {
        if (pool.get("most").asLong() > 0) {
          wanted.add(pool.get("most") + " " + pool.get("refused") + " " + pool.get("size"));
        }
      }
    }
    List<String> found = new ArrayList<>();
    for (JsonNode use : uses) {
      found.add(use.get("most") + " " + use.get("refused") + " " + use.get("size"));
    }
    assertThat(found).hasSize(5).containsExactlyInAnyOrderElementsOf(wanted);
  }

  /** Three flows at once from one sender, of whom two may be there. */
  @Test
  void aLimitOfPortsIsCountedApart() throws Exception {
    Path flows = folder.resolve("flows.csv");
    Files.writeString(
        flows,
        """
        at,from,to,service,source-port
        1s,clerk,hydrographic,8883/tcp,50001
        2s,clerk,hydrographic,8883/tcp,50002
        3s,clerk,hydrographic,8883/tcp,50003
        4s,planner,hydrographic,8883/tcp,50001
        """);
    MainTest.Result result =
        MainTest.run(
            "capacity", SITE, flows.toString(), "--if", "everybody else: ports-per-source=2");
    assertThat(result.out())
        .contains("  tcp ports  65,534  4     4s             203.0.113.33\n")
        .contains("  |█|\n")
        .contains("If everybody else: ports-per-source=2\n")
        .contains("  tcp ports  65,534  3     4    1          0    breakwater 203.0.113.33\n");
    assertThat(
            MainTest.run("capacity", SITE, flows.toString(), "--if", "breakwater: icmp=2m").out())
        .contains("  as much is given out, at most\n");
  }

  /** Two addresses for everybody: each is counted, and both together; a restart takes all. */
  @Test
  void aPoolOfSeveralAddressesIsCountedAsAWholeToo() throws Exception {
    Path flows = folder.resolve("flows.csv");
    Files.writeString(
        flows,
        """
        at,from,to,service,source-port,do
        1s,clerk,hydrographic,8883/tcp,50001,
        2s,planner,hydrographic,8883/tcp,50001,
        3s,clerk,hydrographic,8883/tcp,50002,
        10s,breakwater,,,,restart
        20s,clerk,hydrographic,8883/tcp,50003,
        """);
    Path site = folder.resolve("pool.site.yaml");
    Files.writeString(
        site,
        Files.readString(Path.of(SITE))
            .replace(
                "- shared: everybody else\n",
                "- shared: everybody else\n        pool: 203.0.113.40-203.0.113.41\n"));
    MainTest.Result result =
        MainTest.run("capacity", site.toString(), flows.toString(), "--csv", "--every", "10s");
    assertThat(
            result
                .out()
                .lines()
                .map(line -> line.replaceAll("^[^,]*,breakwater,|,[0-9]+$", ""))
                .toList())
        .contains(
            "203.0.113.40,tcp,0,2",
            "203.0.113.41,tcp,0,1",
            "203.0.113.40-203.0.113.41,tcp,0,3",
            "203.0.113.40-203.0.113.41,tcp,20,1");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "everybody else | names no setting",
        "everybody els: udp=60s | did you mean 'everybody else'?",
        "breakwater: udp=soon | 'soon' is no time for 'udp'",
        "breakwater: upd=60s | unknown key 'upd'",
        "breakwater: udp | names no setting",
        "breakwater: udp=1m; icmp | 'icmp' sets nothing",
        "gauges borrow an address: pool=nowhere | nowhere",
        "lockhouse/everybody else: udp=1m | no device and no translation rule is called",
      })
  void whatCannotBeSupposedIsSaid(String supposition, String message) {
    MainTest.Result result = MainTest.run("capacity", SITE, DAY, "--if", supposition);
    assertThat(result.status()).isEqualTo(2);
    assertThat(result.err()).contains(message).doesNotContain("Exception");
  }

  @Test
  void intervalsHaveAWidth() {
    for (String every : List.of("never", "0s")) {
      assertThat(MainTest.run("capacity", SITE, DAY, "--every", every, "--csv").err())
          .contains("--every: '" + every + "' is no width of an interval");
    }
    assertThat(MainTest.run("capacity", SITE, DAY, "--every", "100ms", "--csv").status())
        .isEqualTo(2);
  }
}
