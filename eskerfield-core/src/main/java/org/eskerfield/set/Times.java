// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.time.LocalDate;
import java.time.LocalTime;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import org.eskerfield.model.Schedule;
import org.jspecify.annotations.Nullable;

/**
 * The stretches of time that schedules tell apart, numbered from 0 on: within one, each schedule
 * either acts or does not.
 *
 * <p>Idea: what a schedule says of a moment hangs on the day of the week, on whether the day lies
 * within its bounds, and on the hour. So it is enough to look at each hour at which a window begins
 * or ends, on the days of one week and of the weeks around each bound.
 */
public final class Times {
  private static final int AROUND = 8; // a week, and the day before for windows that pass midnight

  private final List<Schedule> schedules;
  private final Map<BitSet, Integer> numbers = new LinkedHashMap<>();
  private final List<ZonedDateTime> moments = new ArrayList<>();

  /**
   * The stretches that some schedules make.
   *
   * @param usual a moment of an ordinary day in the time zone of the schedules; it is in number 0
   */
  public Times(Collection<Schedule> schedules, ZonedDateTime usual) {
    this.schedules = List.copyOf(schedules);
    TreeSet<LocalTime> hours = new TreeSet<>(List.of(LocalTime.MIDNIGHT));
    TreeSet<LocalDate> days = new TreeSet<>();
    addDays(days, usual.toLocalDate());
    for (Schedule schedule : schedules) {
      for (Schedule.Window window : schedule.windows()) {
        hours.add(window.start());
        hours.add(window.end());
        addDays(days, window.firstDay());
        addDays(days, window.lastDay());
      }
    }
    note(usual);
    for (LocalDate day : days) {
      for (LocalTime hour : hours) {
        note(day.atTime(hour).atZone(usual.getZone()));
      }
    }
  }

  private static void addDays(Set<LocalDate> days, @Nullable LocalDate middle) {
    for (int i = -AROUND; middle != null && i <= AROUND; i++) {
      days.add(middle.plusDays(i));
    }
  }

  private void note(ZonedDateTime moment) {
    if (numbers.putIfAbsent(acting(moment), moments.size()) == null) {
      moments.add(moment);
    }
  }

  private BitSet acting(ZonedDateTime moment) {
    BitSet acting = new BitSet();
    for (int i = 0; i < schedules.size(); i++) {
      acting.set(i, schedules.get(i).covers(moment));
    }
    return acting;
  }

  /** How many there are; at least one. */
  int count() {
    return moments.size();
  }

  /** A moment in one of them. */
  public ZonedDateTime moment(int number) {
    return moments.get(number);
  }

  /** The one that holds a moment. */
  int numberOf(ZonedDateTime moment) {
    Integer number = numbers.get(acting(moment));
    if (number == null) {
      throw new IllegalStateException(moment + " is in no stretch of time");
    }
    return number;
  }

  /** Those in which a schedule acts; empty if it never does. */
  public BitSet covered(Schedule schedule) {
    BitSet covered = new BitSet();
    for (int i = 0; i < moments.size(); i++) {
      covered.set(i, schedule.covers(moments.get(i)));
    }
    return covered;
  }
}
