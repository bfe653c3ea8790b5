// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.List;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.program.CompiledList;
import org.eskerfield.trace.Labels;
import org.jspecify.annotations.Nullable;

/** Cures of what access rules, stances and admissions refuse. */
final class AccessCures extends CureScene {
  AccessCures(CureScene scene) {
    super(scene);
  }

  AccessRule acceptance() {
    Header seen = seen();
    AddressTerm from = called(seen.source());
    AddressTerm to = called(seen.destination());
    return AccessRule.called(Action.ACCEPT, from.text() + " to " + to.text())
        .from(List.of(from))
        .to(List.of(to))
        .services(List.of(Mends.service(seen)))
        .log(true)
        .build();
  }

  @Nullable Cure accept() {
    AccessList list = list(device(), end.by());
    if (list == null) {
      return null;
    }
    if (obstacle.place() instanceof AccessRule rule && rule.disabled() && takes(rule, seen())) {
      return TranslationCures.enabled(rule);
    }
    AccessRule before = end.by() instanceof AccessRule rule ? rule : null;
    Cure let = let(list, before);
    boolean astray = obstacle.cause() == Cause.WRONG_INTERFACE;
    if (astray && list.equals(obstacle.place())) {
      AccessList turned = Objects.requireNonNull(Astray.turned(list));
      return Astray.cure(list, turned).or(let);
    }
    if ((astray || obstacle.cause() == Cause.LIST_GUARDS_NOTHING)
        && obstacle.place() instanceof AccessRule stray) {
      return moved(stray, list, before).or(let);
    }
    return obstacle.cause() == Cause.WRONG_SERVICE
            && obstacle.place() instanceof AccessRule near
            && near.services().size() == 1 // of several it is not known which is meant
        ? let.or(new TranslationCures(this).outerPort(near.services())).or(corrected(near))
        : let;
  }

  private static Cure moved(AccessRule stray, AccessList to, @Nullable AccessRule before) {
    return Cure.of(
        "move " + Labels.of(stray) + " to " + Labels.of(to),
        new Change.Remove(stray),
        new Change.Add(to, stray.withPlace(Place.IN_CODE), before));
  }

  private Cure let(AccessList list, @Nullable AccessRule before) {
    return Cure.of(
        "accept it: add an access rule to "
            + Labels.of(list)
            + (before == null ? "" : ", before " + Labels.of(before)),
        new Change.Add(list, acceptance(), before));
  }

  /** A rule for one host, with the service that is asked for in place of one that he has not. */
  private @Nullable Cure corrected(AccessRule rule) {
    Host host = site.hostAt(seen().destination());
    if (host == null) {
      return null;
    }
    boolean his =
        site.addresses(rule.to()).equals(AddressSet.ofAddresses(host.addresses()))
            && Case.listens(host, seen());
    for (ServiceTerm named : rule.services()) {
      his &= host.listens().stream().noneMatch(own -> own.service().overlaps(named.service()));
    }
    ServiceTerm asked = Mends.service(seen());
    return his
        ? Cure.of(
            "let " + Labels.of(rule) + " accept " + asked.text(),
            new Change.Alter(rule, rule.withServices(List.of(asked))))
        : null;
  }

  boolean takes(AccessRule rule, Header seen) {
    return (rule.from().isEmpty() || site.addresses(rule.from()).contains(seen.source()))
        && (rule.to().isEmpty() || site.addresses(rule.to()).contains(seen.destination()))
        && Case.covers(rule.services(), seen);
  }

  /** A list that guards another way is the one that is meant; else one is added. */
  @Nullable Cure open() {
    Cure added = added();
    Cure guards = guards();
    return guards == null ? added : added == null ? guards : guards.or(added);
  }

