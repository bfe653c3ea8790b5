// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * An end system, of the site or on the internet.
 *
 * @param name the name
 * @param networks the networks it is on; empty on the internet
 * @param addresses its addresses, at least one; it answers on each of them, whichever network a
 *     packet comes by
 * @param assigned how it gets them
 * @param hardware its Ethernet address (IEEE EUI-48), in lower case with colons; null where the
 *     file does not say
 * @param ownPrefixes the prefixes it believes to be on-link where they differ from its networks';
 *     empty where they do not
 * @param gateways its default gateways, at most one for each family
 * @param resolver its DNS resolver, an address or a host; null to use its network's
 * @param listens the services that it runs; empty if none
 * @param answersPing whether it answers ICMP echo requests
 * @param filter its own rule list for incoming connections; null if it has none
 * @param blocked services that its network does not let out; often empty
 * @param off whether it is switched off
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record Host(
    String name,
    List<Network> networks,
    List<Address> addresses,
    Assignment assigned,
    @Nullable String hardware,
    List<Prefix> ownPrefixes,
    List<Address> gateways,
    @Nullable AddressTerm resolver,
    List<ServiceTerm> listens,
    boolean answersPing,
    @Nullable AccessList filter,
    List<ServiceTerm> blocked,
    boolean off,
    @Nullable String note,
    Place place)
    implements Named, HostBuilder.With {
  /** Copies the lists. */
  public Host {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(assigned, "assigned");
    Objects.requireNonNull(place, "place");
    networks = List.copyOf(networks);
    addresses = List.copyOf(addresses);
    ownPrefixes = List.copyOf(ownPrefixes);
    gateways = List.copyOf(gateways);
    listens = List.copyOf(listens);
    blocked = List.copyOf(blocked);
  }

  /**
   * A host that no file describes, named by its address: it listens on nothing and answers pings.
   *
   * @param network the network that it is on; null for the internet
   */
  public static Host unnamed(Address address, @Nullable Network network) {
    return HostBuilder.builder()
        .name(address.toString())
        .networks(network == null ? List.of() : List.of(network))
        .addresses(List.of(address))
        .assigned(Assignment.FIXED)
        .answersPing(true)
        .place(Place.IN_CODE)
        .build();
  }

  /** Whether it is somewhere on the internet, on no network of the site. */
  public boolean isOutside() {
    return networks.isEmpty();
  }

  private static final Prefix LINK_LOCAL =
      new Prefix(new Address(Family.IPV6, 0xfe80L << 48, 0), 10);

  /** Whether somebody tells it its address, and what else it has to know. */
  public boolean isTold() {
    return assigned == Assignment.LEASED || assigned == Assignment.RESERVED;
  }

  /**
   * Whether it listens for a packet; one that names no services listens for none.
   *
   * @param protocol 0 to 255
   * @param destinationPort 0 to 65,535; not looked at for a protocol without ports
   * @param icmpType 0 to 255; looked at for ICMP only, as is the code
   */
  public boolean listensFor(int protocol, int destinationPort, int icmpType, int icmpCode) {
    return !listens.isEmpty()
        && ServiceTerm.anyCovers(listens, protocol, destinationPort, icmpType, icmpCode);
  }

  /** Whether it is in a realm; null for the common one, to which the internet belongs. */
  public boolean isIn(@Nullable String realm) {
    return networks.isEmpty()
        ? realm == null
        : networks.stream().anyMatch(network -> Objects.equals(network.realm(), realm));
  }

  /** Whether it is on a network. */
  public boolean isOn(Network network) {
    for (Network own : networks) {
      if (own.name().equals(network.name())) {
        return true;
      }
    }
    return false;
  }

  /**
   * Addresses that it takes to be on a network of its own.
   *
   * @param prefix the addresses
   * @param network the network; null where it has no address of the family itself
   */
  public record Neighbours(Prefix prefix, @Nullable Network network) {}

  /**
   * The prefixes that the host takes to be on its networks; the first that holds an address counts.
   * Where it names a prefix of its own for a family, that alone counts.
   */
  public List<Neighbours> neighbours() {
    List<Neighbours> all = new ArrayList<>();
    for (Family family : Family.values()) {
      Prefix named = null;
      for (Prefix prefix : ownPrefixes) {
        named = named == null && prefix.family() == family ? prefix : named;
      }
      if (named != null) {
        Address own = address(family);
        all.add(new Neighbours(named, own == null ? null : networkHolding(own)));
        continue;
      }
      boolean six = false;
      for (Network network : networks) {
        for (Prefix prefix : network.prefixes()) {
          if (prefix.family() == family) {
            all.add(new Neighbours(prefix, network));
            if (family == Family.IPV6 && !six) {
              all.add(new Neighbours(LINK_LOCAL, network));
              six = true;
            }
          }
        }
      }
    }
    return all;
  }

  /** The network that it reaches an address on directly; null if it takes it for elsewhere. */
  public @Nullable Network networkTowards(Address address) {
    for (Neighbours each : neighbours()) {
      if (each.prefix.contains(address)) {
        return each.network;
      }
    }
    return null;
  }

  /** The network of its own whose prefix holds an address; else its first; null outside. */
  public @Nullable Network networkHolding(Address address) {
    for (Network network : networks) {
      if (network.prefixOf(address) != null) {
        return network;
      }
    }
    return networks.isEmpty() ? null : networks.get(0);
  }

  /** The first of its addresses in this family; null if it has none. */
  public @Nullable Address address(Family family) {
    return firstOf(addresses, family);
  }

  /** The gateway in this family; null if there is none. */
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
