package org.eskerfield.cli;

import org.eskerfield.engine.Outcome;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;

/**
 * Colours and line width of text for people. Colours only underline what the words say, so that
 * nothing is lost without them.
 *
 * @param colour whether to use any
 */
record Style(boolean colour) {
  /** The widest line. */
  static final int WIDTH = 100;

  /** Plain text. */
  static final Style PLAIN = new Style(false);

  CommandLine.Help.Ansi ansi() {
    return colour ? CommandLine.Help.Ansi.ON : CommandLine.Help.Ansi.OFF;
  }

  String strong(String text) {
    return coded("1", text);
  }

  String faint(String text) {
    return coded("2", text);
  }

  String good(String text) {
    return coded("1;32", text);
  }

  String bad(String text) {
    return coded("1;31", text);
  }

  String place(String text) {
    return coded("36", text);
  }

  String outcome(Outcome outcome) {
    return outcome == Outcome.ANSWERED ? good(outcome.toString()) : bad(outcome.toString());
  }

  private String coded(String code, String text) {
    return colour ? "\u001b[" + code + "m" + text + "\u001b[0m" : text;
  }

  /**
   * Breaks a text at blanks so that no line is wider than {@link #WIDTH}.
   *
   * @param indent blanks in front of every line but the first
   * @param taken columns of the first line that are taken already
   */
  static String wrapped(String text, int indent, int taken) {
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

  /** Lines up a text with its place at the end, wrapped, the place in its colour. */
  String placed(String text, @Nullable String place, int indent, int taken) {
    if (place == null) {
      return wrapped(text, indent, taken);
    }
    String all = wrapped(text + "  " + place, indent, taken);
    return all.substring(0, all.length() - place.length()) + place(place);
  }
}
