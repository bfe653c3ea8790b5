// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.function.Predicate;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Site;
import org.eskerfield.offer.OutwardPath.Hop;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.DeviceProgram;
import org.jspecify.annotations.Nullable;

/**
 * By which devices somebody comes to a host, and which of them has to stand for it.
 *
 * @param sender somebody who comes that way
 * @param hops from the host outwards; at least one
 * @param translating the place in that list of the outermost device that has to translate: of the
 *     last one where senders are on the internet; -1 where the host is reached at its own address
 */
record OfferWay(Address sender, List<Hop> hops, int translating) {
  boolean isTranslated() {
    return translating >= 0;
  }

  /** Whether a rule is on a list that guards the way. */
  boolean passes(Site site, AccessRule rule) {
    for (Hop hop : hops) {
      for (AccessList list : hop.device().access()) {
        if (list.rules().contains(rule)
            && CompiledList.of(site, list).guards(hop.outer(), hop.inner())) {
          return true;
        }
      }
    }
    return false;
  }

  /** The hop whose external address senders use; where none translates, the last one. */
  Hop outermost() {
    return hops.get(isTranslated() ? translating : hops.size() - 1);
  }

  /**
   * The way for a wish.
   *
   * @throws RefusedChangeException if none of those who are meant can come
   */
  static OfferWay of(Site site, Wish wish) throws RefusedChangeException {
    AddressSet from = site.addresses(wish.from());
    Address somebody = Outside.somebody(site, outsiders(site, wish.family()).intersection(from));
    OfferWay way = null;
    if (somebody != null) {
      way = outside(site, wish.host(), somebody);
    } else {
      for (OfferWay each : inner(site, wish.host(), wish.family(), from)) {
        boolean farther =
            way == null
                || (each.isTranslated() && !way.isTranslated())
                || (each.isTranslated() == way.isTranslated()
                    && each.hops.size() > way.hops.size());
        way = farther ? each : way;
      }
    }
    if (way == null) {
      throw new RefusedChangeException(
          "none of those who may use it can send to "
              + wish.host().name()
              + " over "
              + wish.family(),
          "name somebody outside, 'any', or somebody on a network that a device joins to "
              + wish.host().networks().get(0).name());
    }
    return asked(wish, way);
  }

  /** The way by the device that translates for this wish, where it asks for one. */
  private static OfferWay asked(Wish wish, OfferWay way) {
    int last = way.hops.size() - 1;
    Address external = wish.external();
    Address own = wish.host().address(wish.family());
    boolean plain =
        (external == null || external.equals(own)) && wish.externalPorts() == null && !wish.whole();
    if (wish.family() == Family.IPV6 || way.isTranslated() || own == null) {
      return way;
    }
    if (plain && wish.hairpin().isEmpty()) {
      Target target = Target.of(wish, own);
      boolean standing = Standing.of(way.hops.get(last), target, wish) != null;
      return standing ? new OfferWay(way.sender, way.hops, last) : way;
    }
    int by = last;
    for (int i = 0; i < last && external != null; i++) {
      by = way.hops.get(i).outer().network().prefixOf(external) == null ? by : i;
    }
    return new OfferWay(way.sender, way.hops, by);
  }

  /** Those on the internet who can send to the site: without a carrier, only neighbours can. */
  static AddressSet outsiders(Site site, Family family) {
    AddressSet outside = Outside.senders(site, family);
    List<Prefix> links = new ArrayList<>();
    for (Network network : site.networks().values()) {
      if (!network.carrier().isEmpty()) {
        return outside;
      }
      if (network.isOutside()) {
        links.addAll(network.prefixes());
      }
    }
    return links.isEmpty() ? AddressSet.NONE : outside.intersection(AddressSet.ofPrefixes(links));
  }

  /** Who is meant to reach a host over one family, by an external address. */
  record Meant(Host host, Family family, AddressSet from, Address external) {
    /** Everybody else. */
    AddressSet others() {
      return from.union(AddressSet.of(external)).complement();
    }
  }

