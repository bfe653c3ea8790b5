// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.Network;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.SpecialAddresses;

/**
 * The link-local addresses by which routers are known on their networks (RFC 4291 section 2.5.6):
 * the same may stand on each network, so that a route that names one has to find its network.
 */
final class Neighbours {
  private final Set<String> known = new HashSet<>();

  /** Whether an address is link-local on a network that has IPv6. */
  static boolean isOn(Network network, Address address) {
    return SpecialAddresses.FOR_NEIGHBOURS_ONLY.contains(address)
        && network.prefixes().stream().anyMatch(each -> each.family() == Family.IPV6);
  }

  /** Learns those of the carrier's routers. */
  void learn(Network network) {
    learn(network.name(), network.carrier());
  }

  /** Learns those of a device that is not read yet. */
  void learn(Fields device) {
    for (Fields.NamedNode named : device.named("interfaces")) {
      for (Fields each : device.children(named.value())) {
        Node.Scalar network = each.scalar("on");
        for (Node.Scalar text : each.texts("at")) {
          Address address = SiteReader.readable(text);
          if (network != null && address != null) {
            learn(network.text(), List.of(address));
          }
        }
      }
    }
  }

  private void learn(String network, List<Address> addresses) {
    for (Address address : addresses) {
      if (SpecialAddresses.FOR_NEIGHBOURS_ONLY.contains(address)) {
        known.add(network + " " + address);
      }
    }
  }

  /** Whether a router on a network has a link-local address. */
  boolean has(Network network, Address address) {
    return known.contains(network.name() + " " + address);
  }
}
