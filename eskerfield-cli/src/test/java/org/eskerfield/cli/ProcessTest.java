// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.io.OutputStream;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.cli.text.WatchedStream;
import org.eskerfield.cli.verb.Verb;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.condition.EnabledIf;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** The tool in a process of its own, as the shell starts it. */
class ProcessTest {
  @TempDir private Path folder;

  /** A call of the tool in another process of this Java. */
  static List<String> call(String... arguments) {
    List<String> call = new ArrayList<>();
    call.add(Path.of(System.getProperty("java.home"), "bin", "java").toString());
    call.addAll(List.of("-XX:TieredStopAtLevel=1", "-XX:+UseSerialGC", "-cp"));
    call.add(System.getProperty("java.class.path"));
    call.add(Main.class.getName());
    call.addAll(List.of(arguments));
    return call;
  }

  /** What a process prints, and its exit status. */
  static String output(Process process) throws Exception {
    String text = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertThat(process.waitFor(1, TimeUnit.MINUTES)).isTrue();
    return text + "exit " + process.exitValue();
  }

  /** Every start has hash keys of its own; none of them may show in what is printed. */
  @ParameterizedTest
  @CsvSource({
    "20, replay ../demo/harbour.site.yaml TRAFFIC --follow --sessions --bindings --figures --log",
    "2, check ../demo/marrowby.site.yaml --json",
  })
  void everyStartPrintsTheSame(int starts, String line) throws Exception {
    StringBuilder traffic = new StringBuilder("at,from,to,service\n");
    for (int i = 0; i < 300; i++) {
      String to = (i % 7 < 3 ? "192.0.2." : "198.51.100.") + (1 + i * 89 % 250);
      traffic.append(i / 10).append("s,ferry,").append(to).append(",").append(1 + i * 57 % 9_999);
      traffic.append(i % 3 == 0 ? "/tcp\n" : "/udp\n");
    }
    Path file = Files.writeString(folder.resolve("t.csv"), traffic);
    ProcessBuilder builder =
        new ProcessBuilder(call(line.replace("TRAFFIC", file.toString()).split(" ")));
    builder.redirectErrorStream(true);
    Set<String> printed = new HashSet<>();
    for (int start = 0; start < starts; start += 2) {
      Process one = builder.start();
      Process other = builder.start();
      printed.add(output(one));
      printed.add(output(other));
    }
    assertThat(printed).hasSize(1).first().asString().hasSizeGreaterThan(2_000).contains("exit ");
  }

  private static final List<String> ANSWERS =
      List.of(
          "trace SITE --from kiosk --to hydrographic --service 8883/tcp",
          "verify ../demo/marrowby.site.yaml --all",
          "check SITE --json",
          "check SITE --sarif",
          "replay ../demo/gauges.site.yaml ../demo/gauges.csv --figures",
          "explain SITE",
          "diff SITE SITE --json",
          "draw SITE",
          "report SITE",
          "ledger SITE",
          "matches ../demo/gauges.site.yaml ../demo/gauges.csv",
          "capacity ../demo/gauges.site.yaml ../demo/gauges.csv",
          "confirm ../demo/marrowby.site.yaml ../demo/marrowby-day.csv.gz --columns start=start,from=from,to=to,protocol=protocol,from-after=from --device breakwater",
          "subnet 10.77.4.0/24",
          "services",
          "demo",
          "schema site",
          "completion",
          "trace --help",
          "--version");

  private String failing(String line, Path output) throws Exception {
    Path errors = folder.resolve("errors");
    List<String> call = call(line.split(" "));
    Process process =
        new ProcessBuilder(call)
            .redirectOutput(output.toFile())
            .redirectError(errors.toFile())
            .start();
    assertThat(process.waitFor(1, TimeUnit.MINUTES)).isTrue();
    return process.exitValue() + " " + Files.readString(errors);
  }