  private @Nullable Cure added() {
    Device device = device();
    Interface arriving = leg.arriving();
    Interface leaving = leaving();
    if (device == null || arriving == null || leaving == null) {
      return null;
    }
    String legs = arriving.name() + " to " + leaving.name();
    Action otherwise =
        device.stance().actionFor(arriving.network().zone(), leaving.network().zone());
    return Cure.of(
        "accept it: add a list that guards traffic from " + legs,
        new Change.Add(
            device, AccessList.between(arriving, leaving, legs, acceptance(), otherwise), null));
  }

  @Nullable Cure admit() {
    InwardRule rule = InwardRule.of(end.by());
    Admission admit = rule == null ? null : rule.admit();
    if (rule == null || admit == null || obstacle.cause() == Cause.OUTSIDE_SCHEDULE) {
      return null;
    }
    AddressTerm sender = called(header.source());
    Admission wider = admit.withFrom(with(admit.from(), sender));
    return Cure.of(
        "admit " + sender.text() + " by " + Labels.of(rule),
        new Change.Alter(rule, rule.admitting(wider)));
  }

  @Nullable Cure otherSide() {
    return obstacle.place() instanceof AccessRule rule
        ? Cure.of(
            "name the destination as the device sees it when it filters",
            new Change.Alter(rule, rule.withTo(List.of(called(seen().destination())))))
        : null;
  }

  /** Has a list guard the way of the packet: instead of one where it is idle, or as well. */
  @Nullable Cure guards() {
    Device device = device();
    Interface arriving = leg.arriving();
    Interface leaving = leaving();
    if (!(obstacle.place() instanceof AccessList list)
        || device == null
        || arriving == null
        || leaving == null) {
      return null;
    }
    boolean idle = list.guards().isEmpty() || new Astray(site, device).is(list);
    AccessList instead = idle ? Astray.guarding(list, arriving, leaving) : null;
    return Astray.cure(
        list,
        instead != null
            ? instead
            : list.withGuards(with(list.guards(), AccessList.Guard.of(arriving, leaving))));
  }

  @Nullable Cure order(@Nullable Placed early) {
    if (early == null) {
      return null;
    }
    for (Device device : site.devices().values()) {
      Placed late = laterThan(device, early);
      AccessList list = early instanceof AccessRule ? list(device, early) : null;
      if (late != null) {
        Cure before =
            Cure.of(
                "move " + Labels.of(late) + " before " + Labels.of(early),
                new Change.Move(late, early));
        Cure behind =
            Cure.of(
                "move " + Labels.of(early) + " behind the rules that accept",
                new Change.Move(early, null));
        return list != null && acceptsAllBehind(list, early) ? behind.or(before) : before;
      }
    }
    return null;
  }

  /** Whether several rules stand behind one, and all of them accept. */
  static boolean acceptsAllBehind(AccessList list, Placed early) {
    List<AccessRule> behind =
        list.rules().subList(list.rules().indexOf(early) + 1, list.rules().size());
    return behind.size() > 1 && behind.stream().allMatch(r -> r.action() == Action.ACCEPT);
  }

  /** The rule that would take the packet if another one did not. */
  @Nullable Placed laterThan(Device device, Placed early) {
    for (AccessList list : device.access()) {
      int at = list.rules().indexOf(early);
      if (at >= 0) {
        AccessList rest = list.withRules(list.rules().subList(at + 1, list.rules().size()));
        AccessRule rule =
            CompiledList.of(site, rest)
                .firstMatch(Packet.of(seen()), false, obstacle.conversation().attempt().at());
        return rule != null && rule.action() == Action.ACCEPT ? rule : null;
      }
    }
    List<TranslationRule> rules = device.translation();
    int at = rules.indexOf(early);
    for (int i = at + 1; at >= 0 && i < rules.size(); i++) {
      InwardRule rule = rules.get(i).inward();
      if (rule != null && !rule.disabled() && isFor(rule, sent)) {
        return rule;
      }
    }
    return null;
  }

  static boolean isFor(InwardRule rule, Header packet) {
    Prefix external = rule.block(packet.destination().family());
    return external != null
        && external.contains(packet.destination())
        && Case.covers(rule.services(), packet);
  }
}
