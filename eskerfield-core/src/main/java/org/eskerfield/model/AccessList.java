// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * An ordered list of access rules that guards ways through a device; the first rule that matches
 * decides.
 *
 * @param name the name
 * @param guards the paths it filters; a list without any judges nothing
 * @param rules the rules in order
 * @param otherwise the action for packets that no rule matches
 * @param logsOtherwise whether what no rule matches is logged
 * @param stateless whether every packet is judged, replies too, instead of only the first of a flow
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record AccessList(
    String name,
    List<Guard> guards,
    List<AccessRule> rules,
    Action otherwise,
    boolean logsOtherwise,
    boolean stateless,
    @Nullable String note,
    Place place)
    implements Named, Noted, AccessListBuilder.With {
  /**
   * A way that a list guards: where both ends are named, from the one to the other.
   *
   * @param arriving where packets arrive, or null for anywhere
   * @param leaving where packets leave, or null for anywhere; null if {@code toDevice}
   * @param toDevice whether the way ends at the device itself instead of passing it
   * @param place where it stands
   */
  public record Guard(
      @Nullable InterfaceTerm arriving,
      @Nullable InterfaceTerm leaving,
      boolean toDevice,
      Place place)
      implements Placed {
    /** From one interface to another. */
    public static Guard of(Interface arriving, Interface leaving) {
      return new Guard(
          InterfaceTerm.of(arriving),
          InterfaceTerm.of(leaving),
          /* toDevice= */ false,
          Place.IN_CODE);
    }
  }

  /** A list that is made in code, of one rule, and guards the way between two interfaces. */
  public static AccessList between(
      Interface arriving, Interface leaving, String name, AccessRule only, Action otherwise) {
    return AccessListBuilder.builder()
        .name(name)
        .guards(List.of(Guard.of(arriving, leaving)))
        .rules(List.of(only))
        .otherwise(otherwise)
        .place(Place.IN_CODE)
        .build();
  }

  /** The action for packets that no rule matches, as a site file says it. */
  public String otherwiseText() {
    return otherwise + (logsOtherwise ? " and log" : "");
  }

  /** Copies the lists. */
  public AccessList {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(otherwise, "otherwise");
    Objects.requireNonNull(place, "place");
    guards = List.copyOf(guards);
    rules = List.copyOf(rules);
  }
}
