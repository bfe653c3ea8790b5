// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static java.nio.ByteOrder.BIG_ENDIAN;
import static java.nio.ByteOrder.LITTLE_ENDIAN;
import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayOutputStream;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.stream.Stream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** The verbs that draw, report and capture. */
class PictureVerbsTest {
  private static final String SITE = "../demo/marrowby.site.yaml";
  private static final String WEB = " --from ferry --to booking.marrowby.example --service https";

  @TempDir Path folder;

  private MainTest.Result run(String line) throws Exception {
    List<String> words = new ArrayList<>();
    for (String word : MainTest.words(line)) {
      words.add(word.replace("@", folder + "/").replace("SITE", SITE));
    }
    return MainTest.run(words.toArray(new String[0]));
  }

  @Test
  void aMapAWayAndAReportAreWritten() throws Exception {
    String map = run("draw SITE -o -").out();
    assertThat(map).startsWith("<svg ").contains("prefers-color-scheme");
    assertThat(run("draw SITE").out()).isEqualTo(map);
    assertThat(run("draw SITE --theme dark" + WEB).out())
        .contains("ferry to booking.marrowby.example, 443/tcp")
        .contains(">lockhouse<")
        .doesNotContain("prefers-color-scheme");
    assertThat(run("draw SITE --only ladder" + WEB).out()).doesNotContain("gauge-1");
    assertThat(run("draw SITE --only map" + WEB).out()).doesNotContain("SYN ACK");
    assertThat(run("draw SITE -o @m.png --scale 0.5").out())
        .isEqualTo("wrote " + folder + "/m.png\n");
    assertThat(Files.readAllBytes(folder.resolve("m.png"))).startsWith(0x89, 'P', 'N', 'G');
    assertThat(
            run("report ../demo/gauges.site.yaml --traffic ../demo/gauges.csv -o @r.html").status())
        .isZero();
    assertThat(folder.resolve("r.html"))
        .content()
        .contains("gauges borrow")
        .contains("\"seconds\"");
    Files.writeString(
        folder.resolve("more.yaml"),
        "expect: [{ from: gauge-1, to: hydrographic, service: ping, outcome: dropped }]");
    assertThat(run("report ../demo/gauges.site.yaml @more.yaml").out())
        .contains("0 of 1")
        .contains("gauge-1 to hydrographic, ping: dropped")
        .contains("more.yaml:1<");
  }

