// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;

/** The sites that tests draw. */
final class DrawnSites {
  static final Path DEMO = Path.of("../demo/marrowby.site.yaml");
  static final Path MISTAKES = Path.of("../demo/mistakes");

  private DrawnSites() {}

  static List<Path> all() throws Exception {
    List<Path> all = new ArrayList<>();
    for (Path folder : List.of(DEMO.getParent(), MISTAKES)) {
      try (Stream<Path> files = Files.list(folder)) {
        files.filter(file -> file.toString().endsWith(".site.yaml")).sorted().forEach(all::add);
      }
    }
    return all;
  }

  /** A company with devices in a row behind a few edges, each with a network and hosts. */
  static SiteFile company(int edges, int branches, int hosts) throws Exception {
    StringBuilder networks =
        new StringBuilder("  backbone: { prefix: 10.0.0.0/16, zone: backbone }\n");
    StringBuilder ends = new StringBuilder();
    StringBuilder devices = new StringBuilder();
    for (int i = 1; i <= edges; i++) {
      String link = "203.0.113." + 16 * (i - 1);
      networks.append(
          "  link-%d: { prefix: %s/28, zone: internet, carrier: 203.0.113.%d }%n"
              .formatted(i, link, 16 * i - 2));
      devices.append(
          """
            edge-%1$d:
              stance: accept
              interfaces:
                uplink: { on: link-%1$d, at: 203.0.113.%2$d }
                backbone: { on: backbone, at: 10.0.0.%1$d }
              translation:
                - { destination: web %1$d, arriving: uplink, at: uplink https, becomes: host-%1$d-1 }
          """
              .formatted(i, 16 * i - 15));
    }
    for (int i = 1; i <= branches; i++) {
      networks.append(
          "  branch-%1$d: { prefix: 10.%1$d.0.0/24, zone: branch-%1$d }%n".formatted(i));
      for (int k = 1; k <= hosts; k++) {
        ends.append(
            "  host-%1$d-%2$d: { on: branch-%1$d, at: 10.%1$d.0.%3$d, listens: https }%n"
                .formatted(i, k, k + 9));
      }
      devices.append(
          """
            router-%1$d:
              stance: accept
              interfaces:
                backbone: { on: backbone, at: 10.0.1.%1$d }
                branch: { on: branch-%1$d, at: 10.%1$d.0.1 }
          """
              .formatted(i));
    }
    String text =
        "eskerfield: 1\nsite: A company\nnetworks:\n"
            + networks
            + "hosts:\n"
            + ends
            + "devices:\n"
            + devices;
    Path file = Files.createTempFile("company", ".site.yaml");
    try {
      Files.writeString(file, text);
      return SiteReader.readFile(file);
    } finally {
      Files.delete(file);
    }
  }

  /** Two edges, a core, branches of two networks each by a hub, floors of three hosts each. */
  static Site tree(int branches, int floors) throws Exception {
    StringBuilder networks = new StringBuilder();
    StringBuilder hosts = new StringBuilder();
    StringBuilder devices = new StringBuilder("  hub:\n    stance: accept\n    interfaces:\n");
    devices.append("      core: { on: core, at: 10.0.0.3 }\n");
    for (int i = 1; i <= branches; i++) {
      devices.append("      wan-%1$d: { on: wan-%1$d, at: 10.1.%1$d.1 }%n".formatted(i));
    }
    for (int i = 1; i <= 2; i++) {
      networks.append(
          "  carrier-%1$d: { prefix: 203.0.113.%2$d/28, zone: internet, carrier: 203.0.113.%3$d }%n"
              .formatted(i, 16 * i, 16 * i + 14));
      device(
          devices, "edge-" + i, "carrier-" + i + " 203.0.113." + (16 * i + 1), "core 10.0.0." + i);
    }
    networks.append("  core: { prefix: 10.0.0.0/24, zone: core }\n");
    for (int i = 1; i <= branches; i++) {
      networks.append("  wan-%1$d: { prefix: 10.1.%1$d.0/30, zone: wan }%n".formatted(i));
      network(networks, hosts, "staff-" + i, "10.2." + i, 4);
      network(networks, hosts, "guests-" + i, "10.3." + i, 3);
      device(
          devices,
          "branch-" + i,
          "wan-%1$d 10.1.%1$d.2".formatted(i),
          "staff-%1$d 10.2.%1$d.1".formatted(i),
          "guests-%1$d 10.3.%1$d.1".formatted(i));
    }
    for (int i = 1; i <= floors; i++) {
      network(networks, hosts, "floor-" + i, "10.4." + i, 3);
      device(
          devices, "router-" + i, "core 10.0.0." + (i + 9), "floor-%1$d 10.4.%1$d.1".formatted(i));
    }
    return SiteReader.read(
        "tree",
        "eskerfield: 1\nsite: A tree\nnetworks:\n"
            + (networks + "hosts:\n" + hosts + "devices:\n" + devices));
  }

  private static void network(
      StringBuilder networks, StringBuilder hosts, String name, String prefix, int size) {
    networks.append("  %s: { prefix: %s.0/24, zone: %s }%n".formatted(name, prefix, name));
    for (int k = 1; k <= size; k++) {
      hosts.append("  %s-%d: { on: %1$s, at: %3$s.%4$d }%n".formatted(name, k, prefix, k + 9));
    }
  }

  private static void device(StringBuilder devices, String name, String... interfaces) {
    devices.append("  " + name + ":\n    stance: accept\n    interfaces:\n");
    for (String each : interfaces) {
      String[] parts = each.split(" ");
      devices.append("      %1$s: { on: %1$s, at: %2$s }%n".formatted((Object[]) parts));
    }
  }
}
