// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.plain;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.Flags;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Pool;
import org.eskerfield.model.PrefixRule;
import org.eskerfield.model.Route;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.SharedRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.StaticRule;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/** What the file says of one device, asked question by question. */
final class PlainPolicy {
  /** A way on. */
  record Way(Prefix to, @Nullable Interface leaving, @Nullable Address via, int preference) {}

  final Site site;
  final Device device;
  private final Map<String, Boolean> everything = new HashMap<>();

  PlainPolicy(Site site, Device device) {
    this.site = site;
    this.device = device;
  }

  static String realm(Network network) {
    return network.realm() == null ? "" : network.realm();
  }

  static String realm(Interface own) {
    return realm(own.network());
  }

  static boolean same(@Nullable Interface one, @Nullable Interface other) {
    return one != null && other != null && one.name().equals(other.name());
  }

  // Addresses.

  boolean isOwn(Address address) {
    return device.interfaces().stream()
        .anyMatch(own -> own.addresses().contains(address) || isEveryRouter(own, address));
  }

  /** RFC 4291 section 2.6.1: the lowest address of an IPv6 network, but of /127 and /128. */
  static boolean isEveryRouter(Interface own, Address address) {
    return own.network().prefixes().stream()
        .anyMatch(
            prefix ->
                address.family() == Family.IPV6
                    && prefix.length() < 127
                    && address.equals(prefix.first()));
  }

  boolean isOwnIn(Address address, String realm) {
    return device.interfaces().stream()
        .anyMatch(own -> realm(own).equals(realm) && own.addresses().contains(address));
  }

  List<TranslationRule> rules() {
    return device.translation().stream().filter(rule -> !rule.disabled()).toList();
  }

  static @Nullable Prefix block(InwardRule rule) {
    return rule instanceof PrefixRule prefix
        ? PlainPrefix.block(prefix)
        : rule.external().now(Family.IPV4);
  }

  static @Nullable Pool pool(TranslationRule rule) {
    if (rule instanceof DynamicRule lent) {
      return lent.pool();
    }
    if (rule instanceof SharedRule shared) {
      return shared.pool();
    }
    return rule instanceof DestinationRule both && both.sources() != null
        ? both.sources().pool()
        : null;
  }

  private static @Nullable InterfaceTerm poolSide(TranslationRule rule) {
    if (rule instanceof DynamicRule lent) {
      return lent.leaving();
    }
    if (rule instanceof SharedRule shared) {
      return shared.leaving();
    }
    return rule instanceof DestinationRule both ? both.leaving() : null;
  }

  private static boolean inRealm(@Nullable InterfaceTerm term, String realm) {
    return term != null && term.interfaces().stream().anyMatch(own -> realm(own).equals(realm));
  }

  /** Whether an enabled rule names the address as external, pools too. */
  boolean names(Address address, String realm) {
    for (TranslationRule rule : rules()) {
      Pool pool = pool(rule);
      if (pool != null && pool.addresses().contains(address) && inRealm(poolSide(rule), realm)) {
        return true;
      }
      if (rule instanceof InwardRule inward
          && block(inward) != null
          && block(inward).contains(address)
          && inRealm(inward.facing(), realm)) {
        return true;
      }
    }
    return false;
  }

  boolean namesOutside(Address address) {
    for (TranslationRule rule : rules()) {
      InterfaceTerm side = rule instanceof InwardRule inward ? inward.facing() : poolSide(rule);
      boolean outside =
          side != null
              && side.interfaces().stream()
                  .anyMatch(own -> own.network().zone().equals(Site.INTERNET));
      Pool pool = pool(rule);
      boolean sources = rule instanceof DestinationRule && inZoneInternet(poolSide(rule));
      if (outside
          && (rule instanceof InwardRule inward
              ? block(inward) != null && block(inward).contains(address)
              : pool != null && pool.addresses().contains(address))) {
        return true;
      }
      if (sources && pool != null && pool.addresses().contains(address)) {
        return true;
      }
    }
    return false;
  }

  private static boolean inZoneInternet(@Nullable InterfaceTerm side) {
    return side != null
        && side.interfaces().stream().anyMatch(own -> own.network().zone().equals(Site.INTERNET));
  }

