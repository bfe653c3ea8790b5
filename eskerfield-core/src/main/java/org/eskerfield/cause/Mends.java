// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Place;
import org.eskerfield.model.Route;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Labels;
import org.jspecify.annotations.Nullable;

/**
 * Changes a site as if one thing were mended, to see what comes behind it. These are no proposals:
 * each lets just the packet in question through, in the simplest way.
 */
public final class Mends {
  private Mends() {}

  /** The service of a packet as a rule names it. */
  static ServiceTerm service(Header header) {
    if (Icmp.isEchoRequest(header.icmpType())) {
      return new ServiceTerm(Service.PING, Place.IN_CODE);
    }
    PortSet ports =
        Protocol.hasPorts(header.protocol()) ? PortSet.of(header.destinationPort()) : PortSet.ALL;
    return ServiceTerm.of(new ServicePart(header.protocol(), ports, header.icmpType()));
  }

  /** Puts a translation rule before all others of a device. */
  static Change first(Device device, TranslationRule rule) {
    return Change.Add.first(device, rule, device.translation());
  }

  /** The rule that lets in everybody at every time. */
  static InwardRule admittingAll(InwardRule rule) {
    return rule.admitting(
        new Admission(
            List.of(AddressTerm.any()), /* when= */ null, /* log= */ false, rule.place()));
  }

  /** The rule for the service of a packet as well, led to where the rule leads its own. */
  static DestinationRule serving(DestinationRule rule, Header header) {
    List<ServiceTerm> own = rule.services();
    int kept =
        own.isEmpty()
            ? header.destinationPort()
            : own.get(0).service().parts().get(0).ports().first();
    return rule.serving(service(header), kept);
  }

  /** Sets an interface up. */
  static Change up(Interface own) {
    return new Change.Alter(own, own.withState(Interface.State.UP));
  }

  /** The cure of an interface that is down. */
  public static Cure broughtUp(Interface own) {
    return Cure.of("bring " + Labels.of(own) + " up, then correct the file", up(own));
  }

  /** A program has to be started before a file can say that it runs. */
  public static Cure started(Host host, List<ServiceTerm> asked) {
    List<ServiceTerm> listens = new ArrayList<>(host.listens());
    listens.addAll(asked);
    return Cure.done(
        "let "
            + host.name()
            + " listen on "
            + String.join(", ", asked.stream().map(ServiceTerm::text).toList())
            + ", then add it to 'listens' ("
            + host.place()
            + ")",
        new Change.Alter(host, host.withListens(listens)));
  }

  /** A host that answers what a packet asks for. */
  static Host listening(Host host, Header asked) {
    return host.withListens(with(host.listens(), service(asked))).withAnswersPing(true);
  }

  /** A host with one more address. */
  static Host alsoAt(Host host, Address address) {
    return host.withAddresses(with(host.addresses(), address));
  }

  private static <T> List<T> with(List<T> some, T more) {
    List<T> all = new ArrayList<>(some);
    all.add(more);
    return all;
  }

  /** A host with this gateway and no other, which knows its own network right. */
  static Host over(Host host, Address gateway) {
    return host.withOwnPrefixes(List.of()).withGateways(List.of(gateway));
  }

  /** A host with the gateway that leads to an address, and its network's own prefix. */
  static @Nullable Host leading(Site site, Host host, Address to) {
    Address gateway = null;
    for (Network network : host.networks()) {
      for (Device device : site.devices().values()) {
        for (Interface own : device.interfaces()) {
          Address address = own.address(to.family());
          if (gateway == null
              && own.network().name().equals(network.name())
              && address != null
              && leads(site, device, to, network)) {
            gateway = address;
          }
        }
      }
    }
    return gateway == null ? null : over(host, gateway);
  }

  private static boolean leads(Site site, Device device, Address to, Network notBy) {
    NextHop hop = nextHop(site, device, to);
    return hop != null && !hop.by().network().name().equals(notBy.name());
  }

  /**
   * What lets a device know replies by their sessions: the list keeps them, and so does every way
   * that no list guards, which it does not where its stance is the plain word: then it is a plain
   * router.
   */
  public static List<Change> remembering(Device device, @Nullable AccessList list) {
    List<Change> changes = new ArrayList<>();
    if (device.stance().acceptsEverything()) {
      changes.add(
          new Change.Alter(
              device, device.withStance(device.stance().but(Site.ANY, Site.ANY, Action.ACCEPT))));
    }
    if (list != null && list.stateless()) {
      changes.add(new Change.Alter(list, list.withStateless(false)));
    }
    return changes;
  }

  /**
   * A way out of a device.
   *
   * @param by the interface
   * @param via the next router; null where the destination is on the network itself
   */
  record NextHop(Interface by, @Nullable Address via) {}

  /** The shortest way from a device to an address by the networks that devices share. */
  static @Nullable NextHop nextHop(Site site, Device from, Address to) {
    Network target = site.networkOf(to);
    Map<String, NextHop> first = new HashMap<>(); // by device, the way out of the first one
    Deque<Device> queue = new ArrayDeque<>(List.of(from));
    while (!queue.isEmpty()) {
      Device device = queue.remove();
      NextHop start = first.get(device.name());
      for (Interface own : device.interfaces()) {
        Network network = own.network();
        boolean there =
            target != null
                ? network.name().equals(target.name())
                : !network.carrier().isEmpty() && own.isUp();
        if (there) {
          Address carrier =
              target != null || network.carrier().isEmpty() ? null : network.carrier().get(0);
          return start != null ? start : new NextHop(own, carrier);
        }
      }
      for (Interface own : device.interfaces()) {
        for (Device next : site.devices().values()) {
          Address via = addressOn(next, own.network(), to);
          if (via != null && !next.name().equals(from.name()) && !first.containsKey(next.name())) {
            first.put(next.name(), Objects.requireNonNullElse(start, new NextHop(own, via)));
            queue.add(next);
          }
        }
      }
    }
    return null;
  }

  private static @Nullable Address addressOn(Device device, Network network, Address family) {
    for (Interface own : device.interfaces()) {
      if (own.network().name().equals(network.name())) {
        return own.address(family.family());
      }
    }
    return null;
  }

  /** Gives a device a route to one address; null if there is no way. */
  static @Nullable Change routed(Site site, Device device, Address to) {
    NextHop hop = nextHop(site, device, to);
    if (hop == null || hop.via() == null) {
      return null;
    }
    Route route =
        new Route(
            Prefix.of(to), to.toString(), hop.via(), hop.by(), 1, /* note= */ null, device.place());
    return Change.Add.first(device, route, device.routes());
  }
}
