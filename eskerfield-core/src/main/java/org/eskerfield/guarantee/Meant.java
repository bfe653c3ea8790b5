// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Function;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.walk.EveryHop;
import org.eskerfield.walk.EveryPacket.Passage;
import org.jspecify.annotations.Nullable;

/**
 * The packets that a guarantee speaks of: as they are sent, at each interface by which they come
 * in, and as somebody gets them.
 *
 * <p>Idea: whether a packet is exempt hangs on both, how it was sent and as what it arrives. So
 * what is sent is parted by the exemptions that its sending fits, and for each part the receivers
 * are those that these do not exempt.
 */
final class Meant {
  /**
   * Packets as they are sent, with the exemptions that their sending fits.
   *
   * @param sent the packets
   * @param fitting the numbers of the exemptions
   */
  private record Part(PacketSet sent, BitSet fitting) {}

  private final Proving on;
  private final PacketSpace space;
  final Guarantee guarantee;
  final List<Ends.Senders> senders;
  final Ends.Receivers receivers;
  private final List<List<Ends.Senders>> exemptSenders = new ArrayList<>();
  private final List<Ends.Receivers> exemptReceivers = new ArrayList<>();
  private final Map<String, Map<Ways.Entry, PacketSet>> known;

  Meant(Proving on, Guarantee guarantee) {
    this.on = on;
    this.space = on.space;
    this.guarantee = guarantee;
    this.senders = on.ends.senders(guarantee.from());
    this.receivers = on.ends.receivers(guarantee.to());
    this.known = on.known(receiving(guarantee));
    for (Guarantee.Exempt each : guarantee.except()) {
      exemptSenders.add(on.ends.senders(each.from()));
      exemptReceivers.add(on.ends.receivers(each.to()));
    }
  }

  /** All on which it hangs what may come to the receivers: whoever the senders are, it is alike. */
  private static List<Object> receiving(Guarantee guarantee) {
    return List.of(
        guarantee.kind() == Guarantee.Kind.PASSES,
        String.valueOf(guarantee.through()),
        guarantee.to(),
        guarantee.services(),
        guarantee.sources(),
        guarantee.except());
  }

  // Sending.

  private static boolean isAt(Ends.Senders senders, Network network) {
    Network where = senders.network();
    // Whoever is outside reaches every carrier.
    return (where == null || where.isOutside())
        ? network.isOutside()
        : where.name().equals(network.name());
  }

  /** What some senders put on a network. */
  private PacketSet sent(List<Ends.Senders> all, Network network) {
    PacketSet set = space.none();
    for (Ends.Senders each : all) {
      if (isAt(each, network)) {
        boolean any = each.whole() && !guarantee.honest();
        set = set.union(any ? space.all() : space.sources(each.own()));
      }
    }
    return set;
  }

  /** What the senders put on a network, at the times that count. */
  PacketSet sent(Network network) {
    return sent(senders, network)
        .intersection(space.during(guarantee.when()))
        .minus(on.impossible());
  }

  /** The addresses of senders on a network, and of those outside who come in by it. */
  AddressSet own(Network network) {
    AddressSet all = AddressSet.NONE;
    for (Ends.Senders each : senders) {
      all = isAt(each, network) ? all.union(each.own()) : all;
    }
    return all;
  }

  private List<Part> parts(Network network) {
    List<Part> parts = new ArrayList<>(List.of(new Part(sent(network), new BitSet())));
    for (int i = 0; i < guarantee.except().size(); i++) {
      Guarantee.Exempt exempt = guarantee.except().get(i);
      PacketSet fits =
          (exempt.from().isEmpty() ? space.all() : sent(exemptSenders.get(i), network))
              .intersection(space.during(exempt.when()));
      List<Part> finer = new ArrayList<>();
      for (Part part : parts) {
        BitSet more = (BitSet) part.fitting.clone();
        more.set(i);
        finer.add(new Part(part.sent.intersection(fits), more));
        finer.add(new Part(part.sent.minus(fits), part.fitting));
      }
      finer.removeIf(part -> part.sent.isEmpty());
      parts = finer;
    }
    return parts;
  }

  // Getting.

  /** What counts of what somebody gets, where some exemptions fit. */
  private PacketSet counts(EveryHop.Landing landing, BitSet fitting, boolean asSent) {
    PacketSet set = asSent ? space.all() : at(landing, receivers);
    if (set.isEmpty()) {
      return set;
    }
    set = set.intersection(space.services(guarantee.services()));
    if (!guarantee.sources().isEmpty()) {
      set = set.intersection(space.sources(on.site.addresses(guarantee.sources())));
    }
    for (int i = fitting.nextSetBit(0); i >= 0; i = fitting.nextSetBit(i + 1)) {
      Guarantee.Exempt exempt = guarantee.except().get(i);
      PacketSet away = space.services(exempt.services());
      set =
          set.minus(
              exempt.to().isEmpty()
                  ? away
                  : away.intersection(at(landing, exemptReceivers.get(i))));
    }
    return set;
  }

  /** Of some packets those that go to receivers who are meant, and for what; all if none does. */
  PacketSet likely(PacketSet packets) {
    AddressSet addresses = receivers.outside();
    for (AddressSet each : receivers.hosts().values()) {
      addresses = addresses.union(each);
    }
    for (AddressSet each : receivers.devices().values()) {
      addresses = addresses.union(each);
    }
    PacketSet some = packets.intersection(space.destinations(addresses));
    some = some.isEmpty() ? packets : some;
    PacketSet served = some.intersection(space.services(guarantee.services()));
    return served.isEmpty() ? some : served;
  }

