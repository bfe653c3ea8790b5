// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Attempt;
import org.eskerfield.verify.Expectation;

/** Every conversation that an expectation of the demo names, each with a port of its own. */
record DemoTalks(Site site, List<Attempt> attempts) {
  static List<DemoTalks> all() throws Exception {
    List<DemoTalks> all = new ArrayList<>();
    int port = 20_000;
    for (Path folder : List.of(Path.of("../demo"), Path.of("../demo/mistakes"))) {
      try (Stream<Path> files = Files.list(folder)) {
        for (Path file :
            files.filter(each -> each.toString().endsWith(".site.yaml")).sorted().toList()) {
          DemoTalks talks = of(SiteReader.readFile(file), port);
          port += 2 * talks.attempts().size();
          all.add(talks);
        }
      }
    }
    return all;
  }

  private static DemoTalks of(SiteFile file, int port) {
    List<Attempt> attempts = new ArrayList<>();
    for (Expectation expectation : file.expectations()) {
      for (Attempt each : expectation.attempts()) {
        attempts.add(
            new Attempt(
                each.sender(),
                each.source(),
                each.to(),
                each.name(),
                each.addresses(),
                each.probe(),
                port + attempts.size() * 2,
                each.manner(),
                each.at()));
      }
    }
    return new DemoTalks(file.site(), attempts);
  }
}
