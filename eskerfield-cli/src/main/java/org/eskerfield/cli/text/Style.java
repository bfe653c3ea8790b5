// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import org.eskerfield.outcome.Outcome;
import org.jspecify.annotations.Nullable;

/**
 * Colours and line width of text for people. Colours only underline what the words say, so that
 * nothing is lost without them.
 *
 * @param colour whether to use any
 */
public record Style(boolean colour) {
  /** The widest line. */
  public static final int WIDTH = 100;

  /** Plain text. */
  public static final Style PLAIN = new Style(false);

  public String strong(String text) {
    return coded("1", text);
  }

  public String faint(String text) {
    return coded("2", text);
  }

  // Shades of middle brightness, which are readable on light and on dark ground.

  public String good(String text) {
    return coded("1;38;5;28", text);
  }

  public String bad(String text) {
    return coded("1;38;5;160", text);
  }

  public String place(String text) {
    return coded("38;5;31", text);
  }

  public String outcome(Outcome outcome) {
    return outcome == Outcome.ANSWERED ? good(outcome.toString()) : bad(outcome.toString());
  }

  private String coded(String code, String text) {
    return colour ? Screen.ESCAPE + "[" + code + "m" + text + Screen.ESCAPE + "[0m" : text;
  }

  /**
   * Breaks a text at blanks so that no line is wider than {@link #WIDTH}.
   *
   * @param indent blanks in front of every line but the first
   * @param taken columns of the first line that are taken already
   */
  public static String wrapped(String text, int indent, int taken) {
    StringBuilder out = new StringBuilder();
    int column = taken;
    for (String word : text.split(" ", -1)) {
      boolean first = column == taken && out.length() == 0;
      if (!first && column + 1 + word.length() > WIDTH) {
        out.append('\n').append(" ".repeat(indent));
        column = indent;
        first = true;
      }
      out.append(first ? "" : " ").append(word);
      column += word.length() + (first ? 0 : 1);
    }
    return out.toString();
  }

  /** A text, wrapped, with its place behind it, on the next line where it does not fit. */
  public String placed(String text, @Nullable String place, int indent, int taken) {
    String wrapped = wrapped(text, indent, taken);
    if (place == null) {
      return wrapped;
    }
    int lastBreak = wrapped.lastIndexOf('\n');
    int column = lastBreak < 0 ? taken + wrapped.length() : wrapped.length() - lastBreak - 1;
    boolean fits = column + 2 + place.length() <= WIDTH;
    return wrapped + (fits ? "  " : "\n" + " ".repeat(indent)) + place(place);
  }
}
