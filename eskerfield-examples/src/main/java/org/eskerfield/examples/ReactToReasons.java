// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.examples;

import java.io.PrintStream;
import java.nio.file.Path;
import org.eskerfield.cause.Cause;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;

/** Asks why something does not work, and tells whose job it is to mend it. */
public final class ReactToReasons {
  private ReactToReasons() {}

  /** Runs on a site with a mistake. */
  public static void main(String[] args) throws Exception {
    run(Path.of(args.length > 0 ? args[0] : "demo/mistakes/order.site.yaml"), System.out);
  }

  static Diagnosis run(Path file, PrintStream out) throws Exception {
    Site site = SiteReader.read(file);
    Diagnosis diagnosis =
        Diagnosis.of(
            site,
            QuestionReader.on(site)
                .from("passenger")
                .to("booking.example")
                .service("https")
                .attempt());
    for (Obstacle obstacle : diagnosis.obstacles()) {
      out.println(whoseJob(obstacle.cause()) + ": " + obstacle.sentence());
      out.println("  " + obstacle.cause() + ", " + obstacle.detail());
    }
    return diagnosis;
  }

  private static String whoseJob(Cause cause) {
    return switch (cause) {
      case NOTHING_LISTENS, HOST_FILTER, HOST_OFF, GATEWAY_OR_PREFIX_WRONG -> "the server team";
      case NAME_UNKNOWN, NAME_WRONG_SIDE -> "whoever keeps the names";
      case INTERFACE_DOWN -> "whoever is on site";
      default -> "the network team";
    };
  }
}
