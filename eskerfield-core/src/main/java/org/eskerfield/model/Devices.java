// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** Devices, found by their addresses and by the networks that they are on, too. */
final class Devices extends ByAddress<Device> {
  private volatile @Nullable Map<String, List<Interface>> onNetworks;

  private Devices(Map<String, Device> devices) {
    super(devices, Device::addresses);
  }

  /** The same devices, the same object if they are so already. */
  static Devices of(Map<String, Device> devices) {
    return devices instanceof Devices known ? known : new Devices(devices);
  }

  /** The interfaces on a network, in the order of the file; empty for none. */
  List<Interface> on(Network network) {
    Map<String, List<Interface>> known = onNetworks;
    if (known == null) {
      known = new HashMap<>();
      for (Device device : values()) {
        for (Interface own : device.interfaces()) {
          known.computeIfAbsent(own.network().name(), name -> new ArrayList<>(1)).add(own);
        }
      }
      known.replaceAll((name, on) -> List.copyOf(on));
      onNetworks = known;
    }
    return known.getOrDefault(network.name(), List.of());
  }
}
