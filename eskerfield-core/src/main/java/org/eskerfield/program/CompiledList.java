// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Packet;
import org.eskerfield.set.PacketSet;
import org.jspecify.annotations.Nullable;

/**
 * A rule list with all names resolved and disabled rules left out; the first match decides.
 *
 * @param list the list
 * @param row its rules in order
 * @param namesSelf whether a rule is about packets of the device itself
 */
public record CompiledList(AccessList list, Row<Entry> row, boolean namesSelf) {
  /**
   * An access rule.
   *
   * @param rule the rule
   * @param match what it matches
   */
  public record Entry(AccessRule rule, Match match) implements Condition {
    /** Of its own packets the device asks only rules that name it. */
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return (!own || match.namesSelf()) && match.holds(packet, own, now);
    }

    @Override
    public PacketSet among(Meaning all) {
      return all.of(match);
    }

    @Override
    public PacketSet amongOwn(DeviceMeaning all) {
      return match.namesSelf() ? match.amongOwn(all) : all.space().none();
    }

    @Override
    public Needs needs() {
      return match.needs();
    }
  }

  /** Its rules in order. */
  public List<Entry> entries() {
    return row.entries();
  }

  /** Compiles a list of a site. */
  public static CompiledList of(Site site, AccessList list) {
    return of(site, list, List.of());
  }

  /**
   * Compiles a list of a site.
   *
   * @param known compiled lists of a site where every name means the same; what they have of this
   *     one is taken from them
   */
  @SuppressWarnings("ReferenceEquality") // the same object was compiled already
  static CompiledList of(Site site, AccessList list, List<CompiledList> known) {
    IdentityHashMap<AccessRule, Entry> before = new IdentityHashMap<>();
    for (CompiledList each : known) {
      if (each.list == list) {
        return each;
      }
      if (each.list.name().equals(list.name())) {
        each.entries().forEach(entry -> before.put(entry.rule(), entry));
      }
    }
    List<Entry> entries = new ArrayList<>();
    boolean namesSelf = false;
    for (AccessRule rule : list.rules()) {
      if (!rule.disabled()) {
        Entry entry = before.get(rule);
        entry = entry == null ? new Entry(rule, new Match(site, rule)) : entry;
        entries.add(entry);
        namesSelf |= entry.match().namesSelf();
      }
    }
    Row<Entry> row =
        new Row<>(
            entries,
            entry -> entry.rule().action() == Action.ACCEPT,
            list.otherwise() == Action.ACCEPT);
    return new CompiledList(list, row, namesSelf);
  }

  /** Whether a rule asks for TCP flags or ICMP codes. */
  boolean asksHeaders() {
    return entries().stream().anyMatch(entry -> entry.match().asksHeaders());
  }

  /** Whether it guards a way; null for the device itself as its beginning or end. */
  public boolean guards(@Nullable Interface arriving, @Nullable Interface leaving) {
    for (AccessList.Guard guard : list.guards()) {
      if (fits(guard, arriving, leaving)) {
        return true;
      }
    }
    return false;
  }

  /** Whether it guards a way that begins at an interface. */
  public boolean guardsFrom(Interface arriving) {
    return list.guards().stream()
        .anyMatch(guard -> DeviceProgram.covers(guard.arriving(), arriving));
  }

  /**
   * Where the list stands among those that guard a way: 0 for one of the arriving interface, 1 for
   * one of both ends, 2 for one of the leaving interface or of the device itself. A list with
   * several ways stands where the earliest that fits stands.
   */
  public int position(@Nullable Interface arriving, @Nullable Interface leaving) {
    int earliest = 2;
    for (AccessList.Guard guard : list.guards()) {
      if (fits(guard, arriving, leaving) && guard.arriving() != null) {
        earliest = Math.min(earliest, guard.leaving() == null && !guard.toDevice() ? 0 : 1);
      }
    }
    return earliest;
  }

  private static boolean fits(
      AccessList.Guard guard, @Nullable Interface arriving, @Nullable Interface leaving) {
    return guard.toDevice() == (leaving == null)
        && DeviceProgram.covers(guard.arriving(), arriving)
        && DeviceProgram.covers(guard.leaving(), leaving);
  }

  /**
   * The first rule that matches a packet; null if none does.
   *
   * @param own whether the device itself sends it: then only rules that name it are asked
   */
  public @Nullable AccessRule firstMatch(Packet seen, boolean own, ZonedDateTime now) {
    Entry entry = row.get(row.first(seen, own, now));
    return entry == null ? null : entry.rule();
  }

  /** The accepting rule that came nearest, if it missed by no more than two fields; else null. */
  public @Nullable Nearest nearest(Packet seen, boolean own, ZonedDateTime now) {
    Nearest nearest = null;
    for (Entry entry : row.entries()) {
      if (entry.rule().action() == Action.ACCEPT) {
        nearest = Nearest.of(nearest, entry.rule(), entry.match().misses(seen, own, now));
      }
    }
    return nearest == null || nearest.misses().size() > 2 ? null : nearest;
  }
}
