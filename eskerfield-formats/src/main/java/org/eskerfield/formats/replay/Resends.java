// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.replay;

import java.time.Duration;
import java.util.List;
import java.util.Locale;
import org.eskerfield.trace.Run;

/** When a SYN that nobody answers is sent again. */
public enum Resends {
  /** Never. */
  NONE,
  /** As RFC 6298 sections 2 and 5.5 say: after 1 s, then after twice as long. */
  DOUBLING,
  /** As current systems do: every second at first, and twice as long only then. */
  STEADY;

  private static final Duration SECOND = Duration.ofSeconds(1);

  /** How long it is waited before each, since the one before. */
  List<Duration> waits() {
    return switch (this) {
      case NONE -> List.of();
      case DOUBLING -> Run.RETRIES;
      case STEADY -> List.of(SECOND, SECOND, SECOND);
    };
  }

  /** The word of the command line. */
  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT);
  }
}
