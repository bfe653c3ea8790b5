// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;

/** Lays out what stands in the way of a conversation, one thing behind the other. */
public final class CauseText {
  private CauseText() {}

  public static String of(Diagnosis diagnosis, String indent, Style style) {
    StringBuilder out = new StringBuilder();
    int number = 0;
    for (Obstacle obstacle : diagnosis.obstacles()) {
      int column = indent.length() + 3;
      out.append(indent).append(++number).append("  ");
      String place = ConversationText.place(obstacle.place());
      out.append(
          style.placed(obstacle.title() + " (" + obstacle.cause() + ")", place, column, column));
      out.append('\n');
      if (number > 1) {
        line(out, column, "behind that: " + obstacle.sentence());
      }
      if (!obstacle.detail().isEmpty()) {
        line(out, column, obstacle.detail());
      }
    }
    if (!diagnosis.complete()) {
      line(
          out,
          indent.length(),
          "There may be further causes, which show only once this one is corrected.");
    } else if (number > 1) {
      line(out, indent.length(), "With these " + number + " changes it is answered (tried).");
    } else {
      line(out, indent.length(), "With that changed it is answered (tried).");
    }
    return out.toString();
  }

  private static void line(StringBuilder out, int column, String text) {
    out.append(" ".repeat(column)).append(Style.wrapped(text, column, column)).append('\n');
  }
}
