// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Named;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.KeyedHash;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;

/**
 * A question for a trace: how does this sender's packet fare?
 *
 * @param sender a {@link Host} or a {@link Device}
 * @param source the address that it sends from; one of its own
 * @param to the destination address; of the same family
 * @param probe the packet to try
 * @param sourcePort its port, or the identifier of its ping, 0 to 65535; not used by other
 *     protocols
 * @param at the moment, in the time zone of the site
 */
public record Question(
    Named sender, Address source, Address to, Probe probe, int sourcePort, ZonedDateTime at) {
  private static final KeyedHash KEYED = KeyedHash.fresh();

  /** Of what a file may hold by the million: whoever chose the ports does not choose the hash. */
  @Override
  public int hashCode() {
    long between = KEYED.of(source.hashCode(), to.hashCode());
    return (int) KEYED.of(between ^ probe.hashCode(), sourcePort);
  }

  /** The same question of the sender of that name as another description of the site has it. */
  @SuppressWarnings("ReferenceEquality") // to compare whole hosts would cost more than it saves
  Question on(Site site) {
    Named found =
        sender instanceof Host
            ? site.hosts().get(sender.name())
            : site.devices().get(sender.name());
    return found == null || found == sender
        ? this
        : new Question(found, source, to, probe, sourcePort, at);
  }

  /** What a packet asks that somebody sent: a host that has its source, or one without a name. */
  public static Question of(Site site, Packet sent, ZonedDateTime at) {
    boolean echo = Icmp.isEchoRequest(sent.icmpType);
    Probe probe = echo ? Probe.ping(sent.family) : Probe.of(sent.protocol, sent.destinationPort);
    Host sender = site.hostOrUnnamed(sent.source());
    return new Question(sender, sent.source(), sent.destination(), probe, sent.sourcePort, at);
  }

  /** Whether somebody may answer a packet by what opens a flow. */
  static boolean isOpenedBy(Packet packet) {
    boolean later = packet.size != null && !packet.size.hasFirst();
    return !later
        && (packet.protocol == Protocol.TCP
            ? packet.tcpFlags == Packet.SYN
            : Icmp.isEchoRequest(packet.icmpType) || !Protocol.isIcmp(packet.protocol));
  }

  /** The source port where none is chosen, out of the dynamic range of RFC 6335. */
  public static final int DEFAULT_SOURCE_PORT = 50000;

  /** Checks that sender, families and ports fit. */
  public Question {
    if (!(sender instanceof Host) && !(sender instanceof Device)) {
      throw new IllegalArgumentException("only hosts and devices send, not " + sender.name());
    }
    if (source.family() != to.family()) {
      throw new IllegalArgumentException(
          source + " cannot speak to " + to + ": they are of different families");
    }
    if (Protocol.isIcmp(probe.protocol())
        && (probe.protocol() == Protocol.ICMP) != (to.family() == Family.IPV4)) {
      throw new IllegalArgumentException(
          Protocol.name(probe.protocol()) + " is not the ICMP of " + to.family());
    }
    if (sourcePort < 0 || sourcePort > PortSet.HIGHEST) {
      throw new IllegalArgumentException("source port " + sourcePort + " is outside 0-65535");
    }
  }
}
