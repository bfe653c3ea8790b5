// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.ask;

import java.time.DateTimeException;
import java.time.DayOfWeek;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.ZoneId;
import java.time.ZonedDateTime;
import java.time.temporal.TemporalAdjusters;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.state.VirtualClock;
import org.jspecify.annotations.Nullable;

/** The moment that a question names. */
final class AskedTime {
  private AskedTime() {}

  /** The moment that a text names; the usual one for null. */
  static ZonedDateTime of(@Nullable String at, ZoneId zone) throws UnusableQuestionException {
    ZonedDateTime start = VirtualClock.start(zone);
    if (at == null) {
      return start;
    }
    String text = at.strip();
    try {
      if (text.length() >= 10 && Character.isDigit(text.charAt(0))) {
        String iso = text.replace(' ', 'T');
        if (iso.length() == 10) {
          iso += "T09:00";
        }
        return iso.endsWith("Z") || iso.matches(".*[+-][0-9]{2}:[0-9]{2}")
            ? OffsetDateTime.parse(iso).atZoneSameInstant(zone)
            : LocalDateTime.parse(iso).atZone(zone);
      }
      String[] words = text.split("\\s+", -1);
      DayOfWeek day = Times.day(words[0]);
      if (words.length > (day == null ? 1 : 2)) {
        throw new DateTimeException(text);
      }
      LocalDateTime moment = VirtualClock.START;
      if (day != null) {
        moment = moment.with(TemporalAdjusters.nextOrSame(day));
      }
      if (day == null || words.length == 2) {
        String clock = words[words.length - 1];
        moment = moment.with(LocalTime.parse(clock.length() == 4 ? "0" + clock : clock));
      }
      return moment.atZone(zone);
    } catch (DateTimeException e) {
      throw new UnusableQuestionException(
          "at",
          "'" + text + "' is no time",
          "write 2026-11-23T10:00, sunday 10:00, sunday or 10:00");
    }
  }
}
