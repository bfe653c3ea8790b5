// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.DayOfWeek;
import java.time.LocalDate;
import java.time.LocalTime;
import java.time.ZonedDateTime;
import java.util.EnumSet;
import java.util.List;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class ScheduleTest {
  private static Schedule.Window window(
      DayOfWeek first, DayOfWeek last, String start, String end, String firstDay, String lastDay) {
    return new Schedule.Window(
        EnumSet.range(first, last),
        LocalTime.parse(start),
        LocalTime.parse(end),
        firstDay == null ? null : LocalDate.parse(firstDay),
        lastDay == null ? null : LocalDate.parse(lastDay),
        "");
  }

  @ParameterizedTest
  @CsvSource({
    // A working week; the end is out. 2026-01-05 is a Monday.
    "week,    2026-01-05T07:00, true",
    "week,    2026-01-05T06:59, false",
    "week,    2026-01-09T17:59, true",
    "week,    2026-01-09T18:00, false",
    "week,    2026-01-10T12:00, false",
    // A night belongs to the day on which it starts: Friday's reaches into Saturday.
    "nights,  2026-01-09T22:00, true",
    "nights,  2026-01-10T05:59, true",
    "nights,  2026-01-10T06:00, false",
    "nights,  2026-01-10T23:00, false",
    "nights,  2026-01-05T03:00, false",
    // Midnight to midnight is the whole day.
    "sundays, 2026-01-11T00:00, true",
    "sundays, 2026-01-11T23:59, true",
    "sundays, 2026-01-12T00:00, false",
    // Both bounds are in.
    "season,  2026-04-01T12:00, true",
    "season,  2026-10-31T12:00, true",
    "season,  2026-03-31T12:00, false",
    "season,  2026-11-01T12:00, false",
  })
  void coversItsWindows(String name, String moment, boolean covered) {
    DayOfWeek mon = DayOfWeek.MONDAY;
    DayOfWeek fri = DayOfWeek.FRIDAY;
    DayOfWeek sun = DayOfWeek.SUNDAY;
    Schedule.Window window =
        switch (name) {
          case "week" -> window(mon, fri, "07:00", "18:00", null, null);
          case "nights" -> window(mon, fri, "22:00", "06:00", null, null);
          case "sundays" -> window(sun, sun, "00:00", "00:00", null, null);
          default -> window(mon, sun, "00:00", "00:00", "2026-04-01", "2026-10-31");
        };
    Schedule schedule = new Schedule(name, List.of(window), Place.IN_CODE);
    assertThat(schedule.covers(ZonedDateTime.parse(moment + ":00Z"))).isEqualTo(covered);
  }
}
