// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.change.Change;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.compare.ChangedFlows;
import org.eskerfield.formats.replay.Replay;
import org.eskerfield.formats.replay.Resends;
import org.eskerfield.formats.replay.Traffic;
import org.eskerfield.formats.site.edit.CuredSite;
import org.eskerfield.matches.Narrowing;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import picocli.CommandLine.ParseResult;

/** How access rules could be narrower for some traffic: proposed, tried, and shown as a patch. */
record NarrowedRules(ParseResult call, Terminal terminal) {
  /** What a proposal of all rules together cuts off is looked for in so many of them alone. */
  private static final int MOST_TRIED_ALONE = 50;

  int run(Site site) throws Exception {
    if (call.hasMatchedOption("--json") || call.hasMatchedOption("--csv")) {
      throw Verb.wrong(call, "--narrow answers with a patch; leave --json and --csv away");
    }
    String file = Verb.siteName(call);
    String traffic = call.matchedPositionalValue(1, "");
    if (file.equals("-") || traffic.equals("-")) {
      throw Verb.wrong(call, "--narrow reads both files several times; name them");
    }
    Path path = Verb.path(call, file);
    Narrowing narrowing = new Narrowing(site);
    try (Traffic flows = open(traffic, site)) {
      Replay.of(
          Tracer.of(site).run(flows.start()),
          flows,
          List.of(),
          null,
          (number, what) -> {
            Trace begun = what == null ? null : what.begun();
            if (begun != null) {
              narrowing.add(begun);
            }
          });
    }
    List<Change> kept = new ArrayList<>(narrowing.proposals());
    CuredSite narrowed = CuredSite.changed(path, file, kept);
    ChangedFlows tried = narrowed == null ? null : tried(site, narrowed, traffic);
    if (tried != null && tried.changed() > 0) {
      kept = harmless(site, path, file, traffic, kept);
      narrowed = CuredSite.changed(path, file, kept);
      tried = narrowed == null ? null : tried(site, narrowed, traffic);
    }
    boolean proved = tried != null && tried.changed() == 0;
    if (narrowed == null || tried == null || !proved) {
      kept = List.of();
    }
    if (kept.isEmpty() || narrowed == null || tried == null) {
      terminal.out().println("No access rule could be narrower in a way that was tried.");
      return Verb.FINE;
    }
    for (Change change : kept) {
      terminal.out().print(text(change));
    }
    terminal
        .out()
        .printf(
            "%nTried: none of %,d flows would end otherwise. Other traffic than this may need more.%n%n",
            tried.flows());
    terminal.out().print(narrowed.patch());
    return Verb.FINE;
  }

  private Traffic open(String traffic, Site site) throws Exception {
    return ReplayVerb.traffic(call, traffic, site, true, Resends.NONE);
  }

  private ChangedFlows tried(Site site, CuredSite narrowed, String traffic) throws Exception {
    try (Traffic flows = open(traffic, site);
        ProgressLine progress = new ProgressLine(terminal)) {
      return Replay.compared(
          Tracer.of(site).run(flows.start()),
          Tracer.of(narrowed.file().site()).run(flows.start()),
          flows,
          (number, what) -> progress.begins("trying narrower rules", number, 0));
    }
  }

  /** Those of the changes that change no flow, each tried alone. */
  private List<Change> harmless(
      Site site, Path path, String file, String traffic, List<Change> changes) throws Exception {
    List<Change> harmless = new ArrayList<>();
    for (Change change : changes.subList(0, Math.min(MOST_TRIED_ALONE, changes.size()))) {
      CuredSite alone = CuredSite.changed(path, file, List.of(change));
      if (alone != null && tried(site, alone, traffic).changed() == 0) {
        harmless.add(change);
      }
    }
    return harmless;
  }

  private static String text(Change change) {
    StringBuilder out = new StringBuilder();
    if (change instanceof Change.Alter alter
        && alter.object() instanceof AccessRule rule
        && alter.by() instanceof AccessRule by) {
      out.append(Labels.of(rule)).append(", line ").append(rule.place().line()).append('\n');
      line(out, "from", addresses(rule.from()), addresses(by.from()));
      line(out, "to", addresses(rule.to()), addresses(by.to()));
      line(out, "service", services(rule.services()), services(by.services()));
    }
    return out.toString();
  }

  private static void line(StringBuilder out, String key, String was, String now) {
    if (!was.equals(now)) {
      String text = key + ": only " + now + ", and not " + was;
      out.append("  ").append(Style.wrapped(text, 4, 2)).append('\n');
    }
  }

  private static String addresses(List<AddressTerm> terms) {
    return terms.isEmpty()
        ? "any address"
        : String.join(", ", terms.stream().map(AddressTerm::text).toList());
  }

  private static String services(List<ServiceTerm> terms) {
    return terms.isEmpty()
        ? "any service"
        : String.join(", ", terms.stream().map(ServiceTerm::text).toList());
  }
}
