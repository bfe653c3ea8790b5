// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.bench;

import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.util.Random;

/**
 * Writes the site file of a business with many devices: one at the edge, and the others behind it,
 * side by side (a star) or one behind the other (a chain), each with networks of its own. Hosts are
 * offered to the internet, the edge leads there, and the device before the host lets it in. The
 * same numbers make the same file.
 *
 * <p>Call: {@code java -cp bench.jar org.eskerfield.bench.ManyDevices SHAPE DEVICES NETWORKS
 * ACCESS-RULES TRANSLATION-RULES SEED}, the shape being {@code star} or {@code chain}, all numbers
 * those of the whole site.
 */
public final class ManyDevices {
  private static final int HOSTS_A_NETWORK = 3;

  private final boolean chain;
  private final int inner;
  private final int networks;
  private final Random random;
  private final StringBuilder out = new StringBuilder();

  private ManyDevices(boolean chain, int devices, int networks, long seed) {
    this.chain = chain;
    this.inner = Math.max(1, devices - 1);
    this.networks = Math.max(inner, networks);
    this.random = new Random(seed);
  }

  /** Prints a site. */
  public static void main(String[] args) {
    String shape = args.length > 0 ? args[0] : "star";
    int[] numbers = {8, 40, 400, 150, 1};
    for (int i = 1; i < args.length; i++) {
      numbers[i - 1] = Integer.parseInt(args[i]);
    }
    ManyDevices site = new ManyDevices(shape.equals("chain"), numbers[0], numbers[1], numbers[4]);
    site.write(numbers[2], numbers[3]);
    PrintStream utf8 = new PrintStream(System.out, false, StandardCharsets.UTF_8);
    utf8.print(site.out);
    utf8.flush();
  }

  private void line(String text) {
    out.append(text).append('\n');
  }

  /** The device that a network is on, from 1 on. */
  private int deviceOf(int network) {
    return 1 + network % inner;
  }

  private static String prefix(int network) {
    return "10." + (1 + network / 200) + "." + network % 200 + ".";
  }

  private static String host(int network, int i) {
    return "h" + network + "-" + i;
  }

  /** The network between a device and the one before it. */
  private String before(int device) {
    return chain ? "between-" + device : "backbone";
  }

  private String onBefore(int device, boolean own) {
    return chain
        ? "172.16." + device + (own ? ".2" : ".1")
        : "172.16." + (own ? (device / 200) + "." + (2 + device % 200) : "0.1");
  }

  private void write(int access, int translation) {
    line("eskerfield: 1");
    line("site: A business with many devices");
    line("time-zone: Europe/London");
    line("networks:");
    line("  link: { prefix: 198.51.100.0/26, zone: internet, carrier: 198.51.100.1, ");
    line("    routed: [{ to: 203.0.113.0/24, via: 198.51.100.2 }] }");
    if (!chain) {
      line("  backbone: { prefix: 172.16.0.0/16, zone: backbone }");
    }
    for (int device = 1; chain && device <= inner; device++) {
      line("  between-" + device + ": { prefix: 172.16." + device + ".0/24, zone: backbone }");
    }
    for (int network = 0; network < networks; network++) {
      line("  n" + network + ": { prefix: " + prefix(network) + "0/24, zone: z" + network + " }");
    }
    line("hosts:");
    line("  customer: { on: internet, at: 198.51.100.77 }");
    for (int network = 0; network < networks; network++) {
      for (int i = 0; i < HOSTS_A_NETWORK; i++) {
        String at = prefix(network) + (10 + i);
        line(
            "  " + host(network, i) + ": { on: n" + network + ", at: " + at + ", listens: [tcp] }");
      }
    }
    line("devices:");
    edge(translation);
    int offers = Math.max(1, translation - 1);
    for (int device = 1; device <= inner; device++) {
      inner(device, offers, Math.max(0, access - 2 * offers) / inner);
    }
  }

  private int networkOf(int offer) {
    return offer % networks;
  }

  private String letIn(int offer) {
    return "          - { accept: offer "
        + offer
        + ", to: "
        + host(networkOf(offer), offer % HOSTS_A_NETWORK)
        + ", service: "
        + (2_000 + offer)
        + "/tcp }";
  }

  private void edge(int translation) {
    line("  edge:");
    line("    stance: { backbone to internet: accept, otherwise: drop }");
    line("    interfaces:");
    line("      uplink: { on: link, at: 198.51.100.2 }");
    for (int device = 1; device <= (chain ? 1 : inner); device++) {
      if (device == 1) {
        line("      inside: { on: " + before(1) + ", at: " + onBefore(1, false) + " }");
      }
    }
    line("    routes:");
    line("      - { to: any, via: 198.51.100.1 }");
    for (int network = 0; network < networks; network++) {
      int device = chain ? 1 : deviceOf(network);
      line("      - { to: n" + network + ", via: " + onBefore(device, true) + " }");
    }
    line("    translation:");
    int offers = Math.max(1, translation - 1);
    for (int i = 0; i < offers; i++) {
      line(
          "      - { destination: offer "
              + i
              + ", arriving: uplink, at: 203.0.113."
              + (1 + i % 250)
              + " "
              + (1_000 + i / 250)
              + "/tcp, becomes: "
              + host(networkOf(i), i % HOSTS_A_NETWORK)
              + " "
              + (2_000 + i)
              + " }");
    }
    line("      - { shared: everybody, from: 10.0.0.0/8, leaving: uplink }");
    line("    access:");
    line("      from the internet:");
    line("        guards: { arriving: uplink }");
    line("        rules:");
    for (int i = 0; i < offers; i++) {
      line(letIn(i));
    }
    line("        otherwise: drop");
  }

  private void inner(int device, int offers, int rules) {
    line("  d" + device + ":");
    line("    stance: drop");
    line("    interfaces:");
    line("      up: { on: " + before(device) + ", at: " + onBefore(device, true) + " }");
    boolean last = !chain || device == inner;
    if (!last) {
      line(
          "      down: { on: "
              + before(device + 1)
              + ", at: "
              + onBefore(device + 1, false)
              + " }");
    }
    for (int network = device - 1; network < networks; network += inner) {
      line("      n" + network + ": { on: n" + network + ", at: " + prefix(network) + "1 }");
    }
    line("    routes:");
    line("      - { to: any, via: " + onBefore(chain ? device : 1, false) + " }");
    for (int network = 0; chain && network < networks; network++) {
      if (deviceOf(network) > device) {
        line("      - { to: n" + network + ", via: " + onBefore(device + 1, true) + " }");
      }
    }
    line("    access:");
    line("      inwards:");
    line("        guards: { arriving: up }");
    line("        rules:");
    for (int i = 0; i < offers; i++) {
      int there = deviceOf(networkOf(i));
      if (there == device || (chain && there > device)) {
        line(letIn(i));
      }
    }
    for (int i = 0; i < rules; i++) {
      int from = random.nextInt(networks);
      int to = device - 1 + inner * random.nextInt(Math.max(1, networks / inner));
      line(
          "          - { accept: rule "
              + i
              + ", from: n"
              + from
              + ", to: "
              + host(Math.min(to, networks - 1), random.nextInt(HOSTS_A_NETWORK))
              + ", service: "
              + (3_000 + random.nextInt(40))
              + "/tcp }");
    }
    line("        otherwise: drop");
    line("      outwards:");
    line("        guards: { leaving: up }");
    line("        rules:");
    line("          - { accept: out, from: 10.0.0.0/8 }");
    line("        otherwise: drop");
  }
}
