// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.Collections;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.ledger.Block;
import org.eskerfield.ledger.Holding;
import org.eskerfield.ledger.Ledger;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.DestinationRuleBuilder;
import org.eskerfield.model.Device;
import org.eskerfield.model.External;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Place;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.StaticRuleBuilder;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.offer.Plan.Proof;
import org.eskerfield.offer.Plan.Step;
import org.eskerfield.offer.WayOut.Hop;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.program.CompiledList;
import org.eskerfield.set.Times;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Probe;
import org.jspecify.annotations.Nullable;

/**
 * Plans to offer a host's service to outsiders.
 *
 * <p>Idea: go from the host outwards, along the way of its replies, and ask at each device what
 * packets for the service must look like when they come from outside; the next device outwards must
 * lead them to that. What is planned is only a proposal: whether it does what is meant is proved on
 * the changed site, by checking and tracing it.
 */
public final class Offer {
  /** Where packets for the service must be led, as the next device outwards has to write it. */
  private record Target(
      Address address, AddressTerm term, List<ServicePart> parts, ServiceTerm service) {}

  private static final int FIRST_FREE = 1024;

  private final Site site;
  private final Wish wish;
  private final Ledger ledger;
  private final AddressSet from;
  private final String name;
  private final List<Step> steps = new ArrayList<>();

  private Offer(Site site, Wish wish) {
    this.site = site;
    this.wish = wish;
    this.ledger = Ledger.of(site);
    this.from = site.addresses(wish.from());
    this.name =
        wish.name() != null
            ? wish.name()
            : unused(wish.host().name() + " " + wish.service().name());
  }

  /**
   * Plans an offer.
   *
   * @throws RefusedChangeException if it cannot be made, with what would work
   */
  public static Plan plan(Site site, Wish wish) throws RefusedChangeException {
    return new Offer(site, wish).plan();
  }

  /** The interfaces and zones from which insiders could use an external address, too. */
  public static List<String> insiders(Site site, Host host) {
    try {
      List<Hop> hops = WayOut.of(site, host, Address.ipv4(192, 0, 2, 1));
      Hop last = hops.get(hops.size() - 1);
      List<String> names = new ArrayList<>();
      for (Interface own : last.device().interfaces()) {
        if (!own.isOutside()) {
          names.add(own.name());
        }
      }
      return names;
    } catch (RefusedChangeException e) {
      return List.of();
    }
  }

  private Plan plan() throws RefusedChangeException {
    Host host = wish.host();
    listening(host);
    Address address = host.address(Family.IPV4);
    if (address == null) {
      throw new RefusedChangeException(
          host.name() + " has no IPv4 address, and translation is for IPv4",
          "over IPv6 no translation is needed: let an access rule accept it");
    }
    movedOutside();
    Address outsider = outsider();
    List<Hop> hops = WayOut.of(site, host, outsider);
    Target target =
        new Target(
            address,
            AddressTerm.of(host),
            wish.service().parts(),
            new ServiceTerm(wish.service(), Place.IN_CODE));
    for (int i = 0; i < hops.size() - 1; i++) {
      target = inner(hops.get(i), hops.get(i + 1), target);
    }
    Hop last = hops.get(hops.size() - 1);
    Target external = external(last, target);
    outermost(last, target, external);
    Collections.reverse(steps);
    return new Plan(steps, proofs(external, outsider));
  }

  private void listening(Host host) throws RefusedChangeException {
    if (host.isOutside()) {
      throw new RefusedChangeException(
          host.name() + " is on the internet already", "name a host of the site");
    }
    if (host.off()) {
      throw new RefusedChangeException(
          host.name() + " is switched off", "take 'off' away (" + host.place() + ")");
    }
    for (ServicePart part : wish.service().parts()) {
      boolean ping = Icmp.isEchoRequest(part.icmpType());
      boolean covered = ping && host.answersPing();
      for (ServiceTerm term : host.listens()) {
        for (ServicePart own : term.service().parts()) {
          covered |= own.covers(part);
        }
      }
      if (!covered) {
        List<String> listens = host.listens().stream().map(ServiceTerm::text).toList();
        throw new RefusedChangeException(
            "nothing on " + host.name() + " listens on " + part,
            listens.isEmpty()
                ? "say what it runs with 'listens' (" + host.place() + ")"
                : "it listens on "
                    + String.join(", ", listens)
                    + ": offer that, or add to 'listens' ("
                    + host.place()
                    + ")");
      }
    }
  }

