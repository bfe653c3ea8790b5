package org.eskerfield.model;

import java.util.List;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.jspecify.annotations.Nullable;

/**
 * An end system, of the site or on the internet.
 *
 * @param name the name
 * @param network the network it is on; null on the internet
 * @param addresses its addresses, at least one
 * @param assigned how it comes by them
 * @param gateways where it sends what is not on its own network, at most one a family
 * @param listens the services that it runs; empty if none
 * @param answersPing whether it answers ICMP echo requests
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
public record Host(
    String name,
    @Nullable Network network,
    List<Address> addresses,
    Assignment assigned,
    List<Address> gateways,
    List<ServiceTerm> listens,
    boolean answersPing,
    @Nullable String note,
    Place place)
    implements Named {
  /** Copies the lists. */
  public Host {
    addresses = List.copyOf(addresses);
    gateways = List.copyOf(gateways);
    listens = List.copyOf(listens);
  }

  /** The first of its addresses in this family; null if it has none. */
  public @Nullable Address address(Family family) {
    return firstOf(addresses, family);
  }

  /** Its gateway in this family; null if it has none. */
  public @Nullable Address gateway(Family family) {
    return firstOf(gateways, family);
  }

  static @Nullable Address firstOf(List<Address> addresses, Family family) {
    for (Address address : addresses) {
      if (address.family() == family) {
        return address;
      }
    }
    return null;
  }
}
