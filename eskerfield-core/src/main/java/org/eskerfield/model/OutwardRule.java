// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Function;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** A rule that gives sources external addresses for as long as they need them. */
public sealed interface OutwardRule extends TranslationRule permits DynamicRule, SharedRule {
  /** A thing as the rule that it is; null if it is something else. */
  static @Nullable OutwardRule of(@Nullable Placed thing) {
    return thing instanceof TranslationRule rule ? rule.outward() : null;
  }

  /** The answer for the kind of this rule. */
  <R> R by(Function<DynamicRule, ? extends R> dynamic, Function<SharedRule, ? extends R> shared);

  @Override
  default <R> R bySide(
      Function<InwardRule, ? extends R> inward,
      Function<OutwardRule, ? extends R> outward,
      Function<UntouchedRule, ? extends R> untouched) {
    return outward.apply(this);
  }

  @Override
  default @Nullable InterfaceTerm facing() {
    return null;
  }

  /** Where the packets leave. */
  @Override
  InterfaceTerm leaving();

  /** The external addresses: those of its pool, else the own ones of the interfaces it names. */
  default AddressSet externals() {
    Pool pool = pool();
    if (pool != null) {
      return pool.addresses();
    }
    List<Address> own = new ArrayList<>();
    leaving().interfaces().forEach(each -> own.addAll(each.addresses()));
    return AddressSet.ofAddresses(own);
  }

  @Override
  default List<ServiceTerm> services() {
    return List.of();
  }

  @Override
  default @Nullable Prefix block(Family family) {
    return null;
  }

  /** The same for what leaves elsewhere. */
  default OutwardRule leavingBy(InterfaceTerm leaving) {
    return by(dynamic -> dynamic.withLeaving(leaving), shared -> shared.withLeaving(leaving));
  }

  /** The same with another pool. */
  default OutwardRule lending(Pool pool) {
    return by(dynamic -> dynamic.withPool(pool), shared -> shared.withPool(pool));
  }

  /** A rule that shares the addresses among the same sources. */
  default SharedRule shared() {
    return by(
        rule ->
            new SharedRule(
                rule.name(),
                rule.from(),
                rule.to(),
                rule.leaving(),
                rule.pool(),
                rule.state(),
                rule.disabled(),
                rule.note(),
                rule.place()),
        rule -> rule);
  }

  @Override
  default boolean isStateless() {
    return false;
  }

  @Override
  default boolean isBothWays() {
    return false;
  }

  @Override
  default boolean keepsPackets() {
    return false;
  }

  @Override
  default boolean holdsAddress() {
    return false;
  }

  @Override
  default @Nullable Hairpin hairpin() {
    return null;
  }

  @Override
  default @Nullable Admission admit() {
    return null;
  }

  @Override
  default boolean rewritesSources() {
    return false;
  }
}