  /** Somebody who may use it, as an address. */
  private Address outsider() throws RefusedChangeException {
    Address somebody = Outside.somebody(site, Outside.senders(site).intersection(from));
    if (somebody == null) {
      throw new RefusedChangeException(
          "none of those who may use it is outside", "name somebody outside, or 'any'");
    }
    return somebody;
  }

  // Names and texts.

  private String unused(String wanted) {
    Set<String> taken = new LinkedHashSet<>();
    for (Device device : site.devices().values()) {
      device.translation().forEach(rule -> taken.add(rule.name()));
      device.access().forEach(list -> list.rules().forEach(rule -> taken.add(rule.name())));
    }
    String free = wanted;
    for (int i = 2; taken.contains(free); i++) {
      free = wanted + " " + i;
    }
    return free;
  }

  private boolean fromAnybody() {
    return wish.from().stream().anyMatch(term -> term.kind() == AddressTerm.Kind.ANY);
  }

  /** The parts with other ports, as many as they have; null if they have several runs of ports. */
  private static @Nullable List<ServicePart> moved(List<ServicePart> parts, int first) {
    PortSet ports = parts.get(0).ports();
    List<ServicePart> moved = new ArrayList<>();
    for (ServicePart part : parts) {
      int last = first + ports.size() - 1;
      if (!Protocol.hasPorts(part.protocol())
          || !part.ports().equals(ports)
          || !ports.isRange()
          || last > PortSet.HIGHEST) {
        return null;
      }
      moved.add(new ServicePart(part.protocol(), PortSet.range(first, last), Icmp.NO_TYPE));
    }
    return moved;
  }

  private static String text(List<ServicePart> parts) {
    List<String> protocols = parts.stream().map(part -> Protocol.name(part.protocol())).toList();
    return parts.get(0).ports() + "/" + String.join("+", protocols);
  }

  private static Target at(Target target, Address address, List<ServicePart> parts) {
    ServiceTerm service =
        parts.equals(target.parts)
            ? target.service
            : new ServiceTerm(new Service(text(parts), parts, Place.IN_CODE), Place.IN_CODE);
    return new Target(address, AddressTerm.of(address), parts, service);
  }

  /** The ports inside where they differ from those outside. */
  private static @Nullable PortSet inside(Target external, Target target) {
    return external.parts.equals(target.parts) ? null : target.parts.get(0).ports();
  }

  // A device on the way that is not the last.

  private Target inner(Hop hop, Hop next, Target target) throws RefusedChangeException {
    boolean known =
        next.inner().name().equals(towards(next.device(), target.address))
            && !hop.outer().addresses().isEmpty();
    boolean translates =
        hop.device().inward().stream()
            .anyMatch(rule -> !rule.disabled() && rule.facing().names(hop.outer()));
    if (known && (wish.whole() || !translates)) {
      access(hop, target, target, null, false);
      return target;
    }
    if (wish.whole()) {
      throw new RefusedChangeException(
          next.device().name()
              + " knows no way to "
              + target.address
              + ", so no address can stand for "
              + wish.host().name()
              + " as a whole",
          "add a route to " + next.device().name() + ", or leave out the static rule");
    }
    Address own = hop.outer().address(Family.IPV4);
    if (own == null) {
      throw new RefusedChangeException(
          hop.outer().name() + " of " + hop.device().name() + " has no IPv4 address",
          "give it one");
    }
    List<Integer> wanted = new ArrayList<>(List.of(target.parts.get(0).ports().first()));
    if (wish.externalPorts() != null) {
      wanted.add(wish.externalPorts().first());
    }
    for (int port = FIRST_FREE; port < FIRST_FREE + 4096; port++) {
      wanted.add(port);
    }
    for (int port : wanted) {
      List<ServicePart> parts =
          port == target.parts.get(0).ports().first() ? target.parts : moved(target.parts, port);
      if (parts != null && taker(own, parts) == null) {
        Target external = at(target, own, parts);
        rule(hop, target, external);
        return external;
      }
    }
    throw new RefusedChangeException(
        "no port of " + own + " of " + hop.device().name() + " is free for this",
        "withdraw what uses it: eskerfield ledger SITE --ports " + own);
  }

