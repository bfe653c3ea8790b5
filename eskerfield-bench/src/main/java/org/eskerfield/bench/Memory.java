// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.bench;

import java.lang.ref.Reference;
import java.util.Locale;
import org.eskerfield.packet.Packet;

/**
 * Measures on the heap what a session with its binding takes: tables grown by insertion, the heap
 * collected before and after.
 */
public final class Memory {
  private static final int SESSIONS = 1_000_000;

  private Memory() {}

  /** Prints the bytes for IPv4, with binding, and for IPv6, which is not translated. */
  public static void main(String[] args) {
    Edge ipv4 = new Edge("192.0.2.64/26");
    long before = used();
    ipv4.open(0, SESSIONS);
    print("IPv4 session with its binding", used() - before, ipv4);
    try {
      Edge ipv6 = new Edge("192.0.2.64/26");
      before = used();
      for (int flow = 0; flow < SESSIONS; flow++) {
        Packet packet = Edge.packetV6(flow);
        ipv6.open(packet);
      }
      print("IPv6 session", used() - before, ipv6);
    } finally {
      Reference.reachabilityFence(ipv4); // held, or its end would be measured as well
    }
  }

  private static void print(String what, long bytes, Edge edge) {
    System.out.printf(
        Locale.ROOT,
        "%s: %.1f bytes (%d sessions, %d bindings)%n",
        what,
        (double) bytes / SESSIONS,
        edge.machine.state().sessionCount(),
        edge.machine.state().bindingCount());
  }

  private static long used() {
    for (int i = 0; i < 4; i++) {
      System.gc();
    }
    Runtime runtime = Runtime.getRuntime();
    return runtime.totalMemory() - runtime.freeMemory();
  }
}
