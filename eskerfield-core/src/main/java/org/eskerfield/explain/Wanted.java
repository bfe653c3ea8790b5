// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.explain;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Place;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;

/**
 * Among which packets an example is looked for: what is likely to be answered, and who and what the
 * file describes, makes a better one than what it does not.
 *
 * @param described those of described senders
 * @param anybody those of all who are beyond an interface
 * @param best the sets to look in, the best first; the last is {@code anybody}
 */
record Wanted(PacketSet described, PacketSet anybody, List<PacketSet> best) {
  /**
   * Those of what arrives somewhere.
   *
   * @param here the addresses of the senders whose packets arrive there
   */
  static Wanted of(Site site, PacketSpace space, AddressSet here) {
    List<Address> known = new ArrayList<>();
    List<PacketSet> listened = new ArrayList<>();
    List<PacketSet> pinged = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      if (host.off()) {
        continue;
      }
      known.addAll(host.addresses());
      PacketSet to = space.destinations(AddressSet.ofAddresses(host.addresses()));
      if (!host.listens().isEmpty()) {
        listened.add(to.intersection(space.services(host.listens())));
      }
      if (host.answersPing()) {
        pinged.add(to);
      }
    }
    ServiceTerm ping = new ServiceTerm(Service.PING, Place.IN_CODE);
    AddressSet described = AddressSet.ofAddresses(known);
    PacketSet senders = space.sources(here.intersection(described));
    PacketSet anybody = space.sources(here);
    return new Wanted(
        senders,
        anybody,
        List.of(
            senders.intersection(space.union(listened)),
            senders.intersection(strange(site, space, described)),
            senders.intersection(space.union(pinged)).intersection(space.services(List.of(ping))),
            senders.intersection(space.destinations(described)),
            senders,
            anybody));
  }

  /** The web pages of strangers, who are taken to answer. */
  private static PacketSet strange(Site site, PacketSpace space, AddressSet described) {
    AddressSet known = described.union(SpecialAddresses.NOT_ON_THE_INTERNET);
    for (Network network : site.networks().values()) {
      known = known.union(AddressSet.ofPrefixes(network.prefixes()));
    }
    ServicePart web = new ServicePart(Protocol.TCP, PortSet.of(443), Icmp.NO_TYPE);
    return space.destinations(known.complement()).intersection(space.service(web));
  }
}
