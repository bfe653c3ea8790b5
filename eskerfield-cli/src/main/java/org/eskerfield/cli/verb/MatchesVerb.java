// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.cli.text.MatchesText;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.MatchesData;
import org.eskerfield.formats.replay.FlowPart;
import org.eskerfield.formats.replay.Happened;
import org.eskerfield.formats.replay.Replay;
import org.eskerfield.formats.replay.Resends;
import org.eskerfield.formats.replay.Traffic;
import org.eskerfield.matches.Matches;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield matches}. */
public final class MatchesVerb extends Verb {
  public MatchesVerb() {
    super("matches", "Counts the flows of some traffic by rule, and tells why a rule has none.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addPositional(
        ReplayVerb.trafficFile(
            "A list of flows, flow records, a log or a capture, as for 'eskerfield replay'."));
    ReplayVerb.sources(spec);
    spec.addOption(flag("--unused", "Show only rules that no flow matches."));
    spec.addOption(
        flag(
            "--narrow",
            "Show how access rules could be narrower and still accept these flows, as a patch; it is"
                + " tried on the same flows, and says nothing of others."));
    spec.addOption(flag("--csv", "Answer as CSV."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema matches'."));
    spec.usageMessage()
        .footer("", "Example: eskerfield matches demo/marrowby.site.yaml demo/marrowby-day.csv.gz");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    Site site = readSite(call);
    Tracer tracer = Tracer.of(site);
    if (call.hasMatchedOption("--narrow")) {
      return new NarrowedRules(call, terminal).run(site);
    }
    Matches matches = new Matches(tracer);
    String name = call.matchedPositionalValue(1, "");
    Replay replay;
    List<String> remarks;
    ZonedDateTime start;
    try (Traffic traffic = ReplayVerb.traffic(call, name, site, true, Resends.NONE);
        ProgressLine progress = new ProgressLine(terminal)) {
      start = traffic.start();
      replay =
          Replay.of(
              tracer.run(start),
              traffic,
              List.of(),
              null,
              (number, what) -> {
                progress.begins("counting", number, 0);
                count(matches, what);
              });
      remarks = traffic.afterwards().lines().toList();
    }
    List<Matches.Row> rows = new ArrayList<>(matches.rows());
    if (call.hasMatchedOption("--unused")) {
      rows.removeIf(row -> row.flows() > 0);
    }
    terminal
        .out()
        .print(
            call.hasMatchedOption("--json")
                ? Json.of(MatchesData.of(siteName(call), site, matches.flows(), remarks, rows))
                : call.hasMatchedOption("--csv")
                    ? MatchesData.csv(rows)
                    : new MatchesText(site, terminal.style())
                        .of(rows, matches.flows(), start, replay.elapsed()));
    if (!call.hasMatchedOption("--json") && !call.hasMatchedOption("--csv")) {
      remarks.forEach(terminal.out()::println);
    }
    return FINE;
  }

  private static void count(Matches matches, @Nullable Happened what) {
    if (what == null) {
      return;
    }
    Trace begun = what.begun();
    FlowPart part = what.part();
    if (part == null) {
      if (begun != null) {
        matches.add(what.at(), begun);
      }
      return;
    }
    if (begun != null) {
      matches.begin(part.flow(), what.at(), begun);
    }
    matches.grow(part.flow(), part.added().packets(), part.added().bytes());
    if (part.ends()) {
      matches.end(part.flow());
    }
  }
}
