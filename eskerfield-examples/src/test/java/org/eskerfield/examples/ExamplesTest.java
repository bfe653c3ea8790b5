// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.examples;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayOutputStream;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import org.eskerfield.outcome.Outcome;
import org.junit.jupiter.api.Test;

/** The examples run, and say what their readers are told they say. */
class ExamplesTest {
  private static final Path SKERRY = Path.of("../demo/skerry.site.yaml");

  private final ByteArrayOutputStream bytes = new ByteArrayOutputStream();
  private final PrintStream out = new PrintStream(bytes, true, StandardCharsets.UTF_8);

  @Test
  void traceOnePacket() throws Exception {
    assertThat(TraceOnePacket.run(SKERRY, out).outcome()).isEqualTo(Outcome.ANSWERED);
    assertThat(bytes.toString(StandardCharsets.UTF_8))
        .startsWith("answered: ramp 10.77.4.9:502 answers")
        .contains("skerry accepts it by access rule 'the contractor works on the ramp'");
  }

  @Test
  void whoGetsIn() throws Exception {
    assertThat(WhoGetsIn.run(SKERRY, out)).containsExactly("contractor on monday 10:00");
    assertThat(bytes.toString(StandardCharsets.UTF_8)).hasLineCount(1);
  }

  @Test
  void stepThroughTime() throws Exception {
    // An open TCP connection is forgotten after two hours and four minutes of silence (RFC 5382).
    assertThat(StepThroughTime.run(Path.of("../demo/marrowby.site.yaml"), out))
        .isEqualTo(Duration.ofMinutes(124));
    assertThat(bytes.toString(StandardCharsets.UTF_8))
        .contains("10.44.60.15/32 is seen as 192.0.2.68/32");
  }

  @Test
  void reactToReasons() throws Exception {
    assertThat(ReactToReasons.run(Path.of("../demo/mistakes/order.site.yaml"), out).complete())
        .isTrue();
    assertThat(bytes.toString(StandardCharsets.UTF_8))
        .startsWith("the network team: lockhouse drops it by access rule 'noise'");
  }
}
