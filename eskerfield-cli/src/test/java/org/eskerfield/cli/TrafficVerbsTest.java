// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.capture.CaptureReader;
import org.eskerfield.formats.capture.CapturedPacket;
import org.eskerfield.formats.schema.Schemas;
import org.eskerfield.packet.Header;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** {@code matches} and {@code diff --traffic} on a recorded day of the ferry company. */
class TrafficVerbsTest {
  private static final String SITE = "../demo/marrowby.site.yaml";
  private static final String DAY = "../demo/marrowby-day.csv.gz";

  @TempDir private Path folder;

  private String narrow() throws Exception {
    Path file = folder.resolve("narrow.site.yaml");
    String text = Files.readString(Path.of(SITE));
    Files.writeString(file, text.replace("service: radio-traffic\n", "service: 5060/udp\n"));
    return file.toString();
  }

  /** What the rule let through on the old site and is not for the one port is cut off. */
  @Test
  void theFlowsThatANarrowerRuleCutsOffAreCounted() throws Exception {
    JsonNode matches =
        MainTest.valid(Schemas.MATCHES, MainTest.run("matches", SITE, DAY, "--json"))
            .get("matches");
    int radio = 0;
    for (JsonNode row : matches) {
      if (row.get("what").asText().equals("access rule 'radio traffic'")) {
        radio = row.get("flows").asInt();
        assertThat(row.get("packets").asLong()).isGreaterThan(row.get("flows").asLong());
      }
    }
    MainTest.Result result = MainTest.run("diff", SITE, narrow(), "--traffic", DAY, "--json");
    assertThat(result.status()).isEqualTo(1);
    JsonNode flows = MainTest.valid(Schemas.DIFF, result).get("flows");
    List<String> told = new ArrayList<>();
    int cut = 0;
    for (JsonNode each : flows.get("changes")) {
      told.add(each.get("kind").asText() + " " + each.get("before").get("deliveredTo").asText());
      cut += each.get("flows").asInt();
    }
    assertThat(told).hasSize(2).allMatch(each -> each.startsWith("shut radio"));
    assertThat(cut).isEqualTo(flows.get("changed").asInt());
    Path other = folder.resolve("udp.site.yaml");
    Files.writeString(
        other, Files.readString(Path.of(narrow())).replace("accept: radio traffic", "drop: radio"));
    // All flows of the rule are those that the narrow one cuts and those that it keeps.
    assertThat(cut).isBetween(1, radio - 1);
    assertThat(MainTest.run("diff", SITE, other.toString(), "--traffic", DAY).out())
        .contains("Flows of the traffic that end otherwise\n  1  no longer answered: ")
        .contains("  " + radio + " flows of 1,858 would end otherwise, or by other rules");
  }

  @Test
  void theSameSiteChangesNoFlow() throws Exception {
    MainTest.Result result = MainTest.run("diff", SITE, SITE, "--traffic", DAY);
    assertThat(result.status()).isZero();
    assertThat(result.out())
        .contains("  0 flows of 1,858 would end otherwise, or by other rules\n");
  }

  /** Packets of a capture, both directions, beside a plain count of its frames. */
  @Test
  void packetsAndBytesOfACaptureAreThoseOfItsFrames() throws Exception {
    String file = folder.resolve("uplink.pcapng").toString();
    MainTest.run("replay", SITE, DAY, "--capture", file, "--seen-at", "breakwater uplink");
    JsonNode matches =
        MainTest.valid(Schemas.MATCHES, MainTest.run("matches", SITE, file, "--json"))
            .get("matches");
    assertThat(sizeOf("booking", matches)).isEqualTo(frames(file, "203.0.113.35", 443));
    assertThat(sizeOf("manifests", matches)).isEqualTo(frames(file, "203.0.113.36", 2222));
    assertThat(sizeOf("archive", matches)).isEqualTo(frames(file, "203.0.113.37", 21));
  }

  /** Packets and bytes that the outermost device counts for a rule. */
  private static List<Long> sizeOf(String rule, JsonNode matches) {
    for (JsonNode row : matches) {
      if (row.get("what").asText().equals("destination rule '" + rule + "'")) {
        return List.of(row.get("packets").asLong(), row.get("bytes").asLong());
      }
    }
    return List.of();
  }

  private static List<Long> frames(String file, String address, int port) throws Exception {
    long packets = 0;
    long bytes = 0;
    CaptureReader reader = new CaptureReader(file, Files.newInputStream(Path.of(file)));
    for (CapturedPacket each = reader.next(); each != null; each = reader.next()) {
      Header header = each.packet().header();
      boolean there =
          header.destination().toString().equals(address) && header.destinationPort() == port;
      boolean back = header.source().toString().equals(address) && header.sourcePort() == port;
      packets += there || back ? 1 : 0;
      bytes += there || back ? each.packet().size.length() : 0;
    }
    reader.close();
    assertThat(packets).isGreaterThan(50);
    return List.of(packets, bytes);
  }

