// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.Objects;
import java.util.function.Function;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * One external address, block or port is one internal address, block or port, for good and in both
 * directions (RFC 2663 section 4.1.1).
 *
 * @param name the name
 * @param facing the interfaces on the external side
 * @param leaving by which interface packets go on inside; null where the routes decide
 * @param external the external address or block
 * @param services the external ports; empty for every port and protocol
 * @param internal the host or block inside, as written
 * @param internalBlock its addresses, as many as the external ones
 * @param internalPorts its ports, as many as the external ones; null where they are the same
 * @param hairpin which insiders may use the external address, or null for none
 * @param admit who is let in with the rule; null where the access rules alone decide
 * @param disabled whether the rule does not act
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record StaticRule(
    String name,
    InterfaceTerm facing,
    @Nullable InterfaceTerm leaving,
    External external,
    List<ServiceTerm> services,
    AddressTerm internal,
    Prefix internalBlock,
    @Nullable PortSet internalPorts,
    @Nullable Hairpin hairpin,
    @Nullable Admission admit,
    boolean disabled,
    @Nullable String note,
    Place place)
    implements InwardRule, StaticRuleBuilder.With {
  /** Copies the list. */
  public StaticRule {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(facing, "facing");
    Objects.requireNonNull(external, "external");
    Objects.requireNonNull(internal, "internal");
    Objects.requireNonNull(internalBlock, "internalBlock");
    Objects.requireNonNull(place, "place");
    services = List.copyOf(services);
  }

  @Override
  public List<AddressTerm> from() {
    return List.of();
  }

  @Override
  public String kind() {
    return "static";
  }

  @Override
  public <R> R by(
      Function<StaticRule, ? extends R> fixed,
      Function<DestinationRule, ? extends R> destination,
      Function<PrefixRule, ? extends R> prefix) {
    return fixed.apply(this);
  }

  @Override
  public @Nullable Pool pool() {
    return null;
  }

  @Override
  public Address internalAddress(Address external, Prefix block) {
    return block.moved(external, internalBlock);
  }

  @Override
  public int internalPort(int externalPort) {
    return externalPort + shift();
  }

  @Override
  public boolean holdsAddress() {
    return services.isEmpty();
  }

  @Override
  public boolean isStateless() {
    return false;
  }

  @Override
  public boolean isBothWays() {
    return true;
  }

  @Override
  public boolean rewritesSources() {
    return false;
  }
}
