package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.PrintWriter;
import java.io.StringWriter;
import java.time.Duration;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** How far long work has come is shown to a person at a terminal, and to nobody else. */
class ProgressLineTest {
  @ParameterizedTest
  @CsvSource({
    // at a terminal, wanted, patience in seconds, shown
    "true,  true,  0,    true",
    "true,  true,  3600, false",
    "true,  false, 0,    false",
    "false, true,  0,    false",
  })
  void itIsShownWhereSomebodyWaits(boolean terminal, boolean wanted, int patience, boolean shown) {
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    Terminal to =
        new Terminal(new PrintWriter(out, true), new PrintWriter(err), new Style(terminal));
    try (ProgressLine line = new ProgressLine(to, wanted, Duration.ofSeconds(patience))) {
      for (int done = 0; done < 40; done++) {
        line.begins("verifying", done, 40);
      }
      line.begins("replaying", 7, 0); // nobody knows of how many
    }
    assertThat(out.toString()).isEmpty();
    assertThat(err.toString().isEmpty()).isEqualTo(!shown);
    if (shown) {
      // Each state overwrites the one before, and at the end nothing is left on the line.
      assertThat(err.toString()).startsWith("\r\033[K").endsWith("\r\033[K").doesNotContain("\n");
      assertThat(err.toString()).contains("replaying");
      for (String state : err.toString().split("\r\033\\[K")) {
        assertThat(state.length()).isLessThanOrEqualTo(Style.WIDTH);
      }
    }
  }
}
