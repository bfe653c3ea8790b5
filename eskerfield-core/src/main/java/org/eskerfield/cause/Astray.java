// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Site;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.RouteTable;
import org.eskerfield.trace.Labels;
import org.jspecify.annotations.Nullable;

/**
 * Lists that guard where nothing comes that their rules are for.
 *
 * <p>Idea: the routes of a device say by which interface addresses are reached, and so by which
 * their packets come and go. A rule is in its place if its senders and receivers lie on the two
 * sides of a way that its list guards.
 */
public final class Astray {
  private final Site site;
  private final Device device;
  private final AddressSet own;
  private final Map<String, AddressSet> behind = new HashMap<>();

  public Astray(Site site, Device device) {
    this.site = site;
    this.device = device;
    this.own = AddressSet.ofAddresses(device.addresses());
    AddressSet rest = AddressSet.ALL;
    for (RouteTable.Entry entry : new RouteTable(device).entries()) {
      AddressSet to = AddressSet.ofPrefixes(List.of(entry.to()));
      Interface leaving = entry.leaving();
      if (leaving != null) {
        behind.merge(leaving.name(), to.intersection(rest), AddressSet::union);
      }
      rest = rest.intersection(to.complement());
    }
  }

  /**
   * Whether rules of a list that accept are out of place, and none is in its place; those for
   * anybody to anywhere count for neither.
   */
  public boolean is(AccessList list) {
    boolean some = false;
    for (AccessRule rule : list.rules()) {
      boolean astray = is(list, rule);
      if (!rule.disabled() && rule.action() == Action.ACCEPT) {
        if (!astray && !(rule.from().isEmpty() && rule.to().isEmpty())) {
          return false;
        }
        some |= astray;
      }
    }
    return some && !CompiledList.of(site, list).namesSelf();
  }

  /** Whether a rule is for packets that go no way that its list guards. */
  boolean is(AccessList list, AccessRule rule) {
    AddressSet from = site.matched(rule.from());
    AddressSet to = site.matched(rule.to());
    for (InwardRule inward : device.seesOriginal() ? device.inward() : List.<InwardRule>of()) {
      Prefix external = inward.block();
      if (external != null && to.intersects(AddressSet.ofPrefixes(List.of(external)))) {
        to = to.union(AddressSet.ofPrefixes(List.of(inward.internalBlock())));
      }
    }
    for (AccessList.Guard guard : list.guards()) {
      boolean there = guard.toDevice() ? to.intersects(own) : isBehind(guard.leaving(), to);
      if (there && isBehind(guard.arriving(), from)) {
        return false;
      }
    }
    return true;
  }

  private boolean isBehind(@Nullable InterfaceTerm term, AddressSet some) {
    if (term == null) {
      return true;
    }
    for (Interface own : term.interfaces()) {
      AddressSet there = behind.get(own.name());
      if (there != null && there.intersects(some)) {
        return true;
      }
    }
    return false;
  }

  /**
   * The same list on the only way where its rules are in place; null if there are more, or none.
   */
  public @Nullable AccessList putRight(AccessList list) {
    Map<List<AccessList.Guard>, AccessList> found = new LinkedHashMap<>();
    for (Interface arriving : device.interfaces()) {
      for (Interface leaving : device.interfaces()) {
        AccessList there = arriving.equals(leaving) ? null : guarding(list, arriving, leaving);
        if (there != null && !isAnyOut(there)) {
          found.put(there.guards(), there);
        }
      }
    }
    return found.size() == 1 ? found.values().iterator().next() : null;
  }

  private boolean isAnyOut(AccessList list) {
    return list.rules().stream().anyMatch(rule -> !rule.disabled() && is(list, rule));
  }