  @Test
  void aCaptureGoesOutAndComesInAgain() throws Exception {
    MainTest.Result out =
        run(
            "trace SITE --from contractor --to 198.51.100.140 --service 1502/tcp --capture @c.pcapng"
                + " --seen-at 'skerry uplink' --at 'sunday 10:00'");
    assertThat(out.err())
        .isEqualTo("wrote 3 packets, as seen at skerry uplink, to " + folder + "/c.pcapng\n");
    assertThat(run("replay SITE @c.pcapng --follow").out())
        .contains("192.0.2.140:50000 → 198.51.100.140:1502 tcp SYN: skerry drops it")
        .contains("Sunday 10:00")
        .contains("1 flow: 1 dropped");
    assertThat(run("trace SITE" + WEB + " --capture @f.pcap").err()).contains("as seen at ferry,");
    assertThat(run("replay SITE @f.pcap --arriving ferry").out())
        .contains("2 flows: 2 answered")
        .contains("not sent: 4 packets that left there");
    assertThat(
            run("replay SITE @f.pcap --arriving ferry --capture @g.pcapng --seen-at lantern").err())
        .isEqualTo("wrote 0 packets, as seen at lantern, to " + folder + "/g.pcapng\n");
    assertThat(
            run("replay ../demo/gauges.site.yaml ../demo/gauges.csv --capture @h.pcapng --json")
                .err())
        .contains("as seen at gauge-1, breakwater plant, breakwater uplink, hydrographic");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "draw SITE -o @m.gif | neither .svg nor .png",
        "draw SITE -o @no/m.svg | there is no such folder",
        "draw SITE -o @no/m.png | there is no such folder",
        "draw SITE --theme pink | 'pink' is none; write light, dark or system",
        "draw SITE --scale 2 | --scale is for a PNG",
        "draw SITE --scale 0 -o @m.png | no number from 0.1 to 8",
        "draw SITE --scale NaN -o @m.png | no number from 0.1 to 8",
        "draw SITE --from ferry | all of --from, --to and --service",
        "draw SITE --only map | --only is for a way",
        "draw SITE --only foot --from a --to b --service c | write map or ladder",
        "draw SITE --from boats --to pilot --service ping | several senders; draw one, such as ferry",
        "draw SITE --from fery --to pilot --service ping | did you mean 'ferry'",
        "draw @none.yaml | none.yaml",
        "report SITE -o . | is a folder",
        "report SITE -o @no/r.html | in a folder that is not there",
        "report SITE @more.yaml -o @r.html | no file",
        "report SITE --arriving x | say --traffic FILE as well",
        "report SITE --traffic @none.csv | there is no file",
        "trace SITE --from ferry --to pilot --service ping --seen-at ferry | say --capture FILE",
        "trace SITE --from ferry --to pilot --service ping --capture @c.txt | neither .pcapng nor .pcap",
        "trace SITE --from boats --to pilot --service ping --capture @c.pcap | name one place",
        "trace SITE --from ferry --to pilot --service ping --capture @c.pcap --seen-at fery | did you mean 'ferry'",
        "trace SITE --from ferry --to pilot --service ping --capture @no/c.pcap | no such folder",
        "replay SITE ../demo/gauges.csv --arriving ferry | gauges.csv has flows",
        "replay SITE @cut.csv.gz | what is packed there is damaged, or cut off at its end",
        "replay SITE @empty.pcap | ends at byte 0",
        "replay SITE @other.pcap --arriving skerry | 'skerry' has several interfaces",
        "replay SITE @other.pcap | the file does not say where packet 1 was captured",
        "replay SITE @cut.pcap --arriving ferry | in the middle of packet 1",
      })
  void whatCannotBeUsedIsSaidAndNothingIsLeftBehind(String line, String message) throws Exception {
    Files.createFile(folder.resolve("empty.pcap"));
    run("trace SITE --from ferry --to pilot --service ping --capture @other.pcap");
    byte[] whole = Files.readAllBytes(folder.resolve("other.pcap"));
    Files.write(folder.resolve("cut.pcap"), Arrays.copyOf(whole, 60));
    Files.write(folder.resolve("cut.csv.gz"), Arrays.copyOf(packed("at,from,to,service\n"), 20));
    List<Path> before = files();
    MainTest.Result result = run(line);
    assertThat(result.status()).as(result.out()).isEqualTo(2);
    assertThat(result.err()).contains(message).doesNotContain("Exception");
    assertThat(files()).isEqualTo(before);
  }

  private static byte[] packed(String text) throws Exception {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (GZIPOutputStream out = new GZIPOutputStream(bytes)) {
      out.write(text.getBytes(StandardCharsets.UTF_8));
    }
    return bytes.toByteArray();
  }

  /** Whether it is packed, cut short by who took it, or of nanoseconds: it is the same traffic. */
  @Test
  void whatIsPackedOrCutShortIsReplayedAllTheSame() throws Exception {
    Path flows = Path.of("../demo/gauges.csv");
    Files.write(folder.resolve("g.csv.gz"), packed(Files.readString(flows)));
    assertThat(run("replay ../demo/gauges.site.yaml @g.csv.gz --follow").out())
        .isEqualTo(run("replay ../demo/gauges.site.yaml ../demo/gauges.csv --follow").out());
    run("trace SITE" + WEB + " --capture @f.pcap");
    String once = run("replay SITE @f.pcap --arriving ferry --follow").out();
    assertThat(once).contains("2 flows: 2 answered");
    // 50 bytes of each packet are kept, up to the flags of TCP: Ethernet 14, IPv4 20, 16.
    ByteBuffer whole = ByteBuffer.wrap(Files.readAllBytes(folder.resolve("f.pcap")));
    whole.order(
        whole.getInt(0) == 0xa1b2c3d4 || whole.getInt(0) == 0xa1b23c4d
            ? BIG_ENDIAN
            : LITTLE_ENDIAN);
    ByteArrayOutputStream cut = new ByteArrayOutputStream();
    cut.write(whole.array(), 0, 24);
    for (int at = 24; at < whole.capacity(); ) {
      int kept = whole.getInt(at + 8);
      int less = Math.min(50, kept);
      cut.write(whole.array(), at, 8);
      cut.write(ByteBuffer.allocate(4).order(whole.order()).putInt(less).array());
      cut.write(whole.array(), at + 12, 4 + less);
      at += 16 + kept;
    }
    Files.write(folder.resolve("cut50.pcap"), cut.toByteArray());
    assertThat(run("replay SITE @cut50.pcap --arriving ferry --follow").out()).isEqualTo(once);
  }

  private List<Path> files() throws Exception {
    try (Stream<Path> all = Files.list(folder)) {
      return all.sorted().toList();
    }
  }
}
