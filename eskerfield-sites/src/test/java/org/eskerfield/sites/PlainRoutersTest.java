// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Tracer;

/**
 * Random sites of plain routers with random routes, walked a second time in the plainest way: the
 * traced way, there and back, is the same, and so is whether the sender gets its reply.
 */
class PlainRoutersTest {
  private static final int MOST_HOPS = 64;

  /** A router's place on a network; its address there ends with its number plus one. */
  private record Port(int network, boolean up) {}

  private record Static(int toNetwork, int viaNetwork, int viaRouter) {}

  private final List<List<Port>> ports = new ArrayList<>();
  private final List<List<Static>> routes = new ArrayList<>();
  private final List<Integer> gateways = new ArrayList<>(); // by network the router of its host

  @Property(tries = 300, seed = "20260105")
  void theTracedWayIsThatOfThePlainWalk(@ForAll long seed) throws Exception {
    ports.clear();
    routes.clear();
    gateways.clear();
    Site site = SiteReader.read("random", random(new Random(seed)));
    int networks = gateways.size();
    for (int from = 0; from < networks; from++) {
      for (int to = 0; to < networks; to++) {
        if (from == to) {
          continue;
        }
        List<String> there = new ArrayList<>();
        List<String> back = new ArrayList<>();
        boolean answered = walk(from, to, there) && walk(to, from, back);
        Conversation traced =
            Tracer.of(site)
                .converse(
                    QuestionReader.on(site)
                        .from("h" + from)
                        .to("h" + to)
                        .service("ping")
                        .attempt());
        assertThat(traced.outcome() == Outcome.ANSWERED).as(traced.reason()).isEqualTo(answered);
        assertThat(names(traced.opening().request())).isEqualTo(there);
        if (!back.isEmpty()) {
          assertThat(names(traced.opening().reply())).isEqualTo(back);
        }
        Diagnosis diagnosis = Diagnosis.of(site, traced.attempt());
        assertThat(diagnosis.obstacles().isEmpty()).isEqualTo(answered);
      }
    }
  }

  private static List<String> names(List<Leg> legs) {
    return legs.stream().map(Leg::where).toList();
  }

  // The plain walk.

  /** Walks from the host of a network to that of another one; tells whether it gets there. */
  private boolean walk(int from, int to, List<String> way) {
    way.add("h" + from);
    int router = gateways.get(from);
    int network = from;
    for (int hop = 0; hop < MOST_HOPS; hop++) {
      if (router < 0) {
        return false;
      }
      way.add("r" + router);
      if (!isUp(router, network)) {
        return false;
      }
      if (hop == MOST_HOPS - 1) {
        return false;
      }
      if (isUp(router, to)) {
        way.add("h" + to);
        return true;
      }
      Static next = route(router, to);
      if (next == null) {
        return false;
      }
      router = next.viaRouter();
      network = next.viaNetwork();
    }
    return false;
  }

  private boolean isUp(int router, int network) {
    return ports.get(router).stream().anyMatch(port -> port.network() == network && port.up());
  }

  /** The route to the network, else the default route; the first whose interface is up. */
  private Static route(int router, int to) {
    for (int wanted : new int[] {to, -1}) {
      for (Static route : routes.get(router)) {
        if (route.toNetwork() == wanted && isUp(router, route.viaNetwork())) {
          return route;
        }
      }
    }
    return null;
  }

  // The random site.

  private String random(Random random) {
    int networks = 3 + random.nextInt(4);
    int routers = 2 + random.nextInt(4);
    for (int router = 0; router < routers; router++) {
      List<Port> own = new ArrayList<>();
      for (int network = 0; network < networks; network++) {
        if (random.nextInt(5) < 2) {
          own.add(new Port(network, random.nextInt(8) > 0));
        }
      }
      if (own.isEmpty()) {
        own.add(new Port(random.nextInt(networks), true));
      }
      ports.add(own);
    }
    for (int network = 0; network < networks; network++) {
      List<Integer> there = on(network);
      gateways.add(there.isEmpty() ? -1 : there.get(random.nextInt(there.size())));
    }
    for (int router = 0; router < routers; router++) {
      List<Static> own = new ArrayList<>();
      for (Port port : ports.get(router)) {
        for (int neighbour : on(port.network())) {
          if (neighbour != router && random.nextInt(3) > 0) {
            int to = random.nextInt(networks + 1) - 1;
            boolean connected = false;
            for (Port each : ports.get(router)) {
              connected |= each.network() == to;
            }
            if (!connected) {
              own.add(new Static(to, port.network(), neighbour));
            }
          }
        }
      }
      routes.add(own);
    }
    return text(networks, routers);
  }

  private List<Integer> on(int network) {
    List<Integer> there = new ArrayList<>();
    for (int router = 0; router < ports.size(); router++) {
      if (ports.get(router).stream().anyMatch(port -> port.network() == network)) {
        there.add(router);
      }
    }
    return there;
  }

  private String text(int networks, int routers) {
    StringBuilder text = new StringBuilder("eskerfield: 1\nsite: random\nnetworks:\n");
    for (int n = 0; n < networks; n++) {
      text.append("  n%d: { prefix: 10.0.%d.0/24, zone: n%d }%n".formatted(n, n, n));
    }
    text.append("hosts:\n");
    for (int n = 0; n < networks; n++) {
      String gateway =
          gateways.get(n) < 0 ? "" : ", gateway: 10.0.%d.%d".formatted(n, gateways.get(n) + 1);
      text.append("  h%d: { on: n%d, at: 10.0.%d.99%s }%n".formatted(n, n, n, gateway));
    }
    text.append("devices:\n");
    for (int r = 0; r < routers; r++) {
      text.append("  r%d:%n    stance: accept%n    interfaces:%n".formatted(r));
      for (Port port : ports.get(r)) {
        text.append(
            "      n%d: { on: n%d, at: 10.0.%d.%d, state: %s }%n"
                .formatted(
                    port.network(),
                    port.network(),
                    port.network(),
                    r + 1,
                    port.up() ? "up" : "off"));
      }
      text.append("    routes:").append(routes.get(r).isEmpty() ? " []\n" : "\n");
      for (Static route : routes.get(r)) {
        text.append(
            "      - { to: %s, via: 10.0.%d.%d }%n"
                .formatted(
                    route.toNetwork() < 0 ? "any" : "n" + route.toNetwork(),
                    route.viaNetwork(),
                    route.viaRouter() + 1));
      }
    }
    return text.toString();
  }
}
