// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Predicate;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessListBuilder;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.jspecify.annotations.Nullable;

/**
 * Changes that may keep a packet from going its way: each is about a line that let it through. What
 * asks for least comes first. Whether one helps, and what else it does, has to be tried.
 */
final class Candidates {
  private final Site site;
  private final Guarantee guarantee;
  private final List<Cure> narrow = new ArrayList<>();
  private final List<Cure> refusing = new ArrayList<>();
  private final List<Cure> removing = new ArrayList<>();

  Candidates(Site site, Guarantee guarantee) {
    this.site = site;
    this.guarantee = guarantee;
  }

  /** Changes about the lines that let a packet through on its way. */
  List<Cure> of(List<Leg> legs) {
    boolean first = true;
    for (Leg leg : legs) {
      Device device = site.devices().get(leg.where());
      Interface arriving = leg.arriving();
      if (leg.kind() != Leg.Kind.DEVICE || device == null) {
        continue;
      }
      if (guarantee.kind() == Guarantee.Kind.LOGGED) {
        leg.decisions().forEach(decision -> logging(device, leg, decision));
        continue;
      }
      if (first && !device.verifySource() && !guarantee.honest()) {
        narrow.add(
            Cure.of(
                "let " + device.name() + " verify sources",
                new Change.Alter(device, device.withVerifySource(true))));
      }
      first = false;
      for (Decision decision : leg.decisions()) {
        around(device, leg, arriving, decision);
      }
      if (guarantee.kind() == Guarantee.Kind.SEEN_AS) {
        translating(device, leg);
      }
    }
    List<Cure> all = new ArrayList<>(narrow);
    all.addAll(refusing);
    all.addAll(removing);
    return all;
  }

  private void around(Device device, Leg leg, @Nullable Interface arriving, Decision decision) {
    Placed by = decision.by();
    Header seen = decision.before();
    Header original = leg.decisions().get(0).before();
    switch (decision.ruling()) {
      case DESTINATION_TRANSLATED -> {
        InwardRule rule = InwardRule.of(by);
        if (rule != null && arriving != null) {
          leading(rule, arriving);
        }
      }
      case ADMITTED -> {
        InwardRule rule = InwardRule.of(by);
        if (rule != null) {
          admitting(rule, seen.source());
        }
      }
      case ACCEPTED_BY_RULE, DEVICE_ACCEPTED_BY_RULE -> {
        if (by instanceof AccessRule rule) {
          AccessList list = listOf(device, rule);
          Header shown = device.seesOriginal() ? original : seen;
          if (list != null) {
            accepting(list, rule, shown);
          }
        }
      }
      case ACCEPTED_OTHERWISE, DEVICE_ACCEPTED_OTHERWISE -> {
        if (by instanceof AccessList list) {
          for (List<AccessRule> rules : parted(device.seesOriginal() ? original : seen)) {
            List<Change> changes = new ArrayList<>();
            rules.forEach(rule -> changes.add(new Change.Add(list, rule, null)));
            refusing.add(new Cure("add " + at(rules) + " the end of " + Labels.of(list), changes));
          }
        }
      }
      case ACCEPTED_BY_STANCE -> unguarded(device, leg, arriving, seen, original);
      case DEVICE_ANSWERS, DEVICE_RECEIVES -> {
        if (by instanceof OwnService own) {
          serving(device, own, seen.source());
        }
      }
      default -> {}
    }
  }

  private static @Nullable AccessList listOf(Device device, AccessRule rule) {
    for (AccessList list : device.access()) {
      if (list.rules().contains(rule)) {
        return list;
      }
    }
    return null;
  }

  private static <T> List<T> without(List<T> all, Predicate<T> goes) {
    List<T> kept = new ArrayList<>(all);
    kept.removeIf(goes);
    return kept;
  }

  private boolean holds(AddressTerm term, Address address) {
    return site.matched(List.of(term)).contains(address);
  }

  private List<AddressTerm> without(List<AddressTerm> terms, Address address) {
    return without(terms, term -> holds(term, address));
  }

