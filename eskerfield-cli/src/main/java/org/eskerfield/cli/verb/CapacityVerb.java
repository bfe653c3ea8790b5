// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.capacity.Capacity;
import org.eskerfield.cli.text.CapacityText;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.answer.CapacityData;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.formats.replay.Replay;
import org.eskerfield.formats.replay.Resends;
import org.eskerfield.formats.replay.Traffic;
import org.eskerfield.formats.site.edit.Supposition;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield capacity}. */
public final class CapacityVerb extends Verb {
  private static final Duration EVERY = Duration.ofMinutes(15);
  private static final int MOST_INTERVALS = 100_000;

  public CapacityVerb() {
    super(
        "capacity",
        "Shows how many ports and addresses some traffic needs over time, and when none is left.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addPositional(
        ReplayVerb.trafficFile(
            "A list of flows, flow records, a log or a capture, as for 'eskerfield replay'."));
    ReplayVerb.sources(spec);
    spec.addOption(
        several(
            "--if",
            "NAME: KEY=VALUE",
            "What would be if a rule or device had other settings: pool, or a key of state, such as"
                + " udp or ports-per-source. Several settings of one stand between semicolons."));
    spec.addOption(
        option(
            "--every", "TIME", "How wide the intervals of --csv and --json are; 15m if left out."));
    spec.addOption(flag("--csv", "Answer as CSV: the most in use in each interval."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema capacity'."));
    spec.usageMessage()
        .footer(
            "",
            "Example: eskerfield capacity demo/marrowby.site.yaml demo/marrowby-day.csv.gz --if"
                + " 'gauges borrow an address: pool=192.0.2.68-192.0.2.74'");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    String[] ifs = call.matchedOptionValue("--if", new String[0]);
    boolean piped = siteName(call).equals("-");
    String file = piped ? "standard-input" : siteName(call);
    Path path = piped ? null : path(call, file);
    String text = piped ? new String(System.in.readAllBytes(), StandardCharsets.UTF_8) : null;
    Site site = text == null ? readSite(call) : SiteReader.read(file, text);
    List<Site> sites = new ArrayList<>(List.of(site));
    for (String each : ifs) {
      String read = path == null ? String.valueOf(text) : Files.readString(path);
      Path folder = path == null ? null : path.toAbsolutePath().getParent();
      sites.add(Supposition.of(file, read, folder, each));
    }
    Duration every = every(call);
    List<Run> runs = new ArrayList<>();
    List<Capacity> all = new ArrayList<>();
    ZonedDateTime start;
    Duration elapsed;
    List<String> remarks;
    String name = call.matchedPositionalValue(1, "");
    try (Traffic traffic = ReplayVerb.traffic(call, name, site, true, Resends.NONE);
        ProgressLine progress = new ProgressLine(terminal)) {
      start = traffic.start();
      for (Site each : sites) {
        Tracer tracer = Tracer.of(each);
        Run run = tracer.run(start);
        runs.add(run);
        all.add(Capacity.of(tracer, run));
      }
      elapsed =
          Replay.onEach(
              runs, traffic, (at, number, what) -> progress.begins("counting", number, 0));
      remarks = traffic.afterwards().lines().toList();
    }
    boolean data = call.hasMatchedOption("--csv") || call.hasMatchedOption("--json");
    if (data && elapsed.dividedBy(every) > MOST_INTERVALS) {
      throw wrong(call, "--every: there would be more than 100,000 intervals; make them wider");
    }
    Duration width = data ? every : CapacityText.column(elapsed);
    List<List<Capacity.Use>> uses = all.stream().map(each -> each.uses(width, elapsed)).toList();
    terminal
        .out()
        .print(
            call.hasMatchedOption("--json")
                ? Json.of(CapacityData.of(siteName(call), List.of(ifs), every, uses, remarks))
                : call.hasMatchedOption("--csv")
                    ? CapacityData.csv(List.of(ifs), every, uses)
                    : new CapacityText(site, terminal.style())
                        .of(List.of(ifs), uses, start, elapsed));
    if (!data) {
      remarks.forEach(terminal.out()::println);
    }
    return FINE;
  }

  private static Duration every(ParseResult call) {
    String text = call.matchedOptionValue("--every", null);
    Duration every = text == null ? EVERY : Times.duration(text);
    if (every == null || every.toMillis() < 1) {
      throw wrong(call, "--every: '" + text + "' is no width of an interval; write 15m or 1h");
    }
    return every;
  }
}
