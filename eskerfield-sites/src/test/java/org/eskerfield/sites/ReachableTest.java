// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.formats.SiteLot;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.reach.Reachable;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;

/** What the internet reaches, against packets tried by themselves. */
class ReachableTest {
  private static final List<String> SENDERS = List.of("203.0.113.0", "203.0.113.2", "192.0.2.9");
  private static final List<String> SERVICES =
      List.of("22/tcp", "79/tcp", "80/tcp", "82/tcp", "1080/tcp", "81/udp", "1081/udp", "ping");

  @Test
  void whateverIsReachedIsTold() throws Exception {
    int met = 0;
    for (int seed = 0; seed < 60; seed++) {
      Site site;
      try {
        site =
            SiteReader.read(
                "x",
                new SiteLot(seed).site().replace("groups:", ChangedFatesTest.HOSTS + "groups:"));
      } catch (UnreadableSiteException e) {
        continue;
      }
      Reachable reachable = Reachable.fromOutside(site);
      assertThat(reachable.complete()).isTrue();
      Set<String> told = new HashSet<>();
      Tracer tracer = Tracer.of(site);
      for (Reachable.Entry entry : reachable.entries()) {
        told.add(entry.receiver() + " " + entry.outcome());
        assertThat(entry.packets()).isNotEmpty();
        Trace again = tracer.trace(entry.sample().question());
        assertThat(again.outcome()).isEqualTo(entry.outcome());
      }
      Set<String> tried = new HashSet<>();
      for (String from : SENDERS) {
        for (int last = 130; last < 143; last++) {
          for (String service : SERVICES) {
            Trace trace =
                tracer.trace(
                    QuestionReader.on(site)
                        .from(from)
                        .to("198.51.100." + last)
                        .service(service)
                        .read());
            Endpoint to = trace.deliveredTo();
            if (to != null) {
              String name = to.name() == null ? to.address().toString() : to.name();
              tried.add(name + " " + trace.outcome());
            }
          }
        }
      }
      assertThat(told).as("seed %d", seed).containsAll(tried);
      met += tried.size();
    }
    assertThat(met).isGreaterThan(25);
  }

  @Test
  void theDemoOffersJustWhatItMeansTo() throws Exception {
    Site site = SiteReader.read(Path.of("../demo/marrowby.site.yaml"));
    assertThat(Reachable.fromOutside(site).entries())
        .extracting(entry -> entry.receiver() + " " + entry.outcome() + " " + entry.packets())
        .containsExactly(
            "archive answered [from 198.51.100.32/28 to 203.0.113.37, 21/tcp]",
            "booking answered [from the internet to 203.0.113.35, 443/tcp]",
            "lantern answered [from the internet to 203.0.113.39, 53/tcp, 53/udp]",
            "manifests answered [from 198.51.100.32/28 to 203.0.113.36, 2222/tcp]",
            "radio answered [from the internet to 203.0.113.38, 5060/tcp, 5060/udp,"
                + " 10000-10039/udp]",
            "ramp answered [from contractor (192.0.2.140) to skerry (198.51.100.140), 1502/tcp, at some"
                + " times]");
  }
}
