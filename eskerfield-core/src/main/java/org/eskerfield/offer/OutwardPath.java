// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.program.DeviceProgram;
import org.jspecify.annotations.Nullable;

/**
 * The devices between a host and the outside, as the host's replies go: only where requests come by
 * the same way do the devices know the flow that a reply belongs to.
 */
final class OutwardPath {
  /**
   * A device on the way.
   *
   * @param outer its interface on the way out
   * @param inner its interface towards the host
   */
  record Hop(Device device, Interface outer, Interface inner) {
    /** Whether it goes out of an interface of a device. */
    boolean leaves(Device from, Interface by) {
      return device.name().equals(from.name()) && outer.name().equals(by.name());
    }

    /** Whether what a rule of a device takes comes in by it. */
    boolean isFaced(Device by, InwardRule rule) {
      return device.name().equals(by.name()) && rule.facing().names(outer);
    }
  }

  private OutwardPath() {}

  /**
   * The hops from the host's gateway to the carrier's link, or to the network of somebody inside.
   */
  static List<Hop> of(Site site, Host host, Address outsider) throws RefusedChangeException {
    Address gateway = site.gateway(host, outsider.family());
    if (gateway == null) {
      throw new RefusedChangeException(
          host.name() + " has no gateway, so its replies would go nowhere",
          "name one with 'gateway' of " + host.name() + " (" + host.place() + ")");
    }
    List<Hop> hops = new ArrayList<>();
    Set<String> visited = new HashSet<>();
    Device device = site.deviceAt(gateway);
    Address at = gateway;
    while (device != null && visited.add(device.name())) {
      Interface inner = interfaceAt(device, at);
      Placed by = DeviceProgram.compile(site, device).leading(outsider);
      Interface outer = by instanceof Route route ? route.leaving() : (Interface) by;
      if (outer == null || inner == null || outer.name().equals(inner.name())) {
        throw new RefusedChangeException(
            device.name() + " has no route from " + host.name() + " to the outside",
            "add a route to " + device.name() + " (" + device.place() + ")");
      }
      hops.add(new Hop(device, outer, inner));
      if (outer.isOutside() || outer.network().prefixOf(outsider) != null) {
        return hops;
      }
      Address next = by instanceof Route route ? route.via() : outsider;
      at = next == null ? at : next;
      device = next == null ? null : site.deviceAt(next);
    }
    String last = hops.isEmpty() ? host.name() : hops.get(hops.size() - 1).device.name();
    throw new RefusedChangeException(
        "behind " + last + " there is no device of the site at " + at,
        "describe the device that has this address, or correct the gateway or route");
  }

  private static @Nullable Interface interfaceAt(Device device, Address address) {
    for (Interface own : device.interfaces()) {
      if (own.addresses().contains(address)) {
        return own;
      }
    }
    return null;
  }
}
