// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.examples;

import java.io.PrintStream;
import java.nio.file.Path;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;

/** Reads a site, follows one packet, and prints the outcome and every decision on the way. */
public final class TraceOnePacket {
  private TraceOnePacket() {}

  /** Runs on the site file that is given, or on the demo. */
  public static void main(String[] args) throws Exception {
    run(Path.of(args.length > 0 ? args[0] : "demo/skerry.site.yaml"), System.out);
  }

  static Trace run(Path file, PrintStream out) throws Exception {
    Site site = SiteReader.read(file);
    Trace trace =
        Tracer.of(site)
            .trace(
                QuestionReader.on(site)
                    .from("contractor")
                    .to("198.51.100.140")
                    .service("1502/tcp")
                    .read());

    out.println(trace.outcome() + ": " + trace.reason());
    for (Leg leg : trace.request()) {
      for (Decision decision : leg.decisions()) {
        out.println("  " + leg.where() + " " + decision.text());
      }
    }
    return trace;
  }
}
