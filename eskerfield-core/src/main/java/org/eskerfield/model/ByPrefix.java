// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.HashMap;
import java.util.Map;
import java.util.TreeSet;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * Networks, found by the addresses that their prefixes hold, too: one look into a table for each
 * length that a prefix has. Where prefixes overlap, which they do in realms only, the network that
 * stands first in the file counts.
 */
final class ByPrefix extends ByName<Network> {
  private record Numbered(int number, Network network) {}

  private record Index(Map<Prefix, Numbered> networks, TreeSet<Integer> lengths) {}

  private volatile @Nullable Index index;

  private ByPrefix(Map<String, Network> networks) {
    super(networks);
  }

  static ByPrefix of(Map<String, Network> networks) {
    return networks instanceof ByPrefix known ? known : new ByPrefix(networks);
  }

  /** The network that holds an address; null for none. */
  @Nullable Network holding(Address address) {
    Index known = index;
    if (known == null) {
      known = new Index(new HashMap<>(), new TreeSet<>());
      for (Network network : values()) {
        for (Prefix prefix : network.prefixes()) {
          Numbered numbered = new Numbered(known.networks.size(), network);
          known.networks.putIfAbsent(prefix, numbered);
          known.lengths.add(prefix.length());
        }
      }
      index = known;
    }
    Numbered first = null;
    for (int length : known.lengths) {
      if (length <= address.family().bits()) {
        Numbered found = known.networks.get(Prefix.around(address, length));
        first = found != null && (first == null || found.number < first.number) ? found : first;
      }
    }
    return first == null ? null : first.network;
  }
}
