// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Random;
import org.jspecify.annotations.Nullable;

/**
 * Healthy sites of one to three devices, drawn: who is where, which devices translate, by which
 * kind of rule each server is offered, who lets it in and where. The same number makes the same
 * file.
 *
 * <p>Idea: what is drawn is what an engineer decides; all rules that this needs on each device of
 * the way follow from it, so that the site works as it stands.
 */
final class DrawnBusiness {
  /** Where the shop's network and the plant's are. */
  private enum Shape {
    /** Both at the edge. */
    ONE,
    /** The shop behind a second device, the plant at the edge. */
    BEHIND,
    /** Each behind a device of its own, side by side. */
    SIDE,
    /** The plant behind a device behind that of the shop. */
    CHAIN,
    /** The shop at the edge; the plant elsewhere, with a link of its own and a tunnel. */
    BRANCH
  }

  /**
   * A server.
   *
   * @param net the number of its network: 3 for the shop, 4 for the plant
   * @param port a TCP port that it listens on
   */
  private record Server(String name, int net, int last, int port) {
    String address() {
      return "10.20." + net + "." + last;
    }
  }

  /** A server that outsiders reach. */
  private record Offered(Server server, boolean partnersOnly, boolean scheduled) {
    String rule(String to, int port) {
      return "{ accept: "
          + server.name
          + ", "
          + (partnersOnly ? "from: partners, " : "")
          + "to: "
          + to
          + ", service: "
          + port
          + "/tcp"
          + (scheduled ? ", when: office hours" : "")
          + ", log: true }";
    }
  }

  private static final List<Server> SERVERS =
      List.of(
          new Server("web", 3, 10, 443),
          new Server("mail", 3, 11, 25),
          new Server("files", 3, 12, 2200),
          new Server("panel", 4, 20, 8443));

  private final Random random;
  private final Shape shape;
  private final boolean both;
  private final boolean block;

  /** Whether the device before the shop translates, too. */
  private final boolean twice;

  private final boolean seesOriginal;
  private final List<Offered> offers = new ArrayList<>();
  private final StringBuilder out = new StringBuilder();
  private int external = 2;

  private DrawnBusiness(long seed) {
    random = new Random(seed);
    shape = Shape.values()[random.nextInt(Shape.values().length)];
    block = random.nextBoolean();
    both = random.nextInt(3) == 0;
    twice = shape != Shape.ONE && shape != Shape.BRANCH && random.nextBoolean();
    seesOriginal = random.nextInt(4) == 0;
    for (Server each : SERVERS) {
      if (each.name.equals("web") || random.nextInt(4) > 0) {
        boolean partnersOnly = random.nextInt(3) == 0;
        offers.add(new Offered(each, partnersOnly, partnersOnly && random.nextBoolean()));
      }
    }
  }

  /** The file of a number. */
  static String text(long seed) {
    DrawnBusiness drawn = new DrawnBusiness(seed);
    drawn.write();
    return drawn.out.toString();
  }

  private void line(String text) {
    out.append(text).append('\n');
  }

  private boolean hasWall() {
    return shape == Shape.BEHIND || shape == Shape.SIDE || shape == Shape.CHAIN;
  }

  private boolean hasGate() {
    return shape == Shape.SIDE || shape == Shape.CHAIN;
  }

  private void write() {
    line("eskerfield: 1");
    line("site: A business, drawn");
    line("time-zone: Europe/London");
    networks();
    hosts();
    if (offers.stream().anyMatch(each -> each.partnersOnly)) {
      line("groups: { partners: 198.51.100.32/28 }");
    }
    if (offers.stream().anyMatch(each -> each.scheduled)) {
      line("schedules: { office hours: { days: mon-fri, hours: 07:00-18:00 } }");
    }
    line("devices:");
    edge();
    if (hasWall()) {
      wall();
    }
    if (hasGate()) {
      gate();
    }
    if (shape == Shape.BRANCH) {
      branch();
    }
  }

  // Addresses of both families, as a value or in a list.

  private String at(int net, int last) {
    String one = "10.20." + net + "." + last;
    return both ? "[" + one + ", \"" + six(net) + last + "\"]" : one;
  }

  private static String six(int net) {
    return "2001:db8:44:" + net + "::";
  }

