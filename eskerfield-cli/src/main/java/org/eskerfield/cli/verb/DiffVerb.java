// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.check.Finding;
import org.eskerfield.cli.text.FateText;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.Comparison;
import org.eskerfield.compare.Difference;
import org.eskerfield.compare.GuaranteeChange;
import org.eskerfield.compare.MovedEnds;
import org.eskerfield.compare.NameChange;
import org.eskerfield.compare.Transfers;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.answer.DiffData;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.Tree;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.git.RevisionReader;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.set.PacketWords;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Moments;
import org.eskerfield.trace.Passed;
import org.eskerfield.trace.Question;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield diff}. */
public final class DiffVerb extends Verb {
  /** How many kinds of packets are shown that are answered neither before nor after. */
  private static final int MOST_OF_LITTLE = 3;

  /** Of more hosts that are alike their number is told. */
  private static final int MOST_NAMED = 8;

  public DiffVerb() {
    super("diff", "Compares two site files: what the change means for every packet.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    for (String label : List.of("OLD", "NEW")) {
      spec.addPositional(
          PositionalParamSpec.builder()
              .paramLabel(label)
              .type(String.class)
              .arity("1")
              .index(label.equals("OLD") ? "0" : "1")
              .required(true)
              .description("A site file, or one of a git revision: HEAD~1:site.yaml.")
              .build());
    }
    spec.addOption(
        flag("--traces", "Show the path of every sample in both files, decision by decision."));
    spec.addOption(
        flag("--all", "Show all packets that are answered neither before nor after, too."));
    spec.addOption(
        option(
            "--traffic",
            "FILE",
            "Send this traffic through both sites, too, and show the flows whose fate changes: a list"
                + " of flows, flow records (IPFIX), a log or a capture, as for 'replay'."));
    ReplayVerb.sources(spec);
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema diff'."));
    spec.usageMessage()
        .footer(
            "",
            "Examples: eskerfield diff HEAD:demo/skerry.site.yaml demo/skerry.site.yaml",
            "          eskerfield diff demo/mistakes/working.site.yaml"
                + " demo/mistakes/order.site.yaml",
            "Exit status 1 if some packet or connection ends otherwise, or an expectation, a pool"
                + " or a name changes; 0 if only other rules decide.");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    ReplayVerb.checkSources(call);
    SiteFile old = side(call, call.matchedPositionalValue(0, ""));
    SiteFile now = side(call, call.matchedPositionalValue(1, ""));
    Comparison comparison;
    try (ProgressLine progress = new ProgressLine(terminal)) {
      comparison = Comparison.of(side(old), side(now), progress::begins);
    }
    String traffic = call.matchedOptionValue("--traffic", null);
    ComparedTraffic flows =
        traffic == null
            ? null
            : ComparedTraffic.of(call, traffic, old.site(), now.site(), terminal);
    terminal
        .out()
        .print(
            call.hasMatchedOption("--json")
                ? Json.of(
                    DiffData.of(comparison, now.site())
                        .with("flows", Tree.of(flows, ComparedTraffic::data)))
                : text(call, comparison, now.site(), terminal.style())
                    + (flows == null
                        ? ""
                        : flows.text(call.hasMatchedOption("--traces"), terminal.style())));
    return comparison.changesNothing() && (flows == null || !flows.endsOtherwise()) ? FINE : NO;
  }

  private static Comparison.Side side(SiteFile file) {
    return new Comparison.Side(file.site(), file.wanted(), file.policy());
  }

  private static SiteFile side(ParseResult call, String name)
      throws UnreadableSiteException, IOException {
    if (!RevisionReader.isRevision(name)) {
      return readFile(call, name);
    }
    try {
      return RevisionReader.read(name, Path.of(""));
    } catch (UnusableQuestionException e) {
      throw unusable(call, e);
    }
  }

