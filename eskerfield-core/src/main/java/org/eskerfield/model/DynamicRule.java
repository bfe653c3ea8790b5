// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.Objects;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * Each source borrows an external address of its own from a pool, and gives it back when it is idle
 * (RFC 2663 section 4.1.1, "basic NAT" with dynamic assignment).
 *
 * @param name the name
 * @param from the sources; at least one
 * @param to the destinations; empty for every one
 * @param leaving where the packets leave
 * @param pool the external addresses
 * @param state how state is kept for it; null for the way of the device
 * @param disabled whether the rule does not act
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record DynamicRule(
    String name,
    List<AddressTerm> from,
    List<AddressTerm> to,
    InterfaceTerm leaving,
    Pool pool,
    @Nullable StateSettings state,
    boolean disabled,
    @Nullable String note,
    Place place)
    implements OutwardRule, DynamicRuleBuilder.With {
  /** Copies the lists. */
  public DynamicRule {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(leaving, "leaving");
    Objects.requireNonNull(pool, "pool");
    Objects.requireNonNull(place, "place");
    from = List.copyOf(from);
    to = List.copyOf(to);
  }

  @Override
  public String kind() {
    return "dynamic";
  }

  @Override
  public <R> R by(
      Function<DynamicRule, ? extends R> dynamic, Function<SharedRule, ? extends R> shared) {
    return dynamic.apply(this);
  }

  @Override
  public boolean lends() {
    return true;
  }
}
