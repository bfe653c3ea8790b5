// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.Map;

/** How often each address was met; of more than 10,000 those met first. */
public final class AddressCounts {
  private static final int MOST = 10_000;

  private final Map<Address, Long> counts = new HashMap<>();

  /** Has met none yet. */
  public AddressCounts() {}

  /** Counts an address. */
  public void add(Address address) {
    if (counts.size() < MOST || counts.containsKey(address)) {
      counts.merge(address, 1L, Long::sum);
    }
  }

  /** The addresses with their counts, the most first, of equal ones in the order of addresses. */
  public Map<Address, Long> sorted() {
    Map<Address, Long> sorted = new LinkedHashMap<>();
    counts.entrySet().stream()
        .sorted(
            Comparator.comparing((Map.Entry<Address, Long> each) -> -each.getValue())
                .thenComparing(Map.Entry::getKey))
        .forEach(each -> sorted.put(each.getKey(), each.getValue()));
    return sorted;
  }
}
