// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.util.Locale;
import org.eskerfield.model.Schedule;

/** Moments and lengths of time as sentences quote them. */
public final class Moments {
  private static final DateTimeFormatter DATED = DateTimeFormatter.ofPattern("uuuu-MM-dd HH:mm:ss");

  private Moments() {}

  /** A moment in English: {@code Monday 5 January 2026 09:00}. */
  public static String text(ZonedDateTime moment) {
    // Put together by hand: the formatters of the platform load the names of every locale first.
    return word(moment.getDayOfWeek())
        + " "
        + moment.getDayOfMonth()
        + " "
        + word(moment.getMonth())
        + " "
        + moment.getYear()
        + " "
        + moment.toLocalTime().withNano(0);
  }

  /**
   * A moment as far as a schedule asks for it: without the date where each week is like the next.
   */
  static String text(ZonedDateTime moment, Schedule schedule) {
    return schedule.isWeekly()
        ? word(moment.getDayOfWeek()) + " " + moment.toLocalTime().withNano(0)
        : text(moment);
  }

  /** A length of time: {@code 2h 4m}, {@code 90ms} where it is less than a second. */
  public static String text(Duration duration) {
    long seconds = duration.toSeconds();
    if (seconds == 0 && !duration.isZero()) {
      return duration.toMillis() + "ms";
    }
    StringBuilder text = new StringBuilder();
    append(text, seconds / 86_400, "d");
    append(text, seconds / 3600 % 24, "h");
    append(text, seconds / 60 % 60, "m");
    append(text, seconds % 60, "s");
    return text.length() == 0 ? "0s" : text.toString();
  }

  private static void append(StringBuilder text, long number, String unit) {
    if (number > 0) {
      text.append(text.length() == 0 ? "" : " ").append(number).append(unit);
    }
  }

  private static String word(Enum<?> name) {
    String text = name.name();
    return text.charAt(0) + text.substring(1).toLowerCase(Locale.ROOT);
  }

  /** A moment by the clock of its zone, to the second: {@code 2026-03-02 00:05:28}. */
  public static String dated(ZonedDateTime moment) {
    return DATED.format(moment);
  }
}
