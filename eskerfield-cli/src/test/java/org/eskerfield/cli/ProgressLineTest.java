// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.io.PrintWriter;
import java.io.StringWriter;
import java.time.Instant;
import java.time.InstantSource;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** How far long work has come is shown to a person at a terminal, and to nobody else. */
class ProgressLineTest {
  private static final Instant START = Instant.parse("2026-11-02T09:00:00Z");

  /** At a clock that is put back while the work goes on, a person waits, and nothing fails. */
  @ParameterizedTest
  @CsvSource({
    // at a terminal, wanted, seconds gone by, its columns, the widest line
    "true,  true,  3,     ,    78",
    "true,  true,  3,     200, 78",
    "true,  true,  3,     60,  59",
    "true,  true,  3,     0,   78",
    "true,  true,  3,     -1,  78",
    "true,  true,  3,     x,   78",
    "true,  true,  3,     19,  0",
    "true,  true,  1,     ,    0",
    "true,  true,  -3600, ,    0",
    "true,  false, 3,     ,    0",
    "false, true,  3,     ,    0",
  })
  void itIsShownWhereSomebodyWaits(
      boolean terminal, boolean wanted, int seconds, String columns, int widest) {
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    Terminal to =
        new Terminal(new PrintWriter(out, true), new PrintWriter(err), new Style(terminal));
    InstantSource clock = mock(InstantSource.class);
    when(clock.instant()).thenReturn(START, START.plusSeconds(seconds));
    try (ProgressLine line = new ProgressLine(to, wanted, clock, columns)) {
      for (int done = 0; done < 40; done++) {
        line.begins("verifying", done, 40);
      }
      line.begins("replaying", 7, 0); // nobody knows of how many
    }
    assertThat(out.toString()).isEmpty();
    assertThat(err.toString().isEmpty()).isEqualTo(widest == 0);
    if (widest > 0) {
      // Each state overwrites the one before, and at the end nothing is left on the line.
      assertThat(err.toString()).startsWith("\r\033[K").endsWith("\r\033[K").doesNotContain("\n");
      assertThat(err.toString()).contains("replaying");
      for (String state : err.toString().split("\r\033\\[K")) {
        assertThat(state.length()).isLessThanOrEqualTo(widest);
      }
    }
  }
}
