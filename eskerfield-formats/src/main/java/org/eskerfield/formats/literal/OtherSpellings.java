// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** Knows how people write addresses elsewhere, and how the same is written here. */
final class OtherSpellings {
  private static final String FOUR = "\\d{1,3}(?:\\.\\d{1,3}){3}";
  private static final Pattern DASH = Pattern.compile("[\u2010-\u2015\u2212]");
  private static final Pattern WITH_PORT = Pattern.compile("(" + FOUR + "):(\\d{1,5})");
  private static final Pattern LEADING_ZERO = Pattern.compile("(?<![0-9])0+(?=[0-9])");
  private static final Pattern DOTTED = Pattern.compile(FOUR);
  private static final Pattern MASKED =
      Pattern.compile("(" + FOUR + ")(?:\\s*/\\s*|\\s+)(" + FOUR + ")");
  private static final Pattern SPELT_RANGE =
      Pattern.compile("(" + FOUR + ")\\s*(?:to|\\.\\.|:)\\s*(" + FOUR + ")");
  private static final Pattern STARRED =
      Pattern.compile("\\d{1,3}(?:\\.\\d{1,3}){0,2}(?:\\.[*xX]){1,3}");
  private static final Pattern LAST_NUMBER = Pattern.compile("(\\d{1,3}\\.){3}(\\d{1,3})");

  private OtherSpellings() {}

  /** What is said of a text that is no address. */
  static BadLiteralException address(String text) {
    String otherwise = "'" + text + "' is not an address";
    BadLiteralException pasted = pastedDash(text);
    if (pasted != null) {
      return pasted;
    }
    Matcher port = WITH_PORT.matcher(text);
    if (port.matches()) {
      return new BadLiteralException(
          "'" + text + "' is an address with a port",
          "a blank separates the two: " + port.group(1) + " " + port.group(2));
    }
    Matcher range = SPELT_RANGE.matcher(text);
    if (range.matches()) {
      return new BadLiteralException(
          otherwise, "a range is written " + range.group(1) + "-" + range.group(2));
    }
    if (STARRED.matcher(text).matches()) {
      String first = text.replaceAll("[*xX]", "0");
      int length = 8 * (4 - text.replaceAll("[^*xX]", "").length());
      return new BadLiteralException(otherwise, "a prefix is written " + first + "/" + length);
    }
    if (MASKED.matcher(text).matches()) {
      return new BadLiteralException(otherwise, "write the address alone, without its mask");
    }
    String plain = LEADING_ZERO.matcher(text).replaceAll("");
    if (DOTTED.matcher(text).matches() && !plain.equals(text)) {
      return new BadLiteralException(
          "'" + text + "' has a number with a leading zero, which some read as octal",
          "write " + plain + " if that is meant");
    }
    if (DOTTED.matcher(text).matches()) {
      for (String number : text.split("\\.", -1)) {
        if (Integer.parseInt(number) > 255) {
          return new BadLiteralException(otherwise + ": " + number + " is over 255", FORM);
        }
      }
    }
    return new BadLiteralException(otherwise, FORM);
  }

  private static final String FORM =
      "write four numbers from 0 to 255 such as 192.0.2.1, or an IPv6 address such as 2001:db8::1";

  /** A dash that a text program or a web page made of a hyphen; null if there is none. */
  static @Nullable BadLiteralException pastedDash(String text) {
    Matcher dash = DASH.matcher(text);
    return dash.find()
        ? new BadLiteralException(
            "'" + text + "' has a long dash, as text programs make it of a hyphen",
            "write " + dash.replaceAll("-"))
        : null;
  }

  /** A prefix whose length is written as a mask; null if it is none. */
  static @Nullable BadLiteralException masked(String text) throws BadLiteralException {
    Matcher matcher = MASKED.matcher(text);
    if (!matcher.matches()) {
      return null;
    }
    Address address = Literals.address(matcher.group(1));
    int length = BlockReader.masked(Literals.address(matcher.group(2)));
    if (length >= 0) {
      return new BadLiteralException(
          "'" + text + "' gives the prefix length as a mask",
          "write " + Prefix.around(address, length));
    }
    return new BadLiteralException(
        "'" + matcher.group(2) + "' is no mask: its ones do not come before its zeros",
        "write the prefix length, as in " + Prefix.around(address, 24));
  }

  /** The last address of a range of which only the last number is written; else the text. */
  static String lastOf(String first, String last) {
    Matcher whole = LAST_NUMBER.matcher(first);
    boolean number = last.matches("\\d{1,3}") && whole.matches();
    return number ? first.substring(0, first.lastIndexOf('.') + 1) + last : last;
  }
}
