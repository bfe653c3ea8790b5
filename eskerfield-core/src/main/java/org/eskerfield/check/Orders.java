// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Named;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.DeviceMeaning;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Labels;
import org.eskerfield.walk.EveryPacket;
import org.jspecify.annotations.Nullable;

/** Rules that their place in the list keeps from acting, or makes needless. */
final class Orders {
  /** What an access rule does with what it decides. */
  private record Effect(Action action, boolean log) {}

  private final Inspection check;

  Orders(Inspection check) {
    this.check = check;
  }

  void inspect(Device device) {
    for (CompiledList list : check.sets(device).program().lists()) {
      inspect(device, list);
    }
    List<TranslationRule> inward = new ArrayList<>();
    List<RuleOrder.Entry> entries = new ArrayList<>();
    for (DeviceMeaning.Ordered each : check.sets(device).meaning().inward()) {
      inward.add(each.rule());
      entries.add(new RuleOrder.Entry(each.takes(), each.rule()));
    }
    report(
        device, inward, RuleOrder.of(check.space, entries, null), entries, "packets that arrive");
    outward(device);
  }

  /** A rule whose outer side earlier rules take entirely, though insiders still use it. */
  void facingHalf(Device device, InwardRule rule) {
    PacketSet outer = check.space.none();
    for (Interface each : rule.facing().interfaces()) {
      outer = outer.union(check.space.arriving(check.sets(device).meaning().number(each)));
    }
    List<TranslationRule> rules = new ArrayList<>();
    List<RuleOrder.Entry> entries = new ArrayList<>();
    for (DeviceMeaning.Ordered each : check.sets(device).meaning().inward()) {
      rules.add(each.rule());
      entries.add(new RuleOrder.Entry(each.takes().intersection(outer), each.rule()));
    }
    int at = rules.indexOf(rule);
    List<RuleOrder.Standing> standings = RuleOrder.of(check.space, entries, null);
    if (at >= 0 && standings.get(at).neverActs() && !standings.get(at).takenBy.isEmpty()) {
      never(rules, standings, entries, at, "packets that arrive by " + rule.facing().text());
    }
  }

  private void outward(Device device) {
    List<TranslationRule> rules = new ArrayList<>();
    List<RuleOrder.Entry> entries = new ArrayList<>();
    for (DeviceMeaning.Ordered each : check.sets(device).meaning().outward()) {
      rules.add(each.rule());
      entries.add(new RuleOrder.Entry(each.takes(), each.rule()));
    }
    List<RuleOrder.Standing> standings = RuleOrder.of(check.space, entries, null);
    for (int i = 0; i < rules.size(); i++) {
      // A static rule for ports is there for what comes in; its hosts open flows from other ports.
      if (rules.get(i).isBothWays() && !rules.get(i).holdsAddress()) {
        standings.get(i).decides = null;
        standings.get(i).takenBy.clear();
      }
    }
    report(device, rules, standings, entries, "packets that leave");
  }

  private void inspect(Device device, CompiledList list) {
    List<RuleOrder.Entry> entries = new ArrayList<>();
    List<AccessRule> rules = new ArrayList<>();
    for (CompiledList.Entry entry : list.entries()) {
      rules.add(entry.rule());
      entries.add(
          new RuleOrder.Entry(
              check.sets(device).meaning().of(entry.match()),
              new Effect(entry.rule().action(), entry.rule().log())));
    }
    List<RuleOrder.Standing> standings =
        RuleOrder.of(
            check.space, entries, new Effect(list.list().otherwise(), list.list().logsOtherwise()));
    report(device, rules, standings, entries, "packets");
    Coming coming = new Coming(entries, coming(device, list.list()));
    for (int i = 0; i < rules.size(); i++) {
      RuleOrder.Standing standing = standings.get(i);
      if (standing.decides != null) {
        check.decides(rules.get(i), standing.decides);
      }
      if (standing.redundant) {
        redundant(list, rules.get(i));
      } else {
        PacketSet first = null;
        List<AccessRule> crossed = new ArrayList<>();
        for (int other : standing.crosses) {
          boolean alike = rules.get(i).action() == rules.get(other).action();
          PacketSet both =
              alike || coming.nests(i, other)
                  ? check.space.none()
                  : Objects.requireNonNull(standing.decides)
                      .intersection(entries.get(other).takes())
                      .intersection(coming.senders);
          both = both.isEmpty() ? both : met(device, list, both);
          if (!both.isEmpty()) {
            first = first == null ? both : first;
            crossed.add(rules.get(other));
          }
        }
        if (first != null) {
          crosses(rules.get(i), crossed, first);
        }
      }
    }
  }

