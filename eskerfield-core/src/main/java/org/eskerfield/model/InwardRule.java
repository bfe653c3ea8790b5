// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.function.Function;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** A rule that leads packets to an external address inside. */
public sealed interface InwardRule extends TranslationRule permits StaticRule, DestinationRule {
  /** A thing as the rule that it is; null if it is something else. */
  static @Nullable InwardRule of(@Nullable Placed thing) {
    return thing instanceof TranslationRule rule ? rule.inward() : null;
  }

  /** The answer for the kind of this rule. */
  <R> R by(
      Function<StaticRule, ? extends R> fixed, Function<DestinationRule, ? extends R> destination);

  @Override
  default <R> R by(
      Function<InwardRule, ? extends R> inward,
      Function<OutwardRule, ? extends R> outward,
      Function<UntouchedRule, ? extends R> untouched) {
    return inward.apply(this);
  }

  /** The interfaces on the external side. */
  @Override
  InterfaceTerm facing();

  @Override
  default List<AddressTerm> to() {
    return List.of();
  }

  /** The external address or block. */
  External external();

  @Override
  default @Nullable Prefix block(Family family) {
    return external().now(family);
  }

  @Override
  default @Nullable StateSettings state() {
    return null;
  }

  /** The host or block inside, as written. */
  AddressTerm internal();

  /** Its addresses. */
  Prefix internalBlock();

  /** Its ports; null where each port stays as it is. */
  @Nullable PortSet internalPorts();

  /**
   * The address inside for an external one.
   *
   * @param external an address of the block
   * @param block the external block now
   */
  Address internalAddress(Address external, Prefix block);

  /** How far the first of its ports lies above the first external one; 0 where they are equal. */
  default int shift() {
    PortSet inside = internalPorts();
    return inside == null
        ? 0
        : inside.first() - services().get(0).service().parts().get(0).ports().first();
  }

  /** The port inside for an external one. */
  int internalPort(int externalPort);

  /** The same where an interface that it may name says something else now. */
  default InwardRule renewed(Interface own) {
    External external = external();
    Interface at = external.ofInterface();
    boolean here = at != null && at.name().equals(own.name());
    Hairpin hairpin = hairpin();
    InterfaceTerm out = leaving();
    InterfaceTerm leaving = out == null ? null : out.renewed(own);
    return at(here ? new External(null, own, external.text()) : external)
        .facingTo(facing().renewed(own))
        .hairpinning(hairpin == null ? null : hairpin.withFrom(hairpin.from().renewed(own)))
        .by(fixed -> fixed.withLeaving(leaving), to -> to.withLeaving(leaving));
  }

  /** The same at another external address. */
  default InwardRule at(External external) {
    return by(fixed -> fixed.withExternal(external), to -> to.withExternal(external));
  }

  /** The same, but it leads to a host. */
  default InwardRule leadingTo(Host host, Address inside) {
    AddressTerm to = AddressTerm.of(host);
    Prefix block = Prefix.of(inside);
    return by(
        fixed -> fixed.withInternal(to).withInternalBlock(block),
        destination -> destination.withInternal(to).withInternalBlock(block));
  }

  /** The same with another external side. */
  default InwardRule facingTo(InterfaceTerm facing) {
    return by(fixed -> fixed.withFacing(facing), to -> to.withFacing(facing));
  }

  /** The same with a hairpin, or without one. */
  default InwardRule hairpinning(@Nullable Hairpin hairpin) {
    return by(fixed -> fixed.withHairpin(hairpin), to -> to.withHairpin(hairpin));
  }

  /** The same with an admission, or without one. */
  default InwardRule admitting(@Nullable Admission admit) {
    return by(fixed -> fixed.withAdmit(admit), to -> to.withAdmit(admit));
  }

  @Override
  default boolean lends() {
    return false;
  }

  @Override
  default boolean keepsPackets() {
    return false;
  }
}
