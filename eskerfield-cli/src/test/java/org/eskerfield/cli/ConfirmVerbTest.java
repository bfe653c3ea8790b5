// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.schema.Schemas;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What a real device translated, beside what it would do by the site file. */
class ConfirmVerbTest {
  private static final String SITE = "../demo/marrowby.site.yaml";
  private static final String DAY = "../demo/marrowby-day.csv.gz";

  @TempDir private static Path folder;
  private static String events;

  /** The device that is taken for real is the demo site itself. */
  @BeforeAll
  static void record() {
    events = folder.resolve("events.ipfix").toString();
    assertThat(MainTest.run("replay", SITE, DAY, "--events-to", events).status()).isZero();
  }

  @ParameterizedTest
  @CsvSource({"confirm SITE EVENTS", "confirm SITE EVENTS --traffic DAY"})
  void aDeviceThatDoesWhatTheFileSaysAgrees(String line) throws Exception {
    MainTest.Result result = MainTest.run(words(line + " --json"));
    assertThat(result.status()).as(result.out() + result.err()).isZero();
    long sessions = 0;
    for (JsonNode device : MainTest.valid(Schemas.CONFIRM, result).get("devices")) {
      assertThat(device.get("alike")).isEqualTo(device.get("sessions"));
      sessions += device.get("sessions").asLong();
    }
    assertThat(sessions).isGreaterThan(900);
  }

  private static String[] words(String line) {
    return line.replace("SITE", SITE).replace("EVENTS", events).replace("DAY", DAY).split(" ");
  }

