// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.reach;

import org.eskerfield.model.Host;
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
 * @param sources their addresses
 */
public record Origin(@Nullable String network, @Nullable String host, AddressSet sources) {
  /** The sender with an address, as a site has it. */
  Host sender(Site site, Address source) {
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