  private static boolean isNarrower(List<?> kept, List<?> all) {
    return !kept.isEmpty() && kept.size() < all.size();
  }

  // Translation.

  private void leading(InwardRule rule, Interface arriving) {
    Hairpin hairpin = rule.hairpin();
    boolean direct = rule.facing().names(arriving);
    if (!direct && hairpin != null && Hairpin.covers(hairpin, arriving)) {
      List<Interface> others =
          without(hairpin.from().interfaces(), own -> own.name().equals(arriving.name()));
      InterfaceTerm from =
          new InterfaceTerm(
              String.join(", ", others.stream().map(Interface::name).toList()),
              others,
              hairpin.from().place());
      narrow.add(
          Cure.of(
              "take " + arriving.name() + " out of the hairpin of " + Labels.of(rule),
              new Change.Alter(
                  rule, rule.hairpinning(others.isEmpty() ? null : hairpin.withFrom(from)))));
    }
    removing.add(Cure.of("remove " + Labels.of(rule), new Change.Remove(rule)));
  }

  private void admitting(InwardRule rule, Address sender) {
    Admission admit = rule.admit();
    if (admit == null) {
      return;
    }
    List<AddressTerm> kept = without(admit.from(), sender);
    if (isNarrower(kept, admit.from())) {
      narrow.add(
          Cure.of(
              "admit only " + texts(kept) + " by " + Labels.of(rule),
              new Change.Alter(rule, rule.admitting(admit.withFrom(kept)))));
    }
    for (Guarantee.Exempt each : guarantee.except()) {
      if (!each.from().isEmpty()) {
        narrow.add(
            Cure.of(
                "admit only " + texts(each.from()) + " by " + Labels.of(rule),
                new Change.Alter(
                    rule,
                    rule.admitting(
                        admit
                            .withFrom(each.from())
                            .withWhen(each.when() == null ? admit.when() : each.when())))));
      } else if (each.when() != null) {
        narrow.add(
            Cure.of(
                "admit by " + Labels.of(rule) + " only in " + each.when().name(),
                new Change.Alter(rule, rule.admitting(admit.withWhen(each.when())))));
      }
    }
  }

  /** A rule that shares or lends towards where a packet left takes its sender's network as well. */
  private void translating(Device device, Leg leg) {
    Interface leaving = leg.leaving();
    Address source = leg.decisions().get(0).before().source();
    Network network = site.networkOf(source);
    if (leaving == null || network == null || network.isOutside()) {
      return;
    }
    for (TranslationRule each : device.translation()) {
      OutwardRule rule = each.outward();
      if (rule != null
          && !rule.disabled()
          && !rule.from().isEmpty()
          && rule.leaving().names(leaving)) {
        List<AddressTerm> from = new ArrayList<>(rule.from());
        from.add(AddressTerm.of(network));
        narrow.add(
            Cure.of(
                "let " + Labels.of(rule) + " take network " + network.name() + " as well",
                new Change.Alter(
                    rule,
                    rule.<OutwardRule>by(
                        lending -> lending.withFrom(from), sharing -> sharing.withFrom(from)))));
      }
    }
  }

  // Access.

