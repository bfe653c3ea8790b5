// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.draw;

import java.util.ArrayList;
import java.util.List;

/**
 * How wide text is drawn.
 *
 * <p>Idea: a picture is laid out where no browser is, and shown where other fonts are. The widths
 * here are those of one of the widest common typefaces, so that text fits wherever it is shown.
 */
public final class Lettering {
  /** The typefaces of all pictures; the first two have the widths below. */
  static final String FACES = "'DejaVu Sans', Verdana, 'Noto Sans', sans-serif";

  /** Widths of the characters from space to tilde, in hundredths of the size of the letters. */
  private static final int[] WIDTHS = {
    32, 41, 46, 84, 64, 96, 78, 28, 40, 40, 50, 84, 32, 37, 32, 34, 64, 64, 64, 64, 64, 64, 64, 64,
    64, 64, 34, 34, 84, 84, 84, 54, 100, 69, 69, 70, 78, 64, 58, 78, 76, 30, 30, 66, 56, 87, 75, 79,
    61, 79, 70, 64, 62, 74, 69, 99, 69, 62, 69, 40, 34, 40, 84, 50, 50, 62, 64, 55, 64, 62, 36, 64,
    64, 28, 28, 58, 28, 98, 64, 62, 64, 64, 42, 53, 40, 64, 60, 82, 60, 60, 53, 64, 34, 64, 84
  };

  private static final int OTHER_LETTER = 75;
  private static final int IDEOGRAPH = 110;
  private static final double BOLD = 1.15;

  private Lettering() {}

  /** The width of a text, in the units of the size. */
  public static double width(String text, double size, boolean bold) {
    long sum = 0;
    for (int i = 0; i < text.length(); ) {
      int code = text.codePointAt(i);
      sum += width(code);
      i += Character.charCount(code);
    }
    return sum * size / 100 * (bold ? BOLD : 1);
  }

  private static int width(int code) {
    if (code >= ' ' && code <= '~') {
      return WIDTHS[code - ' '];
    }
    return code >= 0x2e80 || code == 0x2192 ? IDEOGRAPH : OTHER_LETTER;
  }

  /** A text that is no wider than it may be; what does not fit gives way to an ellipsis. */
  public static String fitted(String text, double size, boolean bold, double atMost) {
    if (width(text, size, bold) <= atMost) {
      return text;
    }
    double left = atMost - width("…", size, bold);
    int end = 0;
    while (end < text.length()) {
      int code = text.codePointAt(end);
      left -= width(code) * size / 100 * (bold ? BOLD : 1);
      if (left < 0) {
        break;
      }
      end += Character.charCount(code);
    }
    return text.substring(0, end).stripTrailing() + "…";
  }

  /** A text in lines that are no wider than they may be; at least one. */
  public static List<String> wrapped(String text, double size, double atMost) {
    List<String> lines = new ArrayList<>();
    StringBuilder line = new StringBuilder();
    for (String word : text.split(" ", -1)) {
      String longer = line.isEmpty() ? word : line + " " + word;
      if (!line.isEmpty() && width(longer, size, false) > atMost) {
        lines.add(line.toString());
        line.setLength(0);
        longer = word;
      }
      line.setLength(0);
      line.append(fitted(longer, size, false, atMost));
    }
    lines.add(line.toString());
    return lines;
  }
}
