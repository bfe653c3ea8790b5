// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.Objects;
import java.util.function.Function;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.PrefixMapping;
import org.jspecify.annotations.Nullable;

/**
 * The addresses of one IPv6 prefix inside are those of another one outside, in both directions and
 * without state (RFC 6296).
 *
 * @param name the name
 * @param facing the interfaces on the external side
 * @param external the external prefix, as written
 * @param internal the internal prefix, as written
 * @param written the internal prefix; one that is shorter than the external counts as long as it
 * @param hairpin which insiders may use the external addresses, or null for none
 * @param disabled whether the rule does not act
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record PrefixRule(
    String name,
    InterfaceTerm facing,
    External external,
    AddressTerm internal,
    Prefix written,
    @Nullable Hairpin hairpin,
    boolean disabled,
    @Nullable String note,
    Place place)
    implements InwardRule, PrefixRuleBuilder.With {
  /** Checks what must be there. */
  public PrefixRule {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(facing, "facing");
    Objects.requireNonNull(external, "external");
    Objects.requireNonNull(internal, "internal");
    Objects.requireNonNull(written, "written");
    Objects.requireNonNull(place, "place");
  }

  @Override
  public String kind() {
    return "prefix";
  }

  @Override
  public <R> R by(
      Function<StaticRule, ? extends R> fixed,
      Function<DestinationRule, ? extends R> destination,
      Function<PrefixRule, ? extends R> prefix) {
    return prefix.apply(this);
  }

  @Override
  public Family family() {
    return Family.IPV6;
  }

  /** How an internal address becomes an external one; null where there is no external prefix. */
  public @Nullable PrefixMapping mapping() {
    Prefix outside = external.now(Family.IPV6);
    return outside == null ? null : PrefixMapping.between(written, outside);
  }

  /** Whether an address is of the internal prefix, but beyond what is translated of it. */
  public boolean leavesOut(Address address) {
    return written.contains(address) && !internalBlock().contains(address);
  }

  /** The external prefix as far as it is translated. */
  @Override
  public @Nullable Prefix block(Family family) {
    PrefixMapping outward = family == Family.IPV6 ? mapping() : null;
    return outward == null ? null : outward.to();
  }

  /** The internal prefix as far as it is translated. */
  @Override
  public Prefix internalBlock() {
    PrefixMapping outward = mapping();
    return outward == null ? written : outward.from();
  }

  @Override
  public @Nullable Address internalAddress(Address external, Prefix block) {
    return new PrefixMapping(block, internalBlock()).moved(external);
  }

  @Override
  public @Nullable Address externalAddress(Address internal, Prefix block) {
    return new PrefixMapping(internalBlock(), block).moved(internal);
  }

  @Override
  public List<AddressTerm> from() {
    return List.of();
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
  public @Nullable PortSet internalPorts() {
    return null;
  }

  @Override
  public int internalPort(int externalPort) {
    return externalPort;
  }

  @Override
  public @Nullable Pool pool() {
    return null;
  }

  @Override
  public @Nullable Admission admit() {
    return null;
  }

  @Override
  public boolean holdsAddress() {
    return true;
  }

  @Override
  public boolean isBothWays() {
    return true;
  }

  @Override
  public boolean isStateless() {
    return true;
  }

  @Override
  public boolean rewritesSources() {
    return false;
  }
}