  /** A disk that is full, for every verb: none ends as if all went well. */
  @Test
  void noVerbLosesItsOutputWithoutAWord() {
    for (String line : ANSWERS) {
      OutputStream full =
          new OutputStream() {
            @Override
            public void write(int one) throws IOException {
              throw new IOException("No space left on device");
            }
          };
      PrintWriter out = new PrintWriter(new WatchedStream(full, "the output"));
      StringWriter errors = new StringWriter();
      Terminal terminal = new Terminal(out, new PrintWriter(errors), Style.PLAIN);
      int status = Main.run(terminal, line.replace("SITE", "../demo/skerry.site.yaml").split(" "));
      if (status == Verb.UNUSABLE) {
        assertThat(errors.toString()).as(line).contains("the output cannot be written: No space");
      } else { // it is still in the buffer, which is written at the end of the process
        assertThatThrownBy(() -> terminal.out().flush())
            .as(line)
            .isInstanceOf(WatchedStream.LostException.class);
      }
    }
  }

  @ParameterizedTest
  @EnabledIf("hasAFullDisk")
  @ValueSource(strings = {"explain ../demo/marrowby.site.yaml", "trace --help"})
  void outputThatIsLostIsSaid(String line) throws Exception {
    assertThat(failing(line, Path.of("/dev/full")))
        .matches("2 eskerfield: the output cannot be written: No space left on device\\R");
  }

  static boolean hasAFullDisk() {
    return Files.exists(Path.of("/dev/full"));
  }

  /** As behind {@code | head -1}: it ends without a word. */
  @ParameterizedTest
  @ValueSource(strings = {"explain ../demo/marrowby.site.yaml", "services"})
  void aClosedPipeEndsTheWorkQuietly(String line) throws Exception {
    Process process = new ProcessBuilder(call(line.split(" "))).start();
    process.getInputStream().close();
    String errors = new String(process.getErrorStream().readAllBytes(), StandardCharsets.UTF_8);
    assertThat(process.waitFor(1, TimeUnit.MINUTES)).isTrue();
    assertThat(process.exitValue() + errors).isEqualTo("2");
  }

  @Test
  void aSiteThatNeedsMoreMemoryThanThereIsEndsInASentence() throws Exception {
    StringBuilder site = new StringBuilder(Files.readString(Path.of("../demo/skerry.site.yaml")));
    site.append("groups:\n");
    for (int i = 0; i < 60_000; i++) {
      site.append("  g-").append(i).append(": [10.77.4.").append(i % 200 + 1).append("]\n");
    }
    Path file = Files.writeString(folder.resolve("large.site.yaml"), site);
    List<String> call = call("explain", file.toString());
    call.add(1, "-Xmx24m");
    ProcessBuilder builder = new ProcessBuilder(call).redirectErrorStream(true);
    assertThat(output(builder.start()))
        .contains("the memory that Java may use is not enough")
        .doesNotContain("\tat ")
        .endsWith("exit 2");
  }

  /**
   * Several people change one file in the same moment. Whose change is said to be written has it in
   * the file, whose is not has it not, and the file is whole.
   */
  @Test
  void changesOfOneFileAtOnceDoNotUndoEachOther() throws Exception {
    Path site = folder.resolve("marrowby.site.yaml");
    Files.copy(Path.of("../demo/marrowby.site.yaml"), site);
    List<Process> runs = new ArrayList<>();
    for (int i = 0; i < 4; i++) {
      String line = "offer " + site + " manifests ssh --from insurers --at 202" + i;
      List<String> call = call(line.split(" "));
      call.addAll(List.of("--name", "shell " + i, "--yes"));
      runs.add(new ProcessBuilder(call).redirectErrorStream(true).start());
    }
    int written = 0;
    List<String> said = new ArrayList<>();
    for (Process run : runs) {
      said.add(output(run));
    }
    String after = Files.readString(site);
    for (int i = 0; i < runs.size(); i++) {
      boolean done = said.get(i).endsWith("exit 0");
      written += done ? 1 : 0;
      assertThat(after.contains("shell " + i)).as(said.get(i)).isEqualTo(done);
      assertThat(done || said.get(i).contains("changed")).as(said.get(i)).isTrue();
    }
    assertThat(written).isPositive();
    StringWriter told = new StringWriter();
    Terminal terminal = new Terminal(new PrintWriter(told), new PrintWriter(told), Style.PLAIN);
    assertThat(Main.run(terminal, "verify", site.toString())).as(told.toString()).isZero();
    try (var left = Files.list(folder)) {
      assertThat(left.toList()).containsExactly(site);
    }
  }
}
