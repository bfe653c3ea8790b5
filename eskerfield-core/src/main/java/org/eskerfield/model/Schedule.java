// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.time.DayOfWeek;
import java.time.LocalDate;
import java.time.LocalTime;
import java.time.ZonedDateTime;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * When a rule acts.
 *
 * @param name the name
 * @param windows the rule acts within any of these; at least one
 * @param place where it stands
 */
public record Schedule(String name, List<Window> windows, Place place) implements Named {
  /** Copies the windows. */
  public Schedule {
    windows = List.copyOf(windows);
  }

  /** Whether the moment, in the time zone of the site, lies in one of the windows. */
  public boolean covers(ZonedDateTime moment) {
    for (Window window : windows) {
      if (window.covers(moment)) {
        return true;
      }
    }
    return false;
  }

  /** Whether it is the same in every week. */
  public boolean isWeekly() {
    return windows.stream().allMatch(each -> each.firstDay == null && each.lastDay == null);
  }

  /** The last day on which it acts; null where it acts without end. */
  public @Nullable LocalDate lastDay() {
    LocalDate last = LocalDate.MIN;
    for (Window window : windows) {
      if (window.lastDay == null) {
        return null;
      }
      last = window.lastDay.isAfter(last) ? window.lastDay : last;
    }
    return last;
  }

  /**
   * Hours of some days. Hours that end at or before their start pass midnight and belong to the day
   * on which they start; from 00:00 to 00:00 is the whole day.
   *
   * @param days the days of the week; at least one
   * @param start the first moment
   * @param end the first moment after it
   * @param firstDay the first day on which it counts, or null for no bound
   * @param lastDay the last day on which it counts, or null for no bound
   * @param text the window in words, as a reason quotes it
   */
  public record Window(
      Set<DayOfWeek> days,
      LocalTime start,
      LocalTime end,
      @Nullable LocalDate firstDay,
      @Nullable LocalDate lastDay,
      String text) {
    /** Copies the days. */
    public Window {
      days = Set.copyOf(days);
    }

    boolean covers(ZonedDateTime moment) {
      LocalDate day = moment.toLocalDate();
      LocalTime time = moment.toLocalTime();
      if (start.isBefore(end)) {
        return opensOn(day) && !time.isBefore(start) && time.isBefore(end);
      }
      return (opensOn(day) && !time.isBefore(start))
          || (opensOn(day.minusDays(1)) && time.isBefore(end));
    }

    private boolean opensOn(LocalDate day) {
      return days.contains(day.getDayOfWeek())
          && (firstDay == null || !day.isBefore(firstDay))
          && (lastDay == null || !day.isAfter(lastDay));
    }
  }
}
