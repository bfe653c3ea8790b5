// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.OffsetDateTime;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.time.format.DateTimeFormatterBuilder;
import java.time.temporal.TemporalAccessor;
import java.util.Locale;
import java.util.regex.Pattern;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.literal.BadLiteralException;
import org.jspecify.annotations.Nullable;

/**
 * Reads times as logs write them: RFC 3339 (with a space for the T, too), without an offset by the
 * clock of the site; seconds, milliseconds, microseconds or nanoseconds since 1970, told apart by
 * how many digits they have; or by a pattern that is given.
 */
final class LogTimes {
  private static final Pattern NUMBER = Pattern.compile("[0-9]{1,19}(\\.[0-9]{1,9})?");
  private static final int DATE = "2026-03-02".length();
  private static final DateTimeFormatter USUAL =
      new DateTimeFormatterBuilder()
          .append(DateTimeFormatter.ISO_LOCAL_DATE)
          .appendLiteral('T')
          .append(DateTimeFormatter.ISO_LOCAL_TIME)
          .optionalStart()
          .appendOffset("+HH:mm", "Z")
          .optionalEnd()
          .optionalStart()
          .appendOffset("+HHmm", "Z")
          .optionalEnd()
          .toFormatter(Locale.ROOT);

  private final ZoneId zone;
  private final @Nullable DateTimeFormatter given;

  LogTimes(ZoneId zone, @Nullable String pattern) throws UnusableQuestionException {
    this.zone = zone;
    try {
      given = pattern == null ? null : DateTimeFormatter.ofPattern(pattern, Locale.ROOT);
    } catch (IllegalArgumentException e) {
      throw new UnusableQuestionException(
          "time-format",
          "'" + pattern + "' is no pattern of a time: " + e.getMessage(),
          "write it like dd/MM/yyyy HH:mm:ss");
    }
  }

  /**
   * Reads a time.
   *
   * @throws BadLiteralException if it is none
   * @throws java.time.DateTimeException if it is before or after all years
   */
  Instant read(String text) throws BadLiteralException {
    try {
      if (given != null) {
        return instant(given.parseBest(text, OffsetDateTime::from, LocalDateTime::from));
      }
      if (NUMBER.matcher(text).matches()) {
        return number(new BigDecimal(text));
      }
      // A space for the T, as RFC 3339 allows, and before an offset, as many write it.
      boolean spaced = text.length() > DATE && text.charAt(DATE) == ' ';
      String usual = spaced ? text.substring(0, DATE) + 'T' + text.substring(DATE + 1) : text;
      return instant(
          USUAL.parseBest(usual.replace(" ", ""), OffsetDateTime::from, LocalDateTime::from));
    } catch (java.time.format.DateTimeParseException e) {
      throw new BadLiteralException(
          "'" + text + "' is no time", "say with --time-format how times are written");
    }
  }

  private Instant instant(TemporalAccessor read) {
    return read instanceof OffsetDateTime exact
        ? exact.toInstant()
        : ((LocalDateTime) read).atZone(zone).toInstant();
  }

  /** Since 1970; what would be a date after the year 5138 is in a smaller unit. */
  private static Instant number(BigDecimal value) {
    BigDecimal seconds = value;
    for (int i = 0; i < 3 && seconds.compareTo(BigDecimal.valueOf(100_000_000_000L)) >= 0; i++) {
      seconds = seconds.movePointLeft(3);
    }
    long whole = seconds.longValue();
    long nanos = seconds.subtract(BigDecimal.valueOf(whole)).movePointRight(9).longValue();
    return Instant.ofEpochSecond(whole, nanos);
  }
}
