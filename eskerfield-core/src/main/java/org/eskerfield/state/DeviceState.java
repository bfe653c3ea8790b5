// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.List;
import java.util.function.Consumer;
import org.eskerfield.model.Interface;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;
import org.jspecify.annotations.Nullable;

/**
 * The sessions and temporary bindings of one device in one run.
 *
 * <p>Idea: five structures over primitives, each with a note of its own: {@link SessionTable},
 * {@link BindingTable}, {@link PortSpace} for each external address and protocol, {@link PoolUse}
 * for each pool, {@link SourceTable} for who shares what. Here they are kept in step: a session
 * that ends takes a binding along that no other session uses, and that one its port. What is due
 * ends when time passes, before any packet can look; packets do no such work.
 */
@SuppressWarnings("exports") // who makes one is of the house
public final class DeviceState {
  public static final int NONE = Index.NONE;

  /** Realms that no packet comes from: those of packets that came back, and of their answers. */
  static final int NOWHERE = 0xff;

  static final int NOWHERE_BACK = 0xfe;

  /** Told instead of a binding: the source has as many ports as it may. */
  public static final int AT_ITS_LIMIT = -3;

  final VirtualClock clock;
  DeviceProgram program;
  final AddressNumbers numbers = new AddressNumbers();
  final Idle idle = new Idle();
  final SessionTable sessions = new SessionTable(idle);
  final Origins origins = new Origins();
  final BindingTable bindings = new BindingTable(origins);
  final SourceTable sources = new SourceTable();
  final PortSpaces spaces = new PortSpaces();

  private final StateRows rows = new StateRows(this);

  private final Lending lending;
  private final TimerWheel.Listener whenDue = this::ended;
  private final Expectations expectations = new Expectations(this);
  private long sessionsAged;
  private long bindingsAged;

  private final SessionEndpoints endpoints;
  private final Fragments fragments = new Fragments(this);
  private final BindingFilter filter = new BindingFilter(this);
  private final Endings endings = new Endings(this);
  final StateEvents events = new StateEvents(this);

  // The header of the packet that was looked up last, as it arrived.
  FlowKey asked = new FlowKey(0, 0);

  /** Its addresses, if they are of IPv6: such a one may have no number yet. */
  private final long[] askedEnds = new long[4];

  /** No session yet. */
  public DeviceState(VirtualClock clock, DeviceProgram program) {
    this(clock, program, List.of());
  }

  /** The same of a device that had other rules before, the first first. */
  public DeviceState(
      VirtualClock clock, DeviceProgram program, List<List<TranslationRule>> earlier) {
    this.clock = clock;
    this.program = program;
    this.endpoints = new SessionEndpoints(this, program.takable());
    this.lending = new Lending(this, new Lot(program.device.name()));
    earlier.forEach(origins::learn);
    origins.learn(program.device.translation());
    sessions.advance(clock.elapsed(), whenDue);
    clock.whenItMoves(() -> sessions.advance(clock.elapsed(), whenDue));
  }

  // Addresses and headers.

  private int number(Family family, long high, long low) {
    return family == Family.IPV4 ? (int) low : numbers.find(high, low);
  }

  Address source(FlowKey key) {
    return numbers.address(key.isIpv6(), key.source());
  }

  Address destination(FlowKey key) {
    return numbers.address(key.isIpv6(), key.destination());
  }

  /** The key of a packet; of addresses of IPv6 that are not in use, no session is found. */
  FlowKey key(Packet packet, int realm) {
    return FlowKey.of(
        number(packet.family, packet.sourceHigh, packet.sourceLow),
        packet.sourcePort,
        number(packet.family, packet.destinationHigh, packet.destinationLow),
        packet.destinationPort,
        FlowKey.above(realm, packet.family == Family.IPV6, packet.protocol));
  }

  private Header header(FlowKey key) {
    return new Header(
        source(key),
        key.sourcePort(),
        destination(key),
        key.destinationPort(),
        key.protocol(),
        Icmp.query(key.protocol()),
        0,
        0,
        0,
        null,
        null,
        null);
  }

  // Sessions.

  /** The session of a packet that arrives from a realm; {@link #NONE} if there is none. */
  public int sessionOf(Packet packet, int realm) {
    asked = key(packet, realm);
    if (packet.family == Family.IPV6) {
      askedEnds[0] = packet.sourceHigh;
      askedEnds[1] = packet.sourceLow;
      askedEnds[2] = packet.destinationHigh;
      askedEnds[3] = packet.destinationLow;
    }
    return sessions.find(asked);
  }

  /**
   * The session that a packet inside an ICMP error belongs to, in the direction towards the sender
   * of that packet, which is the direction of the error; {@link #NONE} if there is none.
   */
  public int sessionOfError(Packet inner, int realm) {
    return sessions.find(key(inner, realm).swapped());
  }