  private PacketSet at(EveryHop.Landing landing, Ends.Receivers meant) {
    AddressSet addresses;
    if (landing.host() != null) {
      addresses = meant.hosts().get(landing.host().name());
    } else if (landing.device() != null) {
      addresses = landing.own() != null ? null : meant.devices().get(landing.device().name());
    } else {
      addresses = meant.outside();
    }
    return addresses == null ? space.none() : space.destinations(addresses);
  }

  /** What counts of a packet that somebody got, as it was sent and as he got it. */
  boolean counts(
      Network network, PacketSet.Member sent, EveryHop.Landing landing, PacketSet.Member got) {
    if (isNear(landing, network)) {
      return false;
    }
    for (Part part : parts(network)) {
      if (contains(part.sent, sent)) {
        PacketSet set = counts(landing, part.fitting, false);
        boolean named = contains(space.destinations(receivers.asSent()), sent);
        set = named ? set.union(counts(landing, part.fitting, true)) : set;
        return contains(set, got);
      }
    }
    return false;
  }

  /** Whether a host is where the packets come from: nobody between them need see them. */
  private static boolean isNear(EveryHop.Landing landing, Network network) {
    return landing.host() != null && landing.host().isOn(network);
  }

  private static boolean contains(PacketSet set, PacketSet.Member one) {
    return set.contains(one.packet(), one.arriving(), one.leaving(), one.at());
  }

  // Both.

  /**
   * The packets that may break it, as they come in by an interface: all that get through in some
   * state.
   *
   * @param bindings whether ways over live bindings of others count, too
   */
  PacketSet breaking(Ways.Entry entry, boolean bindings) {
    PacketSet all = space.none();
    for (Part part : parts(entry.own().network())) {
      PacketSet gets = reach(part.fitting, bindings, false, entry);
      if (!receivers.asSent().isEmpty()) {
        PacketSet named = reach(part.fitting, bindings, true, entry);
        gets = gets.union(named.intersection(space.destinations(receivers.asSent())));
      }
      all = all.union(part.sent.intersection(gets));
    }
    return all;
  }

  private PacketSet reach(BitSet fitting, boolean bindings, boolean asSent, Ways.Entry entry) {
    Map<Ways.Entry, PacketSet> reach =
        known.computeIfAbsent(
            fitting + " " + bindings + " " + asSent + " " + near(entry),
            k -> reach(fitting, bindings, asSent, entry.own().network()));
    PacketSet here = reach.get(entry);
    return here == null ? space.none() : here;
  }

  /** The network that packets come from, where some of the receivers are; else nothing. */
  private String near(Ways.Entry entry) {
    Network network = entry.own().network();
    boolean some =
        receivers.hosts().keySet().stream()
            .map(on.site.hosts()::get)
            .anyMatch(host -> host != null && host.isOn(network));
    return some ? network.name() : "";
  }

  private Map<Ways.Entry, PacketSet> reach(
      BitSet fitting, boolean bindings, boolean asSent, Network from) {
    Map<Ways.Entry, PacketSet> all =
        to(
            bindings,
            landing ->
                landing.own() != null || isNear(landing, from)
                    ? space.none()
                    : counts(landing, fitting, asSent));
    boolean around = guarantee.kind() == Guarantee.Kind.PASSES;
    return guarantee.through() == null || around ? all : through(all, bindings);
  }

  /** Of the packets that may arrive, those that may pass the device before. */
  private Map<Ways.Entry, PacketSet> through(
      Map<Ways.Entry, PacketSet> arriving, boolean bindings) {
    Map<Ways.Entry, PacketSet> all =
        new LinkedHashMap<>(
            to(
                bindings,
                landing -> {
                  Device device = landing.device();
                  Interface own = landing.own();
                  return device != null && own != null && device.name().equals(guarantee.through())
                      ? arriving.getOrDefault(new Ways.Entry(device, own), space.none())
                      : space.none();
                }));
    arriving.forEach(
        (entry, set) -> {
          if (entry.device().name().equals(guarantee.through())) {
            all.merge(entry, set, PacketSet::union);
          }
        });
    return all;
  }

  /** What may come to a goal by the ways that count. */
  private Map<Ways.Entry, PacketSet> to(
      boolean bindings, Function<EveryHop.Landing, PacketSet> goal) {
    boolean around = guarantee.kind() == Guarantee.Kind.PASSES;
    return on.ways()
        .to(
            new Ways.Goal() {
              @Override
              public PacketSet among(EveryHop.Landing landing) {
                return goal.apply(landing);
              }

              @Override
              public boolean allows(Ways.Entry by, Passage passage) {
                return (bindings || passage.binding() == null)
                    && !(around && by.device().name().equals(guarantee.through()));
              }
            });
  }

  /** What somebody gets directly of what senders put on his network; none of it passes a device. */
  EveryHop.@Nullable Landing direct(Network network, PacketSet sent) {
    for (EveryHop.Landing each : on.ways().hops().from(network, null, null)) {
      if (each.host() == null) {
        continue;
      }
      PacketSet himself = space.sources(AddressSet.ofAddresses(each.host().addresses()));
      for (Part part : parts(network)) {
        PacketSet got =
            part.sent
                .intersection(sent)
                .minus(himself)
                .intersection(each.packets())
                .intersection(counts(each, part.fitting, false));
        if (!got.isEmpty()) {
          return new EveryHop.Landing(null, null, each.host(), got);
        }
      }
    }
    return null;
  }
}
