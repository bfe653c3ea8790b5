// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.Mockito.doNothing;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;

import java.io.IOException;
import java.io.OutputStream;
import java.io.OutputStreamWriter;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.eskerfield.cli.text.Screen;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.cli.text.WatchedStream;
import org.eskerfield.cli.verb.Verb;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** What becomes of faults of the tool, of its machine, and of what strangers wrote. */
class FaultsTest {
  @TempDir private Path folder;

  /** A verb that fails as it is told to. */
  private static final class Failing extends Verb {
    private final Throwable fault;

    Failing(Throwable fault) {
      super("fail", "Fails.");
      this.fault = fault;
    }

    @Override
    protected void describe(CommandSpec spec) {}

    @Override
    public int run(ParseResult call, Terminal terminal) throws Exception {
      if (fault instanceof Error error) {
        throw error;
      }
      throw (Exception) fault;
    }
  }

  private static String failing(Throwable fault) {
    StringWriter all = new StringWriter();
    PrintWriter to = new PrintWriter(all);
    int status = Main.run(List.of(new Failing(fault)), new Terminal(to, to, Style.PLAIN), "fail");
    return status + " " + all;
  }

  @Test
  void errorsAreNoAnswerEither() {
    assertThat(failing(new OutOfMemoryError())).startsWith("2 eskerfield: the memory that Java");
    assertThat(failing(new StackOverflowError()))
        .startsWith("2 eskerfield: something in the input");
    assertThat(failing(new NoClassDefFoundError("X"))).startsWith("2 eskerfield: a fault of");
    assertThat(failing(new IOException("Bad file descriptor")))
        .startsWith("2 eskerfield: reading or writing failed: Bad file descriptor");
    assertThat(failing(new UncheckedIOException(new IOException("gone"))))
        .startsWith("2 eskerfield: reading or writing failed: gone");
  }

  /** Where in the program it happened stands in the file that the message names, not before it. */
  @Test
  void aFaultLeavesATraceThatCanBeSentIn() throws Exception {
    String told = failing(new IllegalStateException("a fault made by " + folder));
    assertThat(told).doesNotContain("\tat ").contains("and the end of");
    Path file = Faults.file(System.getenv(), System.getProperty("user.home"));
    assertThat(told).contains(file.toString());
    assertThat(Files.readString(file))
        .contains("eskerfield fail")
        .contains("a fault made by " + folder)
        .contains("\tat org.eskerfield.cli.FaultsTest");
  }

  @ParameterizedTest
  @CsvSource({
    "XDG_STATE_HOME, /state, /state/eskerfield/eskerfield.log",
    "XDG_STATE_HOME, state, /home/me/.local/state/eskerfield/eskerfield.log",
    "XDG_STATE_HOME, '', /home/me/.local/state/eskerfield/eskerfield.log",
    "LOCALAPPDATA, /local, /local/eskerfield/eskerfield.log",
    "NOTHING, '', /home/me/.local/state/eskerfield/eskerfield.log",
  })
  void theFileStandsWhereTheSystemKeepsState(String name, String value, Path file) {
    assertThat(Faults.file(Map.of(name, value), "/home/me")).isEqualTo(file);
  }

  @ParameterizedTest
  @CsvSource({
    "'plain, λ and 漢字 and 👩‍🔧\t\n', 'plain, λ and 漢字 and 👩‍🔧\t\n'",
    "'\u001b[2J', '\\u001b[2J'",
    "'a\u202eb\u2028c\u0085', 'a\\u202eb\\u2028c\\u0085'",
    "'\udb40\udc41', '\\udb40\\udc41'",
    "'x\ud800y', 'x\\ud800y'",
    "'\ufdd0[1m\ufdd1', '\u001b[1m\r'",
    "'over\rwritten', 'over\\u000dwritten'",
    "'two\r\nlines', 'two\r\nlines'",
  })
  void whatDoesNotShowIsWrittenOut(String text, String shown) {
    StringWriter all = new StringWriter();
    PrintWriter screen = Screen.before(new PrintWriter(all));
    screen.print(text);
    assertThat(all.toString()).isEqualTo(shown);
    assertThat(Screen.before(screen)).isSameAs(screen);
    // In whatever pieces it comes, but for what is one break of a line.
    StringWriter pieces = new StringWriter();
    PrintWriter piecemeal = Screen.before(new PrintWriter(pieces));
    text.replace("\r\n", "\n").chars().forEach(c -> piecemeal.write((char) c));
    assertThat(pieces.toString()).isEqualTo(shown.replace("\r\n", "\n"));
  }

  /** Every byte behind the first ones is lost, whoever writes: results, logs, exported files. */
  @ParameterizedTest
  @CsvSource({
    "No space left on device, false",
    "Input/output error, false",
    "Broken pipe, true",
    "The pipe is being closed, true",
  })
  void whatCannotBeWrittenAnyMoreEndsTheWorkAtOnce(String reason, boolean quiet) throws Exception {
    OutputStream exporter = mock(OutputStream.class);
    doNothing()
        .doThrow(new IOException(reason))
        .when(exporter)
        .write(any(byte[].class), anyInt(), anyInt());
    PrintWriter out =
        new PrintWriter(
            new OutputStreamWriter(new WatchedStream(exporter, "--log-to: pipeline.log"), UTF_8));
    StringWriter err = new StringWriter();
    Terminal terminal = new Terminal(out, new PrintWriter(err, true), Style.PLAIN);
    int status =
        Main.run(terminal, "replay", "../demo/harbour.site.yaml", "../demo/harbour.csv", "--json");
    assertThat(status).isEqualTo(2);
    assertThat(err.toString())
        .isEqualTo(
            quiet ? "" : "eskerfield: --log-to: pipeline.log cannot be written: " + reason + "\n");
    verify(exporter, times(2)).write(any(byte[].class), anyInt(), anyInt());
  }
}
