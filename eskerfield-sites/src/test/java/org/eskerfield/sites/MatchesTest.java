// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.replay.Replay;
import org.eskerfield.formats.replay.Resends;
import org.eskerfield.formats.replay.Traffic;
import org.eskerfield.matches.Matches;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;

/** Matches of a small site, counted by hand. */
class MatchesTest {
  static final String SITE =
      """
      eskerfield: 1
      site: A workshop
      time-zone: UTC
      networks:
        link: { prefix: 203.0.113.0/29, zone: internet, carrier: 203.0.113.1 }
        office: { prefix: 10.1.0.0/24, zone: office }
        guests: { prefix: 10.2.0.0/24, zone: guests }
      hosts:
        clerk: { on: office, at: 10.1.0.10 }
        web: { on: office, at: 10.1.0.20, listens: [https, ssh] }
        visitor: { on: guests, at: 10.2.0.5 }
        feed: { on: internet, at: 192.0.2.200, listens: https }
        maker: { on: internet, at: 192.0.2.40 }
      devices:
        edge:
          stance: { office to any: accept, otherwise: drop }
          interfaces:
            uplink: { on: link, at: 203.0.113.2 }
            office: { on: office, at: 10.1.0.1 }
            guests: { on: guests, at: 10.2.0.1 }
          routes: [{ to: any, via: 203.0.113.1 }]
          services: [{ service: ssh, from: office }]
          translation:
            - { destination: the shop, arriving: uplink, at: uplink 443/tcp, becomes: web 443 }
            - { destination: the shop again, arriving: uplink, at: uplink 443/tcp, becomes: web 22 }
            - { destination: nobody asks, arriving: uplink, at: uplink 8443/tcp, becomes: web 443 }
            - { shared: everybody, from: [office, guests], leaving: uplink }
          access:
            from guests:
              guards: { arriving: guests }
              rules:
                - { drop: noise, to: 192.0.2.0/24, service: udp }
                - { accept: names, to: internet, service: 53/udp }
                - { accept: web, to: internet, service: https }
              otherwise: drop
            from outside:
              guards: { arriving: uplink }
              rules: [{ accept: the shop is open, to: web, service: https }]
              otherwise: drop
      """;

  private static final String FLOWS =
      """
      at,from,to,service,source-port
      0s,visitor,192.0.2.53,53/udp,50001
      1s,visitor,192.0.2.53,53/udp,50002
      2s,visitor,feed,https,50003
      3s,visitor,clerk,https,50004
      4s,clerk,feed,https,50005
      5s,maker,203.0.113.2,443/tcp,50006
      6s,feed,203.0.113.2,443/tcp,50007
      7s,maker,203.0.113.2,443/tcp,50008
      8s,visitor,feed,https,50009
      9s,maker,203.0.113.2,ssh,50010
      10s,clerk,10.1.0.1,ssh,50011
      """;

  private static Matches matches() throws Exception {
    Site site = GuaranteesTest.file(SITE).site();
    Tracer tracer = Tracer.of(site);
    Matches matches = new Matches(tracer);
    byte[] flows = FLOWS.getBytes(StandardCharsets.UTF_8);
    try (Traffic traffic =
        Traffic.open(
            site, "flows.csv", new ByteArrayInputStream(flows), null, Resends.NONE, true)) {
      Replay.of(
          tracer.run(traffic.start()),
          traffic,
          List.of(),
          null,
          (number, what) -> matches.add(what.at(), what.trace()));
    }
    return matches;
  }

  @Test
  void eachRuleHasTheFlowsItDecided() throws Exception {
    Matches matches = matches();
    List<String> told = new ArrayList<>();
    for (Matches.Row row : matches.rows()) {
      String instead = row.instead() == null ? "" : ", instead " + Labels.of(row.instead());
      told.add(Labels.of(row.by()) + ": " + row.flows() + instead);
    }
    assertThat(matches.flows()).isEqualTo(11);
    assertThat(told)
        .containsExactly(
            "destination rule 'the shop': 3",
            "destination rule 'the shop again': 0, instead destination rule 'the shop'",
            "destination rule 'nobody asks': 0",
            "shared rule 'everybody': 3",
            "access rule 'noise': 2",
            "access rule 'names': 0, instead access rule 'noise'",
            "access rule 'web': 2",
            "list 'from guests': 1",
            "access rule 'the shop is open': 3",
            "list 'from outside': 0",
            "own service ssh: 1",
            "route to 0.0.0.0/0: 5");
  }

  @Test
  void timesAndEndsAreThoseOfTheFlows() throws Exception {
    Matches.Row shop = matches().rows().get(0);
    assertThat(shop.first()).isEqualTo(Duration.ofSeconds(5));
    assertThat(shop.last()).isEqualTo(Duration.ofSeconds(7));
    assertThat(shop.senders().toString()).isEqualTo("{192.0.2.40=2, 192.0.2.200=1}");
    assertThat(shop.receivers().toString()).isEqualTo("{203.0.113.2=3}");
  }
}
