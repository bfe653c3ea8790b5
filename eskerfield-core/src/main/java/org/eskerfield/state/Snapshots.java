// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Size;
import org.jspecify.annotations.Nullable;

/**
 * Takes a snapshot of the state of a device, and lets another one go on from it.
 *
 * <p>Idea: sessions and bindings are told in the order of their numbers and made again in that
 * order. All else that the tables hold (who uses which port, which pool, which timer) follows from
 * these, but for what nobody has: the rest of freed ports, and how many lots were drawn.
 */
final class Snapshots {
  private static final int NONE = DeviceState.NONE;

  private final DeviceState state;

  Snapshots(DeviceState state) {
    this.state = state;
  }

  // Taking.

  DeviceSnapshot take() {
    Map<Integer, Integer> placeOfSession = new LinkedHashMap<>();
    SessionTable sessions = state.sessions;
    for (int at = sessions.nextLive(0); at != NONE; at = sessions.nextLive(at + 1)) {
      placeOfSession.put(at, placeOfSession.size());
    }
    Map<Integer, Integer> placeOfBinding = new HashMap<>();
    List<DeviceSnapshot.Bound> bound = new ArrayList<>();
    BindingTable bindings = state.bindings;
    for (int at = bindings.nextLive(0); at != NONE; at = bindings.nextLive(at + 1)) {
      placeOfBinding.put(at, bound.size());
      bound.add(bound(at, placeOfSession));
    }
    List<DeviceSnapshot.Session> flows = new ArrayList<>();
    placeOfSession.keySet().forEach(at -> flows.add(session(at, placeOfBinding)));
    List<DeviceSnapshot.Ports> ports = new ArrayList<>();
    for (PortSpace space : state.spaces.all()) {
      ports.add(
          new DeviceSnapshot.Ports(
              realm(PortSpaces.realm(space.key)),
              PortSpaces.address(space.key),
              PortSpaces.protocol(space.key),
              space.draws(),
              space.resting()));
    }
    return new DeviceSnapshot(
        state.sessionsAged(), state.bindingsAged(), bound, flows, ports, fragments());
  }

  private DeviceSnapshot.Loose fragments() {
    Fragments all = state.fragments();
    List<DeviceSnapshot.First> firsts = new ArrayList<>();
    all.firsts.forEach(
        (key, first) ->
            firsts.add(
                new DeviceSnapshot.First(
                    whole(key),
                    first.sourcePort(),
                    first.destinationPort(),
                    first.icmpType(),
                    first.icmpCode(),
                    first.tcpFlags(),
                    first.leavesAs(),
                    first.until())));
    List<DeviceSnapshot.Waiting> waiting = new ArrayList<>();
    for (Fragments.Waiting each : all.waiting) {
      waiting.add(
          new DeviceSnapshot.Waiting(
              whole(each.key()),
              each.arriving(),
              each.size().fragments().get(0),
              each.ttl(),
              each.until()));
    }
    List<DeviceSnapshot.Given> given = new ArrayList<>();
    all.given.forEach(
        (giver, count) ->
            given.add(new DeviceSnapshot.Given(giver.address(), giver.protocol(), count)));
    return new DeviceSnapshot.Loose(firsts, waiting, given);
  }

  private DeviceSnapshot.Whole whole(Fragments.Key key) {
    return new DeviceSnapshot.Whole(
        realm(key.realm()), key.source(), key.destination(), key.protocol(), key.identification());
  }

  private void goOn(DeviceSnapshot.Loose before) {
    Fragments all = state.fragments();
    for (DeviceSnapshot.First each : before.firsts()) {
      all.firsts.put(
          key(each.of()),
          new Fragments.First(
              each.sourcePort(),
              each.port(),
              each.icmpType(),
              each.icmpCode(),
              each.tcpFlags(),
              each.leavesAs(),
              each.until()));
    }
    for (DeviceSnapshot.Waiting each : before.waiting()) {
      Size size = Size.ofFragment(each.of().identification(), each.fragment());
      all.waiting.add(
          new Fragments.Waiting(key(each.of()), each.arriving(), size, each.ttl(), each.until()));
    }
    for (DeviceSnapshot.Given each : before.given()) {
      all.given.put(new Fragments.Giver(each.address(), each.protocol()), each.count());
    }
  }