  private void redundant(CompiledList list, AccessRule rule) {
    check.add(
        Code.RULE_REDUNDANT,
        rule,
        Labels.of(rule)
            + " of "
            + Labels.of(list.list())
            + " changes nothing: later rules, or the list's 'otherwise: "
            + list.list().otherwiseText()
            + "', do the same",
        null,
        Cure.of("take it away", new Change.Remove(rule)));
  }

  /** The packets of senders who are where the ways that a list guards begin. */
  private PacketSet coming(Device device, AccessList list) {
    PacketSet coming = check.space.none();
    for (AccessList.Guard guard : list.guards()) {
      if (guard.arriving() == null) {
        return check.space.all();
      }
      for (Interface arriving : guard.arriving().interfaces()) {
        coming =
            coming.union(
                check.space.sources(
                    arriving.isOutside()
                        ? check.strangers()
                        : check.addressesBehind(device, arriving)));
      }
    }
    return list.guards().isEmpty() ? check.space.all() : coming;
  }

  /** What each rule of a list is for, as far as anybody comes there. */
  private static final class Coming {
    private final List<RuleOrder.Entry> entries;
    private final PacketSet senders;
    private final Map<Integer, PacketSet> known = new HashMap<>();

    Coming(List<RuleOrder.Entry> entries, PacketSet senders) {
      this.entries = entries;
      this.senders = senders;
    }

    private PacketSet of(int rule) {
      return known.computeIfAbsent(rule, at -> entries.get(at).takes().intersection(senders));
    }

    /** Whether one rule is for less than the other. */
    boolean nests(int one, int other) {
      return of(one).covers(of(other)) || of(other).covers(of(one));
    }
  }

  /** What comes to a list of some packets. */
  private PacketSet met(Device device, CompiledList list, PacketSet some) {
    PacketSet met = check.space.none();
    for (Interface arriving : device.interfaces()) {
      if (check.passages(device, arriving).isEmpty() && arriving.isUp()) {
        return some; // too many to work out: nothing is known of what comes
      }
      for (EveryPacket.Approach approach : check.sets(device).approaches(arriving, some)) {
        if (approach.isGuardedBy(list)) {
          met = met.union(approach.seen().intersection(some));
        }
      }
    }
    return met;
  }

  private void crosses(AccessRule rule, List<AccessRule> crossed, PacketSet both) {
    AccessRule later = crossed.get(0);
    int more = crossed.size() - 1;
    check.add(
        Code.RULES_CROSS,
        rule,
        Labels.of(rule)
            + " (line "
            + rule.place().line()
            + ") crosses "
            + Labels.of(later)
            + " (line "
            + later.place().line()
            + (more == 0 ? ")" : ") and " + more + " more")
            + ": "
            + rule.action()
            + " against "
            + later.action()
            + " for what both match, such as "
            + Samples.text(both.sample()),
        null,
        Cure.byHand(
            "narrow one of them, so that each packet is meant by one rule only; or accept the"
                + " finding with the reason"));
  }

  private <T extends Named> void report(
      Device device,
      List<T> rules,
      List<RuleOrder.Standing> standings,
      List<RuleOrder.Entry> entries,
      String what) {
    int undetermined = 0;
    T first = null;
    for (int i = 0; i < rules.size(); i++) {
      RuleOrder.Standing standing = standings.get(i);
      if (standing.decides == null) {
        boolean left =
            rules.get(i) instanceof TranslationRule rule
                && rule.isBothWays()
                && !rule.holdsAddress();
        undetermined += left ? 0 : 1;
        first = first == null && !left ? rules.get(i) : first;
      } else if (standing.neverActs() && !standing.takenBy.isEmpty()) {
        never(rules, standings, entries, i, what);
      }
    }
    if (first != null) {
      check.add(
          Code.UNDETERMINED,
          first,
          "whether "
              + (undetermined == 1
                  ? Labels.of(first)
                  : Labels.of(first) + " and " + (undetermined - 1) + " more rules below it")
              + " of "
              + device.name()
              + (undetermined == 1 ? " ever acts" : " ever act")
              + " was not worked out: the rules overlap in too many ways",
          null,
          Cure.byHand("split the list, or let its rules overlap less"));
    }
  }