  private void accepting(AccessList list, AccessRule rule, Header seen) {
    String label = Labels.of(rule);
    List<AddressTerm> from = without(rule.from(), seen.source());
    List<AddressTerm> to = without(rule.to(), seen.destination());
    List<ServiceTerm> services =
        without(
            rule.services(),
            term ->
                ServiceTerm.anyCovers(
                    List.of(term),
                    seen.protocol(),
                    seen.destinationPort(),
                    seen.icmpType(),
                    seen.icmpCode()));
    if (isNarrower(from, rule.from())) {
      narrow.add(altered(label + " accepts only from " + texts(from), rule, rule.withFrom(from)));
    }
    if (isNarrower(to, rule.to())) {
      narrow.add(altered(label + " accepts only to " + texts(to), rule, rule.withTo(to)));
    }
    if (isNarrower(services, rule.services())) {
      String only = String.join(", ", services.stream().map(ServiceTerm::text).toList());
      narrow.add(altered(label + " accepts only " + only, rule, rule.withServices(services)));
    }
    for (Guarantee.Exempt each : guarantee.except()) {
      if (each.when() != null && rule.when() == null) {
        narrow.add(
            altered(
                label + " accepts only in " + each.when().name(),
                rule,
                rule.withWhen(each.when())));
      }
    }
    String where = Labels.of(list) + ", before " + label;
    for (AccessRule refusal : refusals(seen)) {
      refusing.add(
          Cure.of(
              "add an access rule to " + where + ", that drops it",
              new Change.Add(list, refusal, rule)));
    }
    List<Change> parted = new ArrayList<>();
    for (Guarantee.Exempt each : guarantee.except()) {
      parted.add(new Change.Add(list, let(each, rule), rule));
    }
    if (!parted.isEmpty()) {
      for (AccessRule refusal : refusals(seen)) {
        List<Change> changes = new ArrayList<>(parted);
        changes.add(new Change.Add(list, refusal, rule));
        refusing.add(
            new Cure(
                "add access rules to " + where + ": accept exempt traffic, then drop the rest",
                changes));
      }
    }
    removing.add(Cure.of("remove " + label, new Change.Remove(rule)));
  }

  private static Cure altered(String summary, AccessRule rule, AccessRule by) {
    return Cure.of(summary, new Change.Alter(rule, by));
  }

  /** A rule for what is exempt, of what another rule accepts. */
  private static AccessRule let(Guarantee.Exempt exempt, AccessRule rule) {
    List<AddressTerm> from = exempt.from().isEmpty() ? rule.from() : exempt.from();
    List<AddressTerm> to = exempt.to().isEmpty() ? rule.to() : exempt.to();
    String name =
        (from.isEmpty() ? "everybody" : texts(from)) + " to " + (to.isEmpty() ? "all" : texts(to));
    return AccessRule.called(Action.ACCEPT, name)
        .from(from)
        .to(to)
        .services(exempt.services().isEmpty() ? rule.services() : exempt.services())
        .when(exempt.when() == null ? rule.when() : exempt.when())
        .log(rule.log())
        .build();
  }

  /**
   * Rules that drop what the guarantee forbids: as it says it; from whatever source, for a list
   * that is for its senders alone; and as a list sees it that sees external addresses.
   */
  private List<AccessRule> refusals(Header seen) {
    AccessRule plain =
        AccessRule.called(Action.DROP, guarantee.name())
            .from(literal(guarantee.from()))
            .to(literal(guarantee.to()))
            .services(guarantee.services())
            .when(guarantee.when())
            .log(true)
            .build();
    List<AccessRule> all = new ArrayList<>(List.of(plain));
    if (!plain.from().isEmpty()) {
      all.add(plain.withFrom(List.of()));
    }
    if (!site.matched(plain.to()).contains(seen.destination())) {
      List<AddressTerm> to = List.of(AddressTerm.of(seen.destination()));
      all.add(plain.withTo(to).withServices(List.of()));
      all.add(plain.withFrom(List.of()).withTo(to).withServices(List.of()));
    }
    return all;
  }

  /** Terms without {@code any}, which a rule leaves out. */
  private static List<AddressTerm> literal(List<AddressTerm> terms) {
    boolean any = terms.stream().anyMatch(term -> term.kind() == AddressTerm.Kind.ANY);
    return any ? List.of() : terms;
  }

