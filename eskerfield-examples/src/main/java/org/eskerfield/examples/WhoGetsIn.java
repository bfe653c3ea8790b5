// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.examples;

import java.io.PrintStream;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;

/**
 * Tries one service from every host of the internet, at two times, and prints who gets in: a test
 * that nothing is exposed which nobody meant to expose, to be run on every change of the file.
 */
public final class WhoGetsIn {
  private WhoGetsIn() {}

  /** Runs on the site file that is given, or on the demo. */
  public static void main(String[] args) throws Exception {
    run(Path.of(args.length > 0 ? args[0] : "demo/skerry.site.yaml"), System.out);
  }

  static List<String> run(Path file, PrintStream out) throws Exception {
    Site site = SiteReader.read(file);
    for (Finding finding : Checker.check(site)) {
      out.println(finding.place() + " " + finding.message());
    }
    Tracer tracer = Tracer.of(site); // compiled once, asked often
    List<String> admitted = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      boolean outside = host.isOutside();
      for (String time : List.of("monday 10:00", "sunday 10:00")) {
        if (outside && ask(tracer, host.name(), time).outcome() == Outcome.ANSWERED) {
          admitted.add(host.name() + " on " + time);
        }
      }
    }
    out.println("the ramp controller answers: " + admitted);
    return admitted;
  }

  private static Trace ask(Tracer tracer, String from, String time)
      throws UnusableQuestionException {
    return tracer.trace(
        QuestionReader.on(tracer.site())
            .from(from)
            .to("198.51.100.140:1502")
            .service("tcp")
            .at(time)
            .read());
  }
}
