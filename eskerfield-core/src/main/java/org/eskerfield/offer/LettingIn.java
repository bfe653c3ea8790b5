// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.change.Change;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.DestinationRuleBuilder;
import org.eskerfield.model.Device;
import org.eskerfield.model.Place;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.offer.OutwardPath.Hop;
import org.eskerfield.offer.Plan.Step;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.program.CompiledList;
import org.jspecify.annotations.Nullable;

/**
 * Lets the packets of an offer in at one device: by the lists that guard the way, else by the
 * translation rule itself, else by a list of its own.
 */
final class LettingIn {
  private final Site site;
  private final Wish wish;
  private final Hop hop;
  private final Device device;
  private final List<AccessList> lists;
  private final List<Step> steps = new ArrayList<>();

  /** Whether a rule for this service of this host alone is the one of this offer. */
  private final boolean known;

  LettingIn(Site site, Wish wish, Hop hop, boolean known) throws RefusedChangeException {
    this.site = site;
    this.wish = wish;
    this.hop = hop;
    this.device = hop.device();
    this.known = known;
    this.lists = guarding();
  }

  List<Step> steps() {
    return steps;
  }

  boolean isUnguarded() {
    return lists.isEmpty();
  }

  private boolean isOpen() {
    return device.stance().actionFor(hop.outer().network().zone(), hop.inner().network().zone())
        == Action.ACCEPT;
  }

  /** By the rule itself, where the stance does not do it. */
  void admit(DestinationRuleBuilder rule, List<AddressTerm> who) {
    if (isOpen() && lists.isEmpty() && wish.isForAnybody() && wish.when() == null) {
      steps.add(new Step(device.name(), "its stance accepts it already", "", null));
    } else {
      rule.admit(new Admission(who, wish.when(), wish.log(), Place.IN_CODE));
    }
  }

  /** By a rule that is there already and says whom it lets in, else by lists. */
  void accept(
      Target target,
      Target external,
      @Nullable Standing standing,
      List<AddressTerm> who,
      String name) {
    boolean byRule = lists.isEmpty() && !isOpen();
    if (standing != null && standing.admits(byRule)) {
      Admission asked = new Admission(who, wish.when(), wish.log(), Place.IN_CODE);
      steps.add(Standing.admitting(site, device, standing.rule(), asked));
      return;
    }
    Target seen = device.seesOriginal() ? external : target;
    AccessRule access =
        AccessRule.called(Action.ACCEPT, name)
            .from(wish.isForAnybody() ? List.of() : who)
            .to(List.of(device.seesOriginal() ? AddressTerm.of(external.address()) : named(target)))
            .services(List.of(seen.service()))
            .when(wish.when())
            .log(wish.log())
            .build();
    if (byRule) {
      guard(access);
    } else if (lists.isEmpty()) { // a list there would end what the stance lets through as well
      steps.add(new Step(device.name(), "its stance accepts it already", "", null));
    }
    for (AccessList list : lists) {
      AccessRule own = known ? Standing.lettingIn(site, list, seen) : null;
      if (own == null) {
        accept(list, seen, access);
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
  private void guard(AccessRule access) {
    AccessList list =
        AccessList.between(
            hop.outer(),
            hop.inner(),
            hop.outer().name() + " to " + hop.inner().name(),
            access,
            Action.DROP);
    steps.add(
        new Step(
            device.name(),
            "a list guards traffic from "
                + hop.outer().name()
                + " to "
                + hop.inner().name()
                + " and accepts it",
            "",
            new Change.Add(device, list, null)));
  }

  private List<AccessList> guarding() throws RefusedChangeException {
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

  private void accept(AccessList list, Target seen, AccessRule added) {
    AddressSet from = site.addresses(wish.from());
    AccessRule before = null;
    String where = list.rules().isEmpty() ? "" : "last: no rule before it drops these packets";
    for (AccessRule rule : list.rules()) {
      boolean plain = rule.when() == null && rule.sourcePorts() == null && !rule.disabled();
      if (rule.disabled() || !meets(rule, seen, from)) {
        continue;
      }
      boolean all = plain && takesAll(rule, seen, from);
      if (all && rule.action() == Action.ACCEPT) {
        steps.add(
            new Step(
                device.name(),
                "list '" + list.name() + "' accepts it already, by '" + rule.name() + "'",
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
            "list '" + list.name() + "' accepts it",
            where,
            new Change.Add(list, added, before)));
  }

  private boolean meets(AccessRule rule, Target seen, AddressSet from) {
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

  private boolean takesAll(AccessRule rule, Target seen, AddressSet from) {
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
