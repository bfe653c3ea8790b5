// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats;

import java.util.Random;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;

/** Draws the text of a site with one device. */
public final class SiteLot {
  public final Random random;

  public SiteLot(int seed) {
    random = new Random(seed);
  }

  public String one(String... of) {
    return of[random.nextInt(of.length)];
  }

  public boolean chance(int percent) {
    return random.nextInt(100) < percent;
  }

  public String who() {
    return one(
        "inside",
        "middle",
        "internet",
        "any",
        "10.1.0.2",
        "10.1.0.3-10.1.0.9",
        "[10.2.0.2, 203.0.113.0/30]",
        "198.51.100.128/28",
        "some",
        "edge",
        "2001:db8:1::/65",
        "[2001:db8:2::5-2001:db8:4::1, 10.1.0.0/29]");
  }

  public String four() {
    return one("inside", "10.1.0.2", "10.2.0.0/29", "some", "203.0.113.1", "any");
  }

  public String service() {
    return one(
        "80/tcp",
        "79-81/tcp+udp",
        "ping",
        "gre",
        "udp",
        "any",
        "icmp",
        "[81/udp, 82/tcp]",
        "[tcp, ping]");
  }

  public String rule() {
    String rule = "{ " + one("accept", "drop", "reject") + ": r";
    rule += chance(60) ? ", from: " + (chance(10) ? "device" : who()) : "";
    rule += chance(60) ? ", to: " + who() : "";
    rule += chance(60) ? ", service: " + service() : chance(20) ? ", service: tcp" + flags() : "";
    rule += chance(10) ? ", source-port: 1024-1026" : "";
    rule += chance(20) ? ", when: " + one("early", "season") : "";
    return rule + (chance(10) ? ", disabled: true }" : " }");
  }

  private String flags() {
    return ", flags: " + one("{ any: [ack, rst] }", "{ all: syn }", "{ none: psh }");
  }

  public String translation() {
    String facing = one("uplink", "mid", "any");
    String hairpin =
        chance(30)
            ? ", hairpin: { from: in, source: " + one("device", "external", "kept") + " }"
            : "";
    hairpin = facing.equals("any") ? "" : hairpin;
    String admit = chance(30) ? ", admit: " + who() : "";
    String tail = (chance(10) ? ", leaving: mid" : "") + hairpin + admit + " }";
    String pool = one("198.51.100.138-198.51.100.139", "198.51.100.139", "203.0.113.64/30");
    return switch (random.nextInt(9)) {
      case 0 ->
          "{ static: s, facing: "
              + facing
              + ", external: 198.51.100.136, internal: 10.1.0.2"
              + tail;
      case 1 ->
          "{ static: s, facing: "
              + facing
              + ", external: 198.51.100.136/30, internal: 10.2.0.4/30"
              + tail;
      case 2 ->
          "{ static: s, facing: "
              + facing
              + ", external: 198.51.100.135 79-81/tcp+udp, internal: 10.1.0.3 1080-1082"
              + tail;
      case 3 ->
          "{ destination: d, arriving: "
              + facing
              + ", from: "
              + one("any", "203.0.113.0/30", "inside")
              + ", at: "
              + one(
                  "198.51.100.137 80/tcp",
                  "198.51.100.136 80-82/tcp+udp",
                  "uplink 81/udp",
                  "198.51.100.137")
              + ", becomes: "
              + one("10.1.0.2", "10.2.0.3", "10.1.0.1")
              + tail;
      case 4 ->
          "{ destination: d, arriving: uplink, at: "
              + one(
                  "198.51.100.137 80-82/tcp, becomes: 10.2.0.3 180-182",
                  "uplink 80/tcp, becomes: 10.1.0.2 22")
              + (chance(30) ? ", leaving: in, sources-become: device" : "")
              + " }";
      case 5 -> "{ untouched: u, from: " + four() + ", to: " + four() + " }";
      case 6 -> "{ dynamic: y, from: " + four() + ", leaving: uplink, pool: " + pool + " }";
      case 7 ->
          "{ shared: h, from: "
              + four()
              + ", to: "
              + four()
              + ", leaving: uplink, pool: "
              + pool
              + " }";
      default -> "{ shared: h, from: " + four() + ", leaving: " + one("uplink", "mid") + " }";
    };
  }

