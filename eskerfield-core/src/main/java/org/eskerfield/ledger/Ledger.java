// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.ledger;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.TreeSet;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * Who has which address of a site.
 *
 * <p>Idea: everything that has addresses is noted once with the set of them; a block is then cut
 * where any of these sets begins or ends, and every stretch asks who has its first address. Cost:
 * the stretches of a block times the uses that touch it.
 */
public final class Ledger {
  private record Use(AddressSet addresses, Holding holding) {}

  private final Site site;
  private final List<Use> uses = new ArrayList<>();

  private Ledger(Site site) {
    this.site = site;
    for (Device device : site.devices().values()) {
      device.interfaces().forEach(own -> note(device, own));
    }
    for (Network network : site.networks().values()) {
      note(
          AddressSet.ofAddresses(network.carrier()),
          new Holding(Holding.Kind.CARRIER, null, "the carrier", List.of(), network));
      for (Prefix prefix : network.prefixes()) {
        if (prefix.isNetworkOrBroadcast(prefix.first())) {
          note(network, Holding.Kind.NETWORK_ADDRESS, "network address", prefix.first());
          note(network, Holding.Kind.BROADCAST, "broadcast address", prefix.last());
        } else if (prefix.isRouterAnycast(prefix.first())) {
          note(
              network,
              Holding.Kind.ROUTER_ANYCAST,
              "every router there (subnet-router anycast)",
              prefix.first());
        }
      }
    }
    for (Host host : site.hosts().values()) {
      note(
          AddressSet.ofAddresses(host.addresses()),
          new Holding(Holding.Kind.HOST, null, host.name(), List.of(), host));
    }
    for (Device device : site.devices().values()) {
      device.services().forEach(own -> note(device, own));
      device.translation().stream()
          .filter(rule -> !rule.disabled())
          .forEach(rule -> note(device, rule));
    }
  }

  /** The ledger of a site. */
  public static Ledger of(Site site) {
    return new Ledger(site);
  }

  private void note(AddressSet addresses, Holding holding) {
    if (!addresses.isEmpty()) {
      uses.add(new Use(addresses, holding));
    }
  }

  private void note(Network network, Holding.Kind kind, String who, Address address) {
    note(AddressSet.of(address), new Holding(kind, null, who, List.of(), network));
  }

  private void note(Device device, Interface own) {
    String who = "interface " + own.name() + " of " + device.name();
    note(
        AddressSet.ofAddresses(own.addresses()),
        new Holding(Holding.Kind.INTERFACE, device.name(), who, List.of(), own));
  }

  private void note(Device device, OwnService own) {
    List<String> from = new ArrayList<>();
    own.from().forEach(term -> from.add(term.text()));
    String who =
        own.service().text()
            + " of "
            + device.name()
            + " itself, for "
            + (from.isEmpty() ? "anybody" : String.join(", ", from));
    note(
        AddressSet.ofAddresses(device.addresses()),
        new Holding(
            Holding.Kind.OWN_SERVICE, device.name(), who, own.service().service().parts(), own));
  }

  private void note(Device device, TranslationRule rule) {
    rule.choose(inward -> note(device, inward), outward -> note(device, outward), untouched -> {});
  }

  private void note(Device device, InwardRule rule) {
    List<ServicePart> services = new ArrayList<>();
    rule.services().forEach(term -> services.addAll(term.service().parts()));
    Holding.Kind kind =
        rule.by(
            fixed -> Holding.Kind.STATIC,
            to -> Holding.Kind.DESTINATION,
            prefix -> Holding.Kind.PREFIX);
    String to = rule.internal().text();
    String ports = rule.internalPorts() == null ? "" : " " + rule.internalPorts();
    String who = kind + " '" + rule.name() + "' of " + device.name() + ", leads to " + to + ports;
    AddressSet addresses = AddressSet.NONE;
    for (Family family : Family.values()) {
      Prefix now = rule.block(family);
      addresses = now == null ? addresses : addresses.union(AddressSet.ofPrefixes(List.of(now)));
    }
    note(addresses, new Holding(kind, device.name(), who, services, rule));
  }

