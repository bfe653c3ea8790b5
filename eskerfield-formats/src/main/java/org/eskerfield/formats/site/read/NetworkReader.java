// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Network;
import org.eskerfield.model.NetworkBuilder;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** Reads networks. */
final class NetworkReader {
  private final SiteReader site;
  private final Problems problems;
  private final Terms terms;
  private final Map<String, Network> networks;

  /** Who hands out leases: devices are read later. */
  private final List<Node.Scalar> devices = new ArrayList<>();

  NetworkReader(SiteReader site) {
    this.site = site;
    this.problems = site.problems();
    this.terms = site.terms();
    this.networks = site.networks();
  }

  private static final int MOST_REALMS = 16;

  void read(Fields.NamedNode named, Fields fields) {
    Node.Scalar name = named.name();
    terms.define(name, AddressTerm.Kind.NETWORK);
    List<Prefix> prefixes = new ArrayList<>();
    for (Node.Scalar text : fields.texts("prefix")) {
      try {
        prefixes.add(Literals.prefix(text.text()));
      } catch (BadLiteralException e) {
        problems.add(text, e.message(), e.remedy());
      }
    }
    Node.Scalar zone = fields.scalar("zone");
    if (zone != null) {
      if (zone.text().equals(Site.ANY) || zone.text().equals(Site.SELF)) {
        problems.add(
            zone, "'" + zone.text() + "' is a word of the site file itself", "choose another name");
      }
      terms.defineZone(zone.text());
    }
    List<Address> carrier = terms.literals(fields.texts("carrier"));
    if (!carrier.isEmpty() && zone != null && !zone.text().equals(Site.INTERNET)) {
      problems.add(
          zone,
          "network '" + name.text() + "' has a carrier, but is in zone '" + zone.text() + "'",
          "write zone: internet");
    }
    Network network =
        NetworkBuilder.builder()
            .name(name.text())
            .prefixes(prefixes)
            .zone(zone == null ? "" : zone.text())
            .realm(fields.text("realm"))
            .carrier(carrier)
            .routed(routed(fields))
            .leases(leases(fields, prefixes))
            .vlan(fields.whole("vlan"))
            .mtu(site.mtu(fields, prefixes.stream().anyMatch(each -> each.family() == Family.IPV6)))
            .note(fields.text("note"))
            .place(name.place())
            .build();
    for (Fields block : fields.children("routed")) {
      Node.Scalar via = block.scalar("via");
      if (via != null) {
        site.checkOn(network, via, "a routed block");
      }
    }
    for (Node.Scalar text : fields.texts("carrier")) {
      site.checkRouterOn(network, text, "the carrier");
    }
    networks.put(name.text(), network);
  }

  private List<Network.Routed> routed(Fields fields) {
    List<Network.Routed> blocks = new ArrayList<>();
    if (fields.has("routed") && !fields.has("carrier")) {
      problems.add(
          fields.place("routed"),
          "only a carrier routes blocks here, and this network has no 'carrier'",
          "add carrier: and its address");
    }
    for (Fields block : fields.children("routed")) {
      Node.Scalar to = block.scalar("to");
      Node.Scalar via = block.scalar("via");
      try {
        Address next = via == null ? null : terms.literal(via, via.text());
        Prefix prefix = to == null ? null : Literals.prefix(to.text());
        if (next != null && prefix != null) {
          blocks.add(new Network.Routed(prefix, next, block.place()));
        }
      } catch (BadLiteralException e) {
        problems.add(block.place("to"), e.message(), e.remedy());
      }
    }
    return blocks;
  }

