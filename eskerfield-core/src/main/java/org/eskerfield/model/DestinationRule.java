// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.Objects;
import java.util.function.Function;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * Packets to an external address, and usually port, go to a host instead. Their source may be
 * rewritten, too ("twice NAT", RFC 2663 section 4.3), as where a partner's addresses overlap ours.
 *
 * @param name the name
 * @param facing where the packets arrive
 * @param leaving by which interface packets go on; null where the routes decide
 * @param sources what their sources share instead; null where they stay as they are
 * @param from whose packets; empty for everybody's
 * @param external the external address
 * @param services the external ports; empty for every port and protocol
 * @param internal the host that they go to instead, as written
 * @param internalBlock its address, as a block of one
 * @param internalPorts its ports; null where each port stays as it is. One port takes all; a range
 *     is as long as the range of {@code services} and takes it port by port
 * @param hairpin which insiders may use the external address, or null for none
 * @param admit who is let in with the rule; null where the access rules alone decide
 * @param disabled whether the rule does not act
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record DestinationRule(
    String name,
    InterfaceTerm facing,
    @Nullable InterfaceTerm leaving,
    @Nullable Sources sources,
    List<AddressTerm> from,
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
    implements InwardRule, DestinationRuleBuilder.With {
  /**
   * The addresses that replace the sources; ports tell them apart.
   *
   * @param pool the addresses; null for the device's own where the packets leave
   * @param place where it stands
   */
  public record Sources(@Nullable Pool pool, Place place) implements Placed {}

  /** Copies the lists. */
  public DestinationRule {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(facing, "facing");
    Objects.requireNonNull(external, "external");
    Objects.requireNonNull(internal, "internal");
    Objects.requireNonNull(internalBlock, "internalBlock");
    Objects.requireNonNull(place, "place");
    from = List.copyOf(from);
    services = List.copyOf(services);
  }

  @Override
  public String kind() {
    return "destination";
  }

  @Override
  public <R> R by(
      Function<StaticRule, ? extends R> fixed,
      Function<DestinationRule, ? extends R> destination,
      Function<PrefixRule, ? extends R> prefix) {
    return destination.apply(this);
  }

  @Override
  public @Nullable Pool pool() {
    return sources == null ? null : sources.pool;
  }

  @Override
  public boolean rewritesSources() {
    return sources != null;
  }

  @Override
  public Address internalAddress(Address external, Prefix block) {
    return internalBlock.first();
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
  public boolean holdsAddress() {
    return false;
  }

  @Override
  public int internalPort(int externalPort) {
    // A range takes a range: the reader has seen to it that one range of equal length stands here.
    return internalPorts != null && internalPorts.size() == 1
        ? internalPorts.first()
        : externalPort + shift();
  }

  /**
   * The same for one external service instead.
   *
   * @param kept the port inside where the rule kept ports; counts only for services with ports
   */
  public DestinationRule serving(ServiceTerm service, int kept) {
    ServicePart part = service.service().parts().get(0);
    int inside = internalPorts == null ? kept : internalPorts.first();
    boolean same = !Protocol.hasPorts(part.protocol()) || part.ports().equals(PortSet.of(inside));
    return withServices(List.of(service)).withInternalPorts(same ? null : PortSet.of(inside));
  }
}
