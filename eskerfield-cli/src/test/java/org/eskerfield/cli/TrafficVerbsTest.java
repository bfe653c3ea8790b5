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
