// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.cause.Cause;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.cause.RouteCures;
import org.eskerfield.cause.TranslationCures;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.program.CompiledList;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.walk.EveryPacket.Passage;
import org.jspecify.annotations.Nullable;

/** What crosses a device on the wrong side of a translation, or unguarded, or not at all. */
final class Sides {
  private final Inspection check;

  Sides(Inspection check) {
    this.check = check;
  }

  void inspect(Device device) {
    for (Interface arriving : device.interfaces()) {
      for (Passage passage : check.passages(device, arriving)) {
        if (passage.leaving() == null) {
          continue;
        }
        if (!arriving.isOutside() && passage.leaving().isOutside()) {
          untranslated(device, passage, passage.leaving());
        } else if (!arriving.isOutside()) {
          rewrittenInside(device, passage, passage.leaving());
        } else if (arriving.isOutside()) {
          rewritten(passage);
        }
      }
      if (arriving.isOutside() && arriving.isUp()) {
        unguarded(device, arriving);
        loops(device, arriving);
      }
    }
    for (CompiledList list : check.sets(device).program().lists()) {
      family(device, list);
      if (list.list().guards().isEmpty()) {
        guardsNothing(device, list);
      }
    }
    routes(device);
  }

  // Towards the internet.

  private void untranslated(Device device, Passage passage, Interface leaving) {
    PacketSet untranslated =
        passage
            .left()
            .intersection(check.space.sources(SpecialAddresses.NOT_ON_THE_INTERNET))
            .intersection(check.space.destinations(check.strangers()));
    if (untranslated.isEmpty() || leaving.network().carrier().isEmpty()) {
      return;
    }
    if (passage.sourceRule() != null) {
      hidden(passage, untranslated, leaving.network());
      return;
    }
    for (Network network : check.behind(device, passage.arriving())) {
      PacketSet arrived =
          passage
              .arrivedAs(untranslated)
              .intersection(check.space.sources(AddressSet.ofPrefixes(network.prefixes())));
      PacketSet preferred = check.preferring(arrived, check.describedInside());
      preferred = check.preferringTo(preferred, check.describedOutside());
      Conversation sample = check.traced(check.attempt(preferred.sample()));
      Decision end = sample == null ? null : Offers.lastOf(sample);
      if (sample == null || end == null || end.ruling() != Ruling.SOURCE_NOT_CARRIED) {
        continue;
      }
      TranslationRule taken = passage.destinationRule();
      UntouchedRule first =
          taken == null ? null : taken.bySide(in -> null, out -> null, both -> both);
      Diagnosis diagnosis = check.diagnosed(sample);
      Obstacle obstacle =
          diagnosis == null || diagnosis.obstacles().isEmpty()
              ? null
              : diagnosis.obstacles().get(0);
      Placed found = obstacle == null || obstacle.place() == null ? leaving : obstacle.place();
      Placed at = first == null ? found : first;
      boolean wrongSide = obstacle != null && obstacle.cause() == Cause.WRONG_INTERFACE;
      boolean disabled = at instanceof TranslationRule rule && rule.disabled();
      Code usual = disabled ? Code.DISABLED_RULE_NEEDED : Code.SOURCES_UNTRANSLATED;
      check.add(
          first != null ? Code.UNTOUCHED_FIRST : wrongSide ? Code.WRONG_INTERFACE : usual,
          at,
          at instanceof TranslationRule rule ? rule.name() : network.name(),
          "sources of "
              + network.name()
              + " leave "
              + device.name()
              + " by "
              + leaving.name()
              + " untranslated"
              + (first != null
                  ? ": " + Labels.of(first) + " matches them first"
                  : obstacle == null || obstacle.detail().isEmpty()
                      ? ""
                      : ": " + obstacle.detail()),
          sample,
          first != null && sample.opening() != null
              ? TranslationCures.narrowed(check.site, first, sample.opening().question().source())
              : obstacle == null ? null : obstacle.cure());
    }
  }

