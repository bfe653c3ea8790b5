package org.eskerfield.model;

import java.util.List;
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
    implements InwardRule {
  /** Copies the list. */
  public StaticRule {
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

  /** The address at the same position of another block of the same length. */
  public static Address moved(Address address, Prefix from, Prefix to) {
    // Host bits only: both blocks begin at a multiple of their length.
    long high = to.first().high() | (address.high() ^ from.first().high());
    long low = to.first().low() | (address.low() ^ from.first().low());
    return new Address(address.family(), high, low);
  }

  /** How far internal ports lie above external ones; 0 where they are the same. */
  public int shift() {
    return internalPorts == null
        ? 0
        : internalPorts.first() - services.get(0).service().parts().get(0).ports().first();
  }
}
