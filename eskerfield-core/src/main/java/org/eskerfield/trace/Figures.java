package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.List;
import org.eskerfield.model.Placed;

/**
 * What a device has seen in a run.
 *
 * @param sessions sessions now and at their most
 * @param bindings temporary bindings now and at their most
 * @param gotNothing how many flows found a pool or its ports used up
 * @param hits how many flows each rule or list decided on; without those that decided on none, in
 *     no order
 */
public record Figures(Level sessions, Level bindings, long gotNothing, List<Hit> hits) {
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

  /** Copies the list. */
  public Figures {
    hits = List.copyOf(hits);
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