  /**
   * Sources that a rule translates, but to addresses that no carrier carries; those of the link are
   * what the carrier gave out, and he translates them himself.
   */
  private void hidden(Passage passage, PacketSet untranslated, Network link) {
    OutwardRule rule = OutwardRule.of(passage.sourceRule());
    PacketSet hidden =
        untranslated.minus(check.space.sources(AddressSet.ofPrefixes(link.prefixes())));
    if (rule == null || hidden.isEmpty()) {
      return;
    }
    PacketSet senders = check.preferring(passage.arrivedAs(hidden), check.describedInside());
    PacketSet preferred = check.preferringTo(senders, check.describedOutside());
    Conversation sample = check.traced(check.attempt(preferred.sample()));
    Decision end = sample == null ? null : Offers.lastOf(sample);
    if (sample == null || end == null || end.ruling() != Ruling.SOURCE_NOT_CARRIED) {
      return; // an address of the pool that is carried comes first
    }
    Address source = end.after().source();
    check.add(
        Code.ADDRESS_PRIVATE,
        rule,
        Labels.of(rule) + " translates to " + source + ", " + SpecialAddresses.kind(source),
        sample,
        Cure.byHand("have it use addresses that the carrier sends here"));
  }

  /**
   * Insiders that a rule rewrites on their way to other insiders, since it names every interface.
   */
  private void rewrittenInside(Device device, Passage passage, Interface leaving) {
    OutwardRule rule = OutwardRule.of(passage.sourceRule());
    if (rule == null
        || !rule.leaving().text().equals(Site.ANY)
        || passage.destinationRule() != null) {
      return;
    }
    PacketSet inside =
        passage
            .arrived()
            .intersection(check.space.sources(check.addressesBehind(device, passage.arriving())))
            .intersection(check.space.destinations(check.addressesBehind(device, leaving)));
    Interface outer = wayOut(device);
    if (inside.isEmpty() || (outer != null && outer.name().equals(leaving.name()))) {
      return;
    }
    PacketSet preferred = check.preferring(inside, check.describedInside());
    preferred = check.preferringTo(preferred, check.describedInside());
    check.add(
        Code.CLIENTS_REWRITTEN,
        rule,
        Labels.of(rule)
            + " acts by every interface, so it also rewrites what "
            + passage.arriving().network().name()
            + " sends by "
            + leaving.name(),
        check.traced(check.attempt(preferred.sample())),
        outer == null
            ? Cure.byHand("name the interface by which it shall act")
            : only(rule, outer));
  }

  /** The interface towards the internet, else the one towards all that the site does not know. */
  private @Nullable Interface wayOut(Device device) {
    Interface outer = outer(device);
    Address unknown = Outside.stranger(check.site, Family.IPV4);
    return outer != null || unknown == null ? outer : check.sets(device).program().towards(unknown);
  }

  private static Cure only(OutwardRule rule, Interface outer) {
    return Cure.of(
        "let it act towards " + outer.name() + " only",
        new Change.Alter(rule, rule.leavingBy(InterfaceTerm.of(outer))));
  }

  /** Clients from outside that a rule for insiders' sources rewrites, too. */
  private void rewritten(Passage passage) {
    OutwardRule rule = OutwardRule.of(passage.sourceRule());
    InwardRule inward = InwardRule.of(passage.destinationRule());
    if (rule == null
        || inward == null
        || passage.leaving() == null
        || passage.leaving().isOutside()) {
      return;
    }
    PacketSet clients = passage.arrived().intersection(check.fromStrangers);
    if (clients.isEmpty()) {
      return;
    }
    Interface outer = null;
    for (Interface each : rule.leaving().interfaces()) {
      outer = each.isOutside() ? each : outer;
    }
    check.add(
        Code.CLIENTS_REWRITTEN,
        rule,
        Labels.of(rule)
            + " also rewrites the source of clients that "
            + Labels.of(inward)
            + " leads in by "
            + passage.leaving().name(),
        check.traced(check.attempt(check.preferring(clients, check.describedOutside()).sample())),
        outer != null ? only(rule, outer) : Cure.of("take it away", new Change.Remove(rule)));
  }

