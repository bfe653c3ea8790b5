// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.Objects;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.jspecify.annotations.Nullable;

/**
 * Where a device meets a network.
 *
 * @param name the name, unique on its device
 * @param network the network
 * @param addresses its addresses now, at least one
 * @param assigned {@link Assignment#FIXED} or {@link Assignment#BY_CARRIER}
 * @param state whether it carries packets
 * @param ports the physical ports, as labelled on the device; empty where the file does not say
 * @param mtu the largest packet that leaves by it, in bytes, 68 to 65535; null for what its network
 *     takes
 * @param largestSegment the maximum segment size that SYNs passing it may offer, in bytes, 1 to
 *     65535 (RFC 9293 section 3.7.1); null where the device does not change it
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record Interface(
    String name,
    Network network,
    List<Address> addresses,
    Assignment assigned,
    State state,
    List<String> ports,
    @Nullable Integer mtu,
    @Nullable Integer largestSegment,
    @Nullable String note,
    Place place)
    implements Named, Noted, InterfaceBuilder.With {
  /** Whether an interface carries packets, and if not, why. */
  public enum State {
    /** The interface is up. */
    UP("up"),
    /** The interface is switched off. */
    OFF("off"),
    /** Nothing is plugged in, or the other end is off. */
    NO_LINK("no link");

    private final String text;

    State(String text) {
      this.text = text;
    }

    /** The word of the site file. */
    @Override
    public String toString() {
      return text;
    }
  }

  /** Copies the addresses. */
  public Interface {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(network, "network");
    Objects.requireNonNull(assigned, "assigned");
    Objects.requireNonNull(state, "state");
    Objects.requireNonNull(place, "place");
    addresses = List.copyOf(addresses);
    ports = List.copyOf(ports);
  }

  /** The first of its addresses in this family; null if it has none. */
  public @Nullable Address address(Family family) {
    return Host.firstOf(addresses, family);
  }

  /** The largest packet that leaves by it, in bytes: its own MTU or its network's, the smaller. */
  public int linkMtu() {
    return mtu == null ? network.linkMtu() : Math.min(mtu, network.linkMtu());
  }

  /** Whether it carries packets. */
  public boolean isUp() {
    return state == State.UP;
  }

  /** Whether what comes by it comes from outside the site. */
  public boolean isOutside() {
    return network.isOutside();
  }
}
