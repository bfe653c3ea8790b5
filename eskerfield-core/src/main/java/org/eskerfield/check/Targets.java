// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.cause.Mends;
import org.eskerfield.cause.TranslationCures;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketWords;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Probe;

/** The hosts that rules lead to, and how hosts are set. */
final class Targets {
  private final Inspection check;

  Targets(Inspection check) {
    this.check = check;
  }

  void inspect() {
    for (Device device : check.site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        if (!rule.disabled()) {
          inspect(device, rule);
        }
      }
    }
    for (Host host : check.site.hosts().values()) {
      if (!host.isOutside()) {
        gateway(host);
        amongLeases(host);
        filter(host);
      }
    }
    for (Network network : check.site.networks().values()) {
      if (network.lease() != null) {
        lease(network, network.lease());
      }
    }
  }

  /** Whether what a host of the rule sends can be translated at all. */
  private void counterpart(Host host, InwardRule rule) {
    Address own = host.address(rule.family());
    Address stranger = check.strangers().lowest(rule.family());
    if (own == null || stranger == null || host.off() || !rule.internalBlock().contains(own)) {
      return;
    }
    Conversation sample =
        check.tracer.converse(check.attempt(host, stranger, Probe.of(Protocol.TCP, 443)));
    Decision end = Offers.lastOf(sample);
    if (end == null || end.ruling() != Ruling.SOURCE_UNTRANSLATABLE) {
      return;
    }
    check.add(
        Code.NO_COUNTERPART,
        host,
        Labels.of(rule) + " has no external address for " + own + " of " + host.name(),
        sample,
        Cure.byHand(
            "give "
                + host.name()
                + " another address: one in another subnet than ffff, or, where the prefixes are"
                + " longer than /48, one that does not end in ffff:ffff:ffff:ffff"));
  }

  private void inspect(Device device, InwardRule rule) {
    if (rule.isStateless()) {
      check.site.hosts().values().forEach(host -> counterpart(host, rule));
    }
    if (rule.internalBlock().length() != rule.internalBlock().family().bits()) {
      return;
    }
    Address to = rule.internalBlock().first();
    Host host = check.site.hostLedTo(rule);
    if (host == null || host.isOutside()) {
      return;
    }
    if (host.assigned() == Assignment.LEASED) {
      check.add(
          Code.HOST_LEASED,
          host,
          host.name()
              + " has "
              + to
              + " by a plain lease, but "
              + Labels.of(rule)
              + " of "
              + device.name()
              + " leads there",
          null,
          Cure.of(
              "reserve the address for it",
              new Change.Alter(host, host.withAssigned(Assignment.RESERVED))));
    }
    if (host.off()) {
      check.add(
          Code.HOST_OFF,
          host,
          host.name() + " is switched off, but " + Labels.of(rule) + " leads there",
          null,
          Cure.of(
              "switch it on, then correct the file", new Change.Alter(host, host.withOff(false))));
    }
    if (!rule.services().isEmpty() && !check.has(Code.NOTHING_LISTENS, rule)) {
      listens(device, rule, host, to);
    }
  }

  /** Whether the host listens on every port that the rule leads to. */
  private void listens(Device device, InwardRule rule, Host host, Address to) {
    PacketSet inside = check.space.none();
    for (Interface arriving : rule.facing().interfaces()) {
      check.passages(device, arriving);
      inside = inside.union(check.sets(device).takes(arriving, rule).inside());
    }
    PacketSet listened =
        host.listens().isEmpty() ? check.space.none() : check.space.services(host.listens());
    PacketSet missing =
        inside
            .intersection(check.space.destinations(AddressSet.of(to)))
            .intersection(check.space.withPorts())
            .minus(listened)
            .without(Dimension.ARRIVING);
    if (missing.isEmpty()) {
      return;
    }
    PacketSet.Member one = missing.sample();
    String service = one == null ? "" : PacketWords.service(one.packet());
    List<String> listens = new ArrayList<>();
    host.listens().forEach(term -> listens.add(term.text()));
    Integer port =
        one == null ? null : TranslationCures.onlyPort(host.listens(), one.packet().protocol);
    Cure elsewhere =
        port == null
            ? null
            : rule.by(fixed -> null, there -> TranslationCures.ported(there, port), prefix -> null);
    if (elsewhere != null && check.hasCure(rule, elsewhere)) {
      return; // another finding says already that it leads to the wrong port
    }
    check.add(
        Code.NOTHING_LISTENS,
        rule,
        Labels.of(rule)
            + " leads to "
            + service
            + " of "
            + host.name()
            + ", which listens on "
            + (listens.isEmpty() ? "nothing" : String.join(", ", listens)),
        null,
        Mends.started(host, Offers.inside(rule)).or(elsewhere));
  }

  /** A lease that names a gateway which leads nowhere. */
  private void lease(Network network, Network.Lease lease) {
    for (Address gateway : lease.gateways()) {
      List<Address> candidates = check.site.gateways(network, gateway.family());
      if (!candidates.contains(gateway) && !isRouterOn(network, gateway)) {
        Network.Lease right =
            new Network.Lease(
                lease.device(), candidates, lease.resolver(), lease.time(), lease.place());
        check.add(
            Code.GATEWAY_OR_PREFIX_WRONG,
            lease,
            "leases on "
                + network.name()
                + " name the gateway "
                + gateway
                + ", which is not a device of that network",
            null,
            candidates.size() == 1
                ? Cure.of(
                    "hand out " + candidates.get(0),
                    new Change.Alter(network, network.withLease(right)))
                : Cure.byHand("hand out the address of the device that leads on"));
      }
    }
  }

  private boolean isRouterOn(Network network, Address address) {
    return check.site.devices().values().stream()
        .flatMap(device -> device.interfaces().stream())
        .anyMatch(
            own ->
                own.network().name().equals(network.name()) && own.addresses().contains(address));
  }

  private void gateway(Host host) {
    for (Address gateway : host.gateways()) {
      boolean carrier =
          host.networks().stream().anyMatch(network -> network.carrier().contains(gateway));
      boolean router = host.networks().stream().anyMatch(network -> isRouterOn(network, gateway));
      boolean reached = host.networks().stream().anyMatch(n -> n.prefixOf(gateway) != null);
      if (carrier || router) {
        continue;
      }
      Host other = check.site.hostAt(gateway);
      boolean one = host.networks().size() == 1;
      List<Address> candidates =
          one ? check.site.gateways(host.networks().get(0), gateway.family()) : List.of();
      check.add(
          Code.GATEWAY_OR_PREFIX_WRONG,
          host,
          "the gateway of "
              + host.name()
              + ", "
              + gateway
              + ", is "
              + (!reached
                  ? "on none of its networks"
                  : other == null
                      ? "no device of the site"
                      : "that of " + other.name() + ", a host, which forwards nothing"),
          null,
          candidates.size() == 1
              ? Cure.of(
                  "give it " + candidates.get(0),
                  new Change.Alter(host, host.withGateways(candidates)))
              : Cure.byHand("name the device that leads on"));
    }
    for (Prefix own : host.ownPrefixes()) {
      boolean right =
          host.networks().stream().anyMatch(network -> network.prefixes().contains(own));
      if (!right) {
        check.add(
            Code.GATEWAY_OR_PREFIX_WRONG,
            host,
            host.name()
                + " is set to the prefix "
                + own
                + ", but its network is "
                + host.networks().get(0).prefixes().get(0),
            null,
            Cure.of(
                "set the prefix of its network on the host, then correct the file",
                new Change.Alter(host, host.withOwnPrefixes(List.of()))));
      }
    }
  }

  private void amongLeases(Host host) {
    for (Network network : host.networks()) {
      for (Address address : host.addresses()) {
        if (host.assigned() == Assignment.FIXED && network.leases().contains(address)) {
          check.add(
              Code.FIXED_AMONG_LEASES,
              host,
              host.name()
                  + " has the fixed address "
                  + address
                  + ", but network "
                  + network.name()
                  + " leases out "
                  + network.leases(),
              null,
              Cure.of(
                  "reserve the address for it where leases are handed out",
                  new Change.Alter(host, host.withAssigned(Assignment.RESERVED))));
        }
      }
    }
  }

  /** A host that listens, with a filter that lets nobody to it. */
  private void filter(Host host) {
    if (host.filter() == null || host.listens().isEmpty()) {
      return;
    }
    PacketSet offered = check.space.services(host.listens());
    PacketSet rest = offered;
    PacketSet accepted = check.space.none();
    for (AccessRule rule : host.filter().rules()) {
      if (!rule.disabled()) {
        PacketSet takes =
            check
                .space
                .services(rule.services())
                .intersection(check.space.sourcePorts(rule.sourcePorts()))
                .intersection(check.space.during(rule.when()));
        takes = rule.from().isEmpty() ? takes : takes.intersection(sources(rule));
        accepted =
            rule.action() == Action.ACCEPT ? accepted.union(takes.intersection(rest)) : accepted;
        rest = rest.minus(takes);
      }
    }
    accepted = host.filter().otherwise() == Action.ACCEPT ? accepted.union(rest) : accepted;
    if (!accepted.isEmpty()) {
      families(host, offered, accepted);
      managed(host, offered, accepted);
      return;
    }
    AccessRule rule =
        AccessRule.called(Action.ACCEPT, "what it offers").services(host.listens()).build();
    check.add(
        Code.HOST_FILTER,
        host,
        "the filter of " + host.name() + " accepts none of the services that it listens on",
        null,
        Cure.of(
            "let its filter accept what it offers",
            Change.Add.first(host.filter(), rule, host.filter().rules())));
  }

  /** A host that is managed over the network, with a filter that lets nobody manage it. */
  private void managed(Host host, PacketSet offered, PacketSet accepted) {
    PacketSet admin = offered.intersection(check.ports.administration);
    PacketSet.Member one = admin.sample();
    if (one != null && !accepted.meets(admin)) {
      check.add(
          Code.MANAGEMENT_CLOSED,
          host,
          "the filter of "
              + host.name()
              + " accepts nobody for "
              + Probe.of(one.packet().protocol, one.packet().destinationPort)
              + ", by which it is managed",
          null,
          Cure.byHand("let the filter accept those who manage it"));
    }
  }

  private PacketSet sources(AccessRule rule) {
    return check.space.sources(check.addresses(rule.from()));
  }

  private void families(Host host, PacketSet offered, PacketSet accepted) {
    if (host.address(Family.IPV6) == null || host.address(Family.IPV4) == null) {
      return;
    }
    PacketSet kept = offered.minus(accepted);
    boolean kept4 = kept.meets(check.space.of(Family.IPV4));
    boolean kept6 = kept.meets(check.space.of(Family.IPV6));
    if (kept4 != kept6 && host.filter() != null) {
      check.add(
          Code.FAMILY_UNFILTERED,
          host,
          "the filter of "
              + host.name()
              + " drops some packets over "
              + (kept4 ? Family.IPV4 : Family.IPV6)
              + ", but none over "
              + (kept4 ? Family.IPV6 : Family.IPV4),
          null,
          Cure.byHand("write the same rules for both families"));
    }
  }
}
