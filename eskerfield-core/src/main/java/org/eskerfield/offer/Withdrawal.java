// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.function.Predicate;
import org.eskerfield.change.Change;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.offer.OutwardPath.Hop;
import org.eskerfield.offer.Plan.Proof;
import org.eskerfield.offer.Plan.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.program.CompiledList;
import org.eskerfield.set.PacketWords;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Probe;
import org.jspecify.annotations.Nullable;

/**
 * Plans to take an offer away again.
 *
 * <p>Idea: find the rules that lead to the host's service, then those of other devices that lead to
 * what these expect, and so on outwards; with them goes each access rule that lets in nothing else.
 */
public final class Withdrawal {
  /** An address and ports that rules may lead to. */
  private record Target(Address address, List<ServicePart> parts) {}

  private record Found(Device device, InwardRule rule, Target target) {}

  private final Site site;
  private final Host host;
  private final Family family;
  private final List<ServicePart> parts;
  private final List<Found> found = new ArrayList<>();
  private final Set<AccessRule> removed = new LinkedHashSet<>();
  private final List<Step> steps = new ArrayList<>();
  private final List<Proof> proofs = new ArrayList<>();

  /** Those of whom an offer says that they are not let in. */
  private final Set<String> denied = new LinkedHashSet<>();

  private Withdrawal(Site site, Host host, Family family, Service service) {
    this.site = site;
    this.host = host;
    this.family = family;
    this.parts = service.parts();
  }

  /**
   * Plans a withdrawal.
   *
   * @param family over which family; over the other one it stays offered
   * @throws RefusedChangeException if nothing offers it, or not it alone
   */
  public static Plan plan(Site site, Host host, Family family, Service service)
      throws RefusedChangeException {
    return new Withdrawal(site, host, family, service).plan(service);
  }

