// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.guarantee.Reach;
import org.eskerfield.guarantee.WayIn;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** Who reaches whom, as text for a terminal: grouped by who sends. */
public final class ReachText {
  private ReachText() {}

  /**
   * The pairs.
   *
   * @param samples whether a packet is shown for each, with the rules that let it through
   * @param besides what fails, where only what gets through besides is told; null for all
   */
  public static String of(
      List<Reach.Cell> cells, boolean samples, @Nullable String besides, Style style) {
    Map<String, List<Reach.Cell>> bySender = new LinkedHashMap<>();
    for (Reach.Cell cell : cells) {
      bySender.computeIfAbsent(cell.from(), from -> new ArrayList<>()).add(cell);
    }
    StringBuilder out = new StringBuilder();
    bySender.forEach((from, all) -> group(out, from, all, samples, style));
    return besides == null
        ? out.toString()
        : "Only what gets through besides if '" + besides + "' accepts everything:\n\n" + out;
  }

  /** All ways in from outside: who asked for each, and what in the file says that it is meant. */
  public static String waysIn(WayIn.All all, Style style) {
    List<WayIn> ways = all.ways();
    StringBuilder out = new StringBuilder();
    out.append(style.strong("Ways in from outside (" + ways.size() + ")")).append('\n');
    int covered = 0;
    for (WayIn way : ways) {
      covered += way.meantBy().isEmpty() ? 0 : 1;
      out.append('\n');
      for (String each : way.received()) {
        out.append("  ").append(Style.wrapped(each, 4, 2)).append('\n');
      }
      way.sent().forEach(each -> line(out, "sent " + each));
      way.rules().forEach(rule -> line(out, "by " + rule));
      way.notes().forEach(note -> line(out, "note: " + note));
      for (String each : way.meantBy()) {
        line(out, style.good("meant") + " by " + each);
      }
      if (way.meantBy().isEmpty()) {
        line(out, style.bad("not meant by any expectation or guarantee"));
      }
    }
    if (!all.complete()) {
      line(out, style.bad("and more: there are too many kinds of packets to try one of each"));
    }
    out.append('\n').append(covered).append(" of ").append(ways.size());
    return out.append(" are meant by an expectation or guarantee\n").toString();
  }

  private static void line(StringBuilder out, String text) {
    out.append("    ").append(Style.wrapped(text, 6, 4)).append('\n');
  }

  private static void group(
      StringBuilder out, String from, List<Reach.Cell> cells, boolean samples, Style style) {
    out.append(out.length() == 0 ? "" : "\n").append(style.strong("From " + from)).append('\n');
    int width = cells.stream().mapToInt(cell -> cell.to().length()).max().orElse(0);
    int indent = width + 7;
    List<String> none = new ArrayList<>();
    for (Reach.Cell cell : cells) {
      if (cell.received().isEmpty() && cell.complete() && !cell.near()) {
        none.add(cell.to());
        continue;
      }
      String start = "  to " + cell.to() + " ".repeat(width - cell.to().length()) + "  ";
      for (String line : lines(cell)) {
        out.append(start).append(Style.wrapped(line, indent + 2, indent)).append('\n');
        start = " ".repeat(indent);
      }
      Trace sample = cell.sample();
      if (samples && sample != null) {
        Header sent = sample.request().get(0).decisions().get(0).before();
        out.append(start).append(style.faint("such as " + sent.line())).append('\n');
        for (String rule : cell.rules()) {
          out.append(start).append(style.faint("  " + rule)).append('\n');
        }
      }
    }
    if (!none.isEmpty()) {
      out.append("  nothing to ").append(Style.wrapped(String.join(", ", none), 4, 13));
      out.append('\n');
    }
  }

  private static List<String> lines(Reach.Cell cell) {
    List<String> lines = new ArrayList<>(cell.received());
    if (cell.near()) {
      lines.add("(within one network, no device decides)");
    }
    if (!cell.complete()) {
      lines.add("and more: there are too many kinds of packets to try one of each");
    }
    return lines;
  }
}