  /** Blocks that a carrier or neighbour routes to the device, with the interface. */
  private List<Way> routedHere() {
    List<Way> found = new ArrayList<>();
    for (Interface own : device.interfaces()) {
      for (Network.Routed routed : own.network().routed()) {
        if (own.addresses().contains(routed.via())) {
          found.add(new Way(routed.to(), own, null, 0));
        }
      }
      for (Device other : site.devices().values()) {
        for (Route route : other.routes()) {
          if (!other.name().equals(device.name())
              && route.leaving() != null
              && route.leaving().network().name().equals(own.network().name())
              && own.addresses().contains(route.via())) {
            found.add(new Way(route.to(), own, null, 0));
          }
        }
      }
    }
    return found;
  }

  boolean hasOwner(Network network, Address address) {
    if (network.carrier().contains(address)) {
      return true;
    }
    for (Host host : site.hosts().values()) {
      if (host.isOn(network) && host.addresses().contains(address)) {
        return true;
      }
    }
    for (Device other : site.devices().values()) {
      for (Interface each : other.interfaces()) {
        if (!other.name().equals(device.name())
            && each.network().name().equals(network.name())
            && each.addresses().contains(address)) {
          return true;
        }
      }
    }
    return false;
  }

  /** DESIGN, step 2, "What no rule took". */
  boolean isDropped(Packet packet, Interface arriving) {
    Address to = packet.destination();
    String realm = realm(arriving);
    if (!names(to, realm) || isOwn(to)) {
      return false;
    }
    for (TranslationRule rule : rules()) {
      if (rule instanceof InwardRule inward
          && block(inward) != null
          && block(inward).contains(to)
          && covers(
              inward.services(),
              packet.protocol,
              packet.destinationPort,
              packet.icmpType,
              packet.icmpCode)
          && to.equals(internal(inward, to))
          && internalPort(inward, packet.protocol, packet.destinationPort)
              == packet.destinationPort) {
        return false;
      }
    }
    for (Interface own : device.interfaces()) {
      if (own.isUp()
          && realm(own).equals(realm)
          && own.network().prefixOf(to) != null
          && !hasOwner(own.network(), to)) {
        return true;
      }
    }
    for (Way here : routedHere()) {
      if (here.to().contains(to)) {
        boolean further =
            ways().stream()
                .anyMatch(way -> way.to().contains(to) && way.to().length() >= here.to().length());
        if (!further) {
          return true;
        }
      }
    }
    return false;
  }

  boolean answersOn(Network network, Address address) {
    if (!names(address, realm(network))) {
      return false;
    }
    return network.prefixOf(address) != null
        || routedHere().stream()
            .anyMatch(
                here ->
                    here.leaving().network().name().equals(network.name())
                        && here.to().contains(address));
  }

  /** The interface on which an external address is at home. */
  @Nullable Interface home(InwardRule rule) {
    Prefix block = block(rule);
    for (Interface own : device.interfaces()) {
      if (inRealm(rule.facing(), realm(own))
          && own.network().prefixOf(block.first()) != null
          && own.network().prefixOf(block.last()) != null) {
        return own;
      }
    }
    return routedHere().stream()
        .filter(here -> here.to().length() > 0)
        .filter(here -> inRealm(rule.facing(), realm(here.leaving())))
        .filter(here -> here.to().contains(block.first()) && here.to().contains(block.last()))
        .max(Comparator.comparingInt(here -> here.to().length()))
        .map(Way::leaving)
        .orElse(null);
  }

  // Claims.

  private boolean claims(ServiceTerm term, int protocol, int port) {
    boolean mine = false;
    for (ServicePart part : term.service().parts()) {
      mine |= part.protocol() == protocol && part.ports().contains(port);
    }
    return mine && !isEverything(term, protocol);
  }

  private boolean isEverything(ServiceTerm term, int protocol) {
    return everything.computeIfAbsent(
        term.text() + " " + protocol,
        key -> {
          boolean all = true;
          for (int each = 1; each <= 65535 && all; each++) {
            all = claimsPlainly(term, protocol, each);
          }
          return all;
        });
  }

