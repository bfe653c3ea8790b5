// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.time.Duration;
import java.util.List;
import java.util.Objects;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Size;
import org.jspecify.annotations.Nullable;

/**
 * A broadcast domain with its prefixes, in one zone.
 *
 * @param name the name
 * @param prefixes at least one, of either family
 * @param zone the zone; {@link Site#INTERNET} for a link to the carrier
 * @param realm the address space (RFC 2663 section 2.1); null for the common one
 * @param carrier the addresses of the carrier's router on this network; empty where there is none
 * @param routed blocks beyond this network that the carrier sends to an address on it; often empty
 * @param leases the addresses that are handed out as leases; often empty
 * @param lease the options sent with a lease; null where the file does not say who hands them out
 * @param vlan the number of its virtual network (IEEE 802.1Q), 1 to 4094; null for none
 * @param mtu the largest packet that it takes, in bytes, 68 to 65535; null for {@link
 *     Size#USUAL_MTU}
 * @param resolver the DNS resolver of hosts here that name none themselves, or null
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record Network(
    String name,
    List<Prefix> prefixes,
    String zone,
    @Nullable String realm,
    List<Address> carrier,
    List<Routed> routed,
    AddressSet leases,
    @Nullable Lease lease,
    @Nullable Integer vlan,
    @Nullable Integer mtu,
    @Nullable AddressTerm resolver,
    @Nullable String note,
    Place place)
    implements Named, NetworkBuilder.With {
  /**
   * A block that the carrier routes to the site.
   *
   * @param to the block
   * @param via the address on the network that it is sent to
   * @param place where it stands
   */
  public record Routed(Prefix to, Address via, Place place) implements Placed {}

  /**
   * The settings that come with a lease (RFC 2131).
   *
   * @param device the device that hands it out
   * @param gateways the gateways that it names, at most one a family; empty for the network's own
   * @param resolver the DNS resolver that it hands out; null for the network's own
   * @param time how long a lease lasts; whoever has one renews it after half of that
   * @param place where it stands
   */
  public record Lease(
      String device,
      List<Address> gateways,
      @Nullable AddressTerm resolver,
      Duration time,
      Place place)
      implements Placed {
    /** How long a lease lasts where the file does not say. */
    public static final Duration USUAL_TIME = Duration.ofDays(1);

    /** Copies the list. */
    public Lease {
      gateways = List.copyOf(gateways);
    }
  }

  /** Copies the lists. */
  public Network {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(zone, "zone");
    Objects.requireNonNull(leases, "leases");
    Objects.requireNonNull(place, "place");
    prefixes = List.copyOf(prefixes);
    carrier = List.copyOf(carrier);
    routed = List.copyOf(routed);
  }

  /** The prefix of this network that holds the address; null if none does. */
  public @Nullable Prefix prefixOf(Address address) {
    for (Prefix prefix : prefixes) {
      if (prefix.contains(address)) {
        return prefix;
      }
    }
    return null;
  }

  /** The largest packet that it takes, in bytes. */
  public int linkMtu() {
    return mtu == null ? Size.USUAL_MTU : mtu;
  }

  /** Whether it lies outside the site: a link to a carrier, or another network of the internet. */
  public boolean isOutside() {
    return zone.equals(Site.INTERNET);
  }
}
