// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Tracer;
import org.eskerfield.walk.EveryPacket;
import org.eskerfield.walk.EveryPacket.Passage;

/** The own services of devices: reached by those who should, and by nobody else. */
final class Management {
  /** So many neighbours on a link are no partner that somebody means. */
  private static final int MOST_PARTNERS = 8;

  /** IPv4 addresses, or IPv6 networks of /64, that nobody names because he knows them all. */
  private static final long MOST_NAMED = 65_536;

  private static final int MOST_BOXES = 1_000;

  private final Inspection check;

  Management(Inspection check) {
    this.check = check;
  }

  void inspect(Device device) {
    EveryPacket sets = check.sets(device);
    for (OwnService own : device.services()) {
      PacketSet serves = sets.meaning().serving(own).intersection(check.space.withPorts());
      if (serves.isEmpty()) {
        continue;
      }
      PacketSet reached = check.space.none();
      PacketSet managing = check.space.none();
      for (Interface arriving : device.interfaces()) {
        for (Passage passage : check.passages(device, arriving)) {
          if (passage.leaving() == null) {
            PacketSet here = passage.arrived().intersection(passage.arrivedAs(serves));
            reached = reached.union(here);
            PacketSet sent = here.intersection(comingBy(device, arriving));
            managing =
                managing.union(
                    arriving.isOutside()
                        ? sent.intersection(check.space.destinations(Inspection.CARRIED))
                        : sent);
            if (arriving.isOutside()) {
              open(device, own, arriving, here);
            }
          }
        }
      }
      if (!taken(device, own, serves, managing) && reached.isEmpty()) {
        check.add(
            Code.MANAGEMENT_CLOSED,
            own,
            device.name() + " " + own.service().text(),
            "nobody reaches "
                + own.service().text()
                + " of "
                + device.name()
                + ": no list that guards traffic to it accepts any of its senders",
            null,
            Cure.byHand("let a list that guards the way to the device accept those who manage it"));
      }
    }
  }

  /**
   * Whether a rule takes the service's port away from senders who would reach it without the rule,
   * and who reach it at no other address.
   */
  private boolean taken(Device device, OwnService own, PacketSet serves, PacketSet reached) {
    boolean found = false;
    AddressSet mine = AddressSet.ofAddresses(device.addresses());
    PacketSet toItself =
        check.space.destinations(mine).intersection(serves).minus(sources(reached));
    for (InwardRule rule : device.inward()) {
      Prefix external = rule.block();
      if (rule.disabled()
          || external == null
          || !mine.intersects(AddressSet.ofPrefixes(List.of(external)))) {
        continue;
      }
      for (Interface arriving : device.interfaces()) {
        check.passages(device, arriving);
        PacketSet lost =
            toItself
                .intersection(check.sets(device).takes(arriving, rule).arrived())
                .intersection(comingBy(device, arriving));
        if (lost.isEmpty() || leadsToItself(device, rule)) {
          continue;
        }
        lost = lost.intersection(reachedWithout(device, rule, own, arriving));
        if (lost.isEmpty()) {
          continue;
        }
        found = true;
        PacketSet preferred = check.preferring(lost, check.describedOutside());
        preferred = check.preferring(preferred, check.addresses(own.from()));
        check.add(
            Code.OWN_SERVICE_TAKEN,
            rule,
            Labels.of(rule)
                + " takes "
                + own.service().text()
                + " of "
                + device.name()
                + " itself away from packets that arrive on "
                + arriving.name(),
            check.traced(check.attempt(preferred.sample())),
            cure(device, rule, lost));
      }
    }
    return found;
  }

  /** What would reach a service of a device by an interface if one rule were not there. */
  private PacketSet reachedWithout(
      Device device, InwardRule rule, OwnService own, Interface arriving) {
    Site without = Changes.on(check.site, List.of(new Change.Remove(rule)));
    EveryPacket sets =
        Objects.requireNonNull(
            EveryPacket.of(Tracer.of(without).program(), check.space).get(device.name()));
    PacketSet serves = sets.meaning().serving(own);
    PacketSet reached = check.space.none();
    for (Passage passage : sets.passages(arriving)) {
      if (passage.leaving() == null) {
        reached = reached.union(passage.arrivedAs(serves));
      }
    }
    return reached;
  }

  /** The packets of senders who are where an interface leads. */
  private PacketSet comingBy(Device device, Interface arriving) {
    return check.space.sources(
        arriving.isOutside() ? check.strangers() : check.addressesBehind(device, arriving));
  }

