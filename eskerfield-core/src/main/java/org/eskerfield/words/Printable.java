// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.words;

/**
 * Text that shows what it is: characters that steer a terminal, turn the direction of a line, break
 * it, or show nothing at all are written out, so that nobody can make a line look like another one.
 */
public final class Printable {
  /** More than this nobody reads of one message. */
  private static final int LONGEST_MESSAGE = 300;

  private Printable() {}

  /**
   * Whether a character shows itself and does nothing else. Control characters, line and paragraph
   * separators, marks of direction and other format characters do not, nor do halves of characters
   * and those that Unicode keeps free of meaning; but the two joiners are needed to write some
   * languages.
   */
  public static boolean is(int codePoint) {
    return switch (Character.getType(codePoint)) {
      case Character.CONTROL,
          Character.LINE_SEPARATOR,
          Character.PARAGRAPH_SEPARATOR,
          Character.SURROGATE ->
          false;
      case Character.FORMAT -> codePoint == 0x200c || codePoint == 0x200d;
      default -> (codePoint & 0xfffe) != 0xfffe && (codePoint < 0xfdd0 || codePoint > 0xfdef);
    };
  }

  /** Where the first character stands that is not printable; -1 if every one is. */
  public static int firstThatIsNot(String text) {
    for (int i = 0; i < text.length(); ) {
      char c = text.charAt(i);
      if (c >= ' ' && c < 0x7f) { // most are
        i++;
        continue;
      }
      int codePoint = text.codePointAt(i);
      if (!is(codePoint)) {
        return i;
      }
      i += Character.charCount(codePoint);
    }
    return -1;
  }

  /** What is not printable, written out as in JSON: {@code \}{@code u001b}. */
  public static String escaped(String text) {
    return escaped(text, "");
  }

  /** The same, but for tabs and line breaks, in a text of several lines. */
  public static String lines(String text) {
    return escaped(text.replace("\r\n", "\n"), "\n\t");
  }

  private static String escaped(String text, String kept) {
    int first = firstThatIsNot(text);
    if (first < 0) {
      return text;
    }
    StringBuilder out = new StringBuilder(text.length() + 16).append(text, 0, first);
    for (int i = first; i < text.length(); ) {
      int codePoint = text.codePointAt(i);
      int length = Character.charCount(codePoint);
      if (is(codePoint) || kept.indexOf(codePoint) >= 0) {
        out.appendCodePoint(codePoint);
      } else {
        for (char c : Character.toChars(codePoint)) {
          escape(c, out);
        }
      }
      i += length;
    }
    return out.toString();
  }

  /** Writes one character out: four hexadecimal digits, whatever it is. */
  private static void escape(char c, StringBuilder out) {
    out.append("\\u");
    for (int shift = 12; shift >= 0; shift -= 4) {
      out.append(Character.forDigit(c >>> shift & 0xf, 16));
    }
  }

  /** A text of several lines in one, what is not printable written out. */
  public static String line(String text) {
    return escaped(text.strip().replaceAll("[ \\t]*[\\r\\n]+[ \\t]*", " ").replace('\t', ' '));
  }

  /** A message of one line, which may quote text of any kind and length. */
  public static String message(String text) {
    return escaped(shortened(text, LONGEST_MESSAGE));
  }

  /** At most so many characters of a text, the end left out. */
  public static String shortened(String text, int most) {
    return text.length() <= most ? text : text.substring(0, most - 1) + "…";
  }
}