  private void network(String name, int net, String rest) {
    String prefix = "10.20." + net + ".0/24";
    prefix = both ? "[" + prefix + ", \"" + six(net) + "/64\"]" : prefix;
    line("  " + name + ": { prefix: " + prefix + ", zone: " + name + rest + " }");
  }

  private void networks() {
    line("networks:");
    List<String> routed = new ArrayList<>();
    if (block) {
      routed.add("{ to: 192.0.2.64/28, via: 203.0.113.2 }");
    }
    if (both) {
      routed.add("{ to: \"2001:db8:44::/48\", via: \"2001:db8:0:1::2\" }");
    }
    line(
        "  link: { prefix: "
            + (both ? "[203.0.113.0/28, \"2001:db8:0:1::/64\"]" : "203.0.113.0/28")
            + ", zone: internet, carrier: "
            + (both ? "[203.0.113.14, \"2001:db8:0:1::1\"]" : "203.0.113.14")
            + (routed.isEmpty() ? "" : ", routed: " + routed)
            + " }");
    network("office", 1, "");
    network("guests", 2, "");
    network("shop", 3, "");
    network("plant", 4, "");
    if (hasWall()) {
      network("transit", 0, "");
    }
    if (shape == Shape.CHAIN) {
      network("lane", 5, "");
    }
    if (shape == Shape.BRANCH) {
      network("tunnel", 6, "");
      line("  plant-link: { prefix: 198.51.100.128/26, zone: internet, carrier: 198.51.100.129 }");
    }
  }

  private void hosts() {
    line("hosts:");
    line("  clerk: { on: office, at: " + at(1, 31) + ", assigned: reserved }");
    line("  admin: { on: office, at: " + at(1, 5) + ", assigned: fixed }");
    line("  visitor: { on: guests, at: " + at(2, 40) + " }");
    for (Server each : SERVERS) {
      Offered offered = offered(each);
      String filter = "";
      if (each.name.equals("files") && offered != null) {
        filter =
            ", filter: { rules: [{ accept: whom we know, from: ["
                + (offered.partnersOnly ? "partners" : "internet")
                + ", office, guests, transit], service: 2200/tcp }], otherwise: drop }";
        filter = hasWall() ? filter : filter.replace(", transit", "");
      }
      line(
          "  "
              + each.name
              + ": { on: "
              + (each.net == 3 ? "shop" : "plant")
              + ", at: "
              + at(each.net, each.last)
              + ", assigned: fixed, listens: "
              + each.port
              + "/tcp"
              + filter
              + " }");
    }
    line("  gauge: { on: plant, at: " + at(4, 21) + ", assigned: fixed }");
    String six = ", \"2001:db8:77::";
    line(
        "  customer: { on: internet, at: "
            + (both ? "[198.51.100.77" + six + "77\"]" : "198.51.100.77")
            + " }");
    line("  partner: { on: internet, at: 198.51.100.37 }");
    line("  broker: { on: internet, at: 198.51.100.45 }");
    line(
        "  stranger: { on: internet, at: "
            + (both ? "[198.51.100.250" + six + "250\"]" : "198.51.100.250")
            + " }");
    line("  feed: { on: internet, at: 192.0.2.200, listens: https }");
  }

  private @Nullable Offered offered(Server server) {
    return offers.stream().filter(each -> each.server.equals(server)).findFirst().orElse(null);
  }

  // The edge.