  /** By hand: two hosts of the office ask one server on two ports; the rule is for everybody. */
  @Test
  void aRuleIsNarrowedToWhatItTook() throws Exception {
    Path site = folder.resolve("wide.site.yaml");
    Files.writeString(
        site,
        """
        eskerfield: 1
        site: A wide rule
        networks:
          office: { prefix: 10.0.1.0/24, zone: office }
          servers: { prefix: 10.0.2.0/24, zone: servers }
        hosts:
          clerk: { on: office, at: 10.0.1.11 }
          planner: { on: office, at: 10.0.1.12 }
          files: { on: servers, at: 10.0.2.5, listens: [https, 8443/tcp] }
        devices:
          edge:
            stance: drop
            interfaces:
              office: { on: office, at: 10.0.1.1 }
              servers: { on: servers, at: 10.0.2.1 }
            access:
              inner:
                guards: { arriving: office }
                otherwise: drop
                rules:
                  - accept: whatever they ask
                    from: office
        """);
    Path flows = folder.resolve("flows.csv");
    Files.writeString(
        flows,
        """
        at,from,to,service,source-port
        1s,clerk,files,https,50001
        2s,planner,files,8443/tcp,50001
        3s,clerk,files,8443/tcp,50002
        """);
    MainTest.Result result = MainTest.run("matches", site.toString(), flows.toString(), "--narrow");
    assertThat(result.err()).isEmpty();
    assertThat(result.out())
        .contains("access rule 'whatever they ask', line 21\n")
        .contains("  from: only clerk, planner, and not office\n")
        .contains("  to: only files, and not any address\n")
        .contains("  service: only 443/tcp, 8443/tcp, and not any service\n")
        .contains("Tried: none of 3 flows would end otherwise.")
        .contains("+            from: [clerk, planner]\n");
    // What is narrow already stays.
    String text = Files.readString(site);
    Files.writeString(
        site,
        text.replace("from: office\n", "{}")
                .replace("{}", "from: [clerk, planner]\n            to: files\n")
            + "            service: [443/tcp, 8443/tcp]\n");
    assertThat(MainTest.run("matches", site.toString(), flows.toString(), "--narrow").out())
        .isEqualTo("No access rule could be narrower in a way that was tried.\n");
  }

  @Test
  void whoHasOtherColumnsNamesThem() throws Exception {
    Path log = folder.resolve("fw.log");
    Files.writeString(
        log,
        """
        ts=2026-03-02T10:00:00Z src=198.51.100.77 dst=203.0.113.35 dport=443 proto=tcp
        ts=soon src=198.51.100.77 dst=203.0.113.35 dport=443 proto=tcp
        """);
    MainTest.Result result =
        MainTest.run(
            "matches",
            SITE,
            log.toString(),
            "--columns",
            "start=ts,from=src,to=dst,to-port=dport,protocol=proto");
    assertThat(result.out())
        .contains("1 flow in 0s from 2026-03-02 10:00:00")
        .contains("lines that cannot be read, and were skipped: 1")
        .contains("fw.log, line 2: 'soon' is no time");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "matches SITE DAY --columns start=a | 'from' is missing",
        "matches SITE DAY --columns start=when,from=from,to=to,protocol=protocol"
            + " | there is no column 'when'",
        "matches SITE - --narrow | --narrow reads both files several times",
        "matches SITE DAY --narrow --json | --narrow answers with a patch",
        "matches SITE DAY --time-format uuuu | --time-format is for times in columns",
        "matches SITE DAY --columns start=start,from=from,to=to,protocol=protocol --arriving ferry"
            + " | --arriving is for a capture",
        "matches SITE DAY --arriving ferry | has flows, and this is for a capture",
        "diff SITE SITE --columns start=a | --columns says how --traffic is read",
        "diff SITE SITE --traffic none.ipfix | there is no file none.ipfix",
        "report SITE --time-format uuuu | --time-format says how --traffic is read",
        "matches SITE CUT | ends at byte 20, in the middle of a message",
        "matches SITE OTHER | is damaged at byte 0",
      })
  void whatCannotBeUsedIsSaid(String line, String message) throws Exception {
    Path cut = folder.resolve("cut.ipfix");
    Files.write(cut, new byte[] {0, 10, 0, 99, 1, 2, 3, 4, 0, 0, 0, 0, 0, 0, 0, 0, 0, 2, 0, 9});
    Path other = folder.resolve("other.ipfix");
    Files.writeString(other, "this is no message of anything");
    String call =
        line.replace("SITE", SITE)
            .replace("DAY", DAY)
            .replace("CUT", cut.toString())
            .replace("OTHER", other.toString());
    MainTest.Result result = MainTest.run(call.split(" "));
    assertThat(result.status()).as(result.out()).isEqualTo(2);
    assertThat(result.err()).contains(message).doesNotContain("Exception");
  }
}