  /**
   * Somebody among those who are not meant: the same one for an offer and for its withdrawal.
   *
   * @param outside whether he comes from the internet
   * @param entrance where he comes in otherwise
   */
  static @Nullable Address stranger(
      Site site, Meant meant, boolean outside, Predicate<Hop> entrance) {
    if (outside) {
      return Outside.somebody(site, outsiders(site, meant.family).intersection(meant.others()));
    }
    for (OfferWay each : inner(site, meant.host, meant.family, meant.others())) {
      if (each.hops().stream().anyMatch(entrance)) {
        return each.sender();
      }
    }
    return null;
  }

  /** The way of somebody on the internet. */
  static OfferWay outside(Site site, Host host, Address sender) throws RefusedChangeException {
    List<Hop> hops = OutwardPath.of(site, host, sender);
    Address own = host.address(sender.family());
    boolean carried =
        sender.family() == Family.IPV6 || (own != null && Outside.routedHere(site).contains(own));
    return new OfferWay(sender, hops, carried ? -1 : hops.size() - 1);
  }

  /** The ways of some senders on other networks of the site, one for each network. */
  static List<OfferWay> inner(Site site, Host host, Family family, AddressSet from) {
    List<OfferWay> ways = new ArrayList<>();
    for (Network network : site.networks().values()) {
      Address sender =
          network.isOutside() || host.isOn(network) ? null : on(site, network, family, from);
      List<Hop> hops = sender == null ? null : path(site, host, sender);
      if (sender != null && hops != null) {
        ways.add(new OfferWay(sender, hops, translating(site, host, hops, sender)));
      }
    }
    return ways;
  }

  private static @Nullable List<Hop> path(Site site, Host host, Address sender) {
    try {
      List<Hop> hops = OutwardPath.of(site, host, sender);
      return hops.get(hops.size() - 1).outer().isOutside() ? null : hops;
    } catch (RefusedChangeException e) {
      return null; // he is not joined to the host
    }
  }

  /** Somebody on a network: a host that the file describes, else an address that is free. */
  private static @Nullable Address on(Site site, Network network, Family family, AddressSet from) {
    for (Host host : site.hosts().values()) {
      Address own = host.address(family);
      if (host.isOn(network) && !host.off() && own != null && from.contains(own)) {
        return own;
      }
    }
    for (Prefix prefix : network.prefixes()) {
      AddressSet free =
          AddressSet.of(List.of(prefix.usable()))
              .intersection(from)
              .intersection(Outside.ofDevices(site).complement());
      if (prefix.family() == family && !free.isEmpty()) {
        return free.lowest(family);
      }
    }
    return null;
  }

  /** The last hop beyond which nobody knows the address that the host has there. */
  private static int translating(Site site, Host host, List<Hop> hops, Address sender) {
    Address at = host.address(sender.family());
    int translating = -1;
    for (int i = 0; i + 1 < hops.size() && sender.family() == Family.IPV4; i++) {
      Interface outer = hops.get(i).outer();
      if (at != null && !knows(site, hops.get(i + 1), at)) {
        translating = i;
        at = outer.address(Family.IPV4);
      }
    }
    boolean four = sender.family() == Family.IPV4;
    return four && at != null && !reaches(site, sender, at, hops.get(hops.size() - 1))
        ? hops.size() - 1
        : translating;
  }

  /** Whether what somebody sends to an address comes by a hop. */
  private static boolean reaches(Site site, Address sender, Address to, Hop by) {
    Host host = site.hostOrUnnamed(sender);
    if (site.gateway(host, sender.family()) == null) {
      return true; // among several routers he may send to the right one
    }
    try {
      return OutwardPath.of(site, host, to).stream()
          .anyMatch(hop -> hop.leaves(by.device(), by.inner()));
    } catch (RefusedChangeException e) {
      return false; // his router knows no way there
    }
  }

  /** Whether a device sends what is for an address towards the host. */
  static boolean knows(Site site, Hop hop, Address address) {
    Interface by = DeviceProgram.compile(site, hop.device()).towards(address);
    return by != null && Objects.equals(by.name(), hop.inner().name());
  }
}