  private static boolean leadsToItself(Device device, InwardRule rule) {
    for (Interface own : device.interfaces()) {
      if (own.addresses().contains(rule.internalBlock().first())) {
        return true;
      }
    }
    return false;
  }

  private Cure cure(Device device, InwardRule rule, PacketSet lost) {
    PacketSet.Member one = lost.sample();
    DestinationRule to = rule.by(fixed -> null, destination -> destination, prefix -> null);
    boolean single =
        to != null
            && to.services().size() == 1
            && to.services().get(0).service().parts().size() == 1
            && to.services().get(0).service().parts().get(0).ports().size() == 1;
    if (one == null || to == null || !single) {
      return Cure.byHand(
          "lead only the ports that the host needs, or use another external address");
    }
    int port = one.packet().destinationPort;
    int other = port < 600 ? port * 101 : port < 55_000 ? port + 10_000 : port - 10_000;
    ServicePart free = new ServicePart(one.packet().protocol, PortSet.of(other), Icmp.NO_TYPE);
    return Cure.of(
        "offer the host on another port than "
            + port
            + " of "
            + device.name()
            + ", such as "
            + other,
        new Change.Alter(to, to.serving(ServiceTerm.of(free), port)));
  }

  /** Is it open to the internet, or to everybody on the link to a carrier? */
  private void open(Device device, OwnService own, Interface arriving, PacketSet reached) {
    PacketSet admin =
        reached
            .intersection(check.ports.management)
            .intersection(check.space.destinations(Inspection.CARRIED));
    boolean many = !admin.isEmpty() && isOpenToMany(check, admin);
    if (admin.isEmpty() || (!many && !isOpenToNeighbours(arriving, admin))) {
      return;
    }
    boolean all = isOpenToAll(check, admin);
    List<AddressTerm> inner = new ArrayList<>();
    for (Interface each : device.interfaces()) {
      if (!each.isOutside()) {
        inner.add(AddressTerm.of(each.network()));
      }
    }
    check.add(
        Code.MANAGEMENT_OPEN,
        own,
        device.name() + " " + own.service().text(),
        own.service().text()
            + " of "
            + device.name()
            + " itself is open to "
            + (all
                ? "the whole internet"
                : many ? "most of the internet" : "everybody on " + arriving.network().name()),
        check.traced(check.attempt(check.likely(admin).sample())),
        Cure.of("let only hosts inside reach it", new Change.Alter(own, own.withFrom(inner))));
  }

  private boolean isOpenToNeighbours(Interface arriving, PacketSet admin) {
    AddressSet neighbours =
        AddressSet.ofPrefixes(arriving.network().prefixes()).intersection(check.strangers());
    PacketSet senders = sources(admin);
    for (Family family : Family.values()) {
      AddressSet own = neighbours.intersection(AddressSet.all(family));
      boolean many = family == Family.IPV6 ? !own.isEmpty() : own.countIpv4() >= MOST_PARTNERS;
      if (many && senders.covers(sources(check.space.sources(own)))) {
        return true;
      }
    }
    return false;
  }

  /** Whether packets of a set may come from every address that the internet has of a family. */
  static boolean isOpenToAll(Inspection check, PacketSet set) {
    for (Family family : Family.values()) {
      PacketSet all = check.fromStrangers.intersection(check.space.of(family));
      if (!all.isEmpty() && set.meets(check.space.of(family)) && sources(set).covers(all)) {
        return true;
      }
    }
    return false;
  }

  private static PacketSet sources(PacketSet set) {
    return set.withoutAllBut(Dimension.FAMILY, Dimension.SOURCE_HIGH, Dimension.SOURCE);
  }

  /** Whether packets of a set may come from more of the internet than anybody names one by one. */
  static boolean isOpenToMany(Inspection check, PacketSet set) {
    PacketSet sources = sources(set.intersection(check.fromStrangers));
    return isMany(sources.intersection(check.space.of(Family.IPV4)), Dimension.SOURCE)
        || isMany(sources.intersection(check.space.of(Family.IPV6)), Dimension.SOURCE_HIGH);
  }

  private static boolean isMany(PacketSet sources, Dimension part) {
    List<PacketSet.Box> boxes = sources.boxes(MOST_BOXES);
    long many = 0;
    for (PacketSet.Box box : boxes) {
      PacketSet.Box.Interval interval = box.intervals().get(part);
      if (interval == null || interval.last() - interval.first() < 0) {
        return true;
      }
      many += interval.last() - interval.first() + 1;
    }
    return boxes.size() == MOST_BOXES || many >= MOST_NAMED;
  }
}
