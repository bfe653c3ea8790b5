// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.Objects;
import java.util.function.Function;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * Packets between two sides, either way, keep both addresses, whatever rules follow.
 *
 * @param name the name
 * @param from the one side; at least one
 * @param to the other side; at least one
 * @param disabled whether the rule does not act
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record UntouchedRule(
    String name,
    List<AddressTerm> from,
    List<AddressTerm> to,
    boolean disabled,
    @Nullable String note,
    Place place)
    implements TranslationRule, UntouchedRuleBuilder.With {
  /** Copies the lists. */
  public UntouchedRule {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(place, "place");
    from = List.copyOf(from);
    to = List.copyOf(to);
  }

  @Override
  public String kind() {
    return "untouched";
  }

  @Override
  public <R> R bySide(
      Function<InwardRule, ? extends R> inward,
      Function<OutwardRule, ? extends R> outward,
      Function<UntouchedRule, ? extends R> untouched) {
    return untouched.apply(this);
  }

  @Override
  public @Nullable InterfaceTerm facing() {
    return null;
  }

  @Override
  public @Nullable InterfaceTerm leaving() {
    return null;
  }

  @Override
  public List<ServiceTerm> services() {
    return List.of();
  }

  @Override
  public @Nullable Prefix block(Family family) {
    return null;
  }

  @Override
  public @Nullable Pool pool() {
    return null;
  }

  @Override
  public @Nullable StateSettings state() {
    return null;
  }

  @Override
  public boolean isStateless() {
    return false;
  }

  @Override
  public boolean isBothWays() {
    return false;
  }

  @Override
  public boolean lends() {
    return false;
  }

  @Override
  public boolean keepsPackets() {
    return true;
  }

  @Override
  public boolean holdsAddress() {
    return false;
  }

  @Override
  public @Nullable Hairpin hairpin() {
    return null;
  }

  @Override
  public @Nullable Admission admit() {
    return null;
  }

  @Override
  public boolean rewritesSources() {
    return false;
  }
}