  // From the internet.

  private void unguarded(Device device, Interface arriving) {
    for (Interface leaving : device.interfaces()) {
      if (leaving.isOutside() || isGuarded(device, arriving, leaving)) {
        continue;
      }
      String from = arriving.network().zone();
      String to = leaving.network().zone();
      if (device.stance().actionFor(from, to) != Action.ACCEPT) {
        continue;
      }
      PacketSet in = check.space.none();
      AddressSet behind = check.addressesBehind(device, leaving);
      for (Passage passage : check.passages(device, arriving)) {
        boolean plain =
            passage.destinationRule() == null || passage.destinationRule().keepsPackets();
        if (plain && passage.leaving() != null && passage.leaving().name().equals(leaving.name())) {
          in = in.union(passage.arrived());
        }
      }
      in = in.intersection(check.space.destinations(behind));
      if (in.isEmpty()) {
        continue;
      }
      boolean open = in.meets(check.space.destinations(Inspection.CARRIED));
      PacketSet preferred = check.preferring(in, check.strangers());
      preferred = check.preferringTo(preferred, check.describedInside());
      check.add(
          Code.WAY_UNGUARDED,
          device.stance(),
          device.name() + " " + arriving.name() + " to " + leaving.name(),
          "no list of "
              + device.name()
              + " guards traffic from "
              + arriving.name()
              + " to "
              + leaving.name()
              + ", and its stance accepts it: "
              + (open
                  ? "the whole internet reaches what lies behind"
                  : "neighbours on "
                      + arriving.network().name()
                      + " reach what lies behind directly"),
          open ? check.traced(check.attempt(preferred.sample())) : null,
          close(device, arriving));
    }
  }

  private static boolean isGuarded(Device device, Interface arriving, Interface leaving) {
    for (AccessList list : device.access()) {
      for (AccessList.Guard guard : list.guards()) {
        boolean from = guard.arriving() == null || guard.arriving().names(arriving);
        boolean to = guard.leaving() == null || guard.leaving().names(leaving);
        if (!guard.toDevice() && from && to) {
          return true;
        }
      }
    }
    return false;
  }

  /**
   * A stance that drops what comes from the internet; what is led inside on purpose is admitted.
   */
  private Cure close(Device device, Interface arriving) {
    String outside = arriving.network().zone();
    Admission everybody =
        new Admission(List.of(AddressTerm.any()), /* when= */ null, /* log= */ true, Place.IN_CODE);
    List<Change> changes = new ArrayList<>();
    changes.add(
        new Change.Alter(
            device, device.withStance(device.stance().but(outside, Site.ANY, Action.DROP))));
    for (InwardRule rule : device.inward()) {
      if (!rule.disabled()
          && rule.admit() == null
          && rule.facing().names(arriving)
          && isOpen(device, arriving, rule)) {
        changes.add(new Change.Alter(rule, rule.admitting(everybody)));
      }
    }
    return new Cure(
        "let the stance drop traffic from the internet, and admit what is offered", changes);
  }

  /** Whether everybody is let in by a rule today, since no list guards its way. */
  private boolean isOpen(Device device, Interface arriving, InwardRule rule) {
    Interface leaving = check.sets(device).program().towards(rule.internalBlock().first());
    return leaving != null && !isGuarded(device, arriving, leaving);
  }

