// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.bench;

import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;

/**
 * Writes the site file of a large business: one device with many zones, hosts that are offered to
 * the internet, and lists as they grow over the years: blocked senders first, then rules for one
 * host and one service each, some of them for whole networks, a few that nobody remembers. The same
 * numbers make the same file.
 *
 * <p>Call: {@code java -cp bench.jar org.eskerfield.bench.LargeSite ACCESS-RULES TRANSLATION-RULES
 * SEED}.
 */
public final class LargeSite {
  private static final int ZONES = 24;
  private static final int HOSTS_A_ZONE = 60;
  private static final List<String> SERVICES =
      List.of(
          "https",
          "ssh",
          "domain",
          "smtp",
          "ldaps",
          "imaps",
          "8080/tcp",
          "8443/tcp",
          "5060/udp",
          "3306/tcp",
          "5432/tcp",
          "445/tcp",
          "123/udp",
          "161/udp",
          "9000-9009/tcp");

  private final Random random;
  private final StringBuilder out = new StringBuilder();

  private LargeSite(long seed) {
    this.random = new Random(seed);
  }

  /** Prints a site. */
  public static void main(String[] args) {
    int access = args.length > 0 ? Integer.parseInt(args[0]) : 10_000;
    int translation = args.length > 1 ? Integer.parseInt(args[1]) : access / 5;
    long seed = args.length > 2 ? Long.parseLong(args[2]) : 1;
    PrintStream utf8 = new PrintStream(System.out, false, StandardCharsets.UTF_8);
    utf8.print(of(access, translation, seed));
    utf8.flush();
  }

  /**
   * The text of a site.
   *
   * @param access how many access rules it has, at least some 100
   * @param translation how many translation rules, at least 3
   */
  public static String of(int access, int translation, long seed) {
    LargeSite site = new LargeSite(seed);
    site.write(access, translation);
    return site.out.toString();
  }

  private void line(String text) {
    out.append(text).append('\n');
  }

  private <T> T one(List<T> of) {
    return of.get(random.nextInt(of.size()));
  }

  private static String host(int zone, int number) {
    return "h" + zone + "-" + number;
  }

  private String anyHost() {
    return host(random.nextInt(ZONES), random.nextInt(HOSTS_A_ZONE));
  }

  private void write(int access, int translation) {
    line("eskerfield: 1");
    line("site: A large business");
    line("time-zone: Europe/London");
    line("networks:");
    for (int zone = 0; zone < ZONES; zone++) {
      line("  n" + zone + ": { prefix: 10." + (zone + 1) + ".0.0/16, zone: n" + zone + " }");
    }
    line("  link:");
    line("    prefix: 198.51.100.0/26");
    line("    zone: internet");
    line("    carrier: 198.51.100.1");
    line("    routed:");
    line("      - { to: 203.0.113.0/24, via: 198.51.100.2 }");
    line("      - { to: 192.0.2.0/24, via: 198.51.100.2 }");
    line("hosts:");
    for (int zone = 0; zone < ZONES; zone++) {
      for (int i = 0; i < HOSTS_A_ZONE; i++) {
        line(
            "  "
                + host(zone, i)
                + ": { on: n"
                + zone
                + ", at: 10."
                + (zone + 1)
                + ".1."
                + (i + 10)
                + ", listens: [tcp, udp] }");
      }
    }
    line("  customer: { on: internet, at: 198.51.100.77 }");
    line("groups:");
    for (int i = 0; i < 40; i++) {
      line("  partner-" + i + ": 198.51.100." + (128 + i * 3) + "/" + 32);
    }
    line("schedules: { working hours: { days: mon-fri, hours: 07:00-18:00 } }");
    line("devices:");
    line("  core:");
    line("    stance: { n0 to internet: accept, otherwise: drop }");
    line("    interfaces:");
    line("      uplink: { on: link, at: 198.51.100.2 }");
    for (int zone = 0; zone < ZONES; zone++) {
      line("      n" + zone + ": { on: n" + zone + ", at: 10." + (zone + 1) + ".0.1 }");
    }
    line("    routes: [{ to: any, via: 198.51.100.1 }]");
    line("    services: [{ service: ssh, from: n0 }]");
    line("    translation:");
    List<String> offered = translations(translation);
    line("    access:");
    line("      from the internet:");
    line("        guards: { arriving: uplink }");
    line("        rules:");
    blocked(access / 500 + 3);
    offered.forEach(this::line);
    line("        otherwise: drop");
    int left = access - offered.size() - access / 500 - 3;
    for (int zone = 0; zone < ZONES; zone++) {
      inner(zone, left / ZONES);
    }
  }

  /** Translation rules, and the access rules that they need. */
  private List<String> translations(int count) {
    List<String> access = new ArrayList<>();
    line("      - { untouched: between our networks, from: [n0, n1], to: [n2, n3] }");
    for (int i = 0; i < count - 2; i++) {
      String external = (i % 2 == 0 ? "203.0.113." : "192.0.2.") + (1 + (i / 2) % 250);
      int port = 1_000 + i / 500;
      int inside = 2_000 + random.nextInt(30);
      String to = anyHost();
      line(
          "      - { destination: offer "
              + i
              + ", arriving: uplink, at: "
              + external
              + " "
              + port
              + "/tcp, becomes: "
              + to
              + " "
              + inside
              + " }");
      String from = i % 7 == 0 ? "" : "from: partner-" + random.nextInt(40) + ", ";
      String when = i % 11 == 0 ? "when: working hours, " : "";
      access.add(
          "          - { accept: offer "
              + i
              + ", "
              + from
              + when
              + "to: "
              + to
              + ", service: "
              + inside
              + "/tcp, log: true }");
    }
    List<String> all = new ArrayList<>();
    for (int zone = 0; zone < ZONES; zone++) {
      all.add("n" + zone);
    }
    line("      - { shared: everybody, from: [" + String.join(", ", all) + "], leaving: uplink }");
    return access;
  }

  private void blocked(int count) {
    for (int i = 0; i < count; i++) {
      line(
          "          - { drop: pest "
              + i
              + ", from: 198.51.100."
              + (64 + i % 60)
              + ", log: true }");
    }
  }

  /** What a zone may reach: its list as it has grown. */
  private void inner(int zone, int count) {
    line("      from n" + zone + ":");
    line("        guards: { arriving: n" + zone + " }");
    line("        rules:");
    for (int i = 0; i < count - 2; i++) {
      String from =
          switch (random.nextInt(10)) {
            case 0 -> "n" + zone;
            case 1 -> "10." + (zone + 1) + ".1.0/26";
            default -> host(zone, random.nextInt(HOSTS_A_ZONE));
          };
      String to =
          switch (random.nextInt(40)) {
            case 0 -> "n" + random.nextInt(ZONES);
            case 1 -> "192.0.2." + random.nextInt(256);
            default -> anyHost();
          };
      String action = random.nextInt(60) == 0 ? "drop" : "accept";
      String log = random.nextInt(3) == 0 ? ", log: true" : "";
      line(
          "          - { "
              + action
              + ": rule "
              + i
              + ", from: "
              + from
              + ", to: "
              + to
              + ", service: "
              + one(SERVICES)
              + log
              + " }");
    }
    line("          - { accept: pings, service: ping }");
    line("          - { drop: the rest, log: true }");
    line("        otherwise: drop");
  }
}
