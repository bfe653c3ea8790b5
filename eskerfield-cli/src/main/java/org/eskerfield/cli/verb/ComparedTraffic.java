// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.eskerfield.cli.text.FateText;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.ChangedFlows;
import org.eskerfield.formats.answer.DiffData;
import org.eskerfield.formats.answer.Tree;
import org.eskerfield.formats.replay.Replay;
import org.eskerfield.formats.replay.Resends;
import org.eskerfield.formats.replay.Traffic;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.trace.Moments;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Tracer;
import picocli.CommandLine.ParseResult;

/** Real flows that were sent through two sites. */
record ComparedTraffic(ChangedFlows changed, Site site, List<String> remarks) {
  static ComparedTraffic of(ParseResult call, String name, Site old, Site now, Terminal terminal)
      throws Exception {
    try (Traffic traffic = ReplayVerb.traffic(call, name, old, true, Resends.NONE);
        ProgressLine progress = new ProgressLine(terminal)) {
      ChangedFlows changed =
          Replay.compared(
              Tracer.of(old).run(traffic.start()),
              Tracer.of(now).run(traffic.start()),
              traffic,
              (number, what) -> progress.begins("comparing flows", number, 0));
      return new ComparedTraffic(changed, now, traffic.afterwards().lines().toList());
    }
  }

  boolean endsOtherwise() {
    return changed.endsOtherwise();
  }

  Tree data() {
    return DiffData.flows(changed, site, remarks);
  }

  String text(boolean traces, Style style) {
    StringBuilder out = new StringBuilder();
    out.append('\n').append(style.strong("Flows of the traffic that end otherwise")).append('\n');
    List<ChangedFlows.Change> changes = changed.changes();
    for (int i = 0; i < changes.size(); i++) {
      out.append(i == 0 ? "" : "\n");
      change(out, i + 1, changes.get(i), traces, style);
    }
    out.append(changes.isEmpty() ? "" : "\n");
    out.append("  ").append(count(changed.changed(), "flow")).append(" of ");
    out.append(String.format("%,d", changed.flows()))
        .append(" would end otherwise, or by other rules\n");
    remarks.forEach(each -> out.append("  ").append(Style.wrapped(each, 2, 4)).append('\n'));
    return out.toString();
  }

  private static String count(long number, String what) {
    return String.format("%,d %s", number, number == 1 ? what : what + "s");
  }

  private void change(
      StringBuilder out, int number, ChangedFlows.Change change, boolean traces, Style style) {
    boolean good = change.kind().compareTo(ChangedFate.Kind.OTHER_LOOK) >= 0;
    String title = change.kind().text();
    out.append("  ").append(number).append("  ");
    out.append(good ? style.strong(title) : style.bad(title));
    out.append(": ").append(count(change.flows(), "flow"));
    out.append(change.flows() == 1 ? ", at " : ", first at ").append(time(change.first()));
    out.append(change.flows() == 1 ? "" : ", last at " + time(change.last())).append('\n');
    Question first = change.before().question();
    out.append("     ");
    String from = "from " + senders(change.senders());
    out.append(Style.wrapped(from, 7, 5)).append('\n');
    out.append("     e.g. ").append(first.sender().name()).append(" to ").append(first.to());
    out.append(' ').append(first.probe()).append('\n');
    out.append(
        FateText.of(
            change.before(), change.after(), change.rulesBefore(), change.rulesAfter(), style));
    out.append(traces ? FateText.traces(change.before(), change.after(), style) : "");
  }

  private static String time(Duration time) {
    return Moments.text(time);
  }

  /** Up to three, and how many more. */
  private String senders(Map<Address, Long> senders) {
    StringBuilder text = new StringBuilder();
    int told = 0;
    for (Map.Entry<Address, Long> each : senders.entrySet()) {
      if (told++ == 3) {
        return text + " and " + count(senders.size() - 3L, "more sender");
      }
      Host host = site.hostAt(each.getKey());
      text.append(text.isEmpty() ? "" : ", ");
      text.append(host == null ? each.getKey().toString() : host.name());
      text.append(senders.size() == 1 ? "" : String.format(" (%,d)", each.getValue()));
    }
    return text.toString();
  }
}
