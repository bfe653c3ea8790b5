// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.Objects;
import org.eskerfield.packet.PortSet;
import org.jspecify.annotations.Nullable;

/**
 * One entry of a rule list.
 *
 * @param action the action for packets that match
 * @param name the name
 * @param from sources; empty for every one
 * @param to destinations; empty for every one
 * @param services services; empty for every one
 * @param sourcePorts source ports; null for every one. Where set, only TCP and UDP match
 * @param flags the TCP flags; null for any. Where set, only TCP matches
 * @param when the only time at which the rule acts, or null for always
 * @param log whether a match is logged
 * @param disabled whether the rule does not act
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record AccessRule(
    Action action,
    String name,
    List<AddressTerm> from,
    List<AddressTerm> to,
    List<ServiceTerm> services,
    @Nullable PortSet sourcePorts,
    @Nullable Flags flags,
    @Nullable Schedule when,
    boolean log,
    boolean disabled,
    @Nullable String note,
    Place place)
    implements Named, Noted, AccessRuleBuilder.With {
  /** Begins a rule that is made in code. */
  public static AccessRuleBuilder called(Action action, String name) {
    return AccessRuleBuilder.builder().action(action).name(name).place(Place.IN_CODE);
  }

  /** Copies the lists. */
  public AccessRule {
    Objects.requireNonNull(action, "action");
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(place, "place");
    from = List.copyOf(from);
    to = List.copyOf(to);
    services = List.copyOf(services);
  }
}