  private static String text(ParseResult call, Comparison comparison, Site site, Style style) {
    StringBuilder out = new StringBuilder();
    out.append(style.strong("Differences between the files")).append('\n');
    for (Difference each : comparison.differences()) {
      difference(out, each, style);
    }
    none(out, comparison.differences(), "none but layout and comments");
    moved(out, comparison.moved(), style);
    out.append('\n').append(style.strong("Packets that end otherwise")).append('\n');
    List<ChangedFate> changes = comparison.changedFates().changes();
    changes(out, changes, site, call, style);
    if (comparison.changedFates().complete()) {
      none(out, changes, "none: each first packet ends as before, by the same rules");
    }
    for (String each : comparison.changedFates().uncovered()) {
      out.append("  ").append(style.bad("not compared")).append(": ");
      out.append(Style.wrapped(each, 2, 16)).append('\n');
    }
    if (!comparison.changedFates().complete()) {
      out.append("  ").append(style.bad("not all")).append(": ");
      out.append(
          Style.wrapped(
              "there are too many kinds of packets to try one of each; there may be more that change",
              2,
              11));
      out.append('\n');
    }
    transfers(out, comparison.transfers(), style);
    names(out, comparison.names(), style);
    out.append('\n').append(style.strong("Expectations")).append('\n');
    for (Comparison.ExpectationChange each : comparison.expectations()) {
      String text =
          each.expectation().text() + ": " + ends(each.before()) + ", now " + ends(each.after());
      String start = each.holds() ? "holds now   " : each.held() ? "fails now   " : "fails still ";
      out.append("  ").append(each.holds() ? style.good(start) : style.bad(start));
      out.append(style.placed(text, each.expectation().place().toString(), 14, 14)).append('\n');
    }
    none(out, comparison.expectations(), "none");
    guarantees(out, comparison.guarantees(), style);
    out.append('\n').append(style.strong("Findings")).append('\n');
    findings(out, "new ", comparison.appeared(), style);
    findings(out, "gone ", comparison.resolved(), style);
    List<Finding> all = new ArrayList<>(comparison.appeared());
    all.addAll(comparison.resolved());
    none(out, all, "the same as before");
    for (Comparison.PoolChange each : comparison.pools()) {
      out.append("\npool ").append(each.rule()).append(": ").append(each.before());
      out.append(" addresses before, now ").append(each.after()).append('\n');
    }
    return out.toString();
  }

  /** Every packet that is answered on one of the sites; of others a few, and how many more. */
  private static void changes(
      StringBuilder out, List<ChangedFate> changes, Site site, ParseResult call, Style style) {
    Map<ChangedFate.Kind, Integer> met = new EnumMap<>(ChangedFate.Kind.class);
    for (int i = 0; i < changes.size(); i++) {
      ChangedFate each = changes.get(i);
      int number = met.merge(each.kind(), 1, Integer::sum);
      if (number <= MOST_OF_LITTLE || !isLittle(each.kind()) || call.hasMatchedOption("--all")) {
        out.append(i == 0 ? "" : "\n");
        change(out, i + 1, each, site, call.hasMatchedOption("--traces"), style);
      }
    }
    met.forEach(
        (kind, number) -> {
          int more = number - MOST_OF_LITTLE;
          if (more > 0 && isLittle(kind) && !call.hasMatchedOption("--all")) {
            out.append("\n  and ").append(more).append(" more of the kind '").append(kind.text());
            out.append("'; --all shows them\n");
          }
        });
  }

  /** Whether nobody loses or gains an answer by it. */
  private static boolean isLittle(ChangedFate.Kind kind) {
    return kind == ChangedFate.Kind.OTHER_END || kind == ChangedFate.Kind.OTHER_WAY;
  }

  private static void names(StringBuilder out, List<NameChange> names, Style style) {
    if (names.isEmpty()) {
      return;
    }
    out.append('\n').append(style.strong("Names that resolve otherwise")).append('\n');
    for (NameChange each : names) {
      String who =
          each.hosts().size() <= MOST_NAMED
              ? String.join(", ", each.hosts())
              : String.join(", ", each.hosts().subList(0, MOST_NAMED))
                  + " and "
                  + (each.hosts().size() - MOST_NAMED)
                  + " more";
      String text = each.name() + ": " + each.before() + ", now " + each.after() + " (" + who + ")";
      out.append("  ").append(Style.wrapped(text, 2, 4)).append('\n');
    }
  }

  /** File transfers, and what large packets meet where one of the files says anything of sizes. */
  private static void transfers(StringBuilder out, Transfers transfers, Style style) {
    if (transfers.tried() == 0) {
      return;
    }
    out.append('\n').append(style.strong("Connections that continue otherwise")).append('\n');
    for (Transfers.Change each : transfers.changes()) {
      String text =
          each.connection()
              + ": "
              + carried(each, each.before())
              + ", now "
              + carried(each, each.after());
      out.append("  ").append(Style.wrapped(text, 2, 4)).append('\n');
    }
    String tried = transfers.tried() == 1 ? "1 connection" : transfers.tried() + " connections";
    none(
        out,
        transfers.changes(),
        "none of " + tried + " between networks that were traced on both sites");
  }