  private static boolean keepsPackets(Named thing) {
    return thing instanceof TranslationRule rule && rule.keepsPackets();
  }

  private <T extends Named> void never(
      List<T> rules,
      List<RuleOrder.Standing> standings,
      List<RuleOrder.Entry> entries,
      int at,
      String what) {
    T rule = rules.get(at);
    List<Integer> takenBy = standings.get(at).takenBy;
    int only = takenBy.get(0);
    RuleOrder.Entry mine = entries.get(at);
    boolean untouched = false;
    boolean same = true;
    T other = null;
    for (int by : takenBy) {
      untouched |= keepsPackets(rules.get(by));
      boolean alike = entries.get(by).effect().equals(mine.effect());
      same &= alike;
      other = other == null && !alike ? rules.get(by) : other;
    }
    boolean everything = takenBy.size() == 1 && entries.get(only).takes().equals(check.space.all());
    Code code =
        untouched && !keepsPackets(rule)
            ? Code.UNTOUCHED_FIRST
            : everything ? Code.RULE_AFTER_EVERYTHING : Code.RULE_NEVER_ACTS;
    check.add(
        code,
        rule,
        Labels.of(rule)
            + " never acts on "
            + what
            + ": "
            + names(rules, takenBy)
            + (takenBy.size() == 1
                ? everything ? " matches every packet" : " matches all that it is for"
                : " together match all that it is for"),
        null,
        hidesMore(standings, only, at) && takenBy.size() == 1 && !same && other != null
            ? behind(rules, standings, only)
            : cure(rule, same, other, entries, at, takenBy));
  }

  /** Whether a rule hides others than one of them as well, all by itself. */
  private static boolean hidesMore(List<RuleOrder.Standing> standings, int taker, int hidden) {
    for (int i = 0; i < standings.size(); i++) {
      RuleOrder.Standing each = standings.get(i);
      if (i != hidden && each.takenBy.equals(List.of(taker)) && each.neverActs()) {
        return true;
      }
    }
    return false;
  }

  /** To move one broad rule behind all that it hides, instead of each of them before it. */
  private static <T extends Named> Cure behind(
      List<T> rules, List<RuleOrder.Standing> standings, int taker) {
    int last = taker;
    for (int i = taker + 1; i < standings.size(); i++) {
      RuleOrder.Standing each = standings.get(i);
      last = each.neverActs() && each.takenBy.equals(List.of(taker)) ? i : last;
    }
    T broad = rules.get(taker);
    return Cure.of(
        "move " + Labels.of(broad) + " behind the rules that it hides",
        new Change.Move(broad, last + 1 < rules.size() ? rules.get(last + 1) : null));
  }

  private <T extends Named> Cure cure(
      T rule,
      boolean same,
      @Nullable T other,
      List<RuleOrder.Entry> entries,
      int at,
      List<Integer> takenBy) {
    if (same || other == null) {
      return Cure.of("take it away: what it is for is done already", new Change.Remove(rule));
    }
    for (int by : takenBy) {
      if (entries.get(at).takes().covers(entries.get(by).takes())) {
        return Cure.of(
            "take it away; to put it first would hide " + Labels.of(other) + " instead",
            new Change.Remove(rule));
      }
    }
    return Cure.of(
        "move it before " + Labels.of(other) + ", so that the rule for less comes first",
        new Change.Move(rule, other));
  }

  private static <T extends Named> String names(List<T> rules, List<Integer> numbers) {
    List<String> names = new ArrayList<>();
    for (int number : numbers.subList(0, Math.min(3, numbers.size()))) {
      T rule = rules.get(number);
      names.add(Labels.of(rule) + " (line " + rule.place().line() + ")");
    }
    if (numbers.size() > 3) {
      names.add((numbers.size() - 3) + " more");
    }
    int last = names.size() - 1;
    return last == 0
        ? names.get(0)
        : String.join(", ", names.subList(0, last)) + " and " + names.get(last);
  }
}