  private @Nullable String towards(Device device, Address to) {
    Interface by = org.eskerfield.program.DeviceProgram.compile(site, device).towards(to);
    return by == null ? null : by.name();
  }

  // The external address.

  /** What has some of these ports of an address already; null if they are free. */
  private @Nullable Holding taker(Address address, List<ServicePart> parts) {
    for (Holding holding : ledger.at(address)) {
      boolean sharing =
          holding.kind() == Holding.Kind.INTERFACE || holding.kind() == Holding.Kind.SHARED;
      if (holding.services().isEmpty() && !sharing) {
        return holding;
      }
      for (ServicePart mine : parts) {
        for (ServicePart theirs : holding.services()) {
          if (mine.overlaps(theirs)) {
            return holding;
          }
        }
      }
    }
    return null;
  }

  /** The service on the external ports that are wished for. */
  private List<ServicePart> movedOutside() throws RefusedChangeException {
    PortSet ports = wish.externalPorts();
    List<ServicePart> parts = wish.service().parts();
    List<ServicePart> moved = ports == null ? parts : moved(parts, ports.first());
    if (moved == null || (ports != null && ports.size() != parts.get(0).ports().size())) {
      throw new RefusedChangeException(
          wish.service().name() + " cannot be moved to port " + ports,
          "one port or one range of ports takes as many others; leave the port out to keep "
              + wish.service().name());
    }
    return moved;
  }

  private Target external(Hop last, Target target) throws RefusedChangeException {
    List<ServicePart> parts = target.parts;
    if (wish.service().parts() != target.parts) {
      parts = wish.service().parts(); // what inner devices moved need not be moved outside
    }
    if (wish.externalPorts() != null) {
      parts = movedOutside();
    }
    Interface outer = last.outer();
    Address chosen = wish.external();
    if (chosen != null) {
      return asked(last, chosen, parts, target);
    }
    List<Address> candidates = wish.whole() ? free(outer) : candidates(last, target);
    for (Address candidate : candidates) {
      if (taker(candidate, parts) == null && !isHidden(outer, candidate)) {
        return at(target, candidate, parts);
      }
    }
    throw none(last, parts);
  }

  private RefusedChangeException none(Hop last, List<ServicePart> parts) {
    Interface outer = last.outer();
    Address own = outer.address(Family.IPV4);
    if (own != null && isHidden(outer, own)) {
      return new RefusedChangeException(
          "the address of "
              + outer.name()
              + " is "
              + SpecialAddresses.kind(own)
              + ": nobody outside can reach it",
          "ask the carrier for a public address, or for a rule of its own that leads here");
    }
    if (wish.whole()) {
      return new RefusedChangeException(
          "no external address of " + last.device().name() + " is free",
          "leave the static rule out: a single port shares an address with others");
    }
    Holding taker = own == null ? null : taker(own, parts);
    int port = own == null ? -1 : freePort(own, parts);
    return new RefusedChangeException(
        (parts.isEmpty() ? "it" : text(parts))
            + " is taken on every external address"
            + (taker == null ? "" : ": on " + own + " by " + taker.who()),
        port < 0 ? "withdraw one of them" : "port " + port + " of " + own + " is free");
  }

  private int freePort(Address address, List<ServicePart> parts) {
    int first = parts.get(0).ports().first();
    for (int step = 0; step < 4096; step++) {
      // Near what people know: 8443 for 443, then upwards.
      int port =
          step == 0 && first < FIRST_FREE ? 8000 + first : Math.max(first, FIRST_FREE) + step;
      List<ServicePart> moved = moved(parts, port);
      if (moved != null && taker(address, moved) == null) {
        return port;
      }
    }
    return -1;
  }

