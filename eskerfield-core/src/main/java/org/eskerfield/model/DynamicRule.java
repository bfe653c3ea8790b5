package org.eskerfield.model;

import java.util.List;
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
    implements TranslationRule {
  /** Copies the lists. */
  public DynamicRule {
    from = List.copyOf(from);
    to = List.copyOf(to);
  }

  @Override
  public String kind() {
    return "dynamic";
  }
}
