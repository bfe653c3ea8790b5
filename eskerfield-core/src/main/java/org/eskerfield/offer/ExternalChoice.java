// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.ledger.Block;
import org.eskerfield.ledger.Holding;
import org.eskerfield.ledger.Ledger;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.External;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Outside;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.Site;
import org.eskerfield.offer.OutwardPath.Hop;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/** Chooses the external address and ports of an offer: those that are asked for, or free ones. */
final class ExternalChoice {
  static final int FIRST_FREE = 1024;

  private final Site site;
  private final Wish wish;
  private final Ledger ledger;

  ExternalChoice(Site site, Wish wish) {
    this.site = site;
    this.wish = wish;
    this.ledger = Ledger.of(site);
  }

  /** What has some of these ports of an address already; null if they are free. */
  @Nullable Holding taker(Address address, List<ServicePart> parts) {
    for (Holding holding : ledger.at(address)) {
      boolean sharing =
          holding.kind() == Holding.Kind.INTERFACE || holding.kind() == Holding.Kind.SHARED;
      if (holding.services().isEmpty() && !sharing) {
        return holding;
      }
      for (ServicePart mine : parts) {
        for (ServicePart theirs : holding.services()) {
          if (mine.overlaps(theirs)) {
            return holding;
          }
        }
      }
    }
    return null;
  }

  /**
   * The same for an address that was asked for: what the device itself offers to insiders only they
   * reach at its other addresses, and packets from outside may go elsewhere.
   */
  private @Nullable Holding takerOf(Address address, List<ServicePart> parts) {
    Holding taker = taker(address, parts);
    if (taker == null || !(taker.by() instanceof OwnService own) || own.from().isEmpty()) {
      return taker;
    }
    return site.addresses(own.from()).intersects(Outside.senders(site)) ? taker : null;
  }

  /** The service on the external ports that are wished for. */
  List<ServicePart> movedOutside() throws RefusedChangeException {
    PortSet ports = wish.externalPorts();
    List<ServicePart> parts = wish.service().parts();
    List<ServicePart> moved = ports == null ? parts : Target.moved(parts, ports.first());
    if (wish.whole() && moved != null && !moved.equals(parts)) {
      throw new RefusedChangeException(
          "a static rule translates no ports, so "
              + wish.service().name()
              + " cannot be at port "
              + ports,
          "leave the port out, or the static rule");
    }
    if (moved == null || (ports != null && ports.size() != parts.get(0).ports().size())) {
      throw new RefusedChangeException(
          wish.service().name() + " cannot be moved to port " + ports,
          "one port or one range of ports takes as many others; leave the port out to keep "
              + wish.service().name());
    }
    return moved;
  }

  Target external(Hop last, Target target) throws RefusedChangeException {
    List<ServicePart> parts = target.parts();
    if (wish.service().parts() != target.parts()) {
      parts = wish.service().parts(); // what inner devices moved need not be moved outside
    }
    if (wish.externalPorts() != null) {
      parts = movedOutside();
    }
    Interface outer = last.outer();
    Address chosen = wish.external();
    if (chosen != null) {
      return asked(last, chosen, parts, target);
    }
    List<Address> candidates = wish.whole() ? free(outer) : candidates(last, target);
    for (Address candidate : candidates) {
      if (taker(candidate, parts) == null && !isHidden(outer, candidate)) {
        return Target.at(target, candidate, parts);
      }
    }
    throw none(last, parts);
  }

  private RefusedChangeException none(Hop last, List<ServicePart> parts) {
    Interface outer = last.outer();
    Address own = outer.address(Family.IPV4);
    if (own != null && isHidden(outer, own)) {
      return new RefusedChangeException(
          "the address of "
              + outer.name()
              + " is "
              + SpecialAddresses.kind(own)
              + ": nobody outside can reach it",
          "ask the carrier for a public address, or for a rule of its own that leads here");
    }
    if (wish.whole()) {
      return new RefusedChangeException(
          "no external address of " + last.device().name() + " is free",
          "leave the static rule out: a single port shares an address with others");
    }
    Holding taker = own == null ? null : taker(own, parts);
    int port = own == null ? -1 : freePort(own, parts);
    return new RefusedChangeException(
        (parts.isEmpty() ? "it" : Target.text(parts))
            + " is taken on every external address"
            + (taker == null ? "" : ": on " + own + " by " + taker.who()),
        port < 0 ? "withdraw one of them" : "port " + port + " of " + own + " is free");
  }

