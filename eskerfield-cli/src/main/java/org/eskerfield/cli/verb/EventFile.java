// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.BufferedOutputStream;
import java.io.Closeable;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import org.eskerfield.cli.text.ProblemText;
import org.eskerfield.cli.text.WatchedStream;
import org.eskerfield.formats.file.WholeFile;
import org.eskerfield.formats.flow.EventWriter;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Run;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** The file for what translating devices log, where a call asks for it. */
final class EventFile implements Closeable {
  private final @Nullable WholeFile whole;
  private final @Nullable EventWriter writer;

  private EventFile(@Nullable WholeFile whole, @Nullable EventWriter writer) {
    this.whole = whole;
    this.writer = writer;
  }

  static void describe(CommandSpec spec) {
    spec.addOption(
        Verb.option(
            "--events-to",
            "FILE",
            "Write sessions, bindings and used-up pools of translating devices as IPFIX (RFC 8158)."));
  }

  /** Opens the file, and lets the run write to it. */
  static EventFile of(ParseResult call, Site site, Run run) {
    String name = call.matchedOptionValue("--events-to", null);
    if (name == null) {
      return new EventFile(null, null);
    }
    if (Files.isDirectory(Path.of(name))) {
      throw Verb.wrong(call, "--events-to: " + name + " is a folder");
    }
    try {
      WholeFile whole = WholeFile.open(Path.of(name));
      OutputStream out =
          new BufferedOutputStream(new WatchedStream(whole.stream(), "--events-to: " + name));
      EventWriter writer = new EventWriter(out, site);
      run.eventsTo(writer);
      return new EventFile(whole, writer);
    } catch (IOException e) {
      throw Verb.wrong(
          call, "--events-to: " + name + " cannot be written: " + ProblemText.reason(e));
    }
  }

  /** Everything has happened: now the file stands there. */
  void complete() throws IOException {
    if (writer != null && whole != null) {
      writer.close();
      whole.complete();
    }
  }

  /** Takes away a file that is not complete. */
  @Override
  public void close() throws IOException {
    if (whole != null) {
      whole.close();
    }
  }
}