  private static boolean claimsPlainly(ServiceTerm term, int protocol, int port) {
    for (ServicePart part : term.service().parts()) {
      if (part.protocol() == ServicePart.ANY_PROTOCOL
          || (part.protocol() == protocol && part.ports().contains(port))) {
        return true;
      }
    }
    return false;
  }

  boolean isClaimed(Address address, String realm, int protocol, int port) {
    if (!Protocol.hasPorts(protocol)) {
      return false;
    }
    for (TranslationRule rule : rules()) {
      if (rule instanceof InwardRule inward
          && block(inward) != null
          && block(inward).contains(address)
          && inRealm(inward.facing(), realm)
          && inward.services().stream().anyMatch(term -> claims(term, protocol, port))) {
        return true;
      }
    }
    return isOwnIn(address, realm)
        && device.services().stream().anyMatch(own -> claims(own.service(), protocol, port));
  }

  /** Whether a static rule without a service has the address. */
  boolean isHeld(Address address) {
    return rules().stream()
        .anyMatch(
            rule ->
                rule instanceof StaticRule fixed
                    && fixed.services().isEmpty()
                    && block(fixed) != null
                    && block(fixed).contains(address));
  }

  boolean mayLend(Address address) {
    if (isHeld(address)) {
      return false;
    }
    return isOwn(address)
        || rules().stream()
            .noneMatch(
                rule ->
                    rule instanceof InwardRule inward
                        && block(inward) != null
                        && block(inward).contains(address));
  }

  // Rules.

  static boolean covers(
      List<ServiceTerm> terms, int protocol, int port, int icmpType, int icmpCode) {
    boolean covers = terms.isEmpty();
    for (ServiceTerm term : terms) {
      for (ServicePart part : term.service().parts()) {
        boolean same = part.protocol() == protocol || part.protocol() == ServicePart.ANY_PROTOCOL;
        boolean ported = part.ports().contains(port) || !Protocol.hasPorts(part.protocol());
        boolean typed = part.icmpType() < 0 || part.icmpType() == icmpType;
        boolean coded = part.icmpCode() < 0 || part.icmpCode() == icmpCode;
        covers |= same && ported && typed && coded;
      }
    }
    return covers;
  }

  /** Flag by flag. */
  private static boolean flagsFit(@Nullable Flags flags, Packet seen) {
    if (flags == null) {
      return true;
    }
    boolean one = flags.any() == 0;
    boolean each = seen.protocol == Protocol.TCP;
    for (int bit = 1; bit < 64; bit *= 2) {
      boolean set = seen.tcpFlags / bit % 2 == 1;
      one |= set && flags.any() / bit % 2 == 1;
      each &= set || flags.all() / bit % 2 == 0;
      each &= !set || flags.none() / bit % 2 == 0;
    }
    return one && each;
  }

  boolean from(List<AddressTerm> terms, Address address, boolean own) {
    if (own) {
      return terms.stream().anyMatch(term -> term.kind() == AddressTerm.Kind.SELF);
    }
    return terms.isEmpty() || site.addresses(terms).contains(address);
  }

  boolean to(List<AddressTerm> terms, Address address) {
    return terms.isEmpty() || site.addresses(terms).contains(address);
  }

  static @Nullable Address internal(InwardRule rule, Address external) {
    if (rule instanceof PrefixRule prefix) {
      return PlainPrefix.internal(prefix, external);
    }
    Prefix block = block(rule);
    if (rule instanceof DestinationRule) {
      return rule.internalBlock().first();
    }
    long distance = external.low() - block.first().low();
    return new Address(Family.IPV4, 0, rule.internalBlock().first().low() + distance);
  }

  static @Nullable Address external(InwardRule rule, Address internal) {
    if (rule instanceof PrefixRule prefix) {
      return PlainPrefix.external(prefix, internal);
    }
    long distance = internal.low() - rule.internalBlock().first().low();
    return new Address(Family.IPV4, 0, block(rule).first().low() + distance);
  }

  private static int firstPort(InwardRule rule) {
    return rule.services().get(0).service().parts().get(0).ports().first();
  }

