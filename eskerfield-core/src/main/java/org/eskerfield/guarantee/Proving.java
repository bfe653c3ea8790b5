// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Supplier;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.reach.Fates;
import org.eskerfield.reach.Senders;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.PacketWords;
import org.eskerfield.set.Times;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Tracer;
import org.eskerfield.walk.Alike;
import org.eskerfield.walk.EveryPacket;
import org.jspecify.annotations.Nullable;

/** What all guarantees of one site are proved with; worked out once. */
final class Proving {
  private static final int MOST_INTERVALS = 40_000_000;
  private static final int MOST_RANGES = 10_000;

  final Site site;
  final Tracer tracer;
  final PacketSpace space;
  final Ends ends;
  final PacketWords words;

  /** Packets to where the internet carries them. */
  final PacketSet onTheInternet;

  /** Packets from the port that a question is asked from where none is named. */
  final PacketSet usualPort;

  private final SiteProgram walked;
  private final Map<List<Object>, Map<String, Map<Ways.Entry, PacketSet>>> known = new HashMap<>();
  private @Nullable Ways ways;
  private @Nullable Fates fates;
  private Alike.@Nullable Ground ground;
  private @Nullable PacketSet askable;
  private @Nullable AddressSet described;
  private final IdentityHashMap<Network, AddressSet> onNetworks = new IdentityHashMap<>();

  /**
   * What is proved with.
   *
   * @param tracer traces packets on the site
   * @param walked the site on which every packet is followed; another one only where some rules are
   *     to let nothing through
   */
  Proving(Tracer tracer, SiteProgram walked) {
    this(tracer, walked, space(tracer.site()));
  }

  /** The same, in a space that another site with the same interfaces and schedules has. */
  Proving(Tracer tracer, SiteProgram walked, PacketSpace space) {
    this.tracer = tracer;
    this.walked = walked;
    this.site = tracer.site();
    this.space = space;
    this.ends = new Ends(tracer.program());
    this.words = new PacketWords(site);
    this.onTheInternet = space.destinations(SpecialAddresses.NOT_ON_THE_INTERNET).complement();
    this.usualPort =
        space.where(
            Dimension.SOURCE_PORT, Question.DEFAULT_SOURCE_PORT, Question.DEFAULT_SOURCE_PORT);
  }

  private static PacketSpace space(Site site) {
    Times times =
        new Times(List.copyOf(site.schedules().values()), VirtualClock.start(site.timeZone()));
    return new PacketSpace(EveryPacket.numbers(site), times);
  }

  /** What is known of the ways to some receivers. */
  Map<String, Map<Ways.Entry, PacketSet>> known(List<Object> receiving) {
    return known.computeIfAbsent(receiving, k -> new HashMap<>());
  }

  Ways ways() {
    if (ways == null) {
      ways = new Ways(walked, space);
    }
    return ways;
  }

  /** What becomes of packets there and back. */
  Fates fates() {
    if (fates == null) {
      fates = new Fates(site, space, 0);
    }
    return fates;
  }

  /** What the conditions of the site mean for packets that are traced. */
  Alike.Ground ground() {
    if (ground == null) {
      ground = new Alike.Ground(space, EveryPacket.of(tracer.program(), space, 0));
    }
    return ground;
  }

  /** Works something out in as much room as one guarantee may take. */
  <T> T bounded(Supplier<T> work) {
    space.allow(MOST_INTERVALS);
    try {
      return work.get();
    } finally {
      space.allow(Integer.MAX_VALUE);
    }
  }

  /** The addresses of all hosts that the file describes. */
  AddressSet described() {
    AddressSet known = described;
    if (known == null) {
      List<Address> all = new ArrayList<>();
      site.hosts().values().forEach(host -> all.addAll(host.addresses()));
      known = AddressSet.ofAddresses(all);
      described = known;
    }
    return known;
  }

  /** The addresses of the hosts on a network that are switched on; of one outside all outside. */
  AddressSet described(Network network) {
    return onNetworks.computeIfAbsent(
        network,
        on -> {
          List<Address> all = new ArrayList<>();
          for (Host host : site.hosts().values()) {
            boolean there = on.isOutside() ? host.isOutside() : host.isOn(on);
            if (there && !host.off()) {
              all.addAll(host.addresses());
            }
          }
          return AddressSet.ofAddresses(all);
        });
  }

  /** The packets that open a connection by nothing but SYN, and those of other protocols. */
  PacketSet opening() {
    return space.flags(Packet.SYN).union(space.all().minus(space.protocol(Protocol.TCP)));
  }

  /** How many IPv4 addresses are sources of some packets. */
  long sources(PacketSet packets) {
    long count = 0;
    PacketSet only =
        packets
            .intersection(space.of(Family.IPV4))
            .withoutAllBut(Dimension.FAMILY, Dimension.SOURCE);
    for (PacketSet.Box box : only.boxes(MOST_RANGES)) {
      PacketSet.Box.Interval each = box.intervals().get(Dimension.SOURCE);
      count += each == null ? 0 : each.last() - each.first() + 1;
    }
    return count;
  }

  /** What no packet is: of the ICMP of the other family. */
  PacketSet impossible() {
    PacketSet four = space.of(Family.IPV4).intersection(space.protocol(Protocol.ICMPV6));
    return four.union(space.of(Family.IPV6).intersection(space.protocol(Protocol.ICMP)));
  }

  /** The first packets that somebody may send. */
  PacketSet askable() {
    if (askable == null) {
      askable = Senders.askable(space);
    }
    return askable;
  }
}