  private Fragments.Key key(DeviceSnapshot.Whole of) {
    return new Fragments.Key(
        realm(of.realm()), of.source(), of.destination(), of.protocol(), of.identification());
  }

  private String realm(int number) {
    String name = state.program.realmName(number);
    return name == null ? "" : name;
  }

  private DeviceSnapshot.Bound bound(int binding, Map<Integer, Integer> placeOfSession) {
    BindingTable all = state.bindings;
    int origin = all.origin(binding);
    List<Integer> uses = new ArrayList<>();
    for (int use = all.firstUse(binding); use != NONE; use = state.sessions.nextUse(use)) {
      uses.add(2 * placeOfSession.getOrDefault(use >> 1, NONE) + (use & 1));
    }
    int internal = all.internal(binding);
    int source =
        state.sources.find(internal, all.internalRealm(binding), state.origins.owner(origin));
    return new DeviceSnapshot.Bound(
        new DeviceSnapshot.End(
            realm(all.internalRealm(binding)),
            DeviceState.ipv4(internal),
            all.internalPort(binding)),
        new DeviceSnapshot.End(
            realm(all.externalRealm(binding)),
            DeviceState.ipv4(all.external(binding)),
            all.externalPort(binding)),
        all.protocol(binding),
        all.remote(binding),
        all.remotePort(binding),
        state.origins.nameOf(origin),
        state.origins.use(state.origins.pool(origin)).addresses,
        state.origins.leavingOf(origin),
        all.isWholeAddress(binding) || source == NONE
            ? null
            : DeviceState.ipv4(state.sources.external(source)),
        all.since(binding),
        uses);
  }

  private DeviceSnapshot.Session session(int at, Map<Integer, Integer> placeOfBinding) {
    SessionTable all = state.sessions;
    Header came = state.filter().cameBack.get(at);
    return new DeviceSnapshot.Session(
        all.key(2 * at).protocol(),
        ends(all.key(2 * at)),
        ends(all.key(2 * at + 1)),
        state.origins.name(all.destinationRule(at)),
        state.origins.name(all.sourceRule(at)),
        placeOfBinding.getOrDefault(all.binding(at), NONE),
        placeOfBinding.getOrDefault(all.secondBinding(at), NONE),
        all.timersOf(at),
        all.marks(at),
        all.since(at),
        all.expires(at),
        state.expectations().unfinished.getOrDefault(2 * at, ""),
        state.expectations().unfinished.getOrDefault(2 * at + 1, ""),
        came == null ? null : arrived(came));
  }

  private DeviceSnapshot.Ends ends(FlowKey key) {
    return new DeviceSnapshot.Ends(
        key.realm() >= DeviceState.NOWHERE_BACK ? null : realm(key.realm()),
        state.source(key),
        key.sourcePort(),
        state.destination(key),
        key.destinationPort());
  }

  private static DeviceSnapshot.Arrived arrived(Header header) {
    return new DeviceSnapshot.Arrived(
        new DeviceSnapshot.Ends(
            "",
            header.source(),
            header.sourcePort(),
            header.destination(),
            header.destinationPort()),
        header.icmpType(),
        header.icmpCode(),
        header.tcpFlags(),
        header.ttl());
  }

  // Going on.

  void goOn(DeviceSnapshot before) {
    List<Integer> bindings = new ArrayList<>();
    before.bindings().forEach(each -> bindings.add(made(each)));
    List<Integer> sessions = new ArrayList<>();
    for (DeviceSnapshot.Session each : before.sessions()) {
      sessions.add(made(each, bindings));
    }
    for (int i = 0; i < bindings.size(); i++) {
      List<Integer> uses = before.bindings().get(i).uses();
      for (int j = uses.size() - 1; j >= 0; j--) { // each comes before those linked so far
        int use = uses.get(j);
        state.use(2 * sessions.get(use >> 1) + (use & 1), bindings.get(i));
      }
    }
    for (DeviceSnapshot.Ports each : before.ports()) {
      state
          .endpoints()
          .space((int) each.address().low(), each.protocol(), realm(each.realm()))
          .goOn(each);
    }
    sessions.forEach(state.endpoints()::count);
    goOn(before.fragments());
  }