  /** Whether the TCP connection of a session is over, so that its opener may begin anew. */
  public boolean isOver(int reference) {
    return sessions.isOver(reference >> 1);
  }

  /** Takes note of a packet of a known session that leaves. */
  public void saw(int reference, Packet packet) {
    sessions.saw(reference, packet.protocol, packet.tcpFlags, clock.elapsed());
  }

  /** As {@link SessionTable#pass}. */
  public int pass(Packet packet, int realm, int arriving) {
    return sessions.pass(packet, (long) realm << 56, arriving, clock.elapsed());
  }

  public void notePath(int reference, int path) {
    sessions.notePath(reference, path);
  }

  /** The rule that changed the destination of the opener's packets. */
  public @Nullable TranslationRule destinationRule(int reference) {
    return origins.rule(sessions.destinationRule(reference >> 1));
  }

  /** The rule that changed their source. */
  public @Nullable TranslationRule sourceRule(int reference) {
    return origins.rule(sessions.sourceRule(reference >> 1));
  }

  /** The source that packets of a direction bear when they arrive. */
  public Address arrivingSource(int reference) {
    return source(sessions.key(reference));
  }

  /** Gives a packet of a direction the destination with which it leaves. */
  public void restoreDestination(int reference, Packet packet) {
    FlowKey back = sessions.key(reference ^ 1);
    if (packet.family == Family.IPV4) {
      packet.destinationLow = back.source() & 0xffff_ffffL;
      packet.destinationPort = back.sourcePort();
    } else {
      packet.rewriteDestination(source(back), back.sourcePort());
    }
  }

  /** Gives a packet of a direction the source with which it leaves. */
  public void restoreSource(int reference, Packet packet) {
    FlowKey back = sessions.key(reference ^ 1);
    if (packet.family == Family.IPV4) {
      packet.sourceLow = back.destination() & 0xffff_ffffL;
      packet.sourcePort = back.destinationPort();
    } else {
      packet.rewriteSource(destination(back), back.destinationPort());
    }
  }

  /** Gives a packet inside an error the header with which its sender sent it. */
  public void restoreInner(int reference, Packet inner) {
    Header sent = header(sessions.key(reference ^ 1));
    inner.rewriteSource(sent.source(), sent.sourcePort());
    inner.rewriteDestination(sent.destination(), sent.destinationPort());
  }

  /**
   * Whether the session of the packet that was looked up last would have a header of another live
   * one, so that packets of one would be taken for those of the other.
   *
   * @param left the packet as it leaves
   * @param realm the realm that it leaves to
   * @param reopened the session whose place it takes, or {@link #NONE}
   */
  public boolean isTaken(Packet left, int realm, int reopened) {
    int back = sessions.find(key(left, realm).swapped());
    int there = sessions.find(asked);
    return (back != NONE && back >> 1 != reopened) || (there != NONE && there >> 1 != reopened);
  }

  /**
   * Records the session of the packet that was looked up last; one that is {@link #isTaken} must
   * not be.
   *
   * @param left the packet as it left
   * @param realm the realm that it left to
   * @param binding the binding that it uses, or {@link #NONE}
   * @param reopened the session whose place it takes, or {@link #NONE}
   * @return the session in the direction of the packet
   */
  // So many parameters: they are what the steps have found out, and no object is made for a packet.
  public int record(
      Packet left,
      int realm,
      @Nullable TranslationRule destinationRule,
      @Nullable TranslationRule sourceRule,
      int binding,
      int reopened,
      StateSettings settings) {
    // Before it takes its own addresses of IPv6, lest the other one gives them back.
    if (left.family == Family.IPV6) {
      numbers.use(left.sourceHigh, left.sourceLow);
      numbers.use(left.destinationHigh, left.destinationLow);
      int source = numbers.use(askedEnds[0], askedEnds[1]);
      int destination = numbers.use(askedEnds[2], askedEnds[3]);
      asked =
          FlowKey.of(
              source,
              asked.sourcePort(),
              destination,
              asked.destinationPort(),
              asked.kind() >>> 32);
    }
    if (reopened != NONE) {
      end(2 * reopened, binding);
    }
    int made =
        record(
            asked,
            key(left, realm).swapped(),
            new SessionTable.Made(binding, origins.rule(destinationRule), origins.rule(sourceRule)),
            settings);
    events.session(made >> 1, /* begins= */ true, clock.elapsed());
    return made;
  }

  int record(FlowKey there, FlowKey back, SessionTable.Made made, StateSettings settings) {
    int refreshing = SessionState.EITHER;
    int binding = made.binding();
    boolean isTcp = there.protocol() == Protocol.TCP;
    if (binding != NONE && !isTcp && !settings.inboundRefreshes()) { // RFC 4787 REQ-6
      refreshing = isOutward(back, binding) ? SessionState.OPENER : SessionState.OTHER;
    }
    int idleTimes = idle.settings(settings.timers());
    int session = sessions.record(there, back, made, idleTimes, refreshing, clock.elapsed());
    if (binding != NONE) {
      use(2 * session, binding);
    }
    endpoints.count(session);
    return 2 * session;
  }