  private Target asked(Hop last, Address chosen, List<ServicePart> parts, Target target)
      throws RefusedChangeException {
    Interface outer = last.outer();
    AddressSet here = AddressSet.ofAddresses(outer.addresses());
    boolean assigned = outer.assigned() == Assignment.BY_CARRIER;
    for (Block block : ledger.of(outer.network())) {
      boolean ours = block.via() == null ? !assigned : outer.addresses().contains(block.via());
      here = ours ? here.union(AddressSet.of(List.of(block.usable()))) : here;
    }
    if (!here.contains(chosen)) {
      throw new RefusedChangeException(
          chosen + " does not lead to " + outer.name() + " of " + last.device().name(),
          "the addresses that do are " + here);
    }
    Holding taker = wish.whole() ? whole(chosen) : taker(chosen, parts);
    if (taker != null) {
      int port = wish.whole() ? -1 : freePort(chosen, parts);
      boolean own = taker.kind() == Holding.Kind.OWN_SERVICE;
      List<Address> others = wish.whole() ? free(outer) : candidates(last, target);
      others.removeIf(each -> each.equals(chosen) || taker(each, parts) != null);
      throw new RefusedChangeException(
          (taker.services().isEmpty() ? chosen.toString() : text(parts) + " of " + chosen)
              + " is taken: "
              + taker.who()
              + (own ? "; to take it over would cut whoever manages the device" : ""),
          (port < 0 ? "" : "port " + port + " of it is free")
              + (others.isEmpty() ? "" : (port < 0 ? "" : "; ") + others.get(0) + " is free for it")
              + (port < 0 && others.isEmpty() ? "withdraw what has it" : ""));
    }
    return at(target, chosen, parts);
  }

  /** What keeps an address from being one host's as a whole. */
  private @Nullable Holding whole(Address address) {
    List<Holding> holders = ledger.at(address);
    return holders.isEmpty() ? null : holders.get(0);
  }

  /** How rules name an external address: as the interface's, if it has it. */
  private static External external(Interface outer, Address address) {
    return outer.addresses().contains(address) ? External.of(outer) : External.of(address);
  }

  private static boolean isHidden(Interface outer, Address address) {
    return !outer.network().carrier().isEmpty()
        && SpecialAddresses.NOT_ON_THE_INTERNET.contains(address);
  }

  /** External addresses in the order in which they are proposed. */
  private List<Address> candidates(Hop last, Target target) {
    Set<Address> candidates = new LinkedHashSet<>();
    for (InwardRule rule : last.device().inward()) {
      if (!rule.disabled()
          && rule.internalBlock().contains(target.address)
          && target.address.equals(wish.host().address(Family.IPV4))
          && rule.facing().names(last.outer())) {
        Prefix now = rule.block(Family.IPV4);
        if (now != null && now.length() == 32) {
          candidates.add(now.first()); // what outsiders know the host by already
        }
      }
    }
    candidates.addAll(last.outer().addresses());
    candidates.addAll(free(last.outer()));
    candidates.removeIf(address -> address.family() != Family.IPV4);
    return new ArrayList<>(candidates);
  }

  private List<Address> free(Interface outer) {
    List<Address> free = new ArrayList<>();
    for (Block block : ledger.of(outer.network())) {
      boolean ours =
          block.via() == null ? !block.assigned() : outer.addresses().contains(block.via());
      for (Block.Stretch stretch : block.stretches()) {
        AddressRange range = stretch.addresses();
        if (ours && stretch.isFree() && range.first().family() == Family.IPV4) {
          free.add(range.first());
        }
      }
    }
    return free;
  }

  // Rules.

