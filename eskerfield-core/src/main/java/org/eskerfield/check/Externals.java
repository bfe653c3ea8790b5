// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.External;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.Pool;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.trace.Labels;
import org.jspecify.annotations.Nullable;

/** External addresses: whose they are, whether they lead here, and whether there are enough. */
final class Externals {

  /**
   * External addresses of a rule.
   *
   * @param device whose rule
   * @param rule the rule
   * @param side where they are external
   * @param addresses all of them
   * @param literal whether the rule names them itself, instead of an interface
   * @param whole whether each stands for one machine, not for some ports of it
   */
  private record Use(
      Device device,
      TranslationRule rule,
      InterfaceTerm side,
      AddressSet addresses,
      boolean literal,
      boolean whole) {
    // By name: to compare whole devices would cost more than all the rest.
    boolean isOf(Device other) {
      return device.name().equals(other.name());
    }

    boolean meets(Network network) {
      for (Interface own : side.interfaces()) {
        if (own.network().name().equals(network.name())) {
          return true;
        }
      }
      return false;
    }

    @SuppressWarnings("ReferenceEquality") // every rule of a site is one object
    boolean isBy(TranslationRule other) {
      return rule == other;
    }
  }

  private final Inspection check;
  private final List<Use> uses = new ArrayList<>();
  private final Map<String, AddressSet> hostsOn = new HashMap<>();

  Externals(Inspection check) {
    this.check = check;
  }

  private void gather() {
    for (Device device : check.site.devices().values()) {
      for (TranslationRule rule : device.translation()) {
        Use use = rule.disabled() ? null : use(device, rule);
        if (use != null) {
          uses.add(use);
        }
      }
    }
  }

  /** An external address of an interface's carrier that nothing uses; null if there is none. */
  @Nullable Address free(Device device, Interface own) {
    gather();
    AddressSet routed = AddressSet.NONE;
    for (Network.Routed block : own.network().routed()) {
      if (own.addresses().contains(block.via())) {
        routed = routed.union(AddressSet.ofPrefixes(List.of(block.to())));
      }
    }
    AddressSet free = free(device, List.of(own), null);
    Address ofBlock = free.intersection(routed).lowest(Family.IPV4);
    return ofBlock != null ? ofBlock : free.lowest(Family.IPV4);
  }

  void inspect() {
    gather();
    Capacity capacity = new Capacity(check, this);
    for (Use use : uses) {
      side(use);
      owners(use);
      assigned(use);
      OutwardRule outward = use.rule.outward();
      if (outward != null && outward.lends()) {
        capacity.addresses(use.device, outward);
      } else if (outward != null) {
        capacity.ports(use.device, outward);
      }
    }
    claims();
    overlaps();
  }

  private static @Nullable Use use(Device device, TranslationRule rule) {
    return rule.bySide(
        inward -> {
          Prefix block = inward.block();
          return block == null
              ? null
              : new Use(
                  device,
                  inward,
                  inward.facing(),
                  AddressSet.ofPrefixes(List.of(block)),
                  inward.external().ofInterface() == null,
                  inward.holdsAddress());
        },
        outward ->
            new Use(
                device,
                outward,
                outward.leaving(),
                outward.externals().intersection(AddressSet.all(Family.IPV4)),
                outward.pool() != null,
                outward.lends()),
        untouched -> null);
  }

  private static String first(AddressSet addresses) {
    return addresses.ranges().get(0).first().toString();
  }

  // Do they lead here, and to this interface?

  private static AddressSet leadingTo(Interface own) {
    List<Prefix> blocks = new ArrayList<>(own.network().prefixes());
    for (Network.Routed routed : own.network().routed()) {
      if (own.addresses().contains(routed.via())) {
        blocks.add(routed.to());
      }
    }
    return AddressSet.ofPrefixes(blocks);
  }

  private void side(Use use) {
    AddressSet here = AddressSet.NONE;
    boolean carrier = false;
    for (Interface own : use.side.interfaces()) {
      here = here.union(leadingTo(own));
      carrier |= !own.network().carrier().isEmpty();
    }
    AddressSet lost = use.addresses.intersection(here.complement());
    if (lost.isEmpty()) {
      privateOnes(use, carrier);
      return;
    }
    for (Interface own : use.device.interfaces()) {
      if (!use.side.names(own) && lost.intersects(leadingTo(own)) && !isMetThere(use, own, lost)) {
        check.add(
            Code.WRONG_INTERFACE,
            use.rule,
            Labels.of(use.rule)
                + " names "
                + use.side.text()
                + ", but packets for "
                + first(lost)
                + " arrive on "
                + own.name(),
            null,
            Cure.of("name " + own.name(), new Change.Alter(use.rule, onSide(use, own))));
        return;
      }
    }
    if (carrier && lost.intersects(Inspection.CARRIED)) {
      check.add(
          Code.ADDRESS_NOT_ROUTED,
          use.rule,
          Labels.of(use.rule)
              + " uses "
              + first(lost)
              + ", but no carrier of "
              + use.device.name()
              + " sends that address here",
          null,
          Cure.byHand(
              "use an address of the link or of a block that the carrier routes here; if the carrier"
                  + " does route it, say so with 'routed' of the network"));
    } else if (carrier) {
      privateOnes(use, carrier);
    }
  }

