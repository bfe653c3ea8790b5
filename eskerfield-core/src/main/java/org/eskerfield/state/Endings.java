// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;

/** Ends sessions by the addresses that they are with. */
final class Endings {
  private final DeviceState state;

  Endings(DeviceState state) {
    this.state = state;
  }

  /** Those one of whose ends has one of some addresses, on either side. */
  void with(AddressSet addresses) {
    for (int at = state.sessions.nextLive(0);
        at != DeviceState.NONE;
        at = state.sessions.nextLive(at + 1)) {
      Header arrived = state.arrived(at);
      Header left = state.left(at);
      if (addresses.contains(arrived.source())
          || addresses.contains(arrived.destination())
          || addresses.contains(left.source())
          || addresses.contains(left.destination())) {
        state.end(2 * at, DeviceState.NONE);
      }
    }
  }

  /** Those over an address of the device's own, and with them the bindings on it. */
  void over(Address own, int realm) {
    for (int at = state.sessions.nextLive(0);
        at != DeviceState.NONE;
        at = state.sessions.nextLive(at + 1)) {
      for (int which = 0; which < 2; which++) {
        FlowKey key = state.sessions.key(2 * at + which);
        if ((key.realm() == realm || key.realm() >= DeviceState.NOWHERE_BACK)
            && state.destination(key).equals(own)) {
          state.end(2 * at, DeviceState.NONE);
          break;
        }
      }
    }
  }
}