  private void outermost(Hop last, Target target, Target external) throws RefusedChangeException {
    for (String insider : wish.hairpin()) {
      boolean known =
          last.device().interfaces().stream()
              .anyMatch(own -> own.name().equals(insider) || own.network().zone().equals(insider));
      if (!known) {
        throw new RefusedChangeException(
            "no interface or zone of " + last.device().name() + " is called '" + insider + "'",
            "there is " + String.join(", ", insiders(site, wish.host())));
      }
    }
    if (!wish.whole()) {
      rule(last, target, external);
      return;
    }
    access(last, target, external, null, true);
    External there = external(last.outer(), external.address);
    TranslationRule fixed =
        StaticRuleBuilder.builder()
            .name(name)
            .facing(InterfaceTerm.of(last.outer()))
            .external(there)
            .internal(AddressTerm.of(wish.host()))
            .internalBlock(Prefix.of(target.address))
            .hairpin(hairpin(last.device()))
            .place(Place.IN_CODE)
            .build();
    translate(last, fixed, there.text() + " is " + wish.host().name() + ", both ways");
  }

  /** Of the device, those insiders who may use the external address, too; null if none may. */
  private @Nullable Hairpin hairpin(Device device) {
    List<Interface> insiders = new ArrayList<>();
    for (String insider : wish.hairpin()) {
      for (Interface own : device.interfaces()) {
        if (own.name().equals(insider) || own.network().zone().equals(insider)) {
          insiders.add(own);
        }
      }
    }
    InterfaceTerm from =
        new InterfaceTerm(String.join(", ", wish.hairpin()), insiders, Place.IN_CODE);
    return insiders.isEmpty() ? null : new Hairpin(from, Hairpin.Source.DEVICE, Place.IN_CODE);
  }

  /** A destination rule, with what lets its packets in. */
  private void rule(Hop hop, Target target, Target external) throws RefusedChangeException {
    boolean outermost = hop.outer().isOutside();
    PortSet inside = inside(external, target);
    DestinationRuleBuilder rule =
        DestinationRuleBuilder.builder()
            .name(name)
            .facing(InterfaceTerm.of(hop.outer()))
            .external(external(hop.outer(), external.address))
            .services(List.of(external.service))
            .internal(target.term)
            .internalBlock(Prefix.of(target.address))
            .internalPorts(inside)
            .hairpin(outermost ? hairpin(hop.device()) : null)
            .place(Place.IN_CODE);
    access(hop, target, external, rule, outermost);
    translate(
        hop,
        rule.build(),
        "what comes to "
            + external.address
            + ", "
            + external.service.text()
            + ", goes to "
            + target.term.text()
            + (inside == null ? "" : " " + inside));
  }

  private void translate(Hop hop, TranslationRule added, String what) {
    Device device = hop.device();
    TranslationRule before = null;
    String where = "last of its translation rules";
    for (TranslationRule rule : device.translation()) {
      if (rule.outward() != null) {
        before = rule;
        where = "before '" + rule.name() + "', with the other rules for what arrives";
        break;
      }
    }
    boolean any = !device.inward().isEmpty();
    where += any ? ": none of them takes these packets" : "";
    steps.add(new Step(device.name(), what, where, new Change.Add(device, added, before)));
  }

  // Access.