  /** The rule on another side; insiders go on to use its address. */
  private TranslationRule onSide(Use use, Interface own) {
    InterfaceTerm side = InterfaceTerm.of(own);
    Hairpin insiders = new NameAnswers(check).hairpinOf(use.device);
    return use.rule.bySide(
        inward -> {
          Hairpin hairpin = inward.hairpin();
          boolean same = hairpin != null && hairpin.from().names(own);
          return inward
              .facingTo(side)
              .hairpinning(same ? null : hairpin == null ? insiders : hairpin);
        },
        outward -> outward.leavingBy(side),
        untouched -> untouched);
  }

  /** Whether another rule takes the same addresses where they arrive: this one is for insiders. */
  private boolean isMetThere(Use use, Interface own, AddressSet addresses) {
    for (Use other : uses) {
      if (other.isOf(use.device)
          && !other.isBy(use.rule)
          && other.side.names(own)
          && other.rule.inward() != null
          && addresses.intersects(other.addresses)
          && sameServices(other.rule, use.rule)) {
        return true;
      }
    }
    return false;
  }

  private static boolean sameServices(TranslationRule one, TranslationRule other) {
    InwardRule a = one.inward();
    InwardRule b = other.inward();
    if (a == null || b == null) {
      return false;
    }
    if (a.services().isEmpty() || b.services().isEmpty()) {
      return true;
    }
    for (ServiceTerm mine : a.services()) {
      for (ServiceTerm theirs : b.services()) {
        if (mine.service().overlaps(theirs.service())) {
          return true;
        }
      }
    }
    return false;
  }

  private void privateOnes(Use use, boolean carrier) {
    AddressSet hidden = use.addresses.intersection(SpecialAddresses.NOT_ON_THE_INTERNET);
    if (carrier && !hidden.isEmpty() && use.rule.inward() != null) {
      Address address = hidden.ranges().get(0).first();
      check.add(
          Code.ADDRESS_PRIVATE,
          use.rule,
          Labels.of(use.rule)
              + " offers "
              + address
              + ", "
              + SpecialAddresses.kind(address)
              + ": "
              + use.device.name()
              + " itself stands behind a translation of its carrier",
          null,
          Cure.byHand(
              "ask the carrier for a public address, or for a rule of its own that leads here"));
    }
  }

  // Whose are they?

  private void owners(Use use) {
    for (Interface own : use.side.interfaces()) {
      AddressSet carrier = AddressSet.ofAddresses(own.network().carrier());
      if (use.addresses.intersects(carrier)) {
        check.add(
            Code.ADDRESS_OF_CARRIER,
            use.rule,
            Labels.of(use.rule)
                + " uses "
                + first(use.addresses.intersection(carrier))
                + ", the carrier's own address on "
                + own.network().name(),
            null,
            Cure.byHand("use another address"));
      }
      for (Prefix prefix : own.network().prefixes()) {
        if (prefix.isNetworkOrBroadcast(prefix.first())) {
          AddressSet ends = AddressSet.of(prefix.first(), prefix.last());
          if (use.addresses.intersects(ends)) {
            check.add(
                Code.ADDRESS_OF_NETWORK,
                use.rule,
                Labels.of(use.rule)
                    + " uses "
                    + first(use.addresses.intersection(ends))
                    + ", a network or broadcast address of "
                    + prefix,
                null,
                Cure.byHand("use another address"));
          }
        }
      }
    }
    if (!use.whole || use.rule.lends()) { // who is lent it leaves claimed ports alone
      return;
    }
    for (Interface own : use.device.interfaces()) {
      AddressSet mine = AddressSet.ofAddresses(own.addresses());
      if (use.addresses.intersects(mine)) {
        check.add(
            Code.ADDRESS_OF_DEVICE,
            use.rule,
            Labels.of(use.rule)
                + " uses "
                + first(use.addresses.intersection(mine))
                + " as a whole, the address of "
                + Labels.of(own)
                + " itself",
            null,
            Cure.byHand(
                "use another address, or a 'destination' or 'shared' rule, which leave the device"
                    + " its own ports"));
      }
    }
  }

  private void assigned(Use use) {
    InwardRule inward = use.rule.inward();
    if (!use.literal || inward == null) {
      return;
    }
    for (Interface own : use.side.interfaces()) {
      Prefix block = Objects.requireNonNull(inward.block());
      if (own.assigned() != Assignment.BY_CARRIER
          || own.network().prefixOf(block.first()) == null
          || block.length() != block.family().bits()) {
        continue;
      }
      boolean now = own.addresses().contains(block.first());
      check.add(
          now ? Code.CHANGING_ADDRESS_TOLD : Code.ADDRESS_CHANGED,
          inward,
          Labels.of(inward)
              + " names "
              + block.first()
              + (now
                  ? ", which the carrier assigns to " + own.name() + " and may change"
                  : ", but the carrier has assigned "
                      + own.addresses().get(0)
                      + " to "
                      + own.name()),
          null,
          Cure.of(
              "name the interface: it stands for whatever address it has",
              new Change.Alter(inward, inward.at(External.of(own)))));
    }
  }

