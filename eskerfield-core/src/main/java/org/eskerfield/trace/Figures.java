// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.Placed;
import org.eskerfield.state.PoolFill;

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
 * @param fills the addresses and ports that dynamic and shared rules have given out
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
    List<PoolFill> fills,
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
    fills = List.copyOf(fills);
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
