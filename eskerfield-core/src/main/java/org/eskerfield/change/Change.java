// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.change;

import java.util.List;
import org.eskerfield.model.Placed;
import org.jspecify.annotations.Nullable;

/**
 * One alteration of a policy, told with the objects of the model. {@link Changes} carries it out on
 * the model; a module for files carries it out on their text.
 */
public sealed interface Change {
  /** What it is about. */
  Placed object();

  /** Whether all that it is about stands in a file, and not in the result of another change. */
  default boolean isOfFile() {
    Placed before =
        this instanceof Add add ? add.before : this instanceof Move move ? move.before : null;
    return object().place().line() > 0 && (before == null || before.place().line() > 0);
  }

  /**
   * An object says something else. Of a device or a host its own settings count, not what is in it.
   *
   * @param object the object as it is: a rule, list, route, own service, interface, device or host
   * @param by the object as it is to be
   */
  record Alter(Placed object, Placed by) implements Change {}

  /**
   * Something comes to what holds several of its kind.
   *
   * @param object the access list for an access rule, else the device
   * @param added an access rule, a translation rule, an access list, an own service or a route
   * @param before the object that it goes before; null to go last
   */
  record Add(Placed object, Placed added, @Nullable Placed before) implements Change {
    /** Something comes before all others of its kind. */
    public static Add first(Placed object, Placed added, List<? extends Placed> others) {
      return new Add(object, added, others.isEmpty() ? null : others.get(0));
    }
  }

  /** An object goes, with all that is in it. */
  record Remove(Placed object) implements Change {}

  /**
   * A rule goes elsewhere in its list.
   *
   * @param before the rule that it goes before; null to go last
   */
  record Move(Placed object, @Nullable Placed before) implements Change {}
}
