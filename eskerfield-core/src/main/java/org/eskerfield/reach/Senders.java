// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.reach;

import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;

/** Who sends what, before any device has seen it. */
public final class Senders {
  private static final int NO_ICMP_TYPE = 256;

  private Senders() {}

  /**
   * The first packets that somebody can ask about. What a packet does not have is nailed down, as
   * {@link PacketSet#contains} takes it, so that no member differs from another in it alone.
   */
  public static PacketSet askable(PacketSpace space) {
    PacketSet icmp = space.protocol(Protocol.ICMP).union(space.protocol(Protocol.ICMPV6));
    PacketSet typeless = space.where(Dimension.ICMP_TYPE, NO_ICMP_TYPE, -1);
    PacketSet unsent = space.where(Dimension.SOURCE_PORT, 0, 0);
    PacketSet unasked = space.where(Dimension.DESTINATION_PORT, 0, 0);
    PacketSet opening = space.protocol(Protocol.TCP).intersection(space.flags(Packet.SYN));
    PacketSet flagless = space.flags(0);
    typeless = typeless.intersection(space.where(Dimension.ICMP_CODE, 0, 0));
    PacketSet udp = space.protocol(Protocol.UDP).intersection(flagless);
    PacketSet ported = opening.union(udp).intersection(typeless);
    PacketSet others =
        space
            .all()
            .minus(icmp)
            .minus(space.withPorts())
            .intersection(typeless)
            .intersection(flagless)
            .intersection(unsent)
            .intersection(unasked);
    PacketSet pings = echo(space, Protocol.ICMP, Family.IPV4, Icmp.ECHO_REQUEST);
    pings = pings.union(echo(space, Protocol.ICMPV6, Family.IPV6, Icmp.ECHO_REQUEST_V6));
    return ported.union(others).union(pings.intersection(unasked));
  }

  private static PacketSet echo(PacketSpace space, int protocol, Family family, int type) {
    return space
        .protocol(protocol)
        .intersection(space.of(family))
        .intersection(space.where(Dimension.ICMP_TYPE, type, type))
        .intersection(space.where(Dimension.ICMP_CODE, 0, 0))
        .intersection(space.flags(0));
  }

  /** The same packets without what they do not have. */
  public static PacketSet plain(PacketSpace space, PacketSet packets) {
    PacketSet icmp = space.protocol(Protocol.ICMP).union(space.protocol(Protocol.ICMPV6));
    packets = packets.without(Dimension.ICMP_CODE).without(Dimension.TCP_FLAGS);
    PacketSet ported = packets.intersection(space.withPorts()).without(Dimension.ICMP_TYPE);
    PacketSet pings = packets.intersection(icmp).without(Dimension.DESTINATION_PORT);
    PacketSet others =
        packets
            .minus(icmp)
            .minus(space.withPorts())
            .without(Dimension.ICMP_TYPE)
            .without(Dimension.SOURCE_PORT)
            .without(Dimension.DESTINATION_PORT);
    return ported.union(pings).union(others);
  }
}
