// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.List;
import java.util.TreeSet;
import org.eskerfield.change.Change;
import org.eskerfield.change.Changes;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * What a guarantee must outlast: a site with one thing otherwise.
 *
 * <p>Idea for addresses that a carrier assigns: all that a file says of addresses are ranges, so
 * two addresses between which none begins or ends are treated alike. One of each such stretch
 * stands for all of it.
 *
 * @param what what is otherwise, to be read after "with"
 * @param site the site
 */
record Variant(String what, Site site) {
  /** All that a guarantee must outlast, on a site. */
  static List<Variant> of(Site site, Guarantee guarantee) {
    List<Variant> all = new ArrayList<>();
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (guarantee.also().contains(Guarantee.Also.ANY_LINK_DOWN) && own.isUp()) {
          all.add(
              new Variant(
                  own.name() + " of " + device.name() + " down",
                  with(site, own, own.withState(Interface.State.NO_LINK))));
        }
        if (guarantee.also().contains(Guarantee.Also.ANY_CARRIER_ADDRESS)
            && own.assigned() == Assignment.BY_CARRIER) {
          all.addAll(assigned(site, device, own));
        }
      }
    }
    return all;
  }

  private static Site with(Site site, Interface was, Interface is) {
    return Changes.on(site, List.of(new Change.Alter(was, is)));
  }

  private static List<Variant> assigned(Site site, Device device, Interface own) {
    Address now = own.address(Family.IPV4);
    Prefix prefix = now == null ? null : own.network().prefixOf(now);
    List<Variant> all = new ArrayList<>();
    if (now == null || prefix == null) {
      return all;
    }
    List<Address> taken = new ArrayList<>(own.network().carrier());
    site.hosts().values().forEach(host -> taken.addAll(host.addresses()));
    for (Device each : site.devices().values()) {
      each.addresses().stream().filter(address -> !address.equals(now)).forEach(taken::add);
    }
    for (long low : stretches(site, prefix)) {
      Address other = new Address(Family.IPV4, 0, low);
      if (!other.equals(now) && !prefix.isNetworkOrBroadcast(other) && !taken.contains(other)) {
        List<Address> addresses = new ArrayList<>(own.addresses());
        addresses.replaceAll(address -> address.equals(now) ? other : address);
        all.add(
            new Variant(
                other + " assigned to " + own.name() + " of " + device.name(),
                with(site, own, own.withAddresses(addresses))));
      }
    }
    return all;
  }

  /** The first address of each stretch of a prefix in which nothing begins or ends. */
  private static Iterable<Long> stretches(Site site, Prefix prefix) {
    TreeSet<Long> starts = new TreeSet<>();
    starts.add(prefix.first().low());
    starts.add(prefix.first().low() + 1);
    starts.add(prefix.last().low());
    for (AddressSet set : named(site)) {
      for (AddressRange range : set.ranges()) {
        if (range.first().family() == Family.IPV4) {
          starts.add(range.first().low());
          starts.add(range.last().low() + 1);
        }
      }
    }
    return starts.subSet(prefix.first().low(), true, prefix.last().low(), true);
  }

  /** All sets of addresses that the file names. */
  private static List<AddressSet> named(Site site) {
    List<AddressSet> all = new ArrayList<>();
    for (Network network : site.networks().values()) {
      all.add(AddressSet.ofPrefixes(network.prefixes()));
      all.add(AddressSet.ofAddresses(network.carrier()));
      network.routed().forEach(block -> all.add(AddressSet.ofPrefixes(List.of(block.to()))));
    }
    for (Host host : site.hosts().values()) {
      host.addresses().forEach(address -> all.add(AddressSet.of(address)));
    }
    for (Device device : site.devices().values()) {
      device.addresses().forEach(address -> all.add(AddressSet.of(address)));
      for (Route route : device.routes()) {
        all.add(AddressSet.ofPrefixes(List.of(route.to())));
      }
      for (AccessList list : device.access()) {
        for (AccessRule rule : list.rules()) {
          all.add(site.matched(rule.from()));
          all.add(site.matched(rule.to()));
        }
      }
      for (TranslationRule rule : device.translation()) {
        all.add(site.matched(rule.from()));
        all.add(site.matched(rule.to()));
        InwardRule inward = rule.inward();
        Prefix block = inward == null ? null : inward.block(Family.IPV4);
        if (block != null) {
          all.add(AddressSet.ofPrefixes(List.of(block)));
        }
        all.add(pool(rule.pool()));
      }
    }
    return all;
  }

  private static AddressSet pool(@Nullable Pool pool) {
    return pool == null ? AddressSet.NONE : pool.addresses();
  }
}
