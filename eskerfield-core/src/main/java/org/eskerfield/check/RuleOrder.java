// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.set.Overlaps;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.UndeterminedException;
import org.jspecify.annotations.Nullable;

/**
 * What the rules of an ordered list leave for each other, where the first that matches decides.
 *
 * <p>Idea: only rules that overlap matter to each other, and most rules of a list do not. So for
 * each rule the earlier ones that overlap it are taken away from its set, one after the other; what
 * is left is what it decides. If nothing is left, it never acts, and those that took something are
 * the reason. If all that it decides would be decided in the same way by the rules behind it, it is
 * redundant. Cost: that of {@link Overlaps}, and set operations for the pairs that overlap; where
 * many do, their union is made by halves first.
 */
final class RuleOrder {
  /** From so many overlapping rules on their union is made first. */
  private static final int MANY = 40;

  /** How many intervals the sets of one rule may take, and those of one list. */
  private static final int MOST_A_RULE = 2_000_000;

  private static final int MOST_A_LIST = 5_000_000;

  /**
   * A rule of a list.
   *
   * @param takes what it matches, wherever it stands
   * @param effect what it does: two rules with equal effects may stand for each other
   */
  record Entry(PacketSet takes, Object effect) {}

  /** What was found out about one rule. */
  static final class Standing {
    /** What it decides; null if that is undetermined. */
    @Nullable PacketSet decides;

    /** Earlier rules, by number, that took something of what it matches, as far as needed. */
    final List<Integer> takenBy = new ArrayList<>();

    /** Later rules, by number, that overlap what it decides with another effect, and cross it. */
    final List<Integer> crosses = new ArrayList<>();

    /** Whether all would be the same without it. */
    boolean redundant;

    boolean neverActs() {
      return decides != null && decides.isEmpty();
    }
  }

  private final PacketSpace space;
  private final List<Entry> entries;
  private final @Nullable Object otherwise;

  /** The same number for equal effects. */
  private final int[] effects;

  private final Standing[] standings;
  private final List<int[]> overlapping = new ArrayList<>(); // earlier rules, by rule
  private final List<List<Integer>> later = new ArrayList<>(); // that overlap, by rule
  private long used;

  private RuleOrder(PacketSpace space, List<Entry> entries, @Nullable Object otherwise) {
    this.space = space;
    this.entries = entries;
    this.otherwise = otherwise;
    this.standings = new Standing[entries.size()];
    this.effects = new int[entries.size()];
    Map<Object, Integer> numbers = new HashMap<>();
    for (int i = 0; i < effects.length; i++) {
      Integer known = numbers.putIfAbsent(entries.get(i).effect, numbers.size());
      effects[i] = known == null ? numbers.size() - 1 : known;
    }
  }

  /**
   * The standing of each rule of a list, in their order.
   *
   * @param otherwise what happens to packets that no rule matches; null if nothing does
   */
  static List<Standing> of(PacketSpace space, List<Entry> entries, @Nullable Object otherwise) {
    RuleOrder order = new RuleOrder(space, entries, otherwise);
    order.findOverlaps();
    order.each(order::decide);
    order.each(order::judge);
    space.allow(Integer.MAX_VALUE);
    return Arrays.asList(order.standings);
  }

  private interface Judge {
    void of(int rule);
  }

  private void each(Judge judge) {
    for (int i = 0; i < standings.length; i++) {
      if (standings[i] == null) {
        standings[i] = new Standing();
      }
      try {
        if (used < MOST_A_LIST) {
          space.allow(MOST_A_RULE);
          judge.of(i);
        }
      } catch (UndeterminedException e) {
        standings[i].decides = null;
      }
      used += space.used();
    }
  }

  /** Two rules overlap exactly if some packet matches both; those that surely do not are left. */
  private void findOverlaps() {
    List<PacketSet.Bounds> bounds = entries.stream().map(each -> each.takes.bounds()).toList();
    overlapping.addAll(Arrays.asList(Overlaps.of(bounds)));
    for (int k = 0; k < entries.size(); k++) {
      later.add(new ArrayList<>());
      for (int earlier : overlapping.get(k)) {
        later.get(earlier).add(k);
      }
    }
  }

  private void decide(int rule) {
    Standing standing = standings[rule];
    PacketSet left = entries.get(rule).takes;
    int[] earlier = overlapping.get(rule);
    if (earlier.length > MANY) {
      List<PacketSet> sets = new ArrayList<>();
      for (int j : earlier) {
        sets.add(entries.get(j).takes.intersection(left));
      }
      PacketSet rest = left.minus(space.union(sets));
      if (!rest.isEmpty()) {
        standing.decides = rest;
        return;
      }
    }
    for (int j : earlier) {
      PacketSet rest = left.minus(entries.get(j).takes);
      if (!rest.equals(left)) {
        standing.takenBy.add(j);
        left = rest;
      }
      if (left.isEmpty()) {
        break;
      }
    }
    standing.decides = left;
  }

  private void judge(int rule) {
    PacketSet decides = standings[rule].decides;
    if (decides == null || decides.isEmpty()) {
      return;
    }
    Object effect = entries.get(rule).effect;
    boolean otherSame = effect.equals(otherwise);
    for (int k : later.get(rule)) {
      otherSame |= effects[k] == effects[rule];
    }
    PacketSet rest = decides;
    boolean same = otherSame;
    for (int k : later.get(rule)) {
      PacketSet takes = entries.get(k).takes;
      if (effects[k] != effects[rule]) {
        if (decides.meets(takes)) {
          same &= !rest.meets(takes);
          if (!takes.covers(entries.get(rule).takes) && !entries.get(rule).takes.covers(takes)) {
            standings[rule].crosses.add(k);
          }
        }
      }
      if (same) {
        rest = rest.minus(takes);
      }
    }
    standings[rule].redundant = same && (rest.isEmpty() || effect.equals(otherwise));
  }
}
