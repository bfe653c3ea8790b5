package org.eskerfield.compare;

import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;

/** Who sends what, before any device has seen it. */
final class Senders {
  private static final int NO_ICMP_TYPE = 256;

  private Senders() {}

  /**
   * The first packets that somebody can ask about. What a packet does not have is nailed down, as
   * {@link PacketSet#contains} takes it, so that no member differs from another in it alone.
   */
  static PacketSet askable(PacketSpace space) {
    PacketSet icmp = space.protocol(Protocol.ICMP).union(space.protocol(Protocol.ICMPV6));
    PacketSet typeless = space.where(Dimension.ICMP_TYPE, NO_ICMP_TYPE, -1);
    PacketSet unsent = space.where(Dimension.SOURCE_PORT, 0, 0);
    PacketSet unasked = space.where(Dimension.DESTINATION_PORT, 0, 0);
    PacketSet ported = space.withPorts().intersection(typeless);
    PacketSet others =
        space
            .all()
            .minus(icmp)
            .minus(space.withPorts())
            .intersection(typeless)
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
        .intersection(space.where(Dimension.ICMP_TYPE, type, type));
  }

  /** The same packets without what they do not have. */
  static PacketSet plain(PacketSpace space, PacketSet packets) {
    PacketSet icmp = space.protocol(Protocol.ICMP).union(space.protocol(Protocol.ICMPV6));
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

  /** The addresses of devices. */
  static AddressSet own(Site site) {
    List<Address> own = new ArrayList<>();
    for (Device device : site.devices().values()) {
      for (Interface each : device.interfaces()) {
        own.addAll(each.addresses());
      }
    }
    return AddressSet.ofAddresses(own);
  }

  /** The addresses of the internet: those that are neither special nor of the site. */
  static AddressSet outside(Site site) {
    AddressSet inside = AddressSet.NONE;
    for (Network network : site.networks().values()) {
      inside = inside.union(AddressSet.ofPrefixes(network.prefixes()));
    }
    return SpecialAddresses.NOT_ON_THE_INTERNET
        .complement()
        .intersection(SpecialAddresses.NEVER_A_SOURCE.complement())
        .intersection(inside.complement())
        .intersection(routed(site).complement())
        .intersection(own(site).complement())
        .intersection(insideHosts(site).complement());
  }

  /** The blocks beyond a network that carriers send to the site. */
  static AddressSet routed(Site site) {
    List<Prefix> blocks = new ArrayList<>();
    site.networks().values().forEach(n -> n.routed().forEach(block -> blocks.add(block.to())));
    return AddressSet.ofPrefixes(blocks);
  }

  private static AddressSet insideHosts(Site site) {
    return AddressSet.ofAddresses(
        site.hosts().values().stream()
            .filter(host -> !host.isOutside())
            .map(Host::addresses)
            .flatMap(Collection::stream)
            .toList());
  }
}
