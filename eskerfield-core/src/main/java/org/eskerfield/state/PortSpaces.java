// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/** The spaces of ports of a device, by external address, protocol and realm. */
final class PortSpaces extends Index {
  /** The protocols whose packets can share an address. */
  static final List<Integer> SHARING = List.of(Protocol.TCP, Protocol.UDP, Protocol.ICMP);

  private final List<PortSpace> spaces = new ArrayList<>();

  @Override
  int hashOf(int space) {
    return hash(spaces.get(space).key, 0);
  }

  static long key(int external, int protocol, int realm) {
    return (long) external << 32 | protocol << 8 | realm;
  }

  static Address address(long key) {
    return new Address(Family.IPV4, 0, key >>> 32);
  }

  static int protocol(long key) {
    return (int) key >> 8 & 0xff;
  }

  static int realm(long key) {
    return (int) key & 0xff;
  }

  /** All of them, in the order in which they were made. */
  List<PortSpace> all() {
    return spaces;
  }

  PortSpace add(PortSpace space) {
    spaces.add(space);
    add(spaces.size() - 1);
    return space;
  }

  @Nullable PortSpace find(int external, int protocol, int realm) {
    long key = key(external, protocol, realm);
    int hash = hash(key, 0);
    for (int slot = start(hash); ; slot = next(slot)) {
      int space = at(slot, hash);
      if (space == NONE) {
        return null;
      }
      if (space != OTHER && spaces.get(space).key == key) {
        return spaces.get(space);
      }
    }
  }

  /** Whether a binding of some ports stands on an address. */
  boolean isShared(int external, int realm) {
    for (int protocol : SHARING) {
      PortSpace space = find(external, protocol, realm);
      if (space != null && space.count() > 0) {
        return true;
      }
    }
    return false;
  }

  /** Forgets all of them. */
  void forget() {
    spaces.clear();
    clear();
  }
}
