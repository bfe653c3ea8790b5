// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.function.Function;
import org.eskerfield.packet.Address;
import org.jspecify.annotations.Nullable;

/** Hosts or devices, found by their addresses, too: one look into a table made at the first. */
class ByAddress<T> extends ByName<T> {
  private final Function<T, Collection<Address>> addresses;
  private volatile @Nullable Map<Address, List<T>> index;

  ByAddress(Map<String, T> things, Function<T, Collection<Address>> addresses) {
    super(things);
    this.addresses = addresses;
  }

  /** The same things, the same object if they are so already. */
  static <T> ByAddress<T> of(Map<String, T> things, Function<T, Collection<Address>> addresses) {
    return things instanceof ByAddress<T> known ? known : new ByAddress<>(things, addresses);
  }

  /** Those that have an address, in the order of the file; empty for none. */
  List<T> at(Address address) {
    Map<Address, List<T>> known = index;
    if (known == null) {
      known = new HashMap<>();
      for (T each : values()) {
        for (Address own : new LinkedHashSet<>(addresses.apply(each))) {
          known.computeIfAbsent(own, a -> new ArrayList<>(1)).add(each);
        }
      }
      index = known;
    }
    return known.getOrDefault(address, List.of());
  }

  /** The first that has an address; null for none. */
  @Nullable T firstAt(Address address) {
    List<T> all = at(address);
    return all.isEmpty() ? null : all.get(0);
  }
}
