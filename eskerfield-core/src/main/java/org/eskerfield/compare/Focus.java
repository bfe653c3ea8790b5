// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.DeviceMeaning.Ordered;
import org.eskerfield.reach.Fates;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.walk.EveryPacket;
import org.jspecify.annotations.Nullable;

/**
 * The packets that a difference between two sites may touch: more than those whose fate changes,
 * and in a large site with a small change far fewer than all.
 *
 * <p>Idea: rules that both sites have in the same order, with the same words and matching the same
 * packets, decide alike on everything that no other rule matches. So only what the other rules
 * match, what goes to or comes from hosts that differ, and what rules may turn into such packets,
 * or what these answer, has to be looked at. Whatever else differs may touch every packet.
 */
final class Focus {
  private static final int MOST_BOXES = 3_000;
  private static final int MOST_ROUNDS = 8;

  private final Site before;
  private final Site after;
  private final Fates old;
  private final Fates now;
  private final PacketSpace space;
  private final List<PacketSet> touched = new ArrayList<>();
  private boolean everything;

  Focus(Site before, Site after, Fates old, Fates now, PacketSpace space) {
    this.before = before;
    this.after = after;
    this.old = old;
    this.now = now;
    this.space = space;
  }

  PacketSet packets() {
    everything =
        !before.devices().keySet().equals(after.devices().keySet())
            || !before.timeZone().equals(after.timeZone())
            || !parts(before).equals(parts(after));
    networks();
    hosts();
    for (Device device : after.devices().values()) {
      Device was = before.devices().get(device.name());
      if (was != null && !everything) {
        device(was, device);
      }
    }
    return everything ? space.all() : closed();
  }

  private static String parts(Site site) {
    StringBuilder all = new StringBuilder();
    site.services().values().forEach(each -> all.append(each.name()).append(each.parts()));
    return all.toString();
  }

  private void networks() {
    everything |= !before.networks().keySet().equals(after.networks().keySet());
    for (Network network : after.networks().values()) {
      Network was = before.networks().get(network.name());
      everything |= was == null || differs(was, network);
    }
  }

  private static boolean differs(Placed was, Placed is) {
    return Differences.fields(was, is).stream().anyMatch(field -> !field.name().equals("note"));
  }

  private void hosts() {
    Set<String> names = new HashSet<>(before.hosts().keySet());
    names.addAll(after.hosts().keySet());
    for (String name : names) {
      Host was = before.hosts().get(name);
      Host is = after.hosts().get(name);
      boolean same = was != null && is != null && !differs(was, is) && !hasFilter(was, is);
      for (Host host : same ? new Host[0] : new Host[] {was, is}) {
        if (host != null) {
          AddressSet addresses = AddressSet.ofAddresses(host.addresses());
          touched.add(space.sources(addresses).union(space.destinations(addresses)));
        }
      }
    }
  }

  /** Whether a filter has to be read again, since what its names stand for may differ. */
  private static boolean hasFilter(Host was, Host is) {
    return was.filter() != null || is.filter() != null;
  }

  private void device(Device was, Device is) {
    List<Placed> old = new ArrayList<>(was.interfaces());
    List<Placed> now = new ArrayList<>(is.interfaces());
    old.addAll(was.routes());
    now.addAll(is.routes());
    old.addAll(was.services());
    now.addAll(is.services());
    everything |= old.size() != now.size() || differs(was, is);
    for (int i = 0; i < old.size() && !everything; i++) {
      everything |= differs(old.get(i), now.get(i));
    }
    everything |= was.access().size() != is.access().size();
    for (int i = 0; i < is.access().size() && !everything; i++) {
      lists(was, is, was.access().get(i), is.access().get(i));
    }
    for (int i = 0; i < is.services().size() && !everything; i++) {
      PacketSet served = this.old.sets(was).meaning().serving(was.services().get(i));
      everything |= !served.equals(this.now.sets(is).meaning().serving(is.services().get(i)));
    }
    if (!everything) {
      translations(this.old.sets(was).meaning().inward(), this.now.sets(is).meaning().inward());
      translations(this.old.sets(was).meaning().outward(), this.now.sets(is).meaning().outward());
    }
  }

  private void lists(Device wasOf, Device isOf, AccessList was, AccessList is) {
    // A list that speaks of the device itself judges what it sends, its answers too; others do not.
    boolean ofItself = namesSelf(old.sets(wasOf), was) != namesSelf(now.sets(isOf), is);
    if (!was.name().equals(is.name()) || differs(was, is) || ofItself) {
      everything = true;
      return;
    }
    Row before = new Row();
    Row after = new Row();
    rules(old.sets(wasOf), was, before);
    rules(now.sets(isOf), is, after);
    touch(before, after);
  }

