// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.Comparison;
import org.eskerfield.compare.GuaranteeChange;
import org.eskerfield.compare.MovedEnds;
import org.eskerfield.compare.Transfers;
import org.eskerfield.model.Site;
import org.eskerfield.set.PacketWords;

/** What a change does to packets, in short: each kind of change, and whose packets it is about. */
public final class EffectText {
  /** Lines of packets that reach nobody, neither before nor after. */
  private static final int FEW = 2;

  private EffectText() {}

  /** The packets of each kind of change. */
  static String of(List<ChangedFate> changes, Site site, int indent, int most, Style style) {
    Map<ChangedFate.Kind, List<String>> kinds = new LinkedHashMap<>();
    for (ChangedFate each : changes) {
      kinds
          .computeIfAbsent(each.kind(), kind -> new ArrayList<>())
          .addAll(new PacketWords(site).of(each.packets()));
    }
    String start = " ".repeat(indent);
    StringBuilder out = new StringBuilder();
    kinds.forEach(
        (kind, lines) -> {
          boolean lost = kind == ChangedFate.Kind.SHUT || kind == ChangedFate.Kind.OTHER_RECEIVER;
          out.append(start).append(lost ? style.bad(kind.text()) : style.strong(kind.text()));
          out.append(":\n");
          int shown = kind == ChangedFate.Kind.OTHER_END ? Math.min(most, FEW) : most;
          for (String line : lines.subList(0, Math.min(shown, lines.size()))) {
            out.append(start).append("  ");
            out.append(Style.wrapped(line, indent + 4, indent + 2)).append('\n');
          }
          if (lines.size() > shown) {
            int more = lines.size() - shown;
            out.append(start).append("  and ").append(more).append(more == 1 ? " line" : " lines");
            out.append(" more; 'eskerfield diff --all' tells all\n");
          }
        });
    return out.toString();
  }

  /**
   * A few lines; one that says so where no packet ends otherwise.
   *
   * @param site the new site, for names
   * @param indent how far they are set in
   * @param most how many lines of packets each kind has; more are counted
   */
  public static String of(Comparison effect, Site site, int indent, int most, Style style) {
    String start = " ".repeat(indent);
    StringBuilder out = new StringBuilder(of(effect.noticed(), site, indent, most, style));
    for (Transfers.Change each : effect.transfers().changes()) {
      String text =
          each.connection() + ": " + each.before().outcome() + ", now " + each.after().outcome();
      out.append(start).append("continues otherwise: ");
      out.append(Style.wrapped(text, indent + 2, indent + 19)).append('\n');
    }
    for (MovedEnds.Change each : effect.moved().changes()) {
      String text =
          each.connection()
              + ": "
              + MovedEnds.Change.end(each.before())
              + ", now "
              + MovedEnds.Change.end(each.after());
      out.append(start).append(Style.wrapped(text, indent + 2, indent)).append('\n');
    }
    for (Comparison.ExpectationChange each : effect.expectations()) {
      if (each.held() != each.holds()) {
        String what = each.holds() ? "holds now" : "no longer holds";
        out.append(start).append(each.holds() ? style.good(what) : style.bad(what));
        out.append(": ");
        out.append(
            Style.wrapped(each.expectation().text(), indent + 2, indent + 2 + what.length()));
        out.append('\n');
      }
    }
    for (GuaranteeChange each : effect.guarantees()) {
      if (each.held() != each.holds()) {
        String what = each.holds() ? "guarantee holds now" : "guarantee no longer holds";
        out.append(start).append(each.holds() ? style.good(what) : style.bad(what));
        out.append(": ");
        out.append(Style.wrapped(each.text(), indent + 2, indent + 2 + what.length()));
        out.append('\n');
      }
    }
    if (!effect.changedFates().complete()) {
      out.append(start).append(style.bad("not all packets were compared")).append(": ");
      out.append("there are too many kinds of them\n");
    } else if (out.length() == 0) {
      out.append(start).append("no packet ends otherwise\n");
    }
    return out.toString();
  }
}