  private void edge() {
    line("  edge:");
    List<String> ways = new ArrayList<>(List.of("office to any: accept"));
    for (String each : hasWall() ? List.of("guests", "transit") : List.of("guests", "shop")) {
      ways.add(each + " to internet: accept");
    }
    List<String> out = new ArrayList<>(List.of("office", "guests"));
    if (hasWall()) {
      out.add("transit");
    }
    if (!twice) {
      out.add("shop");
    }
    if (shape == Shape.BRANCH) {
    } else {
      out.add("plant");
      if (!hasGate()) {
        ways.add("plant to internet: accept");
      }
    }
    if (hasWall() && !twice || shape == Shape.SIDE) {
      ways.add("shop to internet: accept");
    }
    if (hasGate()) {
      ways.add("plant to internet: accept");
    }
    line("    stance: { " + String.join(", ", new LinkedHashSet<>(ways)) + ", otherwise: drop }");
    line(seesOriginal ? "    access-sees: original" : "    access-sees: translated");
    line("    interfaces:");
    line(
        "      uplink: { on: link, at: "
            + (both ? "[203.0.113.2, \"2001:db8:0:1::2\"]" : "203.0.113.2")
            + " }");
    line("      office: { on: office, at: " + at(1, 1) + " }");
    line("      guests: { on: guests, at: " + at(2, 1) + " }");
    if (hasWall()) {
      line("      inner: { on: transit, at: " + at(0, 1) + " }");
    } else {
      line("      shop: { on: shop, at: " + at(3, 1) + " }");
    }
    if (shape == Shape.ONE || shape == Shape.BEHIND) {
      line("      plant: { on: plant, at: " + at(4, 1) + " }");
    }
    if (shape == Shape.BRANCH) {
      line("      tunnel: { on: tunnel, at: " + at(6, 1) + " }");
    }
    line("    routes:");
    route("any", both ? "2001:db8:0:1::1" : null, "203.0.113.14");
    if (hasWall()) {
      route("shop", six(0) + 2, "10.20.0.2");
    }
    if (hasGate()) {
      int via = shape == Shape.SIDE ? 3 : 2;
      route("plant", six(0) + via, "10.20.0." + via);
    }
    if (shape == Shape.CHAIN) {
      route("lane", six(0) + 2, "10.20.0.2");
    }
    if (shape == Shape.BRANCH) {
      route("plant", six(6) + 2, "10.20.6.2");
    }
    line("    services: [{ service: [ssh, ping], from: office }]");
    line("    translation:");
    if (shape == Shape.BRANCH) {
      line("      - { untouched: office and plant, from: office, to: plant }");
    }
    List<String> access = new ArrayList<>();
    for (Offered each : offers) {
      if (shape != Shape.BRANCH || each.server.net == 3) {
        offer(each, access);
      }
    }
    boolean lent = block && shape != Shape.BRANCH && random.nextBoolean();
    if (lent) {
      line(
          "      - { dynamic: the plant, from: plant, leaving: uplink, pool: 192.0.2.72-192.0.2.75 }");
      out.remove("plant");
    }
    line("      - { shared: everybody, from: " + out + ", leaving: uplink }");
    Offered web = offers.get(0);
    boolean sixToo =
        both && !web.partnersOnly && access.stream().noneMatch(each -> each.contains("to: web,"));
    if (sixToo) {
      access.add(
          "{ accept: web over IPv6, to: \"" + six(3) + "10\", service: 443/tcp, log: true }");
    }
    if (access.isEmpty()) {
      return;
    }
    line("    access:");
    line("      from the internet:");
    line("        guards: { arriving: uplink }");
    line("        rules:");
    access.forEach(each -> line("          - " + each));
    line("        otherwise: drop");
  }

  private void route(String to, @Nullable String six, String four) {
    line("      - { to: " + to + ", via: " + four + " }");
    if (both && six != null) {
      line("      - { to: " + to + ", via: \"" + six + "\" }");
    }
  }

  /** The rule of the edge for a server, and what lets in what it leads there. */
  private void offer(Offered each, List<String> access) {
    boolean further = twice && each.server.net == 3;
    int kind = random.nextInt(4);
    external++;
    String outside =
        block && random.nextBoolean() ? "192.0.2." + (64 + external) : "203.0.113." + external;
    boolean atUplink = kind == 0;
    int asked = random.nextBoolean() ? each.server.port : 10_000 + each.server.port;
    int port = further ? 7_000 + each.server.last : each.server.port;
    String inside = further ? "10.20.0.2" : each.server.name;
    boolean hairpin = !atUplink && random.nextInt(3) == 0;
    boolean admitted = random.nextInt(3) == 0;
    StringBuilder rule = new StringBuilder("      - { ");
    if (kind == 3 && !further) {
      asked = port;
      rule.append("static: " + each.server.name + ", facing: uplink, external: " + outside);
      rule.append(", internal: " + inside);
      admitted = false;
    } else {
      rule.append("destination: " + each.server.name + ", arriving: uplink, at: '");
      rule.append((atUplink ? "uplink" : outside) + " " + asked + "/tcp', becomes: ");
      rule.append(inside + " " + port);
    }
    rule.append(hairpin ? ", hairpin: office" : "");
    if (admitted) {
      rule.append(", admit: { from: " + (each.partnersOnly ? "partners" : "any"));
      rule.append(each.scheduled ? ", when: office hours" : "").append(", log: true }");
    }
    line(rule.append(" }").toString());
    if (!admitted) {
      String seen = !seesOriginal ? inside : atUplink ? "203.0.113.2" : outside;
      access.add(each.rule(seen, seesOriginal ? asked : port));
    }
  }