  /** Packets that go out by the interface by which they came. */
  private void loops(Device device, Interface arriving) {
    for (Network.Routed routed : arriving.network().routed()) {
      PacketSet block = check.space.destinations(AddressSet.ofPrefixes(List.of(routed.to())));
      for (Passage passage : check.passages(device, arriving)) {
        if (!arriving.addresses().contains(routed.via())
            || passage.leaving() == null
            || !passage.leaving().name().equals(arriving.name())
            || passage.destinationRule() != null) {
          continue;
        }
        PacketSet back = passage.arrived().intersection(block).intersection(check.fromStrangers);
        if (back.isEmpty()) {
          continue;
        }
        PacketSet.Member one = check.preferring(back, check.describedOutside()).sample();
        check.add(
            Code.BLOCK_LOOPS,
            routed,
            routed.to().toString(),
            "packets for unused addresses of "
                + routed.to()
                + ", such as "
                + Objects.requireNonNull(one).packet().destination()
                + ", go to and fro between "
                + device.name()
                + " and its carrier",
            check.traced(check.attempt(one)),
            Cure.of(
                "let " + device.name() + " discard what is left of the block",
                new Change.Add(device, discarding(routed.to()), null)));
      }
    }
  }

  private static Route discarding(Prefix to) {
    return new Route(
        to, to.toString(), null, null, Route.DEFAULT_PREFERENCE, /* note= */ null, Place.IN_CODE);
  }

  // Lists.

  private void family(Device device, CompiledList list) {
    boolean six = false;
    boolean outside = false;
    for (AccessList.Guard guard : list.list().guards()) {
      outside |= Offers.isFromOutside(guard);
    }
    for (Interface own : device.interfaces()) {
      six |= !own.isOutside() && own.address(Family.IPV6) != null;
    }
    if (!six || !outside) {
      return;
    }
    PacketSet accepted = check.sets(device).meaning().accepted(list);
    PacketSet kept4 = check.space.of(Family.IPV4).minus(accepted);
    PacketSet kept6 = check.space.of(Family.IPV6).minus(accepted);
    if (kept4.isEmpty() == kept6.isEmpty()) {
      return;
    }
    Family open = kept4.isEmpty() ? Family.IPV4 : Family.IPV6;
    Address every = Address.lowest(open);
    AccessRule rule =
        AccessRule.called(Action.DROP, "the other family")
            .to(List.of(AddressTerm.of(Prefix.around(every, 0))))
            .build();
    check.add(
        Code.FAMILY_UNFILTERED,
        list.list(),
        Labels.of(list.list())
            + " of "
            + device.name()
            + " drops some packets over "
            + (open == Family.IPV4 ? Family.IPV6 : Family.IPV4)
            + ", but none over "
            + open,
        null,
        Cure.of(
            "drop what comes in over " + open + ", and accept before that what is meant to",
            new Change.Add(list.list(), rule, null)));
  }

  private void guardsNothing(Device device, CompiledList list) {
    check.add(
        Code.LIST_GUARDS_NOTHING,
        list.list(),
        Labels.of(list.list()) + " of " + device.name() + " guards no traffic",
        null,
        guards(device, list));
  }

  /** The ways on which its rules could match most. */
  private Cure guards(Device device, CompiledList list) {
    List<AccessList.Guard> guards = new ArrayList<>();
    for (CompiledList.Entry entry : list.entries()) {
      AccessList.Guard best = way(device, entry.rule());
      if (best != null && !guards.contains(best)) {
        guards.add(best);
      }
    }
    return guards.isEmpty()
        ? Cure.of("take it away", new Change.Remove(list.list()))
        : Cure.of(
            "let it guard the traffic that its rules are for",
            new Change.Alter(list.list(), list.list().withGuards(guards)));
  }

  private AccessList.@Nullable Guard way(Device device, AccessRule rule) {
    AccessList.Guard best = null;
    int most = 0;
    for (Interface arriving : device.interfaces()) {
      for (Interface leaving : device.interfaces()) {
        int fits = matching(rule.to(), device, leaving) + matching(rule.from(), device, arriving);
        boolean towardsOutside = rule.from().isEmpty() && !arriving.isOutside();
        fits -= towardsOutside ? 1 : 0;
        if (fits > most && !arriving.equals(leaving) && !isGuarded(device, arriving, leaving)) {
          most = fits;
          best = AccessList.Guard.of(arriving, leaving);
        }
      }
    }
    return best;
  }

