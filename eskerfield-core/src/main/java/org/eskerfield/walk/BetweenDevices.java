// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.Objects;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Condition;
import org.eskerfield.program.Row;
import org.eskerfield.program.SiteProgram;
import org.jspecify.annotations.Nullable;

/**
 * What happens to a packet between devices: who takes it on a network, where the internet carries
 * it, and whether a host lets it in. The one telling, for one packet ({@link SiteWalk}) and for
 * every packet ({@link EveryHop}).
 *
 * <p>Idea: as in {@link DeviceWalk}, it never looks at a packet: it asks, and goes on with the
 * answer.
 */
abstract class BetweenDevices {
  /**
   * Where a packet goes next.
   *
   * @param network the network; null for the internet
   * @param via the address that it is handed to; null for its own destination
   * @param from the device that hands it on; null for a host or the internet
   */
  record Hop(@Nullable Network network, @Nullable Address via, @Nullable Device from) {}

  private static final Condition NOT_CARRIED_FROM =
      new Condition.Source(SpecialAddresses.NOT_ON_THE_INTERNET);

  private static final Condition NOT_CARRIED_TO =
      new Condition.Destination(
          SpecialAddresses.NOT_ON_THE_INTERNET.union(SpecialAddresses.MULTICAST_OR_BROADCAST));

  final SiteProgram program;

  /** Whether the internet carries addresses that it should not. */
  boolean carriesAll;

  BetweenDevices(SiteProgram program) {
    this.program = program;
  }

  // What is asked.

  abstract boolean is(Condition condition);

  abstract <E extends Condition> @Nullable E first(Row<E> row);

  abstract void say(Ruling ruling, @Nullable Placed by);

  /** Whether it is addressed to a host. */
  abstract boolean isFor(Host host);

  /** Takes one off the hop count; false if none is left. */
  abstract boolean takeHop();

  /** Whether a network takes it from the internet, whole or in fragments. */
  abstract boolean fits(Network network);

  /**
   * The one who began, where this answers him and his own address is all that tells; null where it
   * is to be asked.
   *
   * @param network where he is; null for the internet
   */
  abstract @Nullable Host asker(@Nullable Network network, @Nullable Address via);

  /** The one who began, where nobody else has his address; null for nobody. */
  abstract @Nullable Host unnamedAsker(@Nullable Network network, @Nullable Address via);

  // What happens.

  /** It is handed over on a network. */
  abstract void comesToNetwork();

  /** It comes to the internet. */
  abstract void comesToInternet();

  /** A device takes it. */
  abstract @Nullable Hop arrive(Device device, Interface own);

  /** It comes to a host; what {@link #receive} does with it. */
  abstract @Nullable Hop receive(Host host);

  /** Somebody outside takes it whom the file does not describe. */
  abstract @Nullable Hop takenToAnswer();

  abstract @Nullable Hop nobodyThere(Hop hop, Network network);

  /** The packet is handed to an address on a network: who takes it? */
  final @Nullable Hop handOver(Hop hop, Network network) {
    comesToNetwork();
    Address to = hop.via();
    Host asker = asker(network, to);
    if (asker != null) {
      return receive(asker);
    }
    SiteProgram.Taker taker =
        to == null
            ? first(program.takers(network, hop.from()))
            : program.takerOf(to, network, hop.from());
    SiteProgram.Role role = taker == null ? null : taker.role();
    if (taker != null && role == SiteProgram.Role.DEVICE) {
      return arrive(taker);
    }
    if (taker != null && taker.host() != null) {
      return receive(taker.host());
    }
    Host unnamed = unnamedAsker(network, to);
    if (unnamed != null) { // the carrier's router may send: it is no host
      return receive(unnamed);
    }
    if (taker != null && role == SiteProgram.Role.CARRIER) {
      if (to != null && !is(taker)) {
        return new Hop(null, null, null);
      }
      return takenToAnswer();
    }
    return taker != null ? arrive(taker) : nobodyThere(hop, network);
  }

  private @Nullable Hop arrive(SiteProgram.Taker taker) {
    return arrive(Objects.requireNonNull(taker.device()), Objects.requireNonNull(taker.own()));
  }

  /** The internet: from a host or carrier link to a host or carrier link. */
  final @Nullable Hop carry() {
    comesToInternet();
    if (!carriesAll && is(NOT_CARRIED_FROM)) {
      say(Ruling.SOURCE_NOT_CARRIED, null);
      return null;
    }
    if (!carriesAll && is(NOT_CARRIED_TO)) {
      say(Ruling.DESTINATION_NOT_CARRIED, null);
      return null;
    }
    if (!takeHop()) {
      say(Ruling.HOPS_USED_UP, null);
      return null;
    }
    Host asker = asker(null, null);
    if (asker != null) {
      say(Ruling.CARRIED, asker);
      return receive(asker);
    }
    SiteProgram.Carried carried = first(program.carried());
    Host host = carried == null ? null : carried.host();
    host = host == null ? unnamedAsker(null, null) : host;
    if (host != null) {
      say(Ruling.CARRIED, host);
      return receive(host);
    }
    if (carried == null) {
      say(Ruling.CARRIED, null);
      return takenToAnswer();
    }
    Network network = carried.network();
    if (network == null || (carried.by() instanceof Network && network.carrier().isEmpty())) {
      say(Ruling.NO_CARRIER_LINK, carried.by());
      return null;
    }
    say(Ruling.CARRIED, carried.by());
    if (!fits(network)) {
      return null;
    }
    return new Hop(
        network, carried.by() instanceof Network.Routed block ? block.via() : null, null);
  }

  /** Whether a packet that was handed to a host is for it, and the host is there. */
  final boolean comesIn(Host host) {
    if (host.off()) {
      say(Ruling.HOST_OFF, host);
      return false;
    }
    if (!isFor(host)) {
      say(Ruling.NOT_FOR_HOST, host);
      return false;
    }
    return true;
  }

  /** What the host's own filter does with a packet that it has not asked for; says so. */
  final Action filtered(CompiledList filter) {
    CompiledList.Entry entry = first(filter.row());
    AccessRule rule = entry == null ? null : entry.rule();
    Action action = rule == null ? filter.list().otherwise() : rule.action();
    if (rule == null && action != Action.ACCEPT) {
      tellNearest(filter);
    }
    say(
        switch (action) {
          case ACCEPT ->
              rule == null ? Ruling.HOST_ACCEPTED_OTHERWISE : Ruling.HOST_ACCEPTED_BY_RULE;
          case DROP -> Ruling.HOST_FILTERED;
          case REJECT -> Ruling.HOST_REJECTED;
        },
        rule == null ? filter.list() : rule);
    return action;
  }

  /** The filter refused by its default; the rule that came nearest may be told. */
  abstract void tellNearest(CompiledList filter);
}
