// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.DestinationRuleBuilder;
import org.eskerfield.model.Device;
import org.eskerfield.model.External;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Place;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.StaticRuleBuilder;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.offer.OutwardPath.Hop;
import org.eskerfield.offer.Plan.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.trace.Labels;
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
  private final Site site;
  private final Wish wish;
  private final ExternalChoice choice;
  private final AddressSet from;
  private final String name;
  private final List<Step> steps = new ArrayList<>();

  /** Whether nothing is to be led anywhere anew, and only who may use it is asked. */
  private boolean again;

  /** The way through the device whose external address is used; null where none translates. */
  private @Nullable Hop outer;

  private Offer(Site site, Wish wish) {
    this.site = site;
    this.wish = wish;
    this.choice = new ExternalChoice(site, wish);
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
    listening(wish);
    Address address = wish.host().address(wish.family());
    if (address == null) {
      throw new RefusedChangeException(
          wish.host().name() + " has no " + wish.family() + " address",
          "offer it at one that it has: " + wish.host().addresses());
    }
    OfferWay way = OfferWay.of(site, wish);
    if (!way.outermost().outer().isOutside()) {
      return new Offer(site, wish).plan(way, address);
    }
    List<Step> before = new ArrayList<>();
    Offer outside = new Offer(site, new NamedInsiders(site, wish, address).apart(before));
    outside.steps.addAll(before);
    return outside.plan(way, address);
  }

  /** The interfaces and zones from which insiders could use an external address, too. */
  public static List<String> insiders(Site site, Host host) {
    try {
      List<Hop> hops = OutwardPath.of(site, host, Address.ipv4(192, 0, 2, 1));
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

  private Plan plan(OfferWay way, Address address) throws RefusedChangeException {
    Target target = Target.of(wish, address);
    if (!way.isTranslated()) {
      again = way.outermost().outer().isOutside(); // of insiders, a rule may be for others as well
      return planned(way, new UntranslatedOffer(this, wish).letIn(way, target), meant(way));
    }
    List<Hop> hops = way.hops();
    Hop last = way.outermost();
    outer = last;
    choice.movedOutside();
    insidersKnown(last);
    again = isOffered(way, target);
    for (int i = 0; i < way.translating(); i++) {
      target = inner(hops.get(i), hops.get(i + 1), target);
    }
    Standing standing = again ? Standing.of(last, target, wish) : null;
    Target external = standing != null ? standing.external() : choice.external(last, target);
    if (standing != null) {
      access(last, target, external, null, standing, true);
      stands(last, standing);
    } else {
      outermost(last, target, external);
    }
    for (Hop beyond : hops.subList(way.translating() + 1, hops.size())) {
      access(beyond, external, external, null, null, false);
    }
    return planned(way, external, meant(way).union(site.addresses(insiders(last.device()))));
  }

  /** Who is meant to notice it: those who may use it, and outsiders who might so far. */
  private AddressSet meant(OfferWay way) {
    boolean outside = way.outermost().outer().isOutside();
    return again && outside ? from.union(OfferWay.outsiders(site, wish.family())) : from;
  }

  private Plan planned(OfferWay way, Target external, AddressSet meant) {
    Collections.reverse(steps);
    return new Plan(
        steps,
        new OfferProofs(site, wish, from).of(external, way),
        meant,
        wish.whole() ? List.of() : external.parts(),
        Set.of());
  }

  private void insidersKnown(Hop last) throws RefusedChangeException {
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
  }

  /** Whether rules of all devices on the way lead there already, as it is asked for. */
  private boolean isOffered(OfferWay way, Target target) {
    Target at = target;
    for (int i = 0; i <= way.translating(); i++) {
      Hop hop = way.hops().get(i);
      boolean outermost = i == way.translating();
      Standing standing = Standing.of(hop, at, outermost ? wish : null);
      if (standing != null) {
        at = standing.external();
      } else if (outermost || !OfferWay.knows(site, way.hops().get(i + 1), at.address())) {
        return false;
      }
    }
    return true;
  }

  private boolean isOutermost(Hop hop) {
    return outer != null && outer.device().name().equals(hop.device().name());
  }

  private static void listening(Wish wish) throws RefusedChangeException {
    Host host = wish.host();
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

  // A device on the way that is not the last.

  private Target inner(Hop hop, Hop next, Target target) throws RefusedChangeException {
    Standing standing = Standing.of(hop, target, null);
    if (standing != null && (again || !isUsed(next, standing))) {
      access(hop, target, standing.external(), null, standing, false);
      stands(hop, standing);
      return standing.external();
    }
    boolean known =
        OfferWay.knows(site, next, target.address()) && !hop.outer().addresses().isEmpty();
    boolean translates =
        hop.device().inward().stream()
            .anyMatch(rule -> !rule.disabled() && rule.facing().names(hop.outer()));
    if (known && (wish.whole() || again || !translates)) {
      access(hop, target, target, null, null, false);
      return target;
    }
    if (wish.whole()) {
      throw new RefusedChangeException(
          next.device().name()
              + " has no route to "
              + target.address()
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
    List<Integer> wanted = new ArrayList<>(List.of(target.parts().get(0).ports().first()));
    if (wish.externalPorts() != null) {
      wanted.add(wish.externalPorts().first());
    }
    for (int port = ExternalChoice.FIRST_FREE; port < ExternalChoice.FIRST_FREE + 4096; port++) {
      wanted.add(port);
    }
    for (int port : wanted) {
      List<ServicePart> parts =
          port == target.parts().get(0).ports().first()
              ? target.parts()
              : Target.moved(target.parts(), port);
      if (parts != null && choice.taker(own, parts) == null) {
        Target external = Target.at(target, own, parts);
        rule(hop, target, external);
        return external;
      }
    }
    throw new RefusedChangeException(
        "no port of " + own + " of " + hop.device().name() + " is free for this",
        "withdraw what uses it: eskerfield ledger SITE --ports " + own);
  }

  /**
   * Whether others come by a rule that is there already, as the next device outwards leads them.
   */
  private static boolean isUsed(Hop next, Standing standing) {
    return next.device().inward().stream()
        .anyMatch(
            rule ->
                !rule.disabled() && rule.internalBlock().contains(standing.external().address()));
  }

  // Rules.

  private void outermost(Hop last, Target target, Target external) throws RefusedChangeException {
    if (!wish.whole()) {
      rule(last, target, external);
      return;
    }
    access(last, target, external, null, null, true);
    External there = ExternalChoice.external(last.outer(), external.address());
    TranslationRule fixed =
        StaticRuleBuilder.builder()
            .name(name)
            .facing(InterfaceTerm.of(last.outer()))
            .external(there)
            .internal(AddressTerm.of(wish.host()))
            .internalBlock(Prefix.of(target.address()))
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
    boolean outermost = isOutermost(hop);
    PortSet inside = Target.inside(external, target);
    DestinationRuleBuilder rule =
        DestinationRuleBuilder.builder()
            .name(name)
            .facing(InterfaceTerm.of(hop.outer()))
            .external(ExternalChoice.external(hop.outer(), external.address()))
            .services(List.of(external.service()))
            .internal(target.term())
            .internalBlock(Prefix.of(target.address()))
            .internalPorts(inside)
            .hairpin(outermost ? hairpin(hop.device()) : null)
            .place(Place.IN_CODE);
    access(hop, target, external, rule, null, outermost);
    translate(
        hop,
        rule.build(),
        "packets for "
            + external.address()
            + ", "
            + external.service().text()
            + ", go to "
            + target.term().text()
            + (inside == null ? "" : " " + inside));
  }

  /** Says that a rule is there already; where insiders shall use it as well, it lets them. */
  private void stands(Hop hop, Standing standing) {
    InwardRule rule = standing.rule();
    Hairpin wished = isOutermost(hop) ? hairpin(hop.device()) : null;
    boolean same = wished == null || rule.hairpin() != null;
    steps.add(
        new Step(
            hop.device().name(),
            Labels.of(rule) + " leads there already" + (same ? "" : ", and now insiders as well"),
            "",
            same ? null : new Change.Alter(rule, rule.hairpinning(wished))));
  }

  private void translate(Hop hop, TranslationRule added, String what) {
    Device device = hop.device();
    TranslationRule before = null;
    String where = "last of the translation rules";
    for (TranslationRule rule : device.translation()) {
      if (rule.outward() != null) {
        before = rule;
        where = "before '" + rule.name() + "', behind the other rules for arriving packets";
        break;
      }
    }
    boolean any = !device.inward().isEmpty();
    where += any ? ": none of them matches these packets" : "";
    steps.add(new Step(device.name(), what, where, new Change.Add(device, added, before)));
  }

  // Access.

  /**
   * Lets packets in at a device.
   *
   * @param rule the translation rule that is planned, to which an admission can be added; null
   *     where there is none that could have one
   * @param standing the rule that is there already; null if none is
   */
  void access(
      Hop hop,
      Target target,
      Target external,
      @Nullable DestinationRuleBuilder rule,
      @Nullable Standing standing,
      boolean outermost)
      throws RefusedChangeException {
    List<AddressTerm> who = new ArrayList<>(wish.from());
    boolean hairpins = !wish.hairpin().isEmpty() && !wish.whole();
    if (!wish.isForAnybody() && hairpins) {
      who.addAll(outermost ? insiders(hop.device()) : hairpinned());
    } else if (!wish.isForAnybody() && standing != null) {
      who.addAll(insidersLetIn(standing.rule()));
    }
    LettingIn letting = new LettingIn(site, wish, hop, standing != null || again);
    if (rule != null && (letting.isUnguarded() || (hairpins && outermost))) {
      letting.admit(rule, who);
    } else {
      letting.accept(target, external, standing, who, name);
    }
    steps.addAll(letting.steps());
  }

  /** The insiders who are let in by the rule itself to use its external address, too. */
  private List<AddressTerm> insidersLetIn(InwardRule rule) {
    List<AddressTerm> insiders = new ArrayList<>();
    AddressSet outside = Outside.senders(site);
    for (AddressTerm term :
        rule.hairpin() == null || rule.admit() == null
            ? List.<AddressTerm>of()
            : rule.admit().from()) {
      AddressSet own = site.addresses(List.of(term));
      if (!own.intersects(outside) && own.intersects(from.complement())) {
        insiders.add(term);
      }
    }
    return insiders;
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
  private List<AddressTerm> hairpinned() {
    List<AddressTerm> all = new ArrayList<>();
    Objects.requireNonNull(outer).inner().addresses().stream()
        .filter(address -> address.family() == Family.IPV4)
        .forEach(address -> all.add(AddressTerm.of(address)));
    return all;
  }
}