  /**
   * Lets packets in at a device: by the lists that guard the way, else by the rule itself, else by
   * a list of its own.
   *
   * @param rule the translation rule that is planned, to which an admission can be added; null
   *     where there is none that could have one
   */
  private void access(
      Hop hop,
      Target target,
      Target external,
      @Nullable DestinationRuleBuilder rule,
      boolean outermost)
      throws RefusedChangeException {
    Device device = hop.device();
    List<AccessList> lists = new ArrayList<>();
    for (AccessList list : device.access()) {
      if (CompiledList.of(site, list).guards(hop.outer(), hop.inner())) {
        if (list.stateless()) {
          throw new RefusedChangeException(
              "list '" + list.name() + "' of " + device.name() + " keeps no state",
              "its rules for both directions have to be written by hand (" + list.place() + ")");
        }
        lists.add(list);
      }
    }
    List<AddressTerm> who = new ArrayList<>(wish.from());
    boolean hairpins = !wish.hairpin().isEmpty() && !wish.whole();
    if (hairpins && !fromAnybody()) {
      who.addAll(outermost ? insiders(device) : hairpinned());
    }
    boolean open =
        device.stance().actionFor(hop.outer().network().zone(), hop.inner().network().zone())
            == Action.ACCEPT;
    if (rule != null && (lists.isEmpty() || (hairpins && outermost))) {
      if (open && lists.isEmpty() && fromAnybody() && wish.when() == null) {
        steps.add(new Step(device.name(), "its stance lets it in already", "", null));
        return;
      }
      boolean log = wish.log() && outermost;
      rule.admit(new Admission(who, wish.when(), log, Place.IN_CODE));
      return;
    }
    Target seen = device.seesOriginal() ? external : target;
    AccessRule access =
        AccessRule.called(Action.ACCEPT, name)
            .from(fromAnybody() ? List.of() : who)
            .to(List.of(device.seesOriginal() ? AddressTerm.of(external.address) : target.term))
            .services(List.of(seen.service))
            .when(wish.when())
            .log(wish.log() && outermost)
            .build();
    if (lists.isEmpty() && !(open && fromAnybody() && wish.when() == null)) {
      AccessList list =
          AccessList.between(
              hop.outer(),
              hop.inner(),
              hop.outer().name() + " to " + hop.inner().name(),
              access,
              open ? Action.ACCEPT : Action.DROP);
      steps.add(
          new Step(
              device.name(),
              "a list guards the way from "
                  + hop.outer().name()
                  + " to "
                  + hop.inner().name()
                  + " and lets it in",
              "",
              new Change.Add(device, list, null)));
    }
    for (AccessList list : lists) {
      accept(device, list, seen, access);
    }
  }

  /** The insiders who may use the external address, too, as an access rule names them. */
  private List<AddressTerm> insiders(Device device) {
    List<AddressTerm> all = new ArrayList<>();
    for (String insider : wish.hairpin()) {
      if (site.zones().contains(insider)) {
        all.add(new AddressTerm(AddressTerm.Kind.ZONE, insider, AddressSet.NONE, Place.IN_CODE));
        continue;
      }
      for (Interface own : device.interfaces()) {
        if (own.name().equals(insider)) {
          all.add(AddressTerm.of(own.network()));
        }
      }
    }
    return all;
  }

  /** The addresses that hairpinned packets bear on their way to inner devices. */
  private List<AddressTerm> hairpinned() throws RefusedChangeException {
    List<Hop> hops = WayOut.of(site, wish.host(), outsider());
    List<AddressTerm> all = new ArrayList<>();
    hops.get(hops.size() - 1).inner().addresses().stream()
        .filter(address -> address.family() == Family.IPV4)
        .forEach(address -> all.add(AddressTerm.of(address)));
    return all;
  }

  private void accept(Device device, AccessList list, Target seen, AccessRule added) {
    AccessRule before = null;
    String where = list.rules().isEmpty() ? "" : "last: no rule before it drops what it lets in";
    for (AccessRule rule : list.rules()) {
      boolean plain = rule.when() == null && rule.sourcePorts() == null && !rule.disabled();
      if (rule.disabled() || !meets(rule, seen)) {
        continue;
      }
      boolean all = plain && takesAll(rule, seen);
      if (all && rule.action() == Action.ACCEPT) {
        steps.add(
            new Step(
                device.name(),
                "list '" + list.name() + "' lets it in already, by '" + rule.name() + "'",
                "",
                null));
        return;
      }
      if (rule.action() != Action.ACCEPT && before == null) {
        before = all ? rule : null;
        where =
            all
                ? "before '" + rule.name() + "', which would " + rule.action() + " all of it"
                : "behind '" + rule.name() + "', which keeps some of them out";
      }
    }
    steps.add(
        new Step(
            device.name(),
            "list '" + list.name() + "' lets it in",
            where,
            new Change.Add(list, added, before)));
  }

  private AddressSet all(List<AddressTerm> terms) {
    return terms.isEmpty() ? AddressSet.ALL : site.addresses(terms);
  }

  private boolean meets(AccessRule rule, Target seen) {
    boolean service = rule.services().isEmpty();
    for (ServiceTerm term : rule.services()) {
      for (ServicePart part : seen.parts) {
        service |= term.service().parts().stream().anyMatch(part::overlaps);
      }
    }
    return service && all(rule.to()).contains(seen.address) && all(rule.from()).intersects(from);
  }

