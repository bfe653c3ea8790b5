// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.trace.Trace;

/** How a packet fares on two sites, for the terminal. */
public final class FateText {
  private FateText() {}

  /** How it ends on each; where it ends alike, by which rules. */
  public static String of(
      Trace before, Trace after, List<String> rulesBefore, List<String> rulesAfter, Style style) {
    StringBuilder out = new StringBuilder();
    end(out, "before", before, style);
    end(out, "after ", after, style);
    if (ChangedFate.kind(before, after) == ChangedFate.Kind.OTHER_WAY) {
      rules(out, "no longer decided by ", rulesBefore, rulesAfter);
      rules(out, "now decided by ", rulesAfter, rulesBefore);
    }
    return out.toString();
  }

  /** The whole path on each. */
  public static String traces(Trace before, Trace after, Style style) {
    return "     before\n"
        + new TraceText(before, style).legs()
        + "     after\n"
        + new TraceText(after, style).legs();
  }

  private static void end(StringBuilder out, String when, Trace trace, Style style) {
    String outcome = trace.outcome().toString();
    out.append("       ").append(when).append("  ").append(style.outcome(trace.outcome()));
    out.append(' ');
    String told = "(" + TraceText.names(trace.request()) + "): " + trace.reason();
    out.append(Style.wrapped(told, 15, 16 + outcome.length())).append('\n');
  }

  private static void rules(StringBuilder out, String word, List<String> of, List<String> not) {
    List<String> rest = new ArrayList<>(of);
    rest.removeAll(not);
    if (!rest.isEmpty()) {
      String text = word + String.join("; ", rest);
      out.append("       ").append(Style.wrapped(text, 9, 7)).append('\n');
    }
  }
}
