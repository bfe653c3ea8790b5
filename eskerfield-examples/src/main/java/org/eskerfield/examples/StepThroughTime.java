// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.examples;

import java.io.PrintStream;
import java.nio.file.Path;
import java.time.Duration;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;

/** Lets time pass between conversations until one that found no address left comes through. */
public final class StepThroughTime {
  private StepThroughTime() {}

  /** Runs on the demo. */
  public static void main(String[] args) throws Exception {
    run(Path.of("demo/marrowby.site.yaml"), System.out);
  }

  /** How long the fifth gauge waits for one of four addresses, after four gauges opened TCP. */
  static Duration run(Path file, PrintStream out) throws Exception {
    Site site = SiteReader.read(file);
    QuestionReader ask = QuestionReader.on(site).to("hydrographic").service("8883/tcp");
    Run run = Tracer.of(site).run(ask.from("gauge-1").attempt().at());
    for (int gauge = 1; gauge <= 4; gauge++) {
      out.println(run.leaveOpen(ask.from("gauge-" + gauge).attempt()).reason());
    }
    Duration waited = Duration.ZERO;
    while (run.leaveOpen(ask.from("gauge-5").attempt()).outcome() == Outcome.EXHAUSTED) {
      run.advance(Duration.ofMinutes(1));
      waited = waited.plusMinutes(1);
    }
    out.println("gauge-5 gets through after " + waited.toMinutes() + " minutes");
    run.bindings("breakwater")
        .forEach(row -> out.println("  " + row.internal() + " is seen as " + row.external()));
    return waited;
  }
}
