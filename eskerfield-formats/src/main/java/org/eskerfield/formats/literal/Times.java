// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

import java.time.DayOfWeek;
import java.time.Duration;
import java.util.Locale;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/** Reads durations and days as people write them. */
public final class Times {
  private static final Pattern TIME =
      Pattern.compile(
          "(?:(\\d{1,4})d)?(?:(\\d{1,6})h)?(?:(\\d{1,6})m)?(?:(\\d{1,9})(?:\\.(\\d{1,3}))?s)?");

  private Times() {}

  /** A duration such as {@code 2h4m} or {@code 1.5s}; null if the text is none. */
  public static @Nullable Duration duration(String text) {
    Matcher matcher = TIME.matcher(text.strip());
    if (text.isBlank() || !matcher.matches()) {
      return null;
    }
    String millis = matcher.group(5) == null ? "0" : (matcher.group(5) + "00").substring(0, 3);
    return Duration.ofDays(number(matcher.group(1)))
        .plusHours(number(matcher.group(2)))
        .plusMinutes(number(matcher.group(3)))
        .plusSeconds(number(matcher.group(4)))
        .plusMillis(number(millis));
  }

  private static long number(@Nullable String digits) {
    return digits == null ? 0 : Long.parseLong(digits);
  }

  /** A day by its English name or the beginning of it, at least two letters. */
  public static @Nullable DayOfWeek day(String text) {
    String lower = text.toLowerCase(Locale.ROOT);
    for (DayOfWeek day : DayOfWeek.values()) {
      if (lower.length() >= 2 && day.name().toLowerCase(Locale.ROOT).startsWith(lower)) {
        return day;
      }
    }
    return null;
  }
}
