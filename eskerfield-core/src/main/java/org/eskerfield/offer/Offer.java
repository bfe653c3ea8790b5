// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
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
import org.eskerfield.program.CompiledList;
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

  /** Whether it is offered already, and only who may use it is asked anew. */
  private boolean again;

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
    return new Offer(site, wish).plan();
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

  private Plan plan() throws RefusedChangeException {
    Host host = wish.host();
    listening(host);
    Address address = host.address(wish.family());
    if (address == null) {
      throw new RefusedChangeException(
          host.name() + " has no " + wish.family() + " address",
          "offer it at one that it has: " + host.addresses());
    }
    Address outsider = outsider();
    List<Hop> hops = OutwardPath.of(site, host, outsider);
    Target target =
        new Target(
            address,
            AddressTerm.of(host),
            wish.service().parts(),
            new ServiceTerm(wish.service(), Place.IN_CODE));
    if (wish.family() == Family.IPV6) {
      Target there = new UntranslatedOffer(this, wish).letIn(hops, target);
      return planned(there, outsider, from);
    }
    choice.movedOutside();
    insidersKnown(hops.get(hops.size() - 1));
    again = isOffered(hops, target);
    for (int i = 0; i < hops.size() - 1; i++) {
      target = inner(hops.get(i), hops.get(i + 1), target);
    }
    Hop last = hops.get(hops.size() - 1);
    Standing standing = again ? Standing.of(last, target, wish) : null;
    Target external = standing != null ? standing.external() : choice.external(last, target);
    if (standing != null) {
      access(last, target, external, null, standing, true);
      stands(last, standing);
    } else {
      outermost(last, target, external);
    }
    return planned(
        external,
        outsider,
        standing != null ? AddressSet.ALL : from.union(site.addresses(insiders(last.device()))));
  }

  private Plan planned(Target external, Address outsider, AddressSet meant) {
    Collections.reverse(steps);
    return new Plan(
        steps,
        new OfferProofs(site, wish, from).of(external, outsider),
        meant,
        wish.whole() ? List.of() : external.parts());
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
  private boolean isOffered(List<Hop> hops, Target target) {
    Target at = target;
    for (Hop hop : hops) {
      Standing standing = Standing.of(hop, at, hop.outer().isOutside() ? wish : null);
      if (standing == null) {
        return false;
      }
      at = standing.external();
    }
    return true;
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
    AddressSet outside = Outside.senders(site, wish.family());
    Address somebody = Outside.somebody(site, outside.intersection(from));
    if (somebody == null) {
      throw new RefusedChangeException(
          "none of those who may use it is outside, over " + wish.family(),
          "name somebody outside, or 'any'");
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

  // A device on the way that is not the last.

  private Target inner(Hop hop, Hop next, Target target) throws RefusedChangeException {
    if (again) {
      Standing standing = Objects.requireNonNull(Standing.of(hop, target, null));
      access(hop, target, standing.external(), null, standing, false);
      stands(hop, standing);
      return standing.external();
    }
    boolean known =
        next.inner().name().equals(towards(next.device(), target.address()))
            && !hop.outer().addresses().isEmpty();
    boolean translates =
        hop.device().inward().stream()
            .anyMatch(rule -> !rule.disabled() && rule.facing().names(hop.outer()));
    if (known && (wish.whole() || !translates)) {
      access(hop, target, target, null, null, false);
      return target;
    }
    if (wish.whole()) {
      throw new RefusedChangeException(
          next.device().name()
              + " knows no way to "
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

  private @Nullable String towards(Device device, Address to) {
    Interface by = org.eskerfield.program.DeviceProgram.compile(site, device).towards(to);
    return by == null ? null : by.name();
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
    boolean outermost = hop.outer().isOutside();
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
        "what comes to "
            + external.address()
            + ", "
            + external.service().text()
            + ", goes to "
            + target.term().text()
            + (inside == null ? "" : " " + inside));
  }

  /** Says that a rule is there already; where insiders shall use it as well, it lets them. */
  private void stands(Hop hop, Standing standing) {
    InwardRule rule = standing.rule();
    Hairpin wished = hop.outer().isOutside() ? hairpin(hop.device()) : null;
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
    Device device = hop.device();
    List<AccessList> lists = guarding(hop);
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
      rule.admit(new Admission(who, wish.when(), wish.log(), Place.IN_CODE));
      return;
    }
    boolean openToAll = open && lists.isEmpty() && fromAnybody() && wish.when() == null;
    boolean byRule = lists.isEmpty() && !openToAll;
    if (standing != null && standing.admits(byRule)) {
      Admission asked = new Admission(who, wish.when(), wish.log(), Place.IN_CODE);
      steps.add(Standing.admitting(site, device, standing.rule(), asked));
      return;
    }
    Target seen = device.seesOriginal() ? external : target;
    AccessRule access =
        AccessRule.called(Action.ACCEPT, name)
            .from(fromAnybody() ? List.of() : who)
            .to(List.of(device.seesOriginal() ? AddressTerm.of(external.address()) : named(target)))
            .services(List.of(seen.service()))
            .when(wish.when())
            .log(wish.log())
            .build();
    if (lists.isEmpty() && !openToAll) {
      guard(hop, access, open);
    }
    for (AccessList list : lists) {
      boolean known = standing != null || wish.family() == Family.IPV6;
      AccessRule own = known ? Standing.lettingIn(site, list, seen) : null;
      if (own == null) {
        accept(device, list, seen, access);
      } else {
        steps.add(Standing.lettingIn(site, device, own, access));
      }
    }
  }

  /** How access rules name a target: by its address where its name stands for both families. */
  private AddressTerm named(Target target) {
    boolean both =
        site.addresses(List.of(target.term())).ranges().stream()
            .anyMatch(range -> range.first().family() != target.address().family());
    return both ? AddressTerm.of(target.address()) : target.term();
  }

  /** A list that guards the way and lets it in. */
  private void guard(Hop hop, AccessRule access, boolean open) {
    Device device = hop.device();
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

  private List<AccessList> guarding(Hop hop) throws RefusedChangeException {
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
    return lists;
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
    List<Hop> hops = OutwardPath.of(site, wish.host(), outsider());
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

  private boolean meets(AccessRule rule, Target seen) {
    boolean service = rule.services().isEmpty();
    for (ServiceTerm term : rule.services()) {
      for (ServicePart part : seen.parts()) {
        service |= term.service().parts().stream().anyMatch(part::overlaps);
      }
    }
    return service
        && site.matched(rule.to()).contains(seen.address())
        && site.matched(rule.from()).intersects(from);
  }

  private boolean takesAll(AccessRule rule, Target seen) {
    boolean services = true;
    for (ServicePart part : seen.parts()) {
      boolean covered = rule.services().isEmpty();
      for (ServiceTerm term : rule.services()) {
        covered |= term.service().parts().stream().anyMatch(own -> own.covers(part));
      }
      services &= covered;
    }
    return services && from.intersection(site.matched(rule.from()).complement()).isEmpty();
  }
}
