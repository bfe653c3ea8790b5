// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.time.DateTimeException;
import java.time.DayOfWeek;
import java.time.LocalDate;
import java.time.LocalTime;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.Schedule;
import org.jspecify.annotations.Nullable;

/** Reads the time windows of a schedule. */
final class ScheduleReader {
  private static final Pattern HOURS =
      Pattern.compile("([0-9]{1,2}):([0-9]{2})\\s*-\\s*([0-9]{1,2}):([0-9]{2})");

  private final Problems problems;

  ScheduleReader(Problems problems) {
    this.problems = problems;
  }

  @Nullable Schedule read(Node.Scalar name, List<Fields> windows) {
    List<Schedule.Window> read = new ArrayList<>();
    for (Fields fields : windows) {
      Schedule.Window window = window(fields);
      if (window != null) {
        read.add(window);
      }
    }
    return read.isEmpty() ? null : new Schedule(name.text(), read, name.place());
  }

  private Schedule.@Nullable Window window(Fields fields) {
    Set<DayOfWeek> days = EnumSet.noneOf(DayOfWeek.class);
    List<String> words = new ArrayList<>();
    for (Node.Scalar scalar : fields.texts("days")) {
      addDays(days, scalar);
      words.add(scalar.text());
    }
    LocalTime start = LocalTime.MIDNIGHT;
    LocalTime end = LocalTime.MIDNIGHT;
    Node.Scalar hours = fields.scalar("hours");
    if (hours != null) {
      Matcher matcher = HOURS.matcher(hours.text());
      LocalTime from = matcher.matches() ? time(matcher.group(1), matcher.group(2)) : null;
      LocalTime to = matcher.matches() ? time(matcher.group(3), matcher.group(4)) : null;
      if (from == null || to == null) {
        problems.add(
            hours,
            "'" + hours.text() + "' are no hours",
            "write them as in 07:00-18:00, from 00:00 to 24:00");
        return null;
      }
      if (from.equals(to) && !from.equals(LocalTime.MIDNIGHT)) {
        problems.add(
            hours, "the hours '" + hours.text() + "' begin and end at once", "write 00:00-24:00");
      }
      start = from;
      end = to;
    }
    LocalDate first = date(fields.scalar("first-day"));
    LocalDate last = date(fields.scalar("last-day"));
    if (first != null && last != null && first.isAfter(last)) {
      problems.add(
          fields.place("last-day"),
          "the last day " + last + " is before the first day " + first,
          "swap the two");
    }
    if (days.isEmpty()) {
      return null;
    }
    String text = String.join(", ", words);
    text += hours == null ? "" : " " + hours.text();
    text += first == null ? "" : " from " + first;
    text += last == null ? "" : " until " + last;
    return new Schedule.Window(days, start, end, first, last, text);
  }

  private static @Nullable LocalTime time(String hour, String minute) {
    int h = Integer.parseInt(hour);
    int m = Integer.parseInt(minute);
    if (m > 59 || h > 24 || (h == 24 && m > 0)) {
      return null;
    }
    return LocalTime.of(h % 24, m);
  }

  private @Nullable LocalDate date(Node.@Nullable Scalar scalar) {
    if (scalar == null) {
      return null;
    }
    try {
      return LocalDate.parse(scalar.text());
    } catch (DateTimeException e) {
      problems.add(scalar, "'" + scalar.text() + "' is no date", "write it as in 2026-11-30");
      return null;
    }
  }

  private void addDays(Set<DayOfWeek> days, Node.Scalar scalar) {
    String text = scalar.text().toLowerCase(Locale.ROOT);
    if (text.equals("every day")) {
      days.addAll(EnumSet.allOf(DayOfWeek.class));
      return;
    }
    String[] ends = text.split("-", -1);
    DayOfWeek first = Times.day(ends[0].strip());
    DayOfWeek last = Times.day(ends[ends.length - 1].strip());
    if (first == null || last == null || ends.length > 2) {
      problems.add(
          scalar,
          "'" + scalar.text() + "' are no days of the week",
          "write mon, tue, wed, thu, fri, sat, sun, a range such as mon-fri, or every day");
      return;
    }
    for (DayOfWeek day = first; ; day = day.plus(1)) {
      days.add(day);
      if (day == last) {
        return;
      }
    }
  }
}