  private int matching(List<AddressTerm> terms, Device device, Interface own) {
    if (terms.isEmpty()) {
      return 0;
    }
    AddressSet there =
        own.network().carrier().isEmpty() && sidesWith(device, own)
            ? check.addressesBehind(device, own)
            : check.strangers().union(check.addressesBehind(device, own));
    return check.addresses(terms).intersects(there) ? 2 : 0;
  }

  /** Whether an interface leads to nothing but what the file describes. */
  private boolean sidesWith(Device device, Interface own) {
    for (Family family : Family.values()) {
      Address some = check.strangers().lowest(family);
      Interface towards = some == null ? null : check.sets(device).program().towards(some);
      if (towards != null && towards.name().equals(own.name())) {
        return false;
      }
    }
    return true;
  }

  // Routes.

  /** Networks that the rules name and the device does not find. */
  private void routes(Device device) {
    Map<AddressTerm, Placed> named = new LinkedHashMap<>();
    for (TranslationRule rule : device.translation()) {
      List<AddressTerm> terms = new ArrayList<>();
      rule.choose(
          inward -> terms.add(inward.internal()),
          outward -> terms.addAll(outward.from()),
          both -> {
            terms.addAll(both.from());
            terms.addAll(both.to());
          });
      terms.forEach(term -> named.putIfAbsent(term, rule));
    }
    for (OwnService own : device.services()) {
      own.from().forEach(term -> named.putIfAbsent(term, own));
    }
    for (Network network : check.site.networks().values()) {
      if (network.isOutside() || network.realm() != null) {
        continue;
      }
      Address some =
          Objects.requireNonNullElse(
              network.prefixes().get(0).first().next(), network.prefixes().get(0).first());
      Interface towards = check.sets(device).program().towards(some);
      boolean lost =
          towards == null
              || (towards.isOutside() && SpecialAddresses.NOT_ON_THE_INTERNET.contains(some));
      if (!lost || isConnected(device, network) || isBehindDownLink(device, some)) {
        continue;
      }
      AddressSet addresses = AddressSet.ofPrefixes(network.prefixes());
      for (Map.Entry<AddressTerm, Placed> each : named.entrySet()) {
        AddressTerm term = each.getKey();
        boolean meant =
            term.kind() != AddressTerm.Kind.ANY && check.site.addresses(term).intersects(addresses);
        Cure cure = meant ? RouteCures.route(check.site, device, some) : null;
        if (cure != null) {
          check.add(
              Code.ROUTE_MISSING,
              device,
              network.name(),
              Labels.of(each.getValue())
                  + " (line "
                  + each.getValue().place().line()
                  + ") names "
                  + term.text()
                  + ", but "
                  + device.name()
                  + (towards == null
                      ? " has no route to " + network.name()
                      : " sends packets for " + network.name() + " towards the internet"),
              null,
              cure);
          break;
        }
      }
    }
  }

  /** Whether the only fault of the way to an address is an interface that carries nothing. */
  private static boolean isBehindDownLink(Device device, Address some) {
    for (Route route : device.routes()) {
      Interface leaving = route.leaving();
      if (route.to().contains(some) && leaving != null && !leaving.isUp()) {
        return true;
      }
    }
    return false;
  }

  private static boolean isConnected(Device device, Network network) {
    for (Interface own : device.interfaces()) {
      if (own.network().name().equals(network.name())) {
        return true;
      }
    }
    return false;
  }

  static @Nullable Interface outer(Device device) {
    for (Interface own : device.interfaces()) {
      if (own.isOutside()) {
        return own;
      }
    }
    return null;
  }
}