  private void unguarded(
      Device device, Leg leg, @Nullable Interface arriving, Header seen, Header original) {
    Interface leaving = leg.leaving();
    if (arriving == null) {
      return;
    }
    String name = arriving.name() + " to " + (leaving == null ? device.name() : leaving.name());
    AccessList.Guard guard =
        leaving == null
            ? new AccessList.Guard(InterfaceTerm.of(arriving), null, true, Place.IN_CODE)
            : AccessList.Guard.of(arriving, leaving);
    for (List<AccessRule> rules : parted(device.seesOriginal() ? original : seen)) {
      AccessList list =
          AccessListBuilder.builder()
              .name(name)
              .guards(List.of(guard))
              .rules(rules)
              .otherwise(Action.ACCEPT)
              .place(Place.IN_CODE)
              .build();
      // A plain router would have to keep sessions from now on, whose replies it has not judged.
      (device.stance().acceptsEverything() ? removing : refusing)
          .add(
              Cure.of(
                  "add a list to "
                      + device.name()
                      + " that guards traffic from "
                      + name
                      + " and drops it"
                      + (rules.size() > 1 ? ", but for exempt traffic" : ""),
                  new Change.Add(device, list, null)));
    }
  }

  /** Refusals where nothing accepts what is exempt before them: that has to be accepted first. */
  private List<List<AccessRule>> parted(Header seen) {
    List<List<AccessRule>> all = new ArrayList<>();
    for (AccessRule refusal : refusals(seen)) {
      List<AccessRule> rules = new ArrayList<>();
      for (Guarantee.Exempt each : guarantee.except()) {
        rules.add(let(each, refusal.withLog(false)));
      }
      rules.add(refusal);
      all.add(rules);
    }
    return all;
  }

  private static String at(List<AccessRule> rules) {
    return rules.size() > 1
        ? "access rules that accept exempt traffic, and a drop, at"
        : "a drop at";
  }

  private void serving(Device device, OwnService own, Address sender) {
    String label = Labels.of(own) + " of " + device.name();
    List<AddressTerm> kept = without(own.from(), sender);
    if (isNarrower(kept, own.from())) {
      narrow.add(
          Cure.of(
              "let only " + texts(kept) + " reach " + label,
              new Change.Alter(own, own.withFrom(kept))));
    }
    for (Guarantee.Exempt each : guarantee.except()) {
      if (!each.from().isEmpty()) {
        narrow.add(
            Cure.of(
                "let only " + texts(each.from()) + " reach " + label,
                new Change.Alter(own, own.withFrom(each.from()))));
      }
    }
    removing.add(Cure.of("remove " + label, new Change.Remove(own)));
  }

  // Logs.

  private void logging(Device device, Leg leg, Decision decision) {
    Placed by = decision.by();
    InwardRule leading = InwardRule.of(by);
    Admission admit = leading == null ? null : leading.admit();
    if (decision.ruling() == Ruling.ADMITTED && leading != null && admit != null) {
      narrow.add(
          Cure.of(
              "let " + Labels.of(leading) + " log whom it admits",
              new Change.Alter(leading, leading.admitting(admit.withLog(true)))));
    } else if (by instanceof AccessRule rule && rule.action() == Action.ACCEPT) {
      narrow.add(
          Cure.of("let " + Labels.of(rule) + " log", new Change.Alter(rule, rule.withLog(true))));
    } else if (decision.ruling() == Ruling.ACCEPTED_BY_STANCE) {
      watching(device, leg);
    } else if (by instanceof AccessList list && list.otherwise() == Action.ACCEPT) {
      narrow.add(
          Cure.of(
              "let " + Labels.of(list) + " log what no rule matches (" + device.name() + ")",
              new Change.Alter(list, list.withLogsOtherwise(true))));
    }
  }

  /** A list that accepts what the stance does, and logs it. */
  private void watching(Device device, Leg leg) {
    Interface arriving = leg.arriving();
    Interface leaving = leg.leaving();
    if (arriving != null && leaving != null) {
      String name = arriving.name() + " to " + leaving.name();
      AccessRule all = AccessRule.called(Action.ACCEPT, guarantee.name()).log(true).build();
      narrow.add(
          Cure.of(
              "add a list to "
                  + device.name()
                  + " that guards traffic from "
                  + name
                  + ", accepts and logs it",
              new Change.Add(
                  device,
                  AccessList.between(arriving, leaving, name, all, device.stance().otherwise()),
                  null)));
    }
  }

  private static String texts(List<AddressTerm> terms) {
    return String.join(", ", terms.stream().map(AddressTerm::text).toList());
  }
}
