// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.Locale;

/** Moments as sentences quote them. */
public final class Moments {
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

  private static String word(Enum<?> name) {
    String text = name.name();
    return text.charAt(0) + text.substring(1).toLowerCase(Locale.ROOT);
  }
}