  private boolean takesAll(AccessRule rule, Target seen) {
    boolean services = true;
    for (ServicePart part : seen.parts) {
      boolean covered = rule.services().isEmpty();
      for (ServiceTerm term : rule.services()) {
        covered |= term.service().parts().stream().anyMatch(own -> own.covers(part));
      }
      services &= covered;
    }
    return services && from.intersection(all(rule.from()).complement()).isEmpty();
  }

  // Proofs.

  private List<Proof> proofs(Target external, Address outsider) {
    List<Proof> proofs = new ArrayList<>();
    Address to = external.address;
    ZonedDateTime open = wish.when() == null ? null : moment(/* inside= */ true);
    Set<Probe> all = new LinkedHashSet<>(); // a ping is a part of both families, and one probe
    for (ServicePart part : external.parts) {
      all.add(
          Icmp.isEchoRequest(part.icmpType())
              ? Probe.ping(Family.IPV4)
              : Probe.of(
                  part.protocol(), Protocol.hasPorts(part.protocol()) ? part.ports().first() : 0));
    }
    List<Probe> probes = List.copyOf(all);
    String host = wish.host().name();
    for (Probe probe : probes.subList(0, Math.min(4, probes.size()))) {
      proofs.add(
          new Proof(called(outsider), to, probe, open, host, "who may use it reaches " + host));
    }
    Probe probe = probes.get(0);
    Address stranger = stranger();
    if (stranger != null) {
      proofs.add(new Proof(called(stranger), to, probe, open, null, "others do not"));
    }
    if (wish.when() != null) {
      ZonedDateTime shut = moment(/* inside= */ false);
      if (shut != null) {
        proofs.add(
            new Proof(
                called(outsider), to, probe, shut, null, "not outside " + wish.when().name()));
      }
    }
    for (String insider : wish.hairpin()) {
      String client = insider(insider);
      if (client != null) {
        proofs.add(new Proof(client, to, probe, open, host, "insiders by the external address"));
      }
    }
    return proofs;
  }

  private String called(Address address) {
    Host host = site.hostAt(address);
    return host == null ? address.toString() : host.name();
  }

  /** Somebody outside who may not use it; null if everybody may. */
  private @Nullable Address stranger() {
    return Outside.somebody(site, Outside.senders(site).intersection(from.complement()));
  }

  /** A host on the networks of a zone or interface, or an address there; null if there is none. */
  private @Nullable String insider(String where) {
    for (Network network : site.networks().values()) {
      if (!network.zone().equals(where) && !network.name().equals(networkAt(where))) {
        continue;
      }
      for (Host each : site.hosts().values()) {
        if (each.isOn(network) && !each.off() && !each.name().equals(wish.host().name())) {
          return each.name();
        }
      }
      Address free = network.prefixes().get(0).usable().first();
      while (free != null && (site.deviceAt(free) != null || site.hostAt(free) != null)) {
        free = free.next();
      }
      return free == null || network.prefixOf(free) == null ? null : free.toString();
    }
    return null;
  }

  private @Nullable String networkAt(String side) {
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (own.name().equals(side) && !own.isOutside()) {
          return own.network().name();
        }
      }
    }
    return null;
  }

  private @Nullable ZonedDateTime moment(boolean inside) {
    if (wish.when() == null) {
      return null;
    }
    ZonedDateTime usual = VirtualClock.start(site.timeZone());
    List<ZonedDateTime> likely = new ArrayList<>(List.of(usual));
    if (!inside) {
      for (int days : new int[] {6, 5, 0}) { // the weekend, and then the night
        likely.add(usual.plusDays(days).withHour(10));
        likely.add(usual.plusDays(days).withHour(23));
      }
    }
    for (ZonedDateTime moment : likely) {
      if (wish.when().covers(moment) == inside) {
        return moment;
      }
    }
    Times times = new Times(List.of(wish.when()), usual);
    BitSet covered = times.covered(wish.when());
    int number = inside ? covered.nextSetBit(0) : covered.nextClearBit(0);
    return number < 0 || number > 1 ? null : times.moment(number);
  }
}