  /**
   * The demo site with one thing changed: by how many sessions of breakwater the device differs.
   */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // The pool of the gauges: their sessions, and no others.
        "192.0.2.68-192.0.2.71 | 192.0.2.72-192.0.2.75 | other-source | 192.0.2.200:8883",
        // The shop is offered on another port.
        "203.0.113.35 https | 203.0.113.35 444/tcp | not-here | 203.0.113.35:443",
        // It is led to another port within.
        "becomes: 10.44.0.2 8443 | becomes: 10.44.0.2 8444 | other-receiver | 203.0.113.35:443",
        // Here UDP is kept for a shorter time, or a longer one.
        "{ file-transfer: true } | { file-transfer: true, udp: 2m } | ended-later | udp",
        "{ file-transfer: true } | { file-transfer: true, udp: 9m } | ended-earlier | udp",
      })
  void whatTheDeviceDecidesOtherwiseIsFound(String now, String then, String kind, String about)
      throws Exception {
    Path other = folder.resolve("other.site.yaml");
    String text = Files.readString(Path.of(SITE));
    assertThat(text).contains(now);
    Files.writeString(other, text.replace(now, then));
    MainTest.Result result =
        MainTest.run("confirm", other.toString(), events, "--traffic", DAY, "--json");
    assertThat(result.status()).as(result.err()).isEqualTo(1);
    JsonNode device = MainTest.valid(Schemas.CONFIRM, result).get("devices").get(0);
    assertThat(device.get("device").asText()).isEqualTo("breakwater");
    List<String> kinds = new ArrayList<>();
    long found = 0;
    for (JsonNode each : device.get("differences")) {
      if (each.get("kind").asText().equals("only-here")) {
        continue; // what is offered on another port, for somebody scanned it
      }
      kinds.add(each.get("kind").asText());
      found += each.get("sessions").asLong();
      JsonNode real = each.get("real").get("before");
      assertThat(
              real.get("to").asText()
                  + ":"
                  + real.get("toPort").asText()
                  + " "
                  + each.get("real").get("protocol").asText())
          .satisfiesAnyOf(
              one -> assertThat(one).contains(about),
              one -> assertThat(real.get("from").asText()).startsWith("10.44.60."));
    }
    assertThat(kinds).isNotEmpty().containsOnly(kind);
    assertThat(found + device.get("alike").asLong()).isEqualTo(device.get("sessions").asLong());
  }

  /** What the device did not translate is found where the traffic is known from elsewhere. */
  @Test
  void whatOnlyTheFileTranslatesIsFound() throws Exception {
    Path narrow = folder.resolve("narrow.site.yaml");
    Files.writeString(
        narrow,
        Files.readString(Path.of(SITE))
            .replace("at: 203.0.113.38 radio-traffic", "at: 203.0.113.38 5060/udp"));
    String narrowed = folder.resolve("narrow.ipfix").toString();
    MainTest.run("replay", narrow.toString(), DAY, "--events-to", narrowed);
    assertThat(MainTest.run("confirm", SITE, narrowed).status()).isZero();
    MainTest.Result result = MainTest.run("confirm", SITE, narrowed, "--traffic", DAY);
    assertThat(result.status()).isEqualTo(1);
    assertThat(result.out())
        .contains("  1  translated here, not by the device: ")
        .contains("device  nothing recorded")
        .contains("decided here by destination rule 'radio traffic'");
  }

  /** Worked by hand: an hour of a log, one session a line. */
  @Test
  void aLogOfSessionsIsEnough() throws Exception {
    Path log = folder.resolve("nat.csv");
    Files.writeString(
        log,
        """
        began,over,src,sport,dst,dport,proto,xsrc,xsport,unit
        2026-03-02T10:00:00Z,2026-03-02T10:05:30Z,10.44.8.31,50001,192.0.2.200,53,udp,203.0.113.33,50001,breakwater
        2026-03-02T10:10:00Z,2026-03-02T10:11:00Z,10.44.8.31,50002,192.0.2.200,53,udp,203.0.113.33,61000,breakwater
        2026-03-02T10:20:00Z,,10.44.8.31,50003,192.0.2.200,53,udp,203.0.113.35,50003,breakwater
        2026-03-02T10:30:00Z,,10.44.8.31,50004,10.77.4.20,443,tcp,203.0.113.33,50004,breakwater
        2026-03-02T10:40:00Z,,10.44.8.31,50005,192.0.2.200,53,udp,203.0.113.33,50005,harbour
        """);
    MainTest.Result result =
        MainTest.run(
            "confirm",
            SITE,
            log.toString(),
            "--columns",
            "start=began,end=over,from=src,from-port=sport,to=dst,to-port=dport,protocol=proto,"
                + "from-after=xsrc,from-port-after=xsport,device=unit");
    assertThat(result.status()).isEqualTo(1);
    assertThat(result.out())
        .contains("1 of 4 sessions alike here\n")
        .contains("1  translated by the device, not here: 1 session, at 2026-03-02 10:30:00")
        .contains("here    answered")
        .contains("2  sent with another source: 1 session, at 2026-03-02 10:20:00")
        .contains("the source of the device is one of destination rule 'booking'")
        .contains("3  ended earlier by the device: 1 session, at 2026-03-02 10:10:00")
        .contains("device  ended after 1m")
        .contains("here    ended after 5m")
        .contains("sessions of 'harbour', which is no device of the site: 1");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "confirm SITE none.ipfix | there is no file none.ipfix",
        "confirm SITE EVENTS --device breakwatr | did you mean 'breakwater'?",
        "confirm SITE EVENTS --within soon | --within: 'soon' is no time",
        "confirm SITE EVENTS --time-format uuuu | --time-format is for times in columns",
        "confirm SITE EVENTS --columns from=a | 'to' is missing",
        "confirm SITE SITE | is damaged at byte 0",
        "confirm SITE EVENTS --traffic none.csv | there is no file none.csv",
        "replay SITE DAY --events-to . | --events-to: . is a folder",
      })
  void whatCannotBeUsedIsSaid(String line, String message) {
    MainTest.Result result = MainTest.run(words(line));
    assertThat(result.status()).as(result.out()).isEqualTo(2);
    assertThat(result.err()).contains(message).doesNotContain("Exception");
  }

  @Test
  void whoWroteTheRecordsMustBeKnown() throws Exception {
    Path log = folder.resolve("unnamed.csv");
    Files.writeString(
        log,
        """
        start,from,from-port,to,to-port,protocol,from-after
        2026-03-02T10:00:00Z,10.44.8.31,50001,192.0.2.200,53,udp,203.0.113.33
        """);
    assertThat(MainTest.run("confirm", SITE, log.toString()).err())
        .contains("the records do not say which device wrote them")
        .contains("name one of breakwater");
    assertThat(MainTest.run("confirm", SITE, log.toString(), "--device", "breakwater").out())
        .contains("1 of 1 session alike here; the end of 1 of these is not told");
  }
}
