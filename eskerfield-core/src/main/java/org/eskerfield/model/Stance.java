// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.ArrayList;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * The default of a device for traffic that no list guards.
 *
 * @param otherwise for every pair of zones that {@code pairs} leaves out
 * @param pairs exceptions, first match wins; often empty
 * @param place where it stands
 */
public record Stance(Action otherwise, List<Pair> pairs, Place place) implements Placed {
  /**
   * The default from one zone to another.
   *
   * @param from the zone of the arriving interface, or {@code any}
   * @param to the zone of the leaving interface, {@code device} for the device itself, or {@code
   *     any} for both
   * @param action accept, drop or reject
   * @param place where it stands
   */
  public record Pair(String from, String to, Action action, Place place) implements Placed {
    private boolean covers(String arrivingZone, String leavingZone) {
      return (from.equals(Site.ANY) || from.equals(arrivingZone))
          && (to.equals(Site.ANY) || to.equals(leavingZone));
    }
  }

  /** Copies the pairs. */
  public Stance {
    pairs = List.copyOf(pairs);
  }

  /** The same, but for one way, which comes before the others. */
  public Stance but(String from, String to, Action action) {
    List<Pair> changed = new ArrayList<>(pairs);
    changed.removeIf(pair -> pair.from().equals(from) && pair.to().equals(to));
    changed.add(0, new Pair(from, to, action, place));
    return new Stance(otherwise, changed, place);
  }

  /** The first pair that says something of this way; null if none does. */
  public @Nullable Pair pairFor(String arrivingZone, String leavingZone) {
    for (Pair pair : pairs) {
      if (pair.covers(arrivingZone, leavingZone)) {
        return pair;
      }
    }
    return null;
  }

  /** The action for packets from one zone to another. */
  public Action actionFor(String arrivingZone, String leavingZone) {
    Pair pair = pairFor(arrivingZone, leavingZone);
    return pair != null ? pair.action() : otherwise;
  }

  /** Whether it is the one word {@code accept}, as on a plain router, which remembers nothing. */
  public boolean acceptsEverything() {
    return otherwise == Action.ACCEPT && pairs.isEmpty();
  }
}