  /** Takes the connection of a session, met in its middle, for an open one. */
  public void takeForEstablished(int reference) {
    sessions.takeForEstablished(reference >> 1, clock.elapsed());
  }

  /** Ends a session, but not its binding if that is the one to be kept. */
  void end(int reference, int kept) {
    if (reference != NONE) {
      sessions.remove(reference >> 1);
      unuse(reference >> 1, kept, clock.elapsed());
    }
  }

  private void ended(int session, long now) {
    sessionsAged++;
    int before = bindings.count();
    unuse(session, NONE, now);
    bindingsAged += before - bindings.count();
  }

  /** Takes back what a session used that has just been removed; its record is still readable. */
  private void unuse(int session, int kept, long now) {
    FlowKey key = sessions.key(2 * session);
    if (!sessions.isExpected(session)) {
      events.session(session, /* begins= */ false, now);
    }
    endpoints.uncount(session);
    filter.cameBack.remove(session);
    expectations.unfinished.remove(2 * session);
    expectations.unfinished.remove(2 * session + 1);
    if (key.isIpv6()) {
      FlowKey back = sessions.key(2 * session + 1);
      for (int end :
          new int[] {key.source(), key.destination(), back.source(), back.destination()}) {
        numbers.release(end);
      }
    }
    if (sessions.isExpected(session)) {
      expectations.count--;
    }
    if (sessions.binding(session) != NONE) {
      unuse(2 * session, sessions.binding(session), kept, now);
    }
    if (sessions.secondBinding(session) != NONE) {
      unuse(2 * session + 1, sessions.secondBinding(session), kept, now);
      sessions.forgetSecond(session);
    }
  }

  void use(int use, int binding) {
    if (bindings.firstUse(binding) == NONE) {
      events.binding(binding, /* begins= */ true, clock.elapsed());
    }
    sessions.link(use, bindings.firstUse(binding));
    bindings.setFirstUse(binding, use);
  }

  private void unuse(int use, int binding, int kept, long now) {
    int first = sessions.unlink(use, bindings.firstUse(binding));
    bindings.setFirstUse(binding, first);
    if (first == NONE && binding == kept) {
      events.keeps(binding);
    } else if (first == NONE) {
      events.binding(binding, /* begins= */ false, now);
      giveBack(binding, now, /* rests= */ true);
    }
  }

  /** Lets a session that has a binding use a second one, that of its receiver. */
  public void useSecond(int reference, int binding) {
    sessions.useSecond(reference >> 1, binding);
    use(reference | 1, binding);
  }

  /** Takes back a binding that was made for a packet which did not leave. */
  public void forgetUnused(int binding) {
    if (binding >= 0 && bindings.firstUse(binding) == NONE) {
      giveBack(binding, clock.elapsed(), /* rests= */ false);
    }
  }

  private void giveBack(int binding, long now, boolean rests) {
    PoolUse pool = origins.use(origins.pool(bindings.origin(binding)));
    int external = bindings.external(binding);
    if (bindings.isWholeAddress(binding)) {
      pool.takeBack(external);
    } else {
      int protocol = bindings.protocol(binding);
      pool.share(external, -1);
      sources.discount(
          bindings.internal(binding),
          bindings.internalRealm(binding),
          origins.owner(bindings.origin(binding)),
          protocol);
      StateSettings own = ruleOf(binding).state();
      StateSettings settings = own != null ? own : program.device.state();
      endpoints
          .space(external, protocol, bindings.externalRealm(binding))
          .free(
              bindings.externalPort(binding),
              now,
              rests ? settings.ports().holdDown().toMillis() : 0);
    }
    bindings.remove(binding);
  }

  /** Ends the sessions one of whose ends has one of some addresses, on either side. */
  public void forget(AddressSet addresses) {
    endings.with(addresses);
  }

  /** Ends every session and with them every temporary binding. */
  public void clear() {
    sessions.forget();
    bindings.forget();
    sources.forget();
    numbers.forget();
    origins.pools().forEach(PoolUse::forget);
    spaces.forget();
    endpoints.someUncounted = false;
    filter.cameBack.clear();
    fragments.clear();
    expectations.unfinished.clear();
    expectations.count = 0;
    events.allForgotten();
  }

  /** The fragments that are remembered. */
  public Fragments fragments() {
    return fragments;
  }

  /** Who gives out external endpoints. */
  public Lending lending() {
    return lending;
  }

