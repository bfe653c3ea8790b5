package org.eskerfield.model;

import java.util.List;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.jspecify.annotations.Nullable;

/**
 * Packets to an external address, and usually port, go to a host instead.
 *
 * @param name the name
 * @param arriving where the packets arrive
 * @param from whose packets; empty for everybody's
 * @param at the external address
 * @param services the external ports; empty for every port and protocol
 * @param becomes the host that they go to instead, as written
 * @param internal its address
 * @param becomesPorts its ports; null where each port stays as it is. One port takes all; a range
 *     is as long as the range of {@code services} and takes it port by port
 * @param admit who is let in with the rule; null where the access rules alone decide
 * @param disabled whether the rule does not act
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
public record DestinationRule(
    String name,
    InterfaceTerm arriving,
    List<AddressTerm> from,
    External at,
    List<ServiceTerm> services,
    AddressTerm becomes,
    Address internal,
    @Nullable PortSet becomesPorts,
    @Nullable Admission admit,
    boolean disabled,
    @Nullable String note,
    Place place)
    implements TranslationRule {
  /**
   * An external address: a literal, or whatever an interface has now. Exactly one is present.
   *
   * @param literal the address, or null
   * @param ofInterface the interface, or null
   * @param text as written
   */
  public record External(@Nullable Address literal, @Nullable Interface ofInterface, String text) {
    /** The address now, in this family; null if there is none. */
    public @Nullable Address now(Family family) {
      if (ofInterface != null) {
        return ofInterface.address(family);
      }
      return literal != null && literal.family() == family ? literal : null;
    }
  }

  /** Copies the lists. */
  public DestinationRule {
    from = List.copyOf(from);
    services = List.copyOf(services);
  }

  @Override
  public String kind() {
    return "destination";
  }

  /** The port that takes the place of an external port of this rule. */
  public int internalPort(int externalPort) {
    if (becomesPorts == null) {
      return externalPort;
    }
    if (becomesPorts.size() == 1) {
      return becomesPorts.first();
    }
    // A range takes a range: the reader has seen to it that one range of equal length stands here.
    int shift = becomesPorts.first() - services.get(0).service().parts().get(0).ports().first();
    return externalPort + shift;
  }
}