  private static boolean namesSelf(EveryPacket sets, AccessList list) {
    return sets.program().lists().stream()
        .anyMatch(each -> each.list().name().equals(list.name()) && each.namesSelf());
  }

  private static void rules(EveryPacket sets, AccessList list, Row row) {
    for (CompiledList each : sets.program().lists()) {
      if (each.list().name().equals(list.name())) {
        each.entries().forEach(entry -> row.add(entry.rule(), sets.meaning().of(entry.match())));
      }
    }
  }

  private void translations(List<Ordered> then, List<Ordered> today) {
    Row before = new Row();
    Row after = new Row();
    then.forEach(each -> before.add(each.rule(), each.takes()));
    today.forEach(each -> after.add(each.rule(), each.takes()));
    touch(before, after);
  }

  /** Rules of one row with what they match. */
  private static final class Row {
    final List<Placed> rules = new ArrayList<>();
    final List<PacketSet> matched = new ArrayList<>();

    void add(Placed rule, PacketSet matches) {
      rules.add(rule);
      matched.add(matches);
    }
  }

  /** Notes what rules match that are not the same, or stand elsewhere among those that are. */
  private void touch(Row was, Row is) {
    Map<String, Placed> old = Differences.rules(was.rules);
    Map<String, Placed> now = Differences.rules(is.rules);
    List<String> then = new ArrayList<>(old.keySet());
    List<String> today = new ArrayList<>(now.keySet());
    Set<String> same = new HashSet<>();
    for (int i = 0; i < then.size(); i++) {
      int at = today.indexOf(then.get(i));
      if (at >= 0
          && !differs(was.rules.get(i), is.rules.get(at))
          && meaning(before, was.rules.get(i)).equals(meaning(after, is.rules.get(at)))
          && unmoored(was.matched.get(i)).equals(unmoored(is.matched.get(at)))) {
        same.add(then.get(i));
      }
    }
    List<String> common = new ArrayList<>(then);
    common.retainAll(same);
    List<String> still = new ArrayList<>(today);
    still.retainAll(same);
    Set<String> stayed = Differences.stayed(common, still);
    touch(then, was, stayed);
    touch(today, is, stayed);
  }

  private static @Nullable Pool pool(Placed thing) {
    return thing instanceof TranslationRule rule ? rule.pool() : null;
  }

  /** What the names in a translation rule stand for, beside what it matches. */
  private static String meaning(Site site, Placed rule) {
    List<Object> all = new ArrayList<>();
    InwardRule inward = InwardRule.of(rule);
    if (inward != null) {
      all.add(inward.internalBlock());
      Prefix external = inward.block();
      all.add(external == null ? "" : external);
      Admission admit = inward.admit();
      if (admit != null) {
        Schedule when = admit.when();
        all.add(site.addresses(admit.from()));
        all.add(when == null ? "" : when.windows());
      }
    }
    Pool pool = pool(rule);
    all.add(pool == null ? "" : pool.addresses());
    return all.toString();
  }

  private void touch(List<String> names, Row row, Set<String> stayed) {
    for (int i = 0; i < names.size(); i++) {
      if (!stayed.contains(names.get(i))) {
        touched.add(unmoored(row.matched.get(i)));
        InwardRule inward = InwardRule.of(row.rules.get(i));
        Prefix external = inward == null ? null : inward.block();
        // Whoever claims an address gets its packets, and drops those of other ports.
        if (external != null) {
          touched.add(space.destinations(AddressSet.ofPrefixes(List.of(external))));
        }
        Pool pool = pool(row.rules.get(i));
        if (pool != null) {
          touched.add(space.destinations(pool.addresses()));
        }
      }
    }
  }

  /** A set without the interfaces, which have other numbers on the other site. */
  private static PacketSet unmoored(PacketSet set) {
    return set.without(Dimension.ARRIVING).without(Dimension.LEAVING);
  }

  /** With what rules may turn into such packets, and what these answer. */
  private PacketSet closed() {
    PacketSet all = space.union(touched);
    try {
      all = all.union(space.askedFor(all, MOST_BOXES));
    } catch (UndeterminedException e) {
      return space.all();
    }
    for (int round = 0; round < MOST_ROUNDS; round++) {
      PacketSet more = all;
      for (Device device : after.devices().values()) {
        more = more.union(now.sets(device).meaning().before(all));
        Device was = Objects.requireNonNull(before.devices().get(device.name()));
        more = more.union(old.sets(was).meaning().before(all));
      }
      if (more.equals(all)) {
        return all;
      }
      all = more;
    }
    return space.all();
  }
}
