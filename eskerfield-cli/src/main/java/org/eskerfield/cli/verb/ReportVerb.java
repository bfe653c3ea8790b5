// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.ZonedDateTime;
import java.util.List;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Screen;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.replay.Replay;
import org.eskerfield.formats.replay.Resends;
import org.eskerfield.formats.replay.Traffic;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.git.RevisionReader;
import org.eskerfield.report.page.History;
import org.eskerfield.report.page.Report;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield report}. */
public final class ReportVerb extends Verb {
  public ReportVerb() {
    super(
        "report",
        "Writes the whole policy of a site, with its findings, as one page for a browser.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addPositional(expectationFiles());
    spec.addOption(
        output("Write it to this .html file; without it, or for -, it goes to the output."));
    spec.addOption(
        option(
            "--traffic",
            "FILE",
            "Replay this traffic, as for 'replay', and plot the use of pools and ports over time."));
    ReplayVerb.sources(spec);
    spec.usageMessage()
        .footer(
            "",
            "Example: eskerfield report demo/marrowby.site.yaml -o report.html",
            "         eskerfield report demo/gauges.site.yaml --traffic demo/gauges.csv -o report.html");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    String output = output(call);
    ReplayVerb.checkSources(call);
    Path target = output == null ? null : path(call, output);
    if (target != null && (Files.isDirectory(target) || !isFolder(target.getParent()))) {
      throw wrong(
          call,
          "--output: "
              + output
              + (Files.isDirectory(target) ? " is a folder" : " is in a folder that is not there"));
    }
    String name = siteName(call);
    SiteFile file = readWithExpectations(call);
    Path path = name.equals("-") ? null : path(call, name);
    String page;
    try (ProgressLine progress = new ProgressLine(terminal)) {
      History history = history(call, file, progress);
      page = Report.of(path, file.site().place().file(), file, made(path), history, progress);
    }
    if (output == null) {
      terminal.out().print(page);
      return FINE;
    }
    write(call, "--output", output, Screen.text(page));
    terminal.out().println("wrote " + output);
    return FINE;
  }

  /** By the clock of the machine, or as a build that shall be repeatable says. */
  private static Report.Made made(@Nullable Path path) {
    String epoch = System.getenv("SOURCE_DATE_EPOCH");
    ZonedDateTime at =
        epoch != null && epoch.matches("\\d{1,12}")
            ? Instant.ofEpochSecond(Long.parseLong(epoch)).atZone(ZoneOffset.UTC)
            : ZonedDateTime.now(ZoneId.systemDefault());
    return new Report.Made(at, version(), path == null ? null : RevisionReader.of(path));
  }

  private static boolean isFolder(@Nullable Path folder) {
    return folder == null || Files.isDirectory(folder);
  }

  private static @Nullable History history(ParseResult call, SiteFile file, ProgressLine progress)
      throws Exception {
    String name = call.matchedOptionValue("--traffic", null);
    if (name == null) {
      return null;
    }
    try (Traffic traffic = ReplayVerb.traffic(call, name, file.site(), false, Resends.NONE)) {
      Run run = Tracer.of(file.site()).run(traffic.start());
      run.logTo(entry -> {});
      History history = new History(traffic.start());
      Replay replay =
          Replay.of(
              run,
              traffic,
              List.of(),
              /* until= */ null,
              (number, what) -> {
                progress.begins("replaying", number, 0);
                history.look(run);
              });
      history.count(replay.outcomes());
      history.lookNow(run);
      return history;
    }
  }
}
