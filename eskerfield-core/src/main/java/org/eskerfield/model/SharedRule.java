// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.Objects;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * Many sources share few external addresses, and ports tell them apart (RFC 3022 section 2.2): the
 * own address of the interface by which the packet leaves, or a pool.
 *
 * @param name the name
 * @param from the sources; at least one
 * @param to the destinations; empty for every one
 * @param leaving where the packets leave
 * @param pool the external addresses; null for the address of the leaving interface
 * @param state how state is kept for it; null for the way of the device
 * @param disabled whether the rule does not act
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record SharedRule(
    String name,
    List<AddressTerm> from,
    List<AddressTerm> to,
    InterfaceTerm leaving,
    @Nullable Pool pool,
    @Nullable StateSettings state,
    boolean disabled,
    @Nullable String note,
    Place place)
    implements OutwardRule, SharedRuleBuilder.With {
  /** Copies the lists. */
  public SharedRule {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(leaving, "leaving");
    Objects.requireNonNull(place, "place");
    from = List.copyOf(from);
    to = List.copyOf(to);
  }

  @Override
  public String kind() {
    return "shared";
  }

  @Override
  public <R> R by(
      Function<DynamicRule, ? extends R> dynamic, Function<SharedRule, ? extends R> shared) {
    return shared.apply(this);
  }

  @Override
  public boolean lends() {
    return false;
  }
}
