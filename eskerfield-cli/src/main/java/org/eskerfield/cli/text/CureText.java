// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.List;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.check.Opening;
import org.eskerfield.formats.site.edit.SmallestChange;
import org.eskerfield.model.Site;

/** The smallest change that lets an attempt through, in words and as a patch. */
public final class CureText {
  private CureText() {}

  public static String of(SmallestChange change, Style style) {
    return change.succeeds() ? known(change, style) : none(change, style);
  }

  private static String none(SmallestChange change, Style style) {
    StringBuilder out = new StringBuilder();
    out.append(style.bad("no edit of the file is known that lets it through")).append('\n');
    for (String step : change.steps()) {
      out.append("  ").append(Style.wrapped("this would help so far: " + step, 2, 2)).append('\n');
    }
    Obstacle left = change.left();
    if (left != null) {
      String then = "then: " + left.cause().title() + "; " + left.cure().summary();
      out.append("  ").append(Style.wrapped(then, 2, 2)).append('\n');
    }
    return out.toString();
  }

  private static String known(SmallestChange change, Style style) {
    StringBuilder out = new StringBuilder();
    out.append(style.strong("What would let it through")).append('\n');
    for (String step : change.steps()) {
      out.append("  ").append(Style.wrapped(step, 2, 2)).append('\n');
    }
    out.append('\n').append(FindingText.patch(change.patch(), "  ", style)).append('\n');
    out.append("  ").append(style.good("with that")).append(": ");
    out.append(Style.wrapped(change.after().conversation().reason(), 2, 13)).append("\n\n");
    if (change.opens() == null) {
      return out.append("What else that lets in was not worked out.\n").toString();
    }
    if (change.opens().isEmpty()) {
      out.append("No device lets anything in by that which it did not let in before.\n");
    } else {
      out.append(style.strong("All that this lets in")).append(", this packet included\n");
      append(out, change.opens(), change.site());
    }
    if (change.closes() != null && !change.closes().isEmpty()) {
      out.append(style.bad("What it takes away"))
          .append(": this is let in today, and then no more\n");
      append(out, change.closes(), change.site());
    }
    return out.toString();
  }

  private static void append(StringBuilder out, List<Opening> parts, Site site) {
    for (Opening part : parts) {
      out.append("  ").append(part.device()).append(", arriving on ");
      out.append(part.arriving()).append('\n');
      for (String line : part.lines(site)) {
        out.append("    ").append(Style.wrapped(line, 4, 4)).append('\n');
      }
    }
  }
}
