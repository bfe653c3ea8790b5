// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import org.eskerfield.cause.Obstacle;
import org.eskerfield.check.Finding;
import org.eskerfield.formats.site.edit.SmallestChange;

/** The smallest change that lets an attempt through, in words and as a patch. */
public final class CureText {
  private static final int MOST_LINES = 12;

  private CureText() {}

  public static String of(SmallestChange change, Style style) {
    return change.succeeds() ? known(change, style) : none(change, style);
  }

  private static String none(SmallestChange change, Style style) {
    StringBuilder out = new StringBuilder();
    Obstacle left = change.left();
    if (left != null && change.steps().isEmpty() && !left.cure().facts().isEmpty()) {
      out.append(style.strong("Change that lets it through, outside this file"));
      out.append('\n').append("  ").append(Style.wrapped(left.cure().summary(), 2, 2)).append('\n');
      others(out, change, style);
      return out.toString();
    }
    out.append(style.bad("no change of the file is known that lets it through")).append('\n');
    for (String step : change.steps()) {
      out.append("  ").append(Style.wrapped("a first step: " + step, 2, 2)).append('\n');
    }
    if (left != null) {
      String then = "then: " + left.title() + "; " + left.cure().summary();
      out.append("  ").append(Style.wrapped(then, 2, 2)).append('\n');
    }
    return out.toString();
  }

  private static void others(StringBuilder out, SmallestChange change, Style style) {
    for (String other : change.others()) {
      out.append(style.strong("Alternative")).append(": ");
      out.append(Style.wrapped(other, 2, 13)).append('\n');
    }
  }

  private static String known(SmallestChange change, Style style) {
    StringBuilder out = new StringBuilder();
    out.append(style.strong("Change that lets it through")).append('\n');
    for (String step : change.steps()) {
      out.append("  ").append(Style.wrapped(step, 2, 2)).append('\n');
    }
    out.append('\n').append(FindingText.patch(change.patch(), "  ", style)).append('\n');
    out.append("  ").append(style.good("with that")).append(": ");
    out.append(Style.wrapped(change.after().conversation().reason(), 2, 13)).append("\n\n");
    if (change.effect() != null) {
      out.append(style.strong("Packets affected")).append(", this packet included\n");
      out.append(EffectText.of(change.effect(), change.site(), 2, MOST_LINES, style));
      for (Finding each : change.effect().appeared()) {
        String text = "new " + each.severity() + ": " + each.message() + " (" + each.code() + ")";
        out.append("  ").append(Style.wrapped(text, 4, 2)).append('\n');
      }
    }
    others(out, change, style);
    if (!change.isClean()) {
      out.append(style.bad("Not clean")).append(": see what it takes away and what it adds.\n");
    }
    return out.toString();
  }
}