  void reportOverlaps() {
    List<Network> all = new ArrayList<>(networks.values());
    for (int i = 0; i < all.size(); i++) {
      Network later = all.get(i);
      if (terms.isZone(later.name()) && !isOnlyOneOfItsName(later)) {
        problems.add(
            later,
            "network '" + later.name() + "' has the name of a zone that is not just this network",
            "rename the network or the zone, so that rules can tell them apart");
      }
      for (Network earlier : all.subList(0, i)) {
        if (!Objects.equals(earlier.realm(), later.realm())) {
          continue;
        }
        for (Prefix prefix : later.prefixes()) {
          for (Prefix other : earlier.prefixes()) {
            if (prefix.contains(other.first()) || other.contains(prefix.first())) {
              problems.add(
                  later,
                  "the prefix "
                      + prefix
                      + " of network '"
                      + later.name()
                      + "' overlaps "
                      + other
                      + " of network '"
                      + earlier.name()
                      + "'",
                  "give each network addresses of its own, or name the realm of one of them");
            }
          }
        }
      }
    }
    Set<String> realms = new LinkedHashSet<>();
    for (Network network : all) {
      if (network.realm() != null && realms.add(network.realm()) && realms.size() == MOST_REALMS) {
        problems.add(
            network,
            "realm '"
                + network.realm()
                + "' is one too many: a site has at most "
                + (MOST_REALMS - 1),
            "describe it in a file of its own");
      }
    }
  }

  private boolean isOnlyOneOfItsName(Network network) {
    return network.zone().equals(network.name())
        && networks.values().stream().filter(n -> n.zone().equals(network.name())).count() == 1;
  }

  private AddressSet leases(Fields fields, List<Prefix> prefixes) {
    AddressSet all = AddressSet.NONE;
    for (Node.Scalar text : fields.texts("leases")) {
      try {
        AddressSet some = Literals.addresses(text.text());
        if (some.intersects(AddressSet.ofPrefixes(prefixes).complement())) {
          problems.add(
              text,
              text.text() + " is not within the prefix of the network",
              "hand out addresses of the network only");
        }
        all = all.union(some);
      } catch (BadLiteralException e) {
        problems.add(text, e.message(), e.remedy());
      }
    }
    return all;
  }

  /** Reads what names hosts, which are known by now. */
  void readTold(Fields.NamedNode named, Fields fields) {
    Network made = networks.get(named.name().text());
    if (made != null) {
      networks.put(
          made.name(), made.withResolver(site.resolver(fields)).withLease(lease(made, fields)));
    }
  }

  private Network.@Nullable Lease lease(Network network, Fields fields) {
    if (!fields.has("leases-from")) {
      return null;
    }
    Node.Scalar device = fields.scalar("leases-from");
    if (device != null) {
      devices.add(device);
      return new Network.Lease(
          device.text(), List.of(), null, Network.Lease.USUAL_TIME, device.place());
    }
    List<Fields> all = fields.children("leases-from");
    Fields lease = all.isEmpty() ? null : all.get(0);
    Node.Scalar by = lease == null ? null : lease.scalar("device");
    if (lease == null || by == null) {
      return null;
    }
    devices.add(by);
    for (Node.Scalar text : lease.texts("gateway")) {
      site.checkRouterOn(network, text, "the gateway");
    }
    Node.Scalar time = lease.scalar("time");
    Duration read = time == null ? Network.Lease.USUAL_TIME : Times.duration(time.text());
    if (time != null && (read == null || read.isZero())) {
      problems.add(time, "'" + time.text() + "' is no time of a lease", "write 8h, 30m or 1d");
    }
    return new Network.Lease(
        by.text(),
        terms.literals(lease.texts("gateway")),
        site.resolver(lease),
        read == null ? Network.Lease.USUAL_TIME : read,
        by.place());
  }

  /** Reports devices that hand out leases and are not described. */
  void reportUnknownDevices(Collection<String> known) {
    for (Node.Scalar device : devices) {
      if (!known.contains(device.text())) {
        problems.add(
            device,
            "no device is called '" + device.text() + "'",
            problems.didYouMean(device.text(), known, "there is: " + String.join(", ", known)));
      }
    }
  }
}
