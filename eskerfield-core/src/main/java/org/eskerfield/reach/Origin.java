// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.reach;

import java.util.Objects;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.jspecify.annotations.Nullable;

/**
 * Senders that send in the same way.
 *
 * @param network the network that they are on; null for the internet
 * @param host the one host that they are, where it sends in a way of its own; null for the others
 * @param device the device that sends itself; null for hosts
 * @param sources their addresses
 */
public record Origin(
    @Nullable String network, @Nullable String host, @Nullable String device, AddressSet sources) {
  /** Hosts on a network, or on the internet where that is null. */
  public static Origin on(@Nullable String network, AddressSet sources) {
    return new Origin(network, null, null, sources);
  }

  /** A device, with the addresses that it may choose for its own packets. */
  public static Origin of(Device device, AddressSet sources) {
    return new Origin(null, null, device.name(), sources);
  }

  /** The name of the senders: a host, a device, a network, or the internet. */
  public String name() {
    if (device != null) {
      return device;
    }
    return host != null ? host : network != null ? network : Site.INTERNET;
  }

  /** The sender with an address, as a site has it. */
  Named sender(Site site, Address source) {
    if (device != null) {
      return Objects.requireNonNull(site.devices().get(device), device);
    }
    Host named = host == null ? site.hostAt(source) : site.hosts().get(host);
    Network at = network == null ? null : site.networks().get(network);
    if (named != null && named.addresses().contains(source) && isThere(named, at)) {
      return named;
    }
    return Host.unnamed(source, at);
  }

  private static boolean isThere(Host host, @Nullable Network at) {
    return at == null ? host.isOutside() : host.isOn(at);
  }
}