  static int internalPort(InwardRule rule, int protocol, int port) {
    if (rule.internalPorts() == null || !Protocol.hasPorts(protocol)) {
      return port;
    }
    return rule instanceof DestinationRule && rule.internalPorts().size() == 1
        ? rule.internalPorts().first()
        : port - firstPort(rule) + rule.internalPorts().first();
  }

  static int externalPort(InwardRule rule, int protocol, int port) {
    return rule.internalPorts() == null || !Protocol.hasPorts(protocol)
        ? port
        : port - rule.internalPorts().first() + firstPort(rule);
  }

  boolean hairpins(InwardRule rule, Interface arriving) {
    return rule.hairpin() != null
        && rule.hairpin().from().names(arriving)
        && !same(home(rule), arriving);
  }

  // Routes.

  List<Way> ways() {
    List<Way> all = new ArrayList<>();
    for (Interface own : device.interfaces()) {
      for (Prefix prefix : own.network().prefixes()) {
        if (own.isUp() && own.address(prefix.family()) != null) {
          all.add(new Way(prefix, own, null, 0));
        }
      }
    }
    for (Route route : device.routes()) {
      if (route.leaving() == null || route.leaving().isUp()) {
        all.add(new Way(route.to(), route.leaving(), route.via(), route.preference()));
      }
    }
    return all;
  }

  @Nullable Way way(Address to, @Nullable InterfaceTerm only) {
    Way best = null;
    for (Way way : ways()) {
      boolean may = only == null || same(way.leaving(), only.interfaces().get(0));
      if (may
          && way.to().contains(to)
          && (best == null
              || way.to().length() > best.to().length()
              || (way.to().length() == best.to().length()
                  && way.preference() < best.preference()))) {
        best = way;
      }
    }
    return best;
  }

  // Lists.

  /** The lists that guard a way, in the order in which they are asked. */
  List<AccessList> guards(@Nullable Interface arriving, @Nullable Interface leaving) {
    List<AccessList> arrivingOnly = new ArrayList<>();
    List<AccessList> both = new ArrayList<>();
    List<AccessList> leavingOnly = new ArrayList<>();
    for (AccessList list : device.access()) {
      int best = 3;
      for (AccessList.Guard guard : list.guards()) {
        boolean in =
            guard.arriving() == null || (arriving != null && guard.arriving().names(arriving));
        boolean out =
            leaving == null
                ? guard.toDevice()
                : !guard.toDevice() && (guard.leaving() == null || guard.leaving().names(leaving));
        if (in && out) {
          boolean ends = guard.toDevice() || guard.leaving() != null;
          best = Math.min(best, guard.arriving() == null ? 2 : ends ? 1 : 0);
        }
      }
      switch (best) {
        case 0 -> arrivingOnly.add(list);
        case 1 -> both.add(list);
        case 2 -> leavingOnly.add(list);
        default -> {}
      }
    }
    arrivingOnly.addAll(both);
    arrivingOnly.addAll(leavingOnly);
    return arrivingOnly;
  }

  @Nullable AccessRule match(AccessList list, Packet seen, boolean own, ZonedDateTime now) {
    for (AccessRule rule : list.rules()) {
      if (!rule.disabled()
          && from(rule.from(), seen.source(), own)
          && to(rule.to(), seen.destination())
          && covers(
              rule.services(), seen.protocol, seen.destinationPort, seen.icmpType, seen.icmpCode)
          && (rule.sourcePorts() == null
              || (Protocol.hasPorts(seen.protocol) && rule.sourcePorts().contains(seen.sourcePort)))
          && flagsFit(rule.flags(), seen)
          && (rule.when() == null || rule.when().covers(now))) {
        return rule;
      }
    }
    return null;
  }

  /** The own service that takes a packet. */
  @Nullable OwnService serving(Packet packet) {
    for (OwnService own : device.services()) {
      if (own.service()
              .service()
              .covers(packet.protocol, packet.destinationPort, packet.icmpType, packet.icmpCode)
          && from(own.from(), packet.source(), false)) {
        return own;
      }
    }
    return null;
  }
}