  /** Who has another address sends other packets: what becomes of his connections. */
  private static void moved(StringBuilder out, MovedEnds moved, Style style) {
    if (moved.tried() == 0) {
      return;
    }
    out.append('\n')
        .append(style.strong("Connections of hosts and devices with new addresses"))
        .append('\n');
    for (MovedEnds.Change each : moved.changes()) {
      boolean answered = each.after().outcome() == Outcome.ANSWERED;
      boolean lost = each.before().outcome() == Outcome.ANSWERED && !answered;
      String why = answered ? "" : " (" + each.after().reason() + ")";
      String text =
          each.connection()
              + ": "
              + MovedEnds.Change.end(each.before())
              + " before, now "
              + MovedEnds.Change.end(each.after())
              + why;
      String mark = lost ? style.bad("lost") : style.strong("now");
      out.append("  ").append(mark).append(lost ? "  " : "   ");
      out.append(Style.wrapped(text, 8, 8)).append('\n');
    }
    none(out, moved.changes(), "each of " + moved.tried() + " ends as before, at the same end");
    if (!moved.complete()) {
      out.append("  ").append(style.bad("not all")).append(": there are too many of them\n");
    }
  }

  private static String carried(Transfers.Change change, Conversation conversation) {
    boolean sizes = !Objects.equals(change.before().passed(), change.after().passed());
    Passed passed = conversation.passedOrUsual();
    if (conversation.outcome() != Outcome.ANSWERED || passed == null) {
      return conversation.outcome() + " (" + conversation.reason() + ")";
    }
    if (!sizes) {
      return "answered, and the data connection opens";
    }
    return "packets of "
        + passed.there()
        + " bytes"
        + (passed.back() == passed.there() ? "" : " there and " + passed.back() + " back");
  }

  private static void none(StringBuilder out, List<?> all, String text) {
    if (all.isEmpty()) {
      out.append("  ").append(text).append('\n');
    }
  }

  private static String ends(List<?> outcomes) {
    List<String> texts = outcomes.stream().map(Object::toString).distinct().toList();
    return String.join(" or ", texts);
  }

  private static void difference(StringBuilder out, Difference each, Style style) {
    String kind = each.kind().toString();
    Place before = each.before();
    Place after = each.after();
    String place =
        before == null
            ? "line " + line(after)
            : after == null || before.line() == after.line()
                ? "line " + before.line()
                : "line " + before.line() + ", now " + after.line();
    String where = each.where().isEmpty() ? "" : ", " + each.where();
    out.append("  ").append(kind).append(" ".repeat(9 - kind.length()));
    out.append(style.placed(each.what() + where, place, 11, 11)).append('\n');
    for (Difference.Field field : each.fields()) {
      String text =
          field.name()
              + ": "
              + (field.before().isEmpty() ? "(nothing)" : field.before())
              + " → "
              + (field.after().isEmpty() ? "(nothing)" : field.after());
      out.append("             ").append(Style.wrapped(text, 15, 13)).append('\n');
    }
  }

  private static int line(@Nullable Place place) {
    return place == null ? 0 : place.line();
  }

  private static void change(
      StringBuilder out, int number, ChangedFate change, Site site, boolean traces, Style style) {
    String title = change.kind().text();
    boolean good = change.kind().compareTo(ChangedFate.Kind.OTHER_LOOK) >= 0;
    out.append("  ").append(number).append("  ");
    out.append(good ? style.strong(title) : style.bad(title)).append('\n');
    for (String line : new PacketWords(site).of(change.packets())) {
      out.append("     ").append(Style.wrapped(line, 7, 5)).append('\n');
    }
    Question sample = change.after().question();
    boolean usual = VirtualClock.isStart(sample.at());
    out.append("     e.g. ").append(sample.sender().name());
    out.append(" to ").append(sample.to()).append(' ').append(sample.probe());
    out.append(usual ? "" : ", " + Moments.text(sample.at())).append('\n');
    out.append(
        FateText.of(
            change.before(), change.after(), change.rulesBefore(), change.rulesAfter(), style));
    out.append(traces ? FateText.traces(change.before(), change.after(), style) : "");
  }

  private static void guarantees(StringBuilder out, List<GuaranteeChange> changes, Style style) {
    out.append('\n').append(style.strong("Guarantees")).append('\n');
    for (GuaranteeChange each : changes) {
      String start = each.holds() ? "holds now   " : each.held() ? "fails now   " : "fails still ";
      out.append("  ").append(each.holds() ? style.good(start) : style.bad(start));
      out.append(style.placed(each.text(), each.guarantee().place().toString(), 14, 14));
      out.append('\n');
    }
    none(out, changes, "none");
  }

  private static void findings(
      StringBuilder out, String word, List<Finding> findings, Style style) {
    for (Finding each : findings) {
      String start = word + each.severity() + ": ";
      out.append("  ").append(start);
      out.append(
          style.placed(
              each.message() + " (" + each.code() + ")",
              each.place().toString(),
              4,
              2 + start.length()));
      out.append('\n');
    }
  }
}