  private void note(Device device, OutwardRule rule) {
    String who =
        rule.by(
            lent -> "pool of '" + rule.name() + "' of " + device.name() + ": " + fill(lent),
            shared ->
                "shared by '" + rule.name() + "' of " + device.name() + ": any port left over");
    Holding.Kind kind = rule.by(lent -> Holding.Kind.POOL, shared -> Holding.Kind.SHARED);
    note(rule.externals(), new Holding(kind, device.name(), who, List.of(), rule));
  }

  /** How many may want an address of a pool, and how many there are. */
  private String fill(DynamicRule rule) {
    AddressSet from = site.addresses(rule.from());
    long hosts =
        site.hosts().values().stream()
            .filter(host -> !host.isOutside())
            .filter(host -> host.addresses().stream().anyMatch(from::contains))
            .count();
    long size = rule.pool().addresses().countIpv4();
    return size + (size == 1 ? " address for " : " addresses for ") + hosts + " hosts";
  }

  /**
   * The blocks that are met outside: carrier links, and what carriers route here; in file order.
   */
  public List<Block> external() {
    List<Block> blocks = new ArrayList<>();
    for (Network network : site.networks().values()) {
      if (network.isOutside()) {
        blocks.addAll(of(network));
      }
    }
    return blocks;
  }

  /** The blocks of a network, and those that are routed by it. */
  public List<Block> of(Network network) {
    List<Block> blocks = new ArrayList<>();
    for (Prefix prefix : network.prefixes()) {
      blocks.add(block(prefix, network, null));
    }
    for (Network.Routed routed : network.routed()) {
      blocks.add(block(routed.to(), network, routed.via()));
    }
    return blocks;
  }

  private Block block(Prefix prefix, Network network, @Nullable Address via) {
    List<Use> here = new ArrayList<>();
    boolean assigned = false;
    AddressSet all = AddressSet.ofPrefixes(List.of(prefix));
    if (via == null) {
      for (Device device : site.devices().values()) {
        for (Interface own : device.interfaces()) {
          assigned |=
              own.assigned() == Assignment.BY_CARRIER
                  && own.network().name().equals(network.name());
        }
      }
    }
    for (Use use : uses) {
      if (use.addresses.intersects(all) && isMetOn(network, use)) {
        here.add(use);
      }
    }
    return new Block(prefix, network, via, assigned, stretches(prefix, here));
  }

  /** Whether a use counts on a network, where prefixes of two realms overlap. */
  private static boolean isMetOn(Network network, Use use) {
    if (use.holding.by() instanceof Network other) {
      return other.name().equals(network.name());
    }
    if (use.holding.by() instanceof Interface own) {
      return Objects.equals(own.network().realm(), network.realm());
    }
    if (use.holding.by() instanceof Host host) {
      return host.isOutside()
          || host.networks().stream().anyMatch(own -> Objects.equals(own.realm(), network.realm()));
    }
    return true;
  }

  private static List<Block.Stretch> stretches(Prefix prefix, List<Use> uses) {
    TreeSet<Address> starts = new TreeSet<>(List.of(prefix.first()));
    for (Use use : uses) {
      for (AddressRange range : use.addresses.ranges()) {
        if (prefix.contains(range.first())) {
          starts.add(range.first());
        }
        Address behind = range.last().next();
        if (behind != null && prefix.contains(behind)) {
          starts.add(behind);
        }
      }
    }
    List<Block.Stretch> stretches = new ArrayList<>();
    for (Address start : starts) {
      Address next = starts.higher(start);
      Address before = next == null ? prefix.last() : next.previous();
      AddressRange range = new AddressRange(start, before == null ? prefix.last() : before);
      stretches.add(new Block.Stretch(range, holders(start, uses)));
    }
    return stretches;
  }

  private static List<Holding> holders(Address address, List<Use> uses) {
    List<Holding> whole = new ArrayList<>();
    List<Holding> ports = new ArrayList<>();
    for (Use use : uses) {
      if (use.addresses.contains(address)) {
        (use.holding.services().isEmpty() ? whole : ports).add(use.holding);
      }
    }
    whole.addAll(ports);
    return whole;
  }

  /** Who has an address, whole addresses before ports; empty if nobody. */
  public List<Holding> at(Address address) {
    return holders(address, uses);
  }
}