  private int freePort(Address address, List<ServicePart> parts) {
    int first = parts.get(0).ports().first();
    for (int step = 0; step < 4096; step++) {
      // Near what people know: 8443 for 443, then upwards.
      int port =
          step == 0 && first < FIRST_FREE ? 8000 + first : Math.max(first, FIRST_FREE) + step;
      List<ServicePart> moved = Target.moved(parts, port);
      if (moved != null && taker(address, moved) == null) {
        return port;
      }
    }
    return -1;
  }

  private Target asked(Hop last, Address chosen, List<ServicePart> parts, Target target)
      throws RefusedChangeException {
    Interface outer = last.outer();
    AddressSet here = AddressSet.ofAddresses(outer.addresses());
    boolean assigned = outer.assigned() == Assignment.BY_CARRIER;
    for (Block block : ledger.of(outer.network())) {
      boolean ours = block.via() == null ? !assigned : outer.addresses().contains(block.via());
      here = ours ? here.union(AddressSet.of(List.of(block.usable()))) : here;
    }
    if (!here.contains(chosen)) {
      throw new RefusedChangeException(
          chosen + " does not lead to " + outer.name() + " of " + last.device().name(),
          "the addresses that do are " + here);
    }
    Holding taker = wish.whole() ? whole(chosen) : takerOf(chosen, parts);
    if (taker != null) {
      int port = wish.whole() ? -1 : freePort(chosen, parts);
      boolean own = taker.kind() == Holding.Kind.OWN_SERVICE;
      List<Address> others = wish.whole() ? free(outer) : candidates(last, target);
      others.removeIf(each -> each.equals(chosen) || taker(each, parts) != null);
      throw new RefusedChangeException(
          (taker.services().isEmpty() ? chosen.toString() : Target.text(parts) + " of " + chosen)
              + " is taken: "
              + taker.who()
              + (own ? "; to take it over would cut whoever manages the device" : ""),
          (port < 0 ? "" : "port " + port + " of it is free")
              + (others.isEmpty() ? "" : (port < 0 ? "" : "; ") + others.get(0) + " is free for it")
              + (port < 0 && others.isEmpty() ? "withdraw what has it" : ""));
    }
    return Target.at(target, chosen, parts);
  }

  /** What keeps an address from being one host's as a whole. */
  private @Nullable Holding whole(Address address) {
    List<Holding> holders = ledger.at(address);
    return holders.isEmpty() ? null : holders.get(0);
  }

  /** How rules name an external address: as the interface's, if that is what it stands for. */
  static External external(Interface outer, Address address) {
    return address.equals(outer.address(address.family()))
        ? External.of(outer)
        : External.of(address);
  }

  private static boolean isHidden(Interface outer, Address address) {
    return !outer.network().carrier().isEmpty()
        && SpecialAddresses.NOT_ON_THE_INTERNET.contains(address);
  }

  /** External addresses in the order in which they are proposed. */
  private List<Address> candidates(Hop last, Target target) {
    Set<Address> candidates = new LinkedHashSet<>();
    for (InwardRule rule : last.device().inward()) {
      if (!rule.disabled()
          && rule.internalBlock().contains(target.address())
          && target.address().equals(wish.host().address(Family.IPV4))
          && rule.facing().names(last.outer())) {
        Prefix now = rule.block(Family.IPV4);
        if (now != null && now.length() == 32) {
          candidates.add(now.first()); // what outsiders know the host by already
        }
      }
    }
    candidates.addAll(last.outer().addresses());
    candidates.addAll(free(last.outer()));
    candidates.removeIf(address -> address.family() != Family.IPV4);
    return new ArrayList<>(candidates);
  }

  private List<Address> free(Interface outer) {
    List<Address> free = new ArrayList<>();
    for (Block block : ledger.of(outer.network())) {
      boolean ours =
          block.via() == null ? !block.assigned() : outer.addresses().contains(block.via());
      for (Block.Stretch stretch : block.stretches()) {
        AddressRange range = stretch.addresses();
        if (ours && stretch.isFree() && range.first().family() == Family.IPV4) {
          free.add(range.first());
        }
      }
    }
    return free;
  }
}