  /**
   * A list of a device on the other ways that it could guard by one slip: turned round, or with
   * another interface at one end; none where it does not guard just one.
   */
  public static List<AccessList> others(Device device, AccessList list) {
    AccessList turned = turned(list);
    if (turned == null) {
      return List.of();
    }
    Set<List<AccessList.Guard>> known = new HashSet<>(List.of(list.guards()));
    List<AccessList> others = new ArrayList<>();
    AccessList.Guard guard = list.guards().get(0);
    add(others, known, turned);
    for (Interface own : device.interfaces()) {
      InterfaceTerm end = InterfaceTerm.of(own);
      for (boolean arrives : new boolean[] {true, false}) {
        if ((arrives ? guard.arriving() : guard.leaving()) != null) {
          add(
              others,
              known,
              list.withGuards(
                  List.of(
                      new AccessList.Guard(
                          arrives ? end : guard.arriving(),
                          arrives ? guard.leaving() : end,
                          /* toDevice= */ false,
                          guard.place()))));
        }
      }
    }
    return others;
  }

  private static void add(
      List<AccessList> some, Set<List<AccessList.Guard>> known, AccessList list) {
    AccessList.Guard guard = list.guards().get(0);
    boolean loops =
        guard.arriving() != null
            && guard.leaving() != null
            && guard.arriving().text().equals(guard.leaving().text());
    if (!loops && known.add(list.guards())) {
      some.add(list);
    }
  }

  /** How to have a list guard what another version of it does. */
  public static Cure cure(AccessList list, AccessList by) {
    return Cure.of("let " + Labels.of(list) + " guard " + ways(by), new Change.Alter(list, by));
  }

  /** A list that guards its way in the other direction; null if it does not guard just one. */
  static @Nullable AccessList turned(AccessList list) {
    AccessList.Guard guard = list.guards().size() == 1 ? list.guards().get(0) : null;
    return guard == null || guard.toDevice()
        ? null
        : list.withGuards(
            List.of(
                new AccessList.Guard(
                    /* arriving= */ guard.leaving(),
                    /* leaving= */ guard.arriving(),
                    /* toDevice= */ false,
                    guard.place())));
  }

  /**
   * A list that guards a way in place of its only one, where that is astray: turned round if that
   * will do, else with the end that is wrong named anew.
   */
  static @Nullable AccessList guarding(AccessList list, Interface arriving, Interface leaving) {
    List<AccessList.Guard> guards = list.guards();
    AccessList turned = turned(list);
    if (turned == null) {
      return guards.isEmpty() || (guards.size() == 1 && guards.get(0).toDevice())
          ? list.withGuards(List.of(AccessList.Guard.of(arriving, leaving)))
          : null;
    }
    AccessList.Guard back = turned.guards().get(0);
    if (covers(back.arriving(), arriving) && covers(back.leaving(), leaving)) {
      return turned;
    }
    AccessList.Guard guard = guards.get(0);
    InterfaceTerm from = guard.arriving();
    InterfaceTerm to = guard.leaving();
    return list.withGuards(
        List.of(
            new AccessList.Guard(
                covers(from, arriving) ? from : InterfaceTerm.of(arriving),
                covers(to, leaving) ? to : InterfaceTerm.of(leaving),
                /* toDevice= */ false,
                guard.place())));
  }

  private static boolean covers(@Nullable InterfaceTerm term, Interface own) {
    return term == null || term.names(own);
  }

  /** The ways that a list guards, in words. */
  public static String ways(AccessList list) {
    List<String> ways = new ArrayList<>();
    for (AccessList.Guard guard : list.guards()) {
      InterfaceTerm from = guard.arriving();
      InterfaceTerm to = guard.leaving();
      ways.add(
          from != null && to != null
              ? "the way from " + from.text() + " to " + to.text()
              : from != null
                  ? "what arrives on " + from.text()
                  : to != null ? "what leaves by " + to.text() : "");
      if (guard.toDevice()) {
        ways.set(ways.size() - 1, (ways.get(ways.size() - 1) + " for the device itself").trim());
      }
    }
    return String.join(", and ", ways);
  }
}
