// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.Placed;
import org.eskerfield.state.PoolFill;
import org.jspecify.annotations.Nullable;

/**
 * The counters of a device in a run.
 *
 * @param sessions sessions now and at their most
 * @param bindings temporary bindings now and at their most
 * @param sessionsAged how many sessions ended because their time was up
 * @param bindingsAged how many temporary bindings ended with them
 * @param gotNothing the number of flows that found a pool or its ports used up
 * @param hits how many flows each rule or list decided on; without those that decided on none, in
 *     no order
 * @param pools the addresses and ports that dynamic and shared rules have given out, in the order
 *     of the rules
 * @param bindingsByKind how many bindings there are now, the permanent ones too, by kind of rule
 * @param packetsByInterface how many of the packets that open flows, and of their replies, came in
 *     by each interface
 * @param ended how many packets ended here, by the code of the ruling that ended them
 */
public record Figures(
    Level sessions,
    Level bindings,
    long sessionsAged,
    long bindingsAged,
    long gotNothing,
    List<Hit> hits,
    List<Pool> pools,
    Map<String, Long> bindingsByKind,
    Map<String, Long> packetsByInterface,
    Map<String, Long> ended) {
  /**
   * How often a rule or list decided.
   *
   * @param by the rule or list
   * @param flows the number of flows
   */
  public record Hit(Placed by, long flows) {}

  /**
   * What a rule gives out.
   *
   * @param fill how much of it is given out now
   * @param most how much was at most
   * @param at when that was reached first; null where nothing was given out yet
   * @param refused how many flows found nothing left
   * @param refusedAt when the first of them came; null for none
   */
  public record Pool(
      PoolFill fill,
      long most,
      @Nullable ZonedDateTime at,
      long refused,
      @Nullable ZonedDateTime refusedAt) {}

  /**
   * A number that rises and falls.
   *
   * @param now the number now
   * @param most the highest so far
   * @param at when it was reached first
   */
  public record Level(int now, int most, ZonedDateTime at) {
    Level moved(int to, ZonedDateTime moment) {
      return new Level(to, Math.max(most, to), to > most ? moment : at);
    }
  }

  /** Copies lists and maps. */
  public Figures {
    hits = List.copyOf(hits);
    pools = List.copyOf(pools);
    bindingsByKind = Collections.unmodifiableMap(new LinkedHashMap<>(bindingsByKind));
    packetsByInterface = Collections.unmodifiableMap(new LinkedHashMap<>(packetsByInterface));
    ended = Collections.unmodifiableMap(new LinkedHashMap<>(ended));
  }

  /** How many flows a rule or list decided on. */
  public long flowsOf(Placed by) {
    for (Hit hit : hits) {
      if (hit.by().equals(by)) {
        return hit.flows();
      }
    }
    return 0;
  }
}
