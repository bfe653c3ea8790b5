// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.time.ZoneId;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Collections;
import java.util.Deque;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.Predicate;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * Everything in one site file. Each map keeps the order of the file and is keyed by name.
 *
 * <p>The names of networks, hosts, groups and devices are one common stock, without repetition; a
 * zone may share its name with a network that is its only one.
 *
 * @param name the title of the site
 * @param timeZone the time zone that schedules are in
 * @param networks networks
 * @param hosts hosts, those of the internet included
 * @param services the site's own services; the well-known ones are not in here
 * @param groups address groups
 * @param schedules schedules
 * @param names names of the DNS
 * @param devices devices; at least one
 * @param note the engineer's remark, or null
 * @param place the start of the file
 */
public record Site(
    String name,
    ZoneId timeZone,
    Map<String, Network> networks,
    Map<String, Host> hosts,
    Map<String, Service> services,
    Map<String, Group> groups,
    Map<String, Schedule> schedules,
    Map<String, DomainName> names,
    Map<String, Device> devices,
    @Nullable String note,
    Place place)
    implements Named {
  /** The zone of every address that no other zone holds. */
  public static final String INTERNET = "internet";

  /** The word for everything. */
  public static final String ANY = "any";

  /** The word by which a rule names the device that it stands on. */
  public static final String SELF = "device";

  /** Freezes the maps. */
  public Site {
    networks = ByPrefix.of(networks);
    hosts = ByAddress.of(hosts, Host::addresses);
    services = frozen(services);
    groups = frozen(groups);
    schedules = frozen(schedules);
    names = frozen(names);
    devices = Devices.of(devices);
  }

  /** A copy that nobody can change. */
  static <T> Map<String, T> frozen(Map<String, T> map) {
    return Collections.unmodifiableMap(new LinkedHashMap<>(map));
  }

  /** The same site with another device in the place of the one of that name. */
  public Site with(Device device) {
    return with(hosts, names, replaced(devices, device));
  }

  /** The same site with another host in the place of the one of that name, or one more. */
  public Site with(Host host) {
    return with(replaced(hosts, host), names, devices);
  }

  /** The same site with another name in the place of the one that is called so. */
  public Site with(DomainName name) {
    return with(hosts, replaced(names, name), devices);
  }

  /**
   * The same site without a network, host, service, group, schedule or name; without a network,
   * what is on it stays.
   */
  public Site without(Named object) {
    return new Site(
        name,
        timeZone,
        less(networks, object),
        less(hosts, object),
        less(services, object),
        less(groups, object),
        less(schedules, object),
        less(names, object),
        devices,
        note,
        place);
  }

  private static <T extends Named> Map<String, T> less(Map<String, T> all, Named object) {
    Map<String, T> less = new LinkedHashMap<>(all);
    less.values().removeIf(object::equals);
    return less;
  }

  private static <T extends Named> Map<String, T> replaced(Map<String, T> all, T by) {
    Map<String, T> changed = new LinkedHashMap<>(all);
    changed.put(by.name(), by);
    return changed;
  }

  private Site with(
      Map<String, Host> hosts, Map<String, DomainName> names, Map<String, Device> devices) {
    return new Site(
        name, timeZone, networks, hosts, services, groups, schedules, names, devices, note, place);
  }

  /** The zones in the order in which networks name them; {@link #INTERNET} last, always there. */
  public Set<String> zones() {
    Set<String> zones = new LinkedHashSet<>();
    for (Network network : networks.values()) {
      zones.add(network.zone());
    }
    zones.remove(INTERNET);
    zones.add(INTERNET);
    return zones;
  }

  /** The addresses of a zone: its networks' prefixes; for the internet all that no other holds. */
  public AddressSet zoneAddresses(String zone) {
    boolean internet = zone.equals(INTERNET);
    List<Prefix> prefixes = new ArrayList<>();
    for (Network network : networks.values()) {
      if (internet ? !network.zone().equals(INTERNET) : network.zone().equals(zone)) {
        prefixes.addAll(network.prefixes());
      }
    }
    AddressSet held = AddressSet.ofPrefixes(prefixes);
    return internet ? held.complement() : held;
  }

  /**
   * The addresses that a term stands for; {@link AddressTerm.Kind#SELF} stands for none, since it
   * matches by where a packet comes from and not by its address.
   */
  public AddressSet addresses(AddressTerm term) {
    return switch (term.kind()) {
      case ANY -> AddressSet.ALL;
      case LITERAL -> term.literal();
      case SELF -> AddressSet.NONE;
      case ZONE -> zoneAddresses(term.text());
      case NETWORK -> AddressSet.ofPrefixes(named(networks, term).prefixes());
      case HOST -> AddressSet.ofAddresses(named(hosts, term).addresses());
      case GROUP -> addresses(List.of(term));
      case DEVICE -> AddressSet.ofAddresses(named(devices, term).addresses());
    };
  }

  /**
   * The addresses of all the terms together; none for no terms. Each group is looked into once,
   * however many others name it, and however deep they stand in each other.
   */
  public AddressSet addresses(List<AddressTerm> terms) {
    List<AddressRange> all = new ArrayList<>();
    Set<String> seen = new HashSet<>();
    Deque<AddressTerm> left = new ArrayDeque<>(terms);
    while (!left.isEmpty()) {
      AddressTerm term = left.pop();
      if (term.kind() != AddressTerm.Kind.GROUP) {
        all.addAll(addresses(term).ranges());
      } else if (seen.add(term.text())) {
        named(groups, term).members().forEach(left::push);
      }
    }
    return AddressSet.of(all);
  }

  /** The addresses that a field of a rule lets match: every address where the field is left out. */
  public AddressSet matched(List<AddressTerm> terms) {
    return terms.isEmpty() ? AddressSet.ALL : addresses(terms);
  }

  private static <T> T named(Map<String, T> map, AddressTerm term) {
    T found = map.get(term.text());
    if (found == null) {
      throw new IllegalArgumentException(term.place() + ": nothing is called " + term.text());
    }
    return found;
  }

  /**
   * Where a host sends what is not on its own network: the gateway it names, else the carrier of
   * its network, else the one device there.
   *
   * @return null if there is none, or several devices and none is named
   */
  public @Nullable Address gateway(Host host, Family family) {
    Address named = host.gateway(family);
    if (named != null) {
      return named;
    }
    Network.Lease lease = lease(host);
    Address told = lease == null ? null : Host.firstOf(lease.gateways(), family);
    if (told != null) {
      return told;
    }
    for (Network network : host.networks()) {
      List<Address> candidates = gateways(network, family);
      if (!candidates.isEmpty()) {
        return candidates.size() == 1 ? candidates.get(0) : null;
      }
    }
    return null;
  }

  /** The settings that a host got with its address; null where it got none. */
  public Network.@Nullable Lease lease(Host host) {
    for (Network network : host.isTold() ? host.networks() : List.<Network>of()) {
      if (network.lease() != null) {
        return network.lease();
      }
    }
    return null;
  }

  /**
   * The address that a host sends from: the one on the network by which it reaches a destination.
   *
   * @return null if it has none of the family
   */
  public @Nullable Address source(Host host, Address destination) {
    Network towards = host.networkTowards(destination);
    Address gateway = towards == null ? gateway(host, destination.family()) : null;
    Network by = gateway == null ? towards : host.networkHolding(gateway);
    for (Address own : host.addresses()) {
      if (own.family() == destination.family() && (by == null || by.prefixOf(own) != null)) {
        return own;
      }
    }
    return host.address(destination.family());
  }

  /**
   * The address of the resolver that a host asks for names.
   *
   * @return null if neither the host nor a network that it is on names one
   */
  public @Nullable Address resolver(Host host) {
    AddressTerm term = host.resolver();
    Network.Lease lease = lease(host);
    term = term == null && lease != null ? lease.resolver() : term;
    for (Network network : host.networks()) {
      term = term == null ? network.resolver() : term;
    }
    if (term == null) {
      return null;
    }
    for (Family family : Family.values()) {
      Address address =
          term.kind() == AddressTerm.Kind.HOST
              ? named(hosts, term).address(family)
              : term.literal().lowest(family);
      if (address != null && host.address(family) != null) {
        return address;
      }
    }
    return null;
  }

  /** The addresses on a network that could be a gateway: its carrier, else those of devices. */
  public List<Address> gateways(Network network, Family family) {
    Address carrier = Host.firstOf(network.carrier(), family);
    if (carrier != null) {
      return List.of(carrier);
    }
    List<Address> found = new ArrayList<>();
    for (Interface own : interfacesOn(network)) {
      Address address = own.address(family);
      if (address != null) {
        found.add(address);
      }
    }
    return found;
  }

  /** The host that has the address, the first in the file; null if none does. */
  public @Nullable Host hostAt(Address address) {
    return ((ByAddress<Host>) hosts).firstAt(address);
  }

  /** The first host that has the address, else one without a name that has it. */
  public Host hostOrUnnamed(Address address) {
    Host known = hostAt(address);
    return known != null ? known : Host.unnamed(address, networkOf(address));
  }

  /**
   * The host that a rule leads to, or to whose first address it does. Of several in different
   * realms, one that is where the rule says that packets go on, or else joined to its device.
   *
   * @return null if none has the address there
   */
  public @Nullable Host hostLedTo(InwardRule rule) {
    List<Host> all = ((ByAddress<Host>) hosts).at(rule.internalBlock().first());
    InterfaceTerm leaving = rule.leaving();
    if (leaving != null && !leaving.interfaces().isEmpty()) {
      String realm = leaving.interfaces().get(0).network().realm();
      return first(all, host -> host.isIn(realm));
    }
    if (all.size() > 1 && !rule.facing().interfaces().isEmpty()) {
      Device device = deviceOf(rule.facing().interfaces().get(0));
      for (Interface own : device.interfaces()) {
        Host joined = first(all, host -> host.isOn(own.network()));
        if (joined != null) {
          return joined;
        }
      }
    }
    return first(all, host -> true);
  }

  private static @Nullable Host first(List<Host> hosts, Predicate<Host> where) {
    return hosts.stream().filter(where).findFirst().orElse(null);
  }

  /** The interfaces of devices on a network, in the order of the file; empty for none. */
  public List<Interface> interfacesOn(Network network) {
    return ((Devices) devices).on(network);
  }

  /**
   * The device that has an interface.
   *
   * @throws IllegalArgumentException if none has
   */
  public Device deviceOf(Interface own) {
    for (Device device : devices.values()) {
      if (device.interfaces().contains(own)) {
        return device;
      }
    }
    throw new IllegalArgumentException("no device has interface " + own.name());
  }

  /** The one host or device that has the address; null if none does, or several in two realms. */
  public @Nullable Named ownerOf(Address address) {
    List<Host> ends = ((ByAddress<Host>) hosts).at(address);
    List<Device> between = ((Devices) devices).at(address);
    if (ends.size() + between.size() != 1) {
      return null;
    }
    return ends.isEmpty() ? between.get(0) : ends.get(0);
  }

  /** The device that has the address as its own, the first in the file; null if none does. */
  public @Nullable Device deviceAt(Address address) {
    return ((Devices) devices).firstAt(address);
  }

  /** The network whose prefix holds the address, the first in the file; null if none does. */
  public @Nullable Network networkOf(Address address) {
    return ((ByPrefix) networks).holding(address);
  }
}
