// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Site;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.SiteProgram;
import org.jspecify.annotations.Nullable;

/** Who is meant where a guarantee names senders and receivers. */
final class Ends {
  /**
   * Those who send from one place.
   *
   * @param network where they are; null for the internet
   * @param own their addresses
   * @param whole whether everybody who is there is meant, whatever source he writes
   */
  record Senders(@Nullable Network network, AddressSet own, boolean whole) {
    Senders and(Senders other) {
      return new Senders(network, own.union(other.own), whole || other.whole);
    }

    /** What to call where they are. */
    String where() {
      return network == null ? "the internet" : network.name();
    }
  }

  /**
   * Those who get something.
   *
   * @param hosts the hosts by their names, with the addresses that count
   * @param devices the same for devices
   * @param outside the addresses of those outside whom the file does not describe
   * @param asSent addresses that nobody has and that rules lead elsewhere: who is meant sends there
   */
  record Receivers(
      Map<String, AddressSet> hosts,
      Map<String, AddressSet> devices,
      AddressSet outside,
      AddressSet asSent) {
    boolean isNobody() {
      return hosts.isEmpty() && devices.isEmpty() && outside.isEmpty() && asSent.isEmpty();
    }
  }

  private final Site site;
  private final AddressSet networks;
  private final AddressSet named;

  Ends(SiteProgram program) {
    this.site = program.site();
    AddressSet all = AddressSet.NONE;
    for (Network network : site.networks().values()) {
      all = all.union(AddressSet.ofPrefixes(network.prefixes()));
    }
    this.networks = all;
    AddressSet external = AddressSet.NONE;
    for (DeviceProgram device : program.devices().values()) {
      external = external.union(device.claims.namedOutside());
    }
    this.named = external;
  }

  /** The terms, with the members of groups in place of the groups. */
  private List<AddressTerm> plain(List<AddressTerm> terms) {
    List<AddressTerm> all = new ArrayList<>();
    Set<String> seen = new HashSet<>();
    Deque<AddressTerm> left =
        new ArrayDeque<>(terms.isEmpty() ? List.of(AddressTerm.any()) : terms);
    while (!left.isEmpty()) {
      AddressTerm term = left.pop();
      if (term.kind() != AddressTerm.Kind.GROUP) {
        all.add(term);
      } else if (seen.add(term.text())) {
        Objects.requireNonNull(site.groups().get(term.text())).members().forEach(left::push);
      }
    }
    return all;
  }

  // Senders.

  /** Who sends, by where they are; empty if nobody is meant. Devices are left out. */
  List<Senders> senders(List<AddressTerm> terms) {
    Map<String, Senders> found = new LinkedHashMap<>();
    for (AddressTerm term : plain(terms)) {
      switch (term.kind()) {
        case ANY -> {
          site.networks().values().forEach(each -> add(found, everybody(each)));
          add(found, everybodyOutside());
        }
        case ZONE -> {
          for (Network each : site.networks().values()) {
            if (each.zone().equals(term.text())) {
              add(found, everybody(each));
            }
          }
          if (term.text().equals(Site.INTERNET)) {
            add(found, everybodyOutside());
          }
        }
        case NETWORK -> add(found, everybody(network(term)));
        case HOST -> host(Objects.requireNonNull(site.hosts().get(term.text())), found);
        case LITERAL -> literal(term.literal(), found);
        case GROUP, DEVICE, SELF -> {}
      }
    }
    return List.copyOf(found.values());
  }

  private Network network(AddressTerm term) {
    return Objects.requireNonNull(site.networks().get(term.text()), term.text());
  }

  private static void add(Map<String, Senders> found, Senders senders) {
    found.merge(senders.where(), senders, Senders::and);
  }

  private Senders everybody(Network network) {
    return new Senders(network, members(network), true);
  }

  private Senders everybodyOutside() {
    return new Senders(null, Outside.beyondLinks(site), true);
  }

  /** The addresses of a network that a host may have. */
  AddressSet members(Network network) {
    return AddressSet.ofPrefixes(network.prefixes())
        .intersection(AddressSet.ofAddresses(network.carrier()).complement())
        .intersection(named.complement())
        .intersection(Outside.ofDevices(site).complement())
        .intersection(Outside.ofNobody(site).complement());
  }

