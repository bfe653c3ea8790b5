// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.List;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.Device;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** Cures of routes and gateways. */
public final class RouteCures extends CureScene {
  RouteCures(CureScene scene) {
    super(scene);
  }

  /** How to let a device find an address inside the site; null if no way leads there. */
  public static @Nullable Cure route(Site site, Device device, Address to) {
    Mends.NextHop hop = Mends.nextHop(site, device, to);
    Network network = site.networkOf(to);
    if (hop == null || hop.via() == null) {
      return null;
    }
    boolean inside = network != null && network.carrier().isEmpty();
    Prefix block = network == null || !inside ? null : network.prefixOf(to);
    String text = network == null || block == null ? Site.ANY : network.name();
    Route route =
        new Route(
            block == null ? Prefix.around(to, 0) : block,
            text,
            hop.via(),
            hop.by(),
            Route.DEFAULT_PREFERENCE,
            /* note= */ null,
            Place.IN_CODE);
    return Cure.of(
        "give " + device.name() + " a route to " + (block == null ? "the internet" : text),
        new Change.Add(device, route, null));
  }

  @Nullable Cure otherWay(@Nullable Placed place) {
    InwardRule rule = InwardRule.of(place);
    Hairpin hairpin = rule == null ? null : rule.hairpin();
    if (rule != null && hairpin != null) {
      return Cure.of(
          "let the source become the device's, so that replies come back by it",
          new Change.Alter(rule, rule.hairpinning(hairpin.withSource(Hairpin.Source.DEVICE))));
    }
    if (!(place instanceof Host host)) {
      return null;
    }
    if (!host.ownPrefixes().isEmpty()) {
      return Cure.of(
          "give " + host.name() + " the prefix of its network",
          new Change.Alter(host, host.withOwnPrefixes(List.of())));
    }
    Host redirected = sendingBack(host, header.destination());
    Address gateway = redirected == null ? null : redirected.gateway(header.destination().family());
    return gateway == null
        ? null
        : Cure.of(
            "give " + host.name() + " the gateway " + gateway,
            new Change.Alter(host, host.withGateways(List.of(gateway))));
  }

  /** The host with the gateway from which the request came to it. */
  @Nullable Host sendingBack(Host host, Address to) {
    List<Leg> request = legs();
    if (request.size() >= 2 && request.get(request.size() - 1).where().equals(host.name())) {
      Interface by = request.get(request.size() - 2).leaving();
      Address gateway = by == null ? null : by.address(to.family());
      return gateway == null ? null : Mends.over(host, gateway);
    }
    return Mends.leading(site, host, to);
  }

  /** The route that takes a destination, one left out; null if none does. */
  static @Nullable Route strayRoute(Device device, Address to, @Nullable Route but) {
    Route found = null;
    for (Route route : device.routes()) {
      if (route.equals(but)) {
        continue;
      }
      boolean longer = found == null || route.to().length() > found.to().length();
      found = route.to().contains(to) && longer ? route : found;
    }
    return found;
  }

  @Nullable Cure route() {
    if (obstacle.place() instanceof Device strayed && !obstacle.detail().isEmpty()) {
      Route route = strayRoute(strayed, header.destination(), null);
      Route rest = strayRoute(strayed, header.destination(), route);
      Mends.NextHop hop = Mends.nextHop(site, strayed, header.destination());
      Address via = hop == null ? null : hop.via();
      if (route != null
          && hop != null
          && via != null
          && (!isUsed(route) || !isBroader(route, header.destination()))
          && (rest == null || !via.equals(rest.via()))) {
        return Cure.of(
            "let the route of " + strayed.name() + " to " + route.to() + " lead to " + via,
            new Change.Alter(route, route.withVia(via).withLeaving(hop.by())));
      }
      if (route != null && !isBroader(route, header.destination())) {
        return Cure.of(
            "take the route of " + strayed.name() + " to " + route.to() + " away",
            new Change.Remove(route));
      }
    }
    Device device = device();
    if (device == null) { // the packet got out of the site, or to a host: a device sent it there
      for (Leg each : obstacle.conversation().opening() == null ? List.<Leg>of() : legsOfEnd()) {
        device = each.kind() == Leg.Kind.DEVICE ? site.devices().get(each.where()) : device;
      }
    }
    return device == null ? null : route(site, device, header.destination());
  }

  /** Whether somebody has the next hop of a route. */
  private boolean isUsed(Route route) {
    Address via = route.via();
    return via != null
        && (site.deviceAt(via) != null
            || site.networks().values().stream().anyMatch(n -> n.carrier().contains(via)));
  }

  /** Whether a route leads to more than the network that an address is on. */
  private boolean isBroader(Route route, Address to) {
    Network network = site.networkOf(to);
    Prefix block = network == null ? null : network.prefixOf(to);
    return route.to().length() < (block == null ? 1 : block.length());
  }

  List<Leg> legsOfEnd() {
    Trace trace = Objects.requireNonNull(obstacle.conversation().deciding());
    return trace.reply().isEmpty() ? trace.request() : trace.reply();
  }
}
