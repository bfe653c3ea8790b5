// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.BitSet;
import org.eskerfield.model.Interface;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;

/**
 * Gives external endpoints to internal ones, for as long as they need them: a port of a shared
 * address, or an address as a whole.
 */
public final class Lending {
  private final DeviceState state;
  private final Lot lot;

  Lending(DeviceState state, Lot lot) {
    this.state = state;
    this.lot = lot;
  }

  /**
   * The binding of the packet's source on one of some external addresses, made if there is none. An
   * internal address stays with one external address while it has a binding there, if pooling is
   * paired; a new one begins where the fewest bindings are.
   *
   * <p>The binding counts only when a session is recorded that uses it.
   *
   * @param packet the packet; its source is the internal side
   * @param from the realm that it comes from
   * @param leaving the interface for which it is made
   * @return {@link DeviceState#NONE} if no port is left, {@link DeviceState#AT_ITS_LIMIT} if the
   *     source may have no more
   */
  public int share(
      TranslationRule rule,
      Packet packet,
      int from,
      Interface leaving,
      AddressSet externals,
      StateSettings settings) {
    if (externals.isEmpty()) {
      return DeviceState.NONE;
    }
    int to = state.program.realm(leaving);
    int origin = state.origins.origin(rule, state.origins.poolOf(externals), leaving.name());
    int owner = state.origins.owner(origin);
    int internal = (int) packet.sourceLow;
    int port = packet.sourcePort;
    int protocol = packet.protocol;
    StateSettings.Endpoints mapping = settings.mapping();
    int remote =
        mapping == StateSettings.Endpoints.ENDPOINT_INDEPENDENT ? 0 : (int) packet.destinationLow;
    int remotePort =
        mapping == StateSettings.Endpoints.ADDRESS_AND_PORT_DEPENDENT ? packet.destinationPort : 0;
    int known =
        state.bindings.ofInternal(internal, port, from, protocol, owner, remote, remotePort);
    if (known != DeviceState.NONE) {
      return known;
    }
    int source = state.sources.find(internal, from, owner);
    int limit = settings.ports().perSource();
    if (limit > 0 && state.sources.ports(source, protocol) >= limit) {
      state.events.nothingLeft(TranslationEvent.Kind.LIMIT_REACHED, packet, rule, 0);
      return DeviceState.AT_ITS_LIMIT;
    }
    PoolUse use = state.origins.use(state.origins.pool(origin));
    boolean paired =
        source != DeviceState.NONE && settings.pooling() == StateSettings.Pooling.PAIRED;
    int external = paired ? state.sources.external(source) : use.address(use.leastShared());
    int given = takePort(external, protocol, to, port, settings);
    for (long i = 0; given == DeviceState.NONE && !paired && i < use.size(); i++) {
      external = use.address(i);
      given = takePort(external, protocol, to, port, settings);
    }
    if (given == DeviceState.NONE) {
      state.events.nothingLeft(TranslationEvent.Kind.PORTS_USED_UP, packet, rule, external);
      return DeviceState.NONE;
    }
    use.share(external, 1);
    state.sources.count(internal, from, owner, external, protocol);
    return state.bindings.make(
        internal,
        port,
        from,
        external,
        given,
        to,
        protocol,
        remote,
        remotePort,
        origin,
        state.clock.elapsed());
  }

  private int takePort(int external, int protocol, int realm, int wanted, StateSettings settings) {
    if (state.bindings.ofExternal(external, 0, realm, 0) != DeviceState.NONE) {
      return DeviceState.NONE; // the whole address is lent to somebody
    }
    PortSpace space = state.endpoints().space(external, protocol, realm);
    StateSettings.Ports ports = settings.ports();
    long now = state.clock.elapsed();
    if (!Protocol.hasPorts(protocol)) {
      return space.takeIdentifier(ports.preserved() ? wanted : lot.draw(space, 65536), now);
    }
    boolean low = wanted < 1024;
    int start =
        ports.preserved() ? wanted : low ? lot.draw(space, 1024) : 1024 + lot.draw(space, 64512);
    boolean parity = ports.parity() && protocol == Protocol.UDP;
    return space.take(parity ? (start & ~1) | (wanted & 1) : start, parity, ports.fallback(), now);
  }

  /** The ports of a space that rules and own services claim. */
  static BitSet claims(DeviceProgram program, long space) {
    return program.claimedPorts(
        PortSpaces.address(space), PortSpaces.protocol(space), PortSpaces.realm(space));
  }

  /**
   * The external address that the packet's source has of a pool, lent if it has none: the lowest on
   * which nobody has a binding.
   *
   * @param leaving the interface for which it is lent
   * @return {@link DeviceState#NONE} if all are lent
   */
  public int borrow(
      TranslationRule rule, Packet packet, int from, Interface leaving, AddressSet pool) {
    int to = state.program.realm(leaving);
    int number = state.origins.poolOf(pool);
    int origin = state.origins.origin(rule, number, leaving.name());
    int internal = (int) packet.sourceLow;
    int known = state.bindings.ofInternal(internal, 0, from, 0, state.origins.owner(origin), 0, 0);
    if (known != DeviceState.NONE) {
      return known;
    }
    PoolUse use = state.origins.use(number);
    for (long at = use.nextFree(0); at < use.size(); at = use.nextFree(at + 1)) {
      int external = use.address(at);
      // Another pool may have it, too.
      if (state.bindings.ofExternal(external, 0, to, 0) == DeviceState.NONE
          && !state.spaces.isShared(external, to)) {
        use.lend(external);
        return state.bindings.make(
            internal, 0, from, external, 0, to, 0, 0, 0, origin, state.clock.elapsed());
      }
    }
    state.events.nothingLeft(TranslationEvent.Kind.ADDRESSES_USED_UP, packet, rule, 0);
    return DeviceState.NONE;
  }
}
