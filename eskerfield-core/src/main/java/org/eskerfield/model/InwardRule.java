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
public sealed interface InwardRule extends TranslationRule
    permits StaticRule, DestinationRule, PrefixRule {
  /** A thing as the rule that it is; null if it is something else. */
  static @Nullable InwardRule of(@Nullable Placed thing) {
    return thing instanceof TranslationRule rule ? rule.inward() : null;
  }

  /** The answer for the kind of this rule. */
  <R> R by(
      Function<StaticRule, ? extends R> fixed,
      Function<DestinationRule, ? extends R> destination,
      Function<PrefixRule, ? extends R> prefix);

  @Override
  default <R> R bySide(
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

  /** The family of the addresses that it translates. */
  default Family family() {
    return Family.IPV4;
  }

  /** The external address or block now; null where its interface has no address. */
  default @Nullable Prefix block() {
    return block(family());
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
   * The address inside for an external one; null where it has none.
   *
   * @param external an address of the block
   * @param block the external block now
   */
  @Nullable Address internalAddress(Address external, Prefix block);

  /**
   * The external address of one inside, of a rule for both ways; null where it has none.
   *
   * @param internal an address of the internal block
   * @param block the external block now
   */
  default @Nullable Address externalAddress(Address internal, Prefix block) {
    return internalBlock().moved(internal, block);
  }

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
        .by(fixed -> fixed.withLeaving(leaving), to -> to.withLeaving(leaving), prefix -> prefix);
  }

  /** The same at another external address. */
  default InwardRule at(External external) {
    return by(
        fixed -> fixed.withExternal(external),
        to -> to.withExternal(external),
        prefix -> prefix.withExternal(external));
  }

  /** The same, but it leads to a host. */
  default InwardRule leadingTo(Host host, Address inside) {
    AddressTerm to = AddressTerm.of(host);
    Prefix block = Prefix.of(inside);
    return by(
        fixed -> fixed.withInternal(to).withInternalBlock(block),
        destination -> destination.withInternal(to).withInternalBlock(block),
        prefix -> prefix); // which leads to nobody
  }

  /** The same with another external side. */
  default InwardRule facingTo(InterfaceTerm facing) {
    return by(
        fixed -> fixed.withFacing(facing),
        to -> to.withFacing(facing),
        prefix -> prefix.withFacing(facing));
  }

  /** What insiders look like to the server where the rule does not say. */
  default Hairpin.Source usualHairpin() {
    return isStateless() ? Hairpin.Source.EXTERNAL : Hairpin.Source.DEVICE;
  }

  /** The same with a hairpin, or without one. */
  default InwardRule hairpinning(@Nullable Hairpin hairpin) {
    return by(
        fixed -> fixed.withHairpin(hairpin),
        to -> to.withHairpin(hairpin),
        prefix -> prefix.withHairpin(hairpin));
  }

  /** The same with an admission, or without one; a prefix rule never has one. */
  default InwardRule admitting(@Nullable Admission admit) {
    return by(fixed -> fixed.withAdmit(admit), to -> to.withAdmit(admit), prefix -> prefix);
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
