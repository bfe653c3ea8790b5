// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/**
 * The outside of a site: the internet, with everybody on it for whom nothing of the site stands.
 */
public final class Outside {
  /** Somebody on the internet where it does not matter who (RFC 5737). */
  private static final Address ANYBODY = Address.ipv4(192, 0, 2, 1);

  /** The same over IPv6 (RFC 3849). */
  private static final Address ANYBODY_V6 = new Address(Family.IPV6, 0x2001_0db8L << 32, 1);

  private Outside() {}

  /**
   * The addresses from which packets of the internet may come: of no inner network and no host
   * inside, of no device, and of no block that a carrier sends to the site.
   */
  public static AddressSet senders(Site site) {
    List<Address> inside = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      if (!host.isOutside() && !host.networks().get(0).isOutside()) {
        inside.addAll(host.addresses());
      }
    }
    return site.zoneAddresses(Site.INTERNET)
        .intersection(SpecialAddresses.NOT_ON_THE_INTERNET.complement())
        .intersection(SpecialAddresses.NEVER_A_SOURCE.complement())
        .intersection(routedHere(site).complement())
        .intersection(ofDevices(site).complement())
        .intersection(ofNobody(site).complement())
        .intersection(AddressSet.ofAddresses(inside).complement());
  }

  /** Those senders of one family. */
  public static AddressSet senders(Site site, Family family) {
    return senders(site).intersection(AddressSet.all(family));
  }

  /** The addresses of networks that no host may have: those of the network and of broadcasts. */
  public static AddressSet ofNobody(Site site) {
    List<Address> ends = new ArrayList<>();
    for (Network network : site.networks().values()) {
      for (Prefix prefix : network.prefixes()) {
        if (prefix.isNetworkOrBroadcast(prefix.first())) {
          ends.addAll(List.of(prefix.first(), prefix.last()));
        }
      }
    }
    return AddressSet.ofAddresses(ends);
  }

  /** Those senders that are on no link to a carrier, but somewhere beyond. */
  public static AddressSet beyondLinks(Site site) {
    List<Prefix> links = new ArrayList<>();
    site.networks().values().forEach(network -> links.addAll(network.prefixes()));
    return senders(site).intersection(AddressSet.ofPrefixes(links).complement());
  }

  /** The blocks that carriers and neighbours send to the site, whoever uses them. */
  public static AddressSet routedHere(Site site) {
    List<Prefix> blocks = new ArrayList<>();
    for (Network network : site.networks().values()) {
      network.routed().forEach(block -> blocks.add(block.to()));
    }
    return AddressSet.ofPrefixes(blocks);
  }

  /** The addresses that devices of the site have. */
  public static AddressSet ofDevices(Site site) {
    List<Address> own = new ArrayList<>();
    site.devices().values().forEach(device -> own.addAll(device.addresses()));
    return AddressSet.ofAddresses(own);
  }

  /** The addresses of hosts on the internet that the file describes, and that can be sent from. */
  public static AddressSet described(Site site) {
    List<Address> all = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      if (host.isOutside() && !host.off() && host.blocked().isEmpty()) {
        all.addAll(host.addresses());
      }
    }
    return AddressSet.ofAddresses(all);
  }

  /** One of some IPv4 addresses, a described host's if there is one; null if there is none. */
  public static @Nullable Address somebody(Site site, AddressSet among) {
    for (Family family : Family.values()) {
      for (Host host : site.hosts().values()) {
        Address own = host.address(family);
        if (host.isOutside() && own != null && among.contains(own) && !host.off()) {
          return own;
        }
      }
    }
    Address four = anybody(among, Family.IPV4);
    return four == null ? anybody(among, Family.IPV6) : four;
  }

  /** Somebody of whom the file says nothing, and who is taken to answer; null for nobody. */
  public static @Nullable Address stranger(Site site, Family family) {
    List<Address> named = new ArrayList<>();
    site.hosts().values().forEach(host -> named.addAll(host.addresses()));
    AddressSet described = AddressSet.ofAddresses(named);
    return anybody(beyondLinks(site).intersection(described.complement()), family);
  }

  private static @Nullable Address anybody(AddressSet among, Family family) {
    Address usual = family == Family.IPV4 ? ANYBODY : ANYBODY_V6;
    Address lowest = among.lowest(family);
    if (among.contains(usual) || lowest == null) {
      return among.contains(usual) ? usual : null;
    }
    Address next = lowest.next(); // the first of an IPv6 network is that of every router there
    boolean router = family == Family.IPV6 && lowest.low() == 0;
    return router && next != null && among.contains(next) ? next : lowest;
  }

  /**
   * Devices in the order of their distance from the internet, the farthest first: by how many other
   * devices a packet passes at least before it comes to them. Those that it never comes to are
   * first of all; equals stay as they were.
   */
  public static List<Device> farthestFirst(Site site, List<Device> devices) {
    Map<String, Integer> distance = new HashMap<>();
    Deque<Device> queue = new ArrayDeque<>();
    for (Device device : site.devices().values()) {
      if (device.interfaces().stream().anyMatch(Interface::isOutside)) {
        distance.put(device.name(), 0);
        queue.add(device);
      }
    }
    while (!queue.isEmpty()) {
      Device near = queue.remove();
      int next = distance.getOrDefault(near.name(), 0) + 1;
      for (Device far : site.devices().values()) {
        boolean joined =
            near.interfaces().stream()
                .anyMatch(
                    own ->
                        far.interfaces().stream()
                            .anyMatch(o -> o.network().name().equals(own.network().name())));
        if (joined && distance.putIfAbsent(far.name(), next) == null) {
          queue.add(far);
        }
      }
    }
    List<Device> sorted = new ArrayList<>(devices);
    sorted.sort(
        Comparator.comparing(
            (Device each) -> -distance.getOrDefault(each.name(), Integer.MAX_VALUE)));
    return sorted;
  }
}