  private int realm(@Nullable String name) {
    int realm = name == null ? NONE : state.program.realmNumber(name);
    if (realm < 0) {
      throw new IllegalArgumentException("the device has no address space called " + name);
    }
    return realm;
  }

  private int made(DeviceSnapshot.Bound each) {
    int rule = state.origins.rule(each.rule());
    int origin =
        state.origins.origin(
            state.origins.required(rule), state.origins.poolOf(each.pool()), each.leaving());
    int internal = (int) each.internal().address().low();
    int external = (int) each.external().address().low();
    int to = realm(each.external().realm());
    int from = realm(each.internal().realm());
    PoolUse pool = state.origins.use(state.origins.pool(origin));
    Address paired = each.pairedWith();
    if (paired == null) {
      pool.lend(external);
    } else {
      pool.share(external, 1);
      state.endpoints().space(external, each.protocol(), to).retake(each.external().port());
      state.sources.count(
          internal, from, state.origins.owner(origin), (int) paired.low(), each.protocol());
    }
    return state.bindings.make(
        internal,
        each.internal().port(),
        from,
        external,
        each.external().port(),
        to,
        each.protocol(),
        each.remote(),
        each.remotePort(),
        origin,
        each.since());
  }

  private int made(DeviceSnapshot.Session each, List<Integer> bindings) {
    FlowKey there = key(each.there(), each.protocol(), DeviceState.NOWHERE);
    FlowKey back = key(each.back(), each.protocol(), DeviceState.NOWHERE_BACK);
    if (there.isIpv6()) {
      for (DeviceSnapshot.Ends ends : List.of(each.there(), each.back())) {
        state.numbers.use(ends.source().high(), ends.source().low());
        state.numbers.use(ends.destination().high(), ends.destination().low());
      }
      there = key(each.there(), each.protocol(), DeviceState.NOWHERE);
      back = key(each.back(), each.protocol(), DeviceState.NOWHERE_BACK);
    }
    int session =
        state.sessions.record(
            there,
            back,
            new SessionTable.Made(
                each.binding() < 0 ? NONE : bindings.get(each.binding()),
                state.origins.rule(each.destinationRule()),
                state.origins.rule(each.sourceRule())),
            state.idle.settings(each.timers()),
            SessionState.EITHER,
            each.since());
    if (each.second() >= 0) {
      state.sessions.useSecond(session, bindings.get(each.second()));
    }
    state.sessions.goOn(session, each.marks(), each.since(), each.expires());
    if (each.marks().contains(DeviceSnapshot.Mark.EXPECTED)) {
      state.expectations().count++;
    }
    keep(2 * session, each.unfinished());
    keep(2 * session + 1, each.unfinishedBack());
    DeviceSnapshot.Arrived came = each.cameBack();
    if (came != null) {
      state.filter().cameBack.put(session, header(came, each.protocol()));
    }
    return session;
  }

  private void keep(int reference, String text) {
    if (!text.isEmpty()) {
      state.expectations().unfinished.put(reference, text);
    }
  }

  private FlowKey key(DeviceSnapshot.Ends ends, int protocol, int nowhere) {
    boolean ipv6 = ends.source().family() == Family.IPV6;
    return FlowKey.of(
        number(ends.source()),
        ends.sourcePort(),
        number(ends.destination()),
        ends.port(),
        FlowKey.above(ends.realm() == null ? nowhere : realm(ends.realm()), ipv6, protocol));
  }

  private int number(Address address) {
    return address.family() == Family.IPV4
        ? (int) address.low()
        : state.numbers.find(address.high(), address.low());
  }

  private static Header header(DeviceSnapshot.Arrived came, int protocol) {
    return new Header(
        came.ends().source(),
        came.ends().sourcePort(),
        came.ends().destination(),
        came.ends().port(),
        protocol,
        came.icmpType(),
        came.icmpCode(),
        came.tcpFlags(),
        came.ttl(),
        null,
        null,
        null);
  }
}
