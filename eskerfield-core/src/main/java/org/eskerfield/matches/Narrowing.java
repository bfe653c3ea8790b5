// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.matches;

import java.util.ArrayList;
import java.util.Collection;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.eskerfield.change.Change;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * How much narrower accept rules could be and still take the flows that were seen: only the
 * services that were asked for; only the hosts of the file, or else the inner networks, that sent
 * or received. Where more than {@value #MOST} would have to be named, a rule stays as it is.
 *
 * <p>These are proposals. Whoever makes them sends the same flows through the changed site, since a
 * flow may come for the first time where a rule no longer takes another one.
 *
 * <p>Not safe for use by several threads.
 */
public final class Narrowing {
  private static final int MOST = 8;

  /** What one rule took; sets grow to one more than may be named. */
  private static final class Seen {
    private final Device device;
    private final Set<ServicePart> services = new LinkedHashSet<>();
    private final Set<Address> sources = new LinkedHashSet<>();
    private final Set<Address> receivers = new LinkedHashSet<>();

    Seen(Device device) {
      this.device = device;
    }
  }

  private final Site site;
  private final IdentityHashMap<AccessRule, Seen> seen = new IdentityHashMap<>();
  private final List<AccessRule> order = new ArrayList<>();

  /** Has seen nothing yet. */
  public Narrowing(Site site) {
    this.site = site;
    for (Device device : site.devices().values()) {
      device
          .access()
          .forEach(
              list ->
                  list.rules().stream()
                      .filter(rule -> rule.action() == Action.ACCEPT && !rule.disabled())
                      .forEach(
                          rule -> {
                            seen.put(rule, new Seen(device));
                            order.add(rule);
                          }));
    }
  }

  /** Adds the first packet of a flow. */
  public void add(Trace trace) {
    for (Leg leg : trace.request()) {
      if (leg.kind() != Leg.Kind.DEVICE) {
        continue;
      }
      for (Decision decision : leg.decisions()) {
        Seen of = decision.by() instanceof AccessRule rule ? seen.get(rule) : null;
        if (of != null && isAccepted(decision.ruling())) {
          boolean original = of.device.seesOriginal();
          take(of, original ? leg.decisions().get(0).before() : decision.before());
        }
      }
    }
  }

  private static boolean isAccepted(Ruling ruling) {
    return ruling == Ruling.ACCEPTED_BY_RULE || ruling == Ruling.DEVICE_ACCEPTED_BY_RULE;
  }

  private static void take(Seen of, Header header) {
    add(of.sources, header.source());
    add(of.receivers, header.destination());
    int protocol = header.protocol();
    add(
        of.services,
        Protocol.hasPorts(protocol)
            ? new ServicePart(protocol, PortSet.of(header.destinationPort()), Icmp.NO_TYPE)
            : Protocol.isIcmp(protocol)
                ? new ServicePart(protocol, PortSet.ALL, header.icmpType())
                : ServicePart.all(protocol));
  }

  private static <T> void add(Set<T> all, T one) {
    if (all.size() <= MOST) {
      all.add(one);
    }
  }

  /** The rules that could be narrower, each with what it would be, in the order of the file. */
  public List<Change.Alter> proposals() {
    List<Change.Alter> proposals = new ArrayList<>();
    for (AccessRule rule : order) {
      Seen of = seen.get(rule);
      if (of == null || of.services.isEmpty()) {
        continue;
      }
      AccessRule narrower =
          rule.withServices(services(rule, of.services))
              .withFrom(ends(rule.from(), of.sources))
              .withTo(ends(rule.to(), of.receivers));
      if (!narrower.equals(rule)) {
        proposals.add(new Change.Alter(rule, narrower));
      }
    }
    return proposals;
  }

  /** The services that were seen; those of the rule if it has no others, or they are too many. */
  private static List<ServiceTerm> services(AccessRule rule, Set<ServicePart> found) {
    List<ServicePart> named = new ArrayList<>();
    rule.services().forEach(term -> named.addAll(term.service().parts()));
    boolean isWider = named.isEmpty() || named.stream().anyMatch(part -> !isExhausted(part, found));
    if (found.size() > MOST || !isWider) {
      return rule.services();
    }
    Map<Integer, TreeSet<Integer>> ports = new TreeMap<>();
    Set<ServicePart> rest = new LinkedHashSet<>();
    for (ServicePart part : found) {
      if (Protocol.hasPorts(part.protocol())) {
        ports.computeIfAbsent(part.protocol(), key -> new TreeSet<>()).add(part.ports().first());
      } else {
        rest.add(part);
      }
    }
    List<ServiceTerm> terms = new ArrayList<>();
    ports.forEach(
        (protocol, each) ->
            each.forEach(
                port ->
                    terms.add(
                        ServiceTerm.of(
                            new ServicePart(protocol, PortSet.of(port), Icmp.NO_TYPE)))));
    rest.forEach(part -> terms.add(ServiceTerm.of(part)));
    return terms;
  }

  /** Whether every packet that a part of a rule names is of a service that was seen. */
  private static boolean isExhausted(ServicePart part, Set<ServicePart> found) {
    if (part.protocol() == ServicePart.ANY_PROTOCOL) {
      return false;
    }
    if (!Protocol.hasPorts(part.protocol())) {
      return found.stream()
          .anyMatch(
              each -> each.protocol() == part.protocol() && (each.icmpType() == part.icmpType()));
    }
    long seen =
        found.stream()
            .filter(
                each ->
                    each.protocol() == part.protocol()
                        && part.ports().contains(each.ports().first()))
            .count();
    return seen == part.ports().size();
  }

  /**
   * The hosts, or else the inner networks, of the addresses; the terms as they are if not fewer.
   */
  private List<AddressTerm> ends(List<AddressTerm> terms, Set<Address> found) {
    if (found.size() > MOST) {
      return networks(terms, found);
    }
    Map<String, AddressTerm> hosts = new LinkedHashMap<>();
    AddressSet named = AddressSet.NONE;
    for (Address address : found) {
      Host host = site.hostAt(address);
      if (host == null) {
        return networks(terms, found);
      }
      hosts.putIfAbsent(host.name(), AddressTerm.of(host));
      named = named.union(AddressSet.ofAddresses(host.addresses()));
    }
    return isNarrower(named, terms) ? List.copyOf(hosts.values()) : terms;
  }

  private List<AddressTerm> networks(List<AddressTerm> terms, Set<Address> found) {
    Map<String, AddressTerm> networks = new LinkedHashMap<>();
    AddressSet named = AddressSet.NONE;
    if (found.size() > MOST) {
      return terms; // which others there were is not known
    }
    for (Address address : found) {
      Network network = inner(address);
      if (network == null) {
        return terms;
      }
      networks.putIfAbsent(network.name(), AddressTerm.of(network));
      named = named.union(AddressSet.ofPrefixes(network.prefixes()));
    }
    return isNarrower(named, terms) ? List.copyOf(networks.values()) : terms;
  }

  private @Nullable Network inner(Address address) {
    for (Network network : site.networks().values()) {
      if (!network.isOutside() && network.prefixOf(address) != null) {
        return network;
      }
    }
    return null;
  }

  /** Whether some addresses are fewer than those that terms name; no term names all. */
  private boolean isNarrower(AddressSet some, Collection<AddressTerm> terms) {
    if (terms.isEmpty()) {
      return true;
    }
    AddressSet all = site.addresses(List.copyOf(terms));
    return !all.equals(some) && all.union(some).equals(all);
  }
}
