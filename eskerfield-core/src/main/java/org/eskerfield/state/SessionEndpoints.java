// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;

/**
 * The endpoints by which replies come in, of sessions that have no binding there: no temporary
 * binding may be made on them. They are counted in the space of their address once that has one, so
 * that devices that share no address make none.
 */
final class SessionEndpoints {
  private final DeviceState state;

  /** Whether a session may be recorded whose endpoint has no space of ports to be counted in. */
  boolean someUncounted;

  /** The addresses on which a session without a binding keeps temporary bindings away. */
  private AddressSet takable;

  SessionEndpoints(DeviceState state, AddressSet takable) {
    this.state = state;
    this.takable = takable;
  }

  /** From now on these addresses are the ones that matter. */
  void countOn(AddressSet takable) {
    this.takable = takable;
    countAll(); // what nobody takes any more stays counted until it ends
  }

  private void countAll() {
    for (int at = state.sessions.nextLive(0);
        at != DeviceState.NONE;
        at = state.sessions.nextLive(at + 1)) {
      count(at);
    }
  }

  void count(int session) {
    for (int which = 0; which < 2; which++) {
      FlowKey key = state.sessions.key(2 * session + which);
      int port = key.destinationPort();
      int binding = state.sessions.binding(session);
      if (port != 0
          && key.realm() < DeviceState.NOWHERE_BACK
          && !(binding != DeviceState.NONE && state.isOutward(key, binding))
          && !key.isIpv6()
          && takable.contains(Family.IPV4, 0, key.destination() & 0xffff_ffffL)) {
        PortSpace space = state.spaces.find(key.destination(), key.protocol(), key.realm());
        if (space == null) {
          someUncounted = true;
        } else if (!state.sessions.isCounted(session, which)) {
          space.use(port);
          state.sessions.count(session, which, true);
        }
      }
    }
  }

  void uncount(int session) {
    for (int which = 0; which < 2; which++) {
      if (state.sessions.isCounted(session, which)) {
        FlowKey key = state.sessions.key(2 * session + which);
        space(key.destination(), key.protocol(), key.realm()).unuse(key.destinationPort());
        state.sessions.count(session, which, false);
      }
    }
  }

  PortSpace space(int external, int protocol, int realm) {
    PortSpace known = state.spaces.find(external, protocol, realm);
    if (known != null) {
      return known;
    }
    long key = PortSpaces.key(external, protocol, realm);
    PortSpace made = state.spaces.add(new PortSpace(key, Lending.claims(state.program, key)));
    if (someUncounted) {
      countAll();
    }
    return made;
  }
}
