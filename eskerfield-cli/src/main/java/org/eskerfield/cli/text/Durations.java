// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.time.Duration;

/** Durations as tables show them: {@code 2h 4m}, {@code 59s}. */
public final class Durations {
  private Durations() {}

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
}
