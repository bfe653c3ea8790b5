package org.eskerfield.report;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import org.eskerfield.formats.SiteFile;
import org.eskerfield.formats.SiteReader;

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
}