  // The others.

  private void wall() {
    line("  wall:");
    List<String> ways = new ArrayList<>(List.of("shop to transit: accept"));
    if (shape == Shape.CHAIN) {
      ways.add("lane to transit: accept");
      ways.add("plant to transit: accept");
    }
    line("    stance: { " + String.join(", ", ways) + ", otherwise: drop }");
    line("    interfaces:");
    line("      outer: { on: transit, at: " + at(0, 2) + " }");
    line("      shop: { on: shop, at: " + at(3, 1) + " }");
    if (shape == Shape.CHAIN) {
      line("      lane: { on: lane, at: " + at(5, 1) + " }");
    }
    line("    routes:");
    route("any", six(0) + 1, "10.20.0.1");
    if (shape == Shape.CHAIN) {
      route("plant", six(5) + 2, "10.20.5.2");
    }
    line("    services: [{ service: [ssh, ping], from: admin }]");
    if (twice) {
      line("    translation:");
      for (Offered each : offers) {
        if (each.server.net == 3) {
          line(
              "      - { destination: "
                  + each.server.name
                  + ", arriving: outer, at: outer "
                  + (7_000 + each.server.last)
                  + "/tcp, becomes: "
                  + each.server.name
                  + " "
                  + each.server.port
                  + " }");
        }
      }
      line("      - { untouched: the office, from: shop, to: office }");
      line("      - { shared: the shop, from: shop, leaving: outer }");
    }
    inwards(shape == Shape.CHAIN, true);
  }

  private void gate() {
    boolean side = shape == Shape.SIDE;
    line("  gate:");
    line("    stance: { plant to " + (side ? "transit" : "lane") + ": accept, otherwise: drop }");
    line("    interfaces:");
    line(
        "      outer: { on: "
            + (side ? "transit" : "lane")
            + ", at: "
            + (side ? at(0, 3) : at(5, 2))
            + " }");
    line("      plant: { on: plant, at: " + at(4, 1) + " }");
    line("    routes:");
    if (side) {
      route("any", six(0) + 1, "10.20.0.1");
    } else {
      route("any", six(5) + 1, "10.20.5.1");
    }
    line("    services: [{ service: [ssh, ping], from: admin }]");
    inwards(true, false);
  }

  /** What a device lets in to the networks behind it. */
  private void inwards(boolean plant, boolean shop) {
    line("    access:");
    line("      inwards:");
    line("        guards: { arriving: outer }");
    line("        rules:");
    for (Offered each : offers) {
      if (each.server.net == 3 ? shop : plant) {
        line("          - " + each.rule(each.server.name, each.server.port));
      }
    }
    List<String> to = new ArrayList<>();
    if (shop) {
      to.add("shop");
    }
    if (plant) {
      to.add("plant");
    }
    line("          - { accept: the office, from: office, to: " + to + " }");
    if (plant && shop) {
      line("          - { accept: the admin, from: admin, to: lane, service: [ssh, ping] }");
    }
    line("        otherwise: drop");
  }

  private void branch() {
    line("  outpost:");
    line(
        "    stance: { plant to internet: accept, plant to tunnel: accept, tunnel to plant: accept, otherwise: drop }");
    line("    interfaces:");
    line("      uplink: { on: plant-link, at: 198.51.100.140 }");
    line("      plant: { on: plant, at: " + at(4, 1) + " }");
    line("      tunnel: { on: tunnel, at: " + at(6, 2) + " }");
    line("    routes:");
    line("      - { to: any, via: 198.51.100.129 }");
    route("office", six(6) + 1, "10.20.6.1");
    line("    services: [{ service: [ssh, ping], from: [plant, office] }]");
    line("    translation:");
    line("      - { untouched: plant and office, from: plant, to: office }");
    for (Offered each : offers) {
      if (each.server.net == 4) {
        line(
            "      - { destination: panel, arriving: uplink, at: uplink 18443/tcp, becomes: panel 8443, admit: { from: "
                + (each.partnersOnly ? "partners" : "any")
                + (each.scheduled ? ", when: office hours" : "")
                + ", log: true } }");
      }
    }
    line("      - { shared: plant, from: plant, leaving: uplink }");
  }
}