  private void host(Host host, Map<String, Senders> found) {
    AddressSet own = AddressSet.ofAddresses(host.addresses());
    for (Network network : host.networks()) {
      AddressSet here = own.intersection(AddressSet.ofPrefixes(network.prefixes()));
      add(found, new Senders(network, here, false));
    }
    if (host.isOutside()) {
      add(found, new Senders(null, own, false));
    }
  }

  private void literal(AddressSet addresses, Map<String, Senders> found) {
    for (Network network : site.networks().values()) {
      AddressSet here = addresses.intersection(members(network));
      if (!here.isEmpty()) {
        add(found, new Senders(network, here, false));
      }
    }
    AddressSet beyond = addresses.intersection(Outside.beyondLinks(site));
    if (!beyond.isEmpty()) {
      add(found, new Senders(null, beyond, false));
    }
  }

  // Receivers.

  /** Who gets something. */
  Receivers receivers(List<AddressTerm> terms) {
    Map<String, AddressSet> hosts = new LinkedHashMap<>();
    Map<String, AddressSet> devices = new LinkedHashMap<>();
    AddressSet outside = AddressSet.NONE;
    AddressSet asSent = AddressSet.NONE;
    for (AddressTerm term : plain(terms)) {
      switch (term.kind()) {
        case ANY -> {
          site.hosts().values().forEach(each -> receives(hosts, each, AddressSet.ALL));
          site.devices().values().forEach(each -> receives(devices, each, AddressSet.ALL));
          outside = AddressSet.ALL;
        }
        case ZONE -> {
          for (Network each : site.networks().values()) {
            if (each.zone().equals(term.text())) {
              on(each, hosts, devices);
            }
          }
          if (term.text().equals(Site.INTERNET)) {
            site.hosts().values().stream()
                .filter(Host::isOutside)
                .forEach(each -> receives(hosts, each, AddressSet.ALL));
            outside = outside.union(site.zoneAddresses(Site.INTERNET));
          }
        }
        case NETWORK -> on(network(term), hosts, devices);
        case HOST ->
            receives(hosts, Objects.requireNonNull(site.hosts().get(term.text())), AddressSet.ALL);
        case DEVICE ->
            receives(
                devices, Objects.requireNonNull(site.devices().get(term.text())), AddressSet.ALL);
        case LITERAL -> {
          AddressSet all = term.literal();
          site.hosts().values().forEach(each -> receives(hosts, each, all));
          site.devices().values().forEach(each -> receives(devices, each, all));
          outside = outside.union(all.intersection(networks.complement()));
          asSent = asSent.union(all.intersection(named).intersection(owned().complement()));
        }
        case GROUP, SELF -> {}
      }
    }
    return new Receivers(hosts, devices, outside, asSent);
  }

  private AddressSet owned() {
    AddressSet all = Outside.ofDevices(site);
    for (Host host : site.hosts().values()) {
      all = all.union(AddressSet.ofAddresses(host.addresses()));
    }
    return all;
  }

  /** Hosts and, inside the site, devices on a network. */
  private void on(Network network, Map<String, AddressSet> hosts, Map<String, AddressSet> devices) {
    AddressSet here = AddressSet.ofPrefixes(network.prefixes());
    for (Host host : site.hosts().values()) {
      if (host.isOn(network)) {
        receives(hosts, host, here);
      }
    }
    for (Device device : network.isOutside() ? List.<Device>of() : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (own.network().name().equals(network.name())) {
          receives(devices, device, AddressSet.ofAddresses(own.addresses()));
        }
      }
    }
  }

  private static void receives(Map<String, AddressSet> all, Host host, AddressSet among) {
    receives(all, host.name(), AddressSet.ofAddresses(host.addresses()).intersection(among));
  }

  private static void receives(Map<String, AddressSet> all, Device device, AddressSet among) {
    receives(all, device.name(), AddressSet.ofAddresses(device.addresses()).intersection(among));
  }

  private static void receives(Map<String, AddressSet> all, String name, AddressSet addresses) {
    if (!addresses.isEmpty()) {
      all.merge(name, addresses, AddressSet::union);
    }
  }
}
