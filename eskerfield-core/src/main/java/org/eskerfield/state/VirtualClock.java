// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.time.DayOfWeek;
import java.time.Duration;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;

/** The time of a run, in the time zone of the site. It moves only when told to, and never back. */
public final class VirtualClock {
  /** The local time at which a run starts unless told otherwise: a Monday at nine. */
  public static final LocalDateTime START = LocalDate.of(2026, 1, 5).atTime(9, 0);

  static {
    assert START.getDayOfWeek() == DayOfWeek.MONDAY;
  }

  private ZonedDateTime now;
  private long elapsed;
  private final List<Runnable> followers = new ArrayList<>();

  /** A clock that shows this moment. */
  public VirtualClock(ZonedDateTime now) {
    this(now, 0);
  }

  /** A clock that shows this moment, and went for some milliseconds before. */
  public VirtualClock(ZonedDateTime now, long elapsed) {
    this.now = now;
    this.elapsed = elapsed;
  }

  /** The start of a working day in a time zone. */
  public static ZonedDateTime start(ZoneId zone) {
    return START.atZone(zone);
  }

  /** Whether a moment is the start of a run that nobody has asked another one for. */
  public static boolean isStart(ZonedDateTime moment) {
    return moment.equals(start(moment.getZone()));
  }

  /** The moment. */
  public ZonedDateTime now() {
    return now;
  }

  /** Milliseconds since the clock was made. */
  public long elapsed() {
    return elapsed;
  }

  /** Asks for a call whenever time has passed. */
  public void whenItMoves(Runnable follower) {
    followers.add(follower);
  }

  /**
   * Lets time pass, to the millisecond.
   *
   * @throws IllegalArgumentException if the time is negative
   */
  public void advance(Duration time) {
    if (time.isNegative()) {
      throw new IllegalArgumentException("time does not go back: " + time);
    }
    now = now.plus(time);
    elapsed += time.toMillis();
    followers.forEach(Runnable::run);
  }
}
