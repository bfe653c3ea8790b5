// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.util.List;
import org.eskerfield.cli.text.ReachText;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.ReachData;
import org.eskerfield.formats.ask.ReachReader;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.guarantee.FailedOpen;
import org.eskerfield.guarantee.Reach;
import org.eskerfield.guarantee.WayIn;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Tracer;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield reach}. */
public final class ReachVerb extends Verb {
  public ReachVerb() {
    super("reach", "Shows who reaches whom and for what: zone by zone, or for one of them.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addOption(option("--from", "WHO", "Who sends: zones, networks, hosts or addresses."));
    spec.addOption(option("--to", "WHO", "Who receives, devices included."));
    spec.addOption(
        option("--service", "SERVICE", "Only these services, with the port that is received."));
    spec.addOption(option("--at", "TIME", "When, such as 'sunday 10:00'; otherwise at any time."));
    spec.addOption(
        option(
            "--if-open",
            "NAME",
            "What gets through besides if this device, list or rule fails and accepts all."));
    spec.addOption(
        flag(
            "--ways-in",
            "Every way in from outside: by which rules, who asked for it, and what says that it is"
                + " meant."));
    spec.addOption(flag("--samples", "Show a packet of each pair and the rules that accept it."));
    spec.addOption(flag("--csv", "Answer as CSV."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema reach'."));
    spec.usageMessage()
        .footer(
            "",
            "Packets that open a connection or flow count as soon as they arrive, whether or not",
            "anything listens. Senders use their own addresses; for forged ones write guarantees.",
            "",
            "Examples: eskerfield reach demo/marrowby.site.yaml",
            "          eskerfield reach demo/marrowby.site.yaml --to archive --samples",
            "          eskerfield reach demo/marrowby.site.yaml --from internet --if-open lockhouse");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    SiteFile file = readFile(call, siteName(call));
    Site site = file.site();
    if (call.hasMatchedOption("--ways-in")) {
      return waysIn(call, file, terminal);
    }
    Reach.Asked asked;
    try {
      asked =
          ReachReader.read(
              site,
              call.matchedOptionValue("--from", null),
              call.matchedOptionValue("--to", null),
              call.matchedOptionValue("--service", null),
              call.matchedOptionValue("--at", null));
    } catch (UnusableQuestionException e) {
      throw unusable(call, e);
    }
    Tracer tracer = Tracer.of(site);
    String failing = call.matchedOptionValue("--if-open", null);
    if (failing != null && !FailedOpen.names(site).contains(failing)) {
      throw wrong(
          call,
          "--if-open: no device, list or rule that could fail is called '"
              + failing
              + "'"
              + meant(failing, FailedOpen.names(site)));
    }
    List<Reach.Cell> cells =
        failing == null ? Reach.of(tracer, asked) : Reach.ifOpen(tracer, asked, failing);
    terminal
        .out()
        .print(
            call.hasMatchedOption("--json")
                ? Json.of(ReachData.of(siteName(call), cells))
                : call.hasMatchedOption("--csv")
                    ? ReachData.csv(cells)
                    : ReachText.of(
                        cells, call.hasMatchedOption("--samples"), failing, terminal.style()));
    return FINE;
  }

  private static int waysIn(ParseResult call, SiteFile file, Terminal terminal) throws Exception {
    for (String other : List.of("--from", "--to", "--service", "--at", "--if-open", "--csv")) {
      if (call.hasMatchedOption(other)) {
        throw wrong(call, "--ways-in shows all of them; leave out " + other);
      }
    }
    WayIn.All ways = WayIn.of(Tracer.of(file.site()), file.expectations(), file.guarantees());
    terminal
        .out()
        .print(
            call.hasMatchedOption("--json")
                ? Json.of(ReachData.waysIn(siteName(call), ways))
                : ReachText.waysIn(ways, terminal.style()));
    return FINE;
  }
}