  public String guards() {
    return one(
        "{ arriving: uplink }",
        "{ leaving: in }",
        "{ arriving: in, leaving: internet }",
        "{ to: device }",
        "[{ arriving: mid }, { arriving: uplink, to: device }]",
        "{ arriving: any }");
  }

  public String site() {
    StringBuilder text = new StringBuilder();
    text.append("eskerfield: 1\nsite: x\ntime-zone: UTC\nnetworks:\n");
    text.append("  inside: { prefix: [10.1.0.0/28, 2001:db8:1::/64], zone: inside }\n");
    text.append("  middle: { prefix: 10.2.0.0/28, zone: middle }\n");
    text.append("  link: { prefix: [198.51.100.128/28, 2001:db8:9::/64], zone: internet");
    text.append(", carrier: 198.51.100.129 }\n");
    text.append("groups: { some: [10.1.0.4/30, 10.2.0.7, 203.0.113.2] }\n");
    text.append("schedules:\n  early: { days: mon-fri, hours: 06:00-10:00 }\n");
    text.append("  season: { days: every day, hours: 22:00-09:30, first-day: 2026-01-05 }\n");
    text.append("devices:\n  edge:\n    stance: ");
    text.append(
        one("drop", "accept", "{ inside to any: accept, any to middle: accept, otherwise: drop }"));
    text.append(chance(20) ? "\n    access-sees: original" : "");
    text.append(chance(20) ? "\n    verify-source: true" : "");
    text.append("\n    interfaces:\n      in: { on: inside, at: [10.1.0.1, '2001:db8:1::1'] }\n");
    text.append("      mid: { on: middle, at: 10.2.0.1 }\n");
    text.append("      uplink: { on: link, at: [198.51.100.140, '2001:db8:9::1']");
    text.append(chance(5) ? ", state: off }\n" : " }\n");
    text.append("    routes:\n      - { to: any, via: 198.51.100.129 }\n");
    text.append(chance(30) ? "      - { to: 203.0.113.0/31, discard: true }\n" : "");
    text.append("      - { to: '::/0', via: '2001:db8:9::2' }\n");
    text.append("    services:\n      - { service: [81/udp, ping], from: inside }\n");
    text.append("    translation:\n");
    for (int i = random.nextInt(5); i >= 0; i--) {
      text.append("      - ").append(translation()).append('\n');
    }
    text.append("    access:\n");
    for (int i = random.nextInt(3); i >= 0; i--) {
      text.append("      list ").append(i).append(":\n        guards: ").append(guards());
      text.append(chance(20) ? "\n        stateless: true" : "").append("\n        rules:\n");
      for (int j = random.nextInt(4); j >= 0; j--) {
        text.append("          - ").append(rule()).append('\n');
      }
      text.append("        otherwise: ").append(one("accept", "drop")).append('\n');
    }
    return text.toString();
  }

  public Packet packet() {
    boolean six = chance(20);
    Address from =
        six
            ? new Address(
                Family.IPV6,
                0x2001_0db8_0000_0000L + random.nextInt(5),
                one("a").length() + random.nextInt(3))
            : address(one("10.1.0.", "10.2.0.", "203.0.113.", "198.51.100.1"));
    Address to =
        six
            ? new Address(
                Family.IPV6,
                0x2001_0db8_0001_0000L + 0x1_0000L * random.nextInt(9),
                1 + random.nextInt(3))
            : address(one("10.1.0.", "10.2.0.", "203.0.113.", "198.51.100.13", "198.51.100.13"));
    int protocol = new int[] {6, 6, 17, 1, 47, 58}[random.nextInt(6)];
    boolean ports = Protocol.hasPorts(protocol);
    int type = protocol == 1 ? 8 : protocol == 58 ? 128 : Icmp.NO_TYPE;
    boolean asks = Icmp.isEchoRequest(type);
    int port = chance(20) ? 1080 : 78 + random.nextInt(6);
    return new Packet(
        from,
        ports || asks ? 1023 + random.nextInt(60) : 0,
        to,
        ports ? port : 0,
        protocol,
        type,
        protocol == Protocol.TCP ? Packet.SYN : 0);
  }

  private Address address(String start) {
    int last = random.nextInt(10);
    String[] octets = (start + last).split("\\.");
    return Address.ipv4(
        Integer.parseInt(octets[0]),
        Integer.parseInt(octets[1]),
        Integer.parseInt(octets[2]),
        octets[3].length() == 1 ? last : Integer.parseInt(octets[3]));
  }
}
