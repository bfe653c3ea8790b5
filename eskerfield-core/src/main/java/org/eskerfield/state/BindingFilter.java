// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.HashMap;
import java.util.Map;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;

/**
 * Judges packets that arrive at external endpoints of bindings: which binding it is, and whether it
 * lets the sender in (RFC 4787 section 5).
 */
public final class BindingFilter {
  private final DeviceState state;

  /** How the packets arrived that came back, by their sessions; see {@link #cameBack}. */
  final Map<Integer, Header> cameBack = new HashMap<>();

  BindingFilter(DeviceState state) {
    this.state = state;
  }

  /**
   * The temporary binding that an external endpoint belongs to; {@link DeviceState#NONE} if none
   * does.
   */
  public int bindingAt(Packet packet, int realm) {
    return packet.family == Family.IPV6
        ? DeviceState.NONE
        : bindingAt((int) packet.destinationLow, packet.destinationPort, packet.protocol, realm);
  }

  private int bindingAt(int external, int port, int protocol, int realm) {
    if (state.bindings.count() == 0) {
      return DeviceState.NONE;
    }
    int binding = state.bindings.ofExternal(external, port, realm, protocol);
    binding =
        binding != DeviceState.NONE ? binding : state.bindings.ofExternal(external, 0, realm, 0);
    return binding == DeviceState.NONE
            || state.program.claims.isClaimed(
                DeviceState.ipv4(external), protocol, port, state.program.realmName(realm))
        ? DeviceState.NONE
        : binding;
  }

  /** Whether a live binding stands on an endpoint. */
  public boolean isBound(Address address, int port, int protocol, int realm) {
    return address.family() == Family.IPV4
        && bindingAt((int) address.low(), port, protocol, realm) != DeviceState.NONE;
  }

  /**
   * Whether a binding lets in a packet that belongs to none of its sessions (RFC 4787 section 5).
   * Cost: O(sessions of the binding).
   *
   * @param sender the address of the sender, as the outside sees it
   * @param port its port or identifier
   */
  public boolean admits(int binding, int sender, int port, StateSettings.Endpoints filtering) {
    if (filtering == StateSettings.Endpoints.ENDPOINT_INDEPENDENT) {
      return true;
    }
    boolean byPort =
        filtering == StateSettings.Endpoints.ADDRESS_AND_PORT_DEPENDENT
            && !Protocol.isIcmp(state.bindings.protocol(binding));
    for (int use = state.bindings.firstUse(binding);
        use != DeviceState.NONE;
        use = state.sessions.nextUse(use)) {
      int remote = remoteOf(use, binding);
      FlowKey key = state.sessions.key(remote >> 1);
      FlowKey far = (remote & 1) == 0 ? key : key.swapped();
      if (far.source() == sender && (!byPort || far.sourcePort() == port)) {
        return true;
      }
    }
    return false;
  }

  /**
   * Where the far end of a session stands, as the outside of its binding sees it: twice a
   * reference, plus 1 if it is the destination there and not the source.
   */
  private int remoteOf(int use, int binding) {
    int session = use & ~1;
    if (state.sessions.secondBinding(use >> 1) != DeviceState.NONE) {
      // Two insiders, who see each other's outsides: the opener's in what left, the other's in what
      // arrived.
      return (use & 1) == 0 ? 2 * session + 1 : 2 * (session + 1) + 1;
    }
    return 2 * (state.isOutward(use >> 1, binding) ? session + 1 : session);
  }

  /**
   * Remembers a packet of an insider that the binding of another one did not let in: it went out
   * and came back, so that the other one's packets will be let in. That is a session of no packet
   * that could arrive; the insider's next one is judged anew.
   *
   * @param arrived the packet as it arrived
   * @param outside the same as it would be outside
   * @param binding the sender's binding
   */
  public void cameBack(
      Packet arrived, Packet outside, TranslationRule rule, int binding, StateSettings settings) {
    int known = state.sessionOf(outside, DeviceState.NOWHERE);
    if (known != DeviceState.NONE) {
      state.saw(known, outside);
      return;
    }
    int session =
        state.record(
                state.asked,
                state.key(outside, DeviceState.NOWHERE_BACK).swapped(),
                new SessionTable.Made(binding, 0, state.origins.rule(rule)),
                settings)
            >> 1;
    if (outside.protocol == Protocol.TCP && !outside.opensTcp()) {
      state.takeForEstablished(2 * session);
    }
    cameBack.put(session, arrived.header());
  }
}