  /** The same address used by two machines of one network. */
  private void claims() {
    for (int i = 0; i < uses.size(); i++) {
      Use use = uses.get(i);
      for (Interface own : use.side.interfaces()) {
        holders(use, own.network());
        for (int j = 0; j < i && check.site.devices().size() > 1; j++) {
          Use other = uses.get(j);
          if (!other.isOf(use.device)
              && other.addresses.intersects(use.addresses)
              && other.meets(own.network())) {
            twice(
                use,
                use.addresses.intersection(other.addresses),
                Labels.of(other.rule) + " of " + other.device.name());
          }
        }
      }
    }
  }

  /** Hosts and other devices on a network that have an address which a rule uses. */
  private void holders(Use use, Network network) {
    for (Device other : check.site.devices().values()) {
      for (Interface theirs : other.interfaces()) {
        if (!use.isOf(other) && theirs.network().name().equals(network.name())) {
          AddressSet taken = AddressSet.ofAddresses(theirs.addresses());
          if (use.addresses.intersects(taken)) {
            String who = "interface " + theirs.name() + " of " + other.name();
            twice(use, use.addresses.intersection(taken), who);
          }
        }
      }
    }
    AddressSet taken = use.addresses.intersection(hostsOn(network));
    for (Host host : taken.isEmpty() ? List.<Host>of() : check.site.hosts().values()) {
      AddressSet own = AddressSet.ofAddresses(host.addresses());
      if (host.isOn(network) && taken.intersects(own)) {
        twice(use, taken.intersection(own), host.name());
      }
    }
  }

  /** The addresses of the hosts on a network. */
  private AddressSet hostsOn(Network network) {
    return hostsOn.computeIfAbsent(
        network.name(),
        name -> {
          List<Address> all = new ArrayList<>();
          for (Host host : check.site.hosts().values()) {
            if (host.isOn(network)) {
              all.addAll(host.addresses());
            }
          }
          return AddressSet.ofAddresses(all);
        });
  }

  private void twice(Use use, AddressSet both, String other) {
    check.add(
        Code.ADDRESS_CLAIMED_TWICE,
        use.rule,
        Labels.of(use.rule) + " uses " + first(both) + ", which " + other + " has as well",
        null,
        Cure.byHand("give one of them another address"));
  }

  /** Pools that share addresses with other pools, or with static rules. */
  private void overlaps() {
    for (int i = 0; i < uses.size(); i++) {
      Use pool = uses.get(i);
      OutwardRule lender = pool.rule.outward();
      if (lender == null || !lender.lends()) {
        continue;
      }
      for (int j = 0; j < uses.size(); j++) {
        Use other = uses.get(j);
        if (!other.isOf(pool.device)
            || (other.rule.lends() && j >= i) // each pair once
            || !other.addresses.intersects(pool.addresses)) {
          continue;
        }
        AddressSet rest = pool.addresses.intersection(other.addresses.complement());
        check.add(
            Code.POOLS_OVERLAP,
            pool.rule,
            Labels.of(pool.rule)
                + " has in its pool "
                + first(pool.addresses.intersection(other.addresses))
                + ", which "
                + Labels.of(other.rule)
                + " (line "
                + other.rule.place().line()
                + ") uses, too",
            null,
            rest.isEmpty()
                ? Cure.byHand("give one of them other addresses")
                : Cure.of(
                    "leave only the others in the pool",
                    new Change.Alter(lender, lender.lending(Pool.of(rest)))));
      }
    }
  }

  /** The addresses that lead to some interfaces, and that nobody but a rule uses. */
  AddressSet free(Device device, List<Interface> sides, @Nullable TranslationRule but) {
    AddressSet free = AddressSet.NONE;
    AddressSet taken = AddressSet.NONE;
    for (Interface own : sides) {
      free = free.union(leadingTo(own));
      for (Prefix prefix : own.network().prefixes()) {
        taken = taken.union(AddressSet.of(prefix.first(), prefix.last()));
      }
      taken = taken.union(AddressSet.ofAddresses(own.network().carrier()));
    }
    for (Use use : uses) {
      boolean other = but == null || !use.isBy(but);
      taken = use.isOf(device) && other ? taken.union(use.addresses) : taken;
    }
    for (Host host : check.site.hosts().values()) {
      taken = taken.union(AddressSet.ofAddresses(host.addresses()));
    }
    for (Device each : check.site.devices().values()) {
      for (Interface own : each.interfaces()) {
        taken = taken.union(AddressSet.ofAddresses(own.addresses()));
      }
    }
    return free.intersection(taken.complement().intersection(AddressSet.all(Family.IPV4)));
  }
}
