// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.bench;

import java.time.ZoneOffset;
import java.util.Objects;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.walk.DeviceMachine;

/** A router that shares addresses among a large network, and flows through it by number. */
final class Edge {
  /** How many ports each sender uses. */
  private static final int FLOWS_PER_SENDER = 64;

  private static final int FIRST_PORT = 40000;
  private static final Address SERVER = Address.ipv4(203, 0, 113, 200);
  private static final Address SERVER_V6 = new Address(Family.IPV6, 0x2001_0db8_0002_0000L, 200);

  final DeviceMachine machine;
  final VirtualClock clock = new VirtualClock(VirtualClock.start(ZoneOffset.UTC));
  final Interface inside;
  final Interface outside;

  /**
   * A router without state.
   *
   * @param pool the addresses that are shared, such as 192.0.2.64/26
   */
  Edge(String pool) {
    Site site;
    try {
      site = SiteReader.read("bench", SITE.replace("POOL", pool));
    } catch (UnreadableSiteException e) {
      throw new IllegalStateException(e);
    }
    Device device = Objects.requireNonNull(site.devices().get("edge"));
    machine = new DeviceMachine(DeviceProgram.compile(site, device), clock);
    inside = device.interfaces().get(0);
    outside = device.interfaces().get(1);
  }

  private static final String SITE =
      """
      eskerfield: 1
      site: A large network
      networks:
        inner: { prefix: [10.0.0.0/8, "2001:db8:1::/64"], zone: inner }
        link:
          prefix: [198.51.100.128/26, "2001:db8:2::/64"]
          zone: internet
          carrier: [198.51.100.129, "2001:db8:2::1"]
          routed: { to: 192.0.2.0/24, via: 198.51.100.140 }
      devices:
        edge:
          stance: { inner to internet: accept, otherwise: drop }
          interfaces:
            inner:  { on: inner, at: [10.0.0.1, "2001:db8:1::1"] }
            uplink: { on: link, at: [198.51.100.140, "2001:db8:2::140"] }
          routes:
            - { to: any, via: 198.51.100.129 }
            - { to: any, via: "2001:db8:2::1" }
          translation:
            - shared: everybody
              from: inner
              leaving: uplink
              pool: POOL
      """;

  /** The first packet of a flow, as it arrives inside. */
  static Packet packet(int flow) {
    int sender = (10 << 24) + (1 << 16) + flow / FLOWS_PER_SENDER;
    return new Packet(
        new Address(Family.IPV4, 0, sender),
        FIRST_PORT + 2 * (flow % FLOWS_PER_SENDER),
        SERVER,
        53,
        Protocol.UDP,
        Icmp.NO_TYPE,
        0);
  }

  /** The same over IPv6. */
  static Packet packetV6(int flow) {
    return new Packet(
        new Address(Family.IPV6, 0x2001_0db8_0001_0000L, 2 + flow / FLOWS_PER_SENDER),
        FIRST_PORT + flow % FLOWS_PER_SENDER,
        SERVER_V6,
        53,
        Protocol.UDP,
        Icmp.NO_TYPE,
        0);
  }

  /** Opens flows by number, from one to before another. */
  void open(int from, int to) {
    for (int flow = from; flow < to; flow++) {
      open(packet(flow));
    }
  }

  void open(Packet packet) {
    Ruling ruling = machine.arrive(packet, inside, null);
    if (ruling != Ruling.SESSION_RECORDED) {
      throw new IllegalStateException("a flow was not opened: " + ruling);
    }
  }
}