  /** The services of a host that rules offer, as the host sees them; empty if none. */
  public static List<List<ServicePart>> offered(Site site, Host host) {
    List<List<ServicePart>> all = new ArrayList<>();
    for (Device device : site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        if (host.addresses().stream().anyMatch(rule.internalBlock()::contains)) {
          List<ServicePart> inside = Standing.inside(rule);
          if (!inside.isEmpty()) {
            all.add(inside);
          }
        }
      }
    }
    return all;
  }

  private Plan plan(Service service) throws RefusedChangeException {
    for (Address address : host.addresses()) {
      if (address.family() == family) {
        find(new Target(address, parts));
        untranslated(address);
      }
    }
    if (found.isEmpty() && removed.isEmpty()) {
      List<String> others = new ArrayList<>();
      offered(site, host)
          .forEach(each -> others.add(each.stream().map(Object::toString).toList().toString()));
      throw new RefusedChangeException(
          "no rule offers " + service.name() + " of " + host.name() + " over " + family,
          others.isEmpty()
              ? "nothing of " + host.name() + " is offered"
              : "what is offered: " + String.join(", ", others));
    }
    List<Step> rules = new ArrayList<>();
    for (Found each : found) {
      access(each);
    }
    for (Found each : found) {
      boolean his = each.rule.internalBlock().equals(Prefix.of(each.target.address));
      if (!his || (each.rule.services().isEmpty() && !isLast(each))) {
        continue; // other hosts use it, or the address stays his: other services are let in
      }
      rules.add(
          new Step(
              each.device.name(),
              Labels.of(each.rule) + " is removed",
              "",
              new Change.Remove(each.rule)));
    }
    emptied();
    steps.addAll(0, rules);
    names();
    return new Plan(steps, proofs(), AddressSet.ALL, List.of(), denied);
  }

  private void find(Target target) throws RefusedChangeException {
    for (Device device : site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        boolean known = found.stream().anyMatch(each -> each.rule.equals(rule));
        if (known
            || rule.isStateless()
            || !rule.internalBlock().contains(target.address)
            || !leadsTo(rule, target)) {
          continue; // a prefix rule offers nothing by itself, and is everybody's
        }
        Prefix external = rule.block(Family.IPV4);
        found.add(new Found(device, rule, target));
        if (external != null && external.length() == Family.IPV4.bits()) {
          List<ServicePart> outside = new ArrayList<>();
          rule.services().forEach(term -> outside.addAll(term.service().parts()));
          find(new Target(external.first(), outside.isEmpty() ? target.parts : outside));
        }
      }
    }
  }

  private boolean leadsTo(InwardRule rule, Target target) throws RefusedChangeException {
    List<ServicePart> inside = Standing.inside(rule);
    if (inside.isEmpty()) {
      return true;
    }
    boolean some = false;
    boolean all = true;
    for (ServicePart own : inside) {
      boolean meets = target.parts.stream().anyMatch(own::overlaps);
      some |= meets;
      all &= target.parts.stream().anyMatch(part -> part.covers(own));
    }
    if (some && !all) {
      throw new RefusedChangeException(
          Labels.of(rule) + " offers more than that at once: " + inside,
          "withdraw all of it, or take a part of the rule away by hand (" + rule.place() + ")");
    }
    return some;
  }

  // Access rules.

  /**
   * What lets senders in to an address of the host as it is: those of the internet over IPv6 or to
   * a block that is routed here, else those of other networks; where it ends, that is proved.
   */
  private void untranslated(Address address) throws RefusedChangeException {
    for (OfferWay way : fromInternet()) {
      if (!way.isTranslated()) {
        untranslated(way, address);
      }
    }
    if (!found.isEmpty()) {
      return;
    }
    AddressSet shut = AddressSet.NONE; // whom another device lets in for nothing from now on
    for (AccessRule rule : removed) {
      shut = shut.union(site.matched(rule.from()));
    }
    AddressSet from = removed.isEmpty() ? AddressSet.ALL : shut;
    Set<AccessRule> before = Set.copyOf(removed);
    for (OfferWay way : OfferWay.inner(site, host, family, from)) {
      if (!way.isTranslated()
          && (before.isEmpty() || before.stream().anyMatch(rule -> way.passes(site, rule)))) {
        untranslated(way, address);
      }
    }
  }

  private void untranslated(OfferWay way, Address address) throws RefusedChangeException {
    int before = removed.size();
    Address at = address;
    for (Hop hop : way.hops()) {
      Address outside = UntranslatedOffer.external(hop, at);
      Address seen = hop.device().seesOriginal() && outside != null ? outside : at;
      access(hop, new Target(seen, parts));
      at = outside == null ? at : outside;
    }
    if (removed.size() == before) {
      return;
    }
    AddressSet from = AddressSet.NONE;
    for (AccessRule rule : List.copyOf(removed).subList(before, removed.size())) {
      from = from.union(site.matched(rule.from()));
    }
    Hop by = way.outermost();
    boolean outer = by.outer().isOutside();
    deny(from, at, outer, hop -> hop.leaves(by.device(), by.outer()));
    if (outer) {
      prove(way.sender(), at, parts);
      return;
    }
    for (OfferWay each : OfferWay.inner(site, host, family, from)) {
      if (each.hops().equals(way.hops())) {
        prove(each.sender(), at, parts);
      }
    }
  }

  /** What the lists of a rule's device see of its packets. */
  private static Target seen(Found each) {
    Prefix external = each.rule.block(Family.IPV4);
    if (!each.device.seesOriginal() || external == null) {
      return each.target;
    }
    List<ServicePart> outside = new ArrayList<>();
    each.rule.services().forEach(term -> outside.addAll(term.service().parts()));
    return new Target(external.first(), outside.isEmpty() ? each.target.parts : outside);
  }

  private void access(Found each) throws RefusedChangeException {
    Target seen = seen(each);
    for (Hop hop : hops()) {
      boolean own = hop.device().name().equals(each.device.name());
      // Behind a device that translates, others pass the same packets on as they are.
      if (own || found.stream().noneMatch(other -> other.device.equals(hop.device()))) {
        access(hop, own ? seen : each.target);
      }
    }
  }

  /** The hops of those who come by the rules that are found. */
  private Set<Hop> hops() {
    Set<Hop> hops = new LinkedHashSet<>();
    fromInternet().forEach(way -> hops.addAll(way.hops()));
    for (OfferWay way : OfferWay.inner(site, host, family, AddressSet.ALL)) {
      for (Found each : found) {
        if (way.hops().stream().anyMatch(hop -> hop.isFaced(each.device, each.rule))) {
          hops.addAll(way.hops());
        }
      }
    }
    return hops;
  }

  /** The way of somebody on the internet; empty if there is none. */
  private List<OfferWay> fromInternet() {
    try {
      AddressSet outside = OfferWay.outsiders(site, family);
      Address stranger = Outside.stranger(site, family);
      Address outsider =
          stranger != null && outside.contains(stranger)
              ? stranger
              : Outside.somebody(site, outside);
      return outsider == null ? List.of() : List.of(OfferWay.outside(site, host, outsider));
    } catch (RefusedChangeException e) {
      return List.of(); // no way out: nothing but the rules themselves is to be found
    }
  }

  private void access(Hop hop, Target seen) throws RefusedChangeException {
    for (AccessList list : hop.device().access()) {
      if (CompiledList.of(site, list).guards(hop.outer(), hop.inner())) {
        access(hop, list, seen);
      }
    }
  }

  private void access(Hop hop, AccessList list, Target seen) throws RefusedChangeException {
    AddressSet only = AddressSet.of(seen.address);
    for (AccessRule rule : list.rules()) {
      AddressSet to = site.addresses(rule.to());
      AddressSet otherwise = to.intersection(AddressSet.all(family).complement());
      AddressSet his = AddressSet.ofAddresses(host.addresses());
      boolean here =
          rule.action() == Action.ACCEPT
              && !rule.to().isEmpty()
              && !rule.services().isEmpty()
              && to.contains(seen.address)
              && to.intersection(AddressSet.all(family)).union(only).equals(only)
              && otherwise.union(his).equals(his)
              && site.matched(rule.from()).intersects(AddressSet.all(family));
      List<ServiceTerm> kept = new ArrayList<>();
      int withdrawn = 0;
      for (ServiceTerm term : rule.services()) {
        boolean all =
            term.service().parts().stream()
                .allMatch(own -> seen.parts.stream().anyMatch(part -> part.covers(own)));
        if (all) {
          withdrawn++;
        } else {
          kept.add(term);
        }
      }
      if (!here || withdrawn == 0 || removed.contains(rule)) {
        continue;
      }
      removed.add(rule);
      String in = Labels.of(rule) + " of list '" + list.name() + "'";
      if (!otherwise.isEmpty()
          && hop.outer().address(otherwise.ranges().get(0).first().family()) != null) {
        steps.add(narrowed(hop.device(), rule, in, kept, otherwise));
        continue;
      }
      steps.add(
          kept.isEmpty()
              ? new Step(hop.device().name(), in + " is removed", "", new Change.Remove(rule))
              : new Step(
                  hop.device().name(),
                  in
                      + " lets in only "
                      + String.join(", ", kept.stream().map(ServiceTerm::text).toList())
                      + " from now on",
                  "",
                  new Change.Alter(rule, rule.withServices(kept))));
    }
  }

  /** A rule that is for the other family of the host from now on. */
  private Step narrowed(
      Device device, AccessRule rule, String in, List<ServiceTerm> kept, AddressSet otherwise)
      throws RefusedChangeException {
    if (!kept.isEmpty()) {
      throw new RefusedChangeException(
          in + " is for both families of " + host.name() + " and for other services, too",
          "write a rule for each of them first (" + rule.place() + ")");
    }
    List<AddressTerm> there =
        otherwise.ranges().stream().map(range -> AddressTerm.of(range.first())).toList();
    return new Step(
        device.name(),
        in + " is only for " + PacketWords.addresses(otherwise) + " from now on",
        "",
        new Change.Alter(rule, rule.withTo(there)));
  }

  /** A list of which nothing is left goes, where the stance does the same without it. */
  private void emptied() {
    for (Device device : site.devices().values()) {
      for (AccessList list : device.access()) {
        List<Step> own = new ArrayList<>();
        for (Step step : steps) {
          Change change = step.change();
          if (change instanceof Change.Remove && list.rules().contains(change.object())) {
            own.add(step);
          }
        }
        if (!own.isEmpty() && own.size() == list.rules().size() && isAsStance(device, list)) {
          steps.removeAll(own);
          steps.add(
              new Step(
                  device.name(),
                  "list '"
                      + list.name()
                      + "' is removed with all its rules: the stance does the same",
                  "",
                  new Change.Remove(list)));
        }
      }
    }
  }

  private static boolean isAsStance(Device device, AccessList list) {
    for (AccessList.Guard guard : list.guards()) {
      if (guard.toDevice() || guard.arriving() == null || guard.leaving() == null) {
        return false;
      }
      for (Interface in : guard.arriving().interfaces()) {
        for (Interface out : guard.leaving().interfaces()) {
          Action stance = device.stance().actionFor(in.network().zone(), out.network().zone());
          if (stance != list.otherwise()) {
            return false;
          }
        }
      }
    }
    return !list.stateless() && !list.logsOtherwise();
  }

  /** Whether nothing else is let in to what a rule for every service leads to. */
  private boolean isLast(Found each) {
    Target seen = seen(each);
    for (AccessList list : each.device.access()) {
      for (AccessRule rule : list.rules()) {
        boolean lets = rule.action() == Action.ACCEPT && !rule.disabled();
        AddressSet to = site.matched(rule.to());
        if (lets && !removed.contains(rule) && to.contains(seen.address)) {
          return false;
        }
      }
    }
    return true;
  }

  // Names.

  /** Names that lead nowhere any more: those of an external address that nothing else uses. */
  private void names() {
    for (DomainName name : site.names().values()) {
      List<Address> all = new ArrayList<>();
      boolean follows = false;
      for (DomainName.Answer answer : name.answers()) {
        all.addAll(answer.addresses());
        follows |= answer.follows() != null;
      }
      boolean unused = !all.isEmpty() && !follows;
      for (Address address : all) {
        unused &= isFree(address);
      }
      if (unused) {
        steps.add(
            new Step(
                "",
                "name " + name.name() + " is removed, since nothing uses its address any more",
                "",
                new Change.Remove(name)));
      }
    }
  }

  private boolean isFree(Address address) {
    boolean ours = false;
    for (Device device : site.devices().values()) {
      for (TranslationRule rule : device.translation()) {
        Prefix external = rule.block(Family.IPV4);
        if (external != null && external.contains(address)) {
          boolean goes =
              steps.stream().anyMatch(step -> new Change.Remove(rule).equals(step.change()));
          if (!goes) {
            return false;
          }
          ours = true;
        }
      }
    }
    return ours && site.hostAt(address) == null && site.deviceAt(address) == null;
  }

  private List<Proof> proofs() {
    for (Found each : found) {
      Prefix external = each.rule.block(Family.IPV4);
      Address sender = sender(each);
      if (external == null || sender == null) {
        continue;
      }
      List<ServicePart> outside = new ArrayList<>();
      each.rule.services().forEach(term -> outside.addAll(term.service().parts()));
      prove(sender, external.first(), outside.isEmpty() ? each.target.parts : outside);
      deny(
          admitted(each),
          external.first(),
          each.rule.facing().interfaces().stream().anyMatch(Interface::isOutside),
          hop -> hop.isFaced(each.device, each.rule));
    }
    return proofs;
  }

  private void deny(AddressSet from, Address external, boolean outside, Predicate<Hop> entrance) {
    OfferWay.Meant meant = new OfferWay.Meant(host, family, from, external);
    Address stranger = OfferWay.stranger(site, meant, outside, entrance);
    if (stranger != null) {
      denied.add(site.hostOrUnnamed(stranger).name());
    }
  }

  private void prove(Address sender, Address to, List<ServicePart> services) {
    for (ServicePart part : services) {
      Probe probe = Probe.of(part, family);
      proofs.add(
          new Proof(
              site.hostOrUnnamed(sender).name(),
              to,
              probe,
              null,
              null,
              "nobody reaches " + host.name() + " by it any more"));
    }
  }

  /** Somebody who was let in so far, as far as the rule says; null if it is no outermost rule. */
  private @Nullable Address sender(Found each) {
    AddressSet from = admitted(each);
    if (each.rule.facing().interfaces().stream().anyMatch(Interface::isOutside)) {
      AddressSet outside = OfferWay.outsiders(site, family).intersection(from);
      return Outside.somebody(site, outside.isEmpty() ? from : outside);
    }
    for (OfferWay way : OfferWay.inner(site, host, family, from)) {
      if (way.outermost().isFaced(each.device, each.rule)) {
        return way.sender();
      }
    }
    return null;
  }

  /** Whom a rule and its access rules let in. */
  private AddressSet admitted(Found each) {
    AddressSet from =
        each.rule.admit() != null
            ? site.addresses(each.rule.admit().from())
            : site.matched(each.rule.from());
    for (AccessRule rule : removed) {
      from = rule.from().isEmpty() ? from : site.addresses(rule.from());
    }
    return from;
  }
}