  /** The endpoints of sessions, and the spaces of ports that they are counted in. */
  SessionEndpoints endpoints() {
    return endpoints;
  }

  /** The filter of packets that arrive at bindings. */
  public BindingFilter filter() {
    return filter;
  }

  /** The data connections that are expected. */
  public Expectations expectations() {
    return expectations;
  }

  /** Goes on with another policy: sessions and bindings stay. */
  public void goOnWith(DeviceProgram changed) {
    program = changed;
    origins.learn(changed.device.translation());
    for (PortSpace space : spaces.all()) {
      space.claim(Lending.claims(changed, space.key));
    }
    endpoints.countOn(changed.takable());
    sessions.forgetPaths();
  }

  /** Ends the sessions over an address of the device's own, and with them the bindings on it. */
  public void endOver(Address own, int realm) {
    endings.over(own, realm);
  }

  /** Tells somebody of sessions and bindings that begin and end from now on. */
  public void tell(Consumer<TranslationEvent> reader) {
    events.tell(reader);
  }

  // Bindings.

  public TranslationRule ruleOf(int binding) {
    return origins.ruleOf(bindings.origin(binding));
  }

  /** The interface for which a binding was made; null if the device has it no more. */
  public @Nullable Interface leavingOf(int binding) {
    return program.named(origins.leavingOf(bindings.origin(binding)));
  }

  /** Whether the user of the binding opened the session, and not somebody outside. */
  boolean isOutward(int session, int binding) {
    return isOutward(sessions.key(2 * session + 1), binding);
  }

  boolean isOutward(FlowKey back, int binding) {
    return back.destination() == bindings.external(binding)
        && (bindings.isWholeAddress(binding)
            || back.destinationPort() == bindings.externalPort(binding));
  }

  /** Leads a packet to the user of a binding. */
  public void leadTo(int binding, Packet packet) {
    packet.rewriteDestination(
        ipv4(bindings.internal(binding)),
        bindings.isWholeAddress(binding) ? packet.destinationPort : bindings.internalPort(binding));
  }

  /** Gives a packet the external side of a binding as its source. */
  public void leadFrom(int binding, Packet packet) {
    packet.rewriteSource(
        ipv4(bindings.external(binding)),
        bindings.isWholeAddress(binding) ? packet.sourcePort : bindings.externalPort(binding));
  }

  static Address ipv4(int number) {
    return new Address(Family.IPV4, 0, number & 0xffff_ffffL);
  }

  /** The external address of a binding. */
  public Address external(int binding) {
    return ipv4(bindings.external(binding));
  }

  /** The external port of a binding. */
  public int externalPort(int binding) {
    return bindings.externalPort(binding);
  }

  /** The source with which packets of a direction leave. */
  public Address leavingSource(int reference) {
    return destination(sessions.key(reference ^ 1));
  }

  /** The port of the receiver of a session's opener, behind the device. */
  public int receiverPort(int reference) {
    return sessions.key(reference | 1).sourcePort();
  }

  // What there is.

  public int sessionCount() {
    return sessions.count();
  }

  public int bindingCount() {
    return bindings.count();
  }

  public long sessionsAged() {
    return sessionsAged;
  }

  public long bindingsAged() {
    return bindingsAged;
  }

  Header arrived(int session) {
    return header(sessions.key(2 * session));
  }

  Header left(int session) {
    return header(sessions.key(2 * session + 1).swapped());
  }

  /** The permanent bindings in the order of their rules, then the temporary ones. */
  public List<BindingRow> bindings() {
    return rows.bindings();
  }

  /** The sessions, the oldest first. */
  public List<SessionRow> sessions() {
    return rows.sessions();
  }

  /**
   * How much is given out of what the dynamic and shared rules have, in the order of the rules: for
   * a shared rule a line for each of TCP, UDP and ICMP.
   */
  public List<PoolFill> fills() {
    return rows.fills();
  }

  /** The same of the rules that give out of what a rule gives out, itself among them. */
  public List<PoolFill> fills(TranslationRule rule) {
    return rows.fills(rule);
  }

  /** The state now, without any object of the run. */
  public DeviceSnapshot snapshot() {
    return new Snapshots(this).take();
  }

  /**
   * Goes on from a snapshot; the clock must show its moment.
   *
   * @param earlier the rules of the policies that the run had before its present one, the first
   *     first
   * @throws IllegalArgumentException if the snapshot names rules, interfaces or address spaces that
   *     none of the policies has
   */
  public static DeviceState goOn(
      DeviceSnapshot before,
      VirtualClock clock,
      DeviceProgram program,
      List<List<TranslationRule>> earlier) {
    DeviceState state = new DeviceState(clock, program, earlier);
    state.sessionsAged = before.sessionsAged();
    state.bindingsAged = before.bindingsAged();
    new Snapshots(state).goOn(before);
    return state;
  }
}
