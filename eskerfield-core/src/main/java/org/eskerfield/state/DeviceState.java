// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.BitSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
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

  /** Whether a session may be recorded whose endpoint has no space of ports to be counted in. */
  private boolean someUncounted;

  private final StateRows rows = new StateRows(this);

  private final Lot lot;
  private final TimerWheel.Listener whenDue = this::ended;
  int expected;
  private long sessionsAged;
  private long bindingsAged;

  /** The addresses on which a session without a binding keeps temporary bindings away. */
  private AddressSet takable;

  /** Text of control connections that is no whole line yet, by the direction of a session. */
  final Map<Integer, String> unfinished = new HashMap<>();

  /** How the packets arrived that came back, by their sessions; see {@link #cameBack}. */
  final Map<Integer, Header> cameBack = new HashMap<>();

  // The header of the packet that was looked up last, as it arrived.
  private FlowKey asked = new FlowKey(0, 0);

  /** No session yet. */
  public DeviceState(VirtualClock clock, DeviceProgram program) {
    this(clock, program, List.of());
  }

  /** The same of a device that had other rules before, the first first. */
  public DeviceState(
      VirtualClock clock, DeviceProgram program, List<List<TranslationRule>> earlier) {
    this.clock = clock;
    this.program = program;
    this.takable = program.takable();
    this.lot = new Lot(program.device.name());
    earlier.forEach(origins::learn);
    origins.learn(program.device.translation());
    sessions.advance(clock.elapsed(), whenDue);
    clock.whenItMoves(() -> sessions.advance(clock.elapsed(), whenDue));
  }

  // Addresses and headers.

  private int number(Family family, long high, long low) {
    return family == Family.IPV4 ? (int) low : numbers.find(high, low);
  }

  private int use(Family family, long high, long low) {
    return family == Family.IPV4 ? (int) low : numbers.use(high, low);
  }

  Address source(FlowKey key) {
    return numbers.address(key.isIpv6(), key.source());
  }

  Address destination(FlowKey key) {
    return numbers.address(key.isIpv6(), key.destination());
  }

  /** The key of a packet; of addresses of IPv6 that are not in use, no session is found. */
  private FlowKey key(Packet packet, int realm) {
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
        queryType(key.protocol()),
        0,
        0,
        0,
        null,
        null);
  }

  private static int queryType(int protocol) {
    return switch (protocol) {
      case Protocol.ICMP -> Icmp.ECHO_REQUEST;
      case Protocol.ICMPV6 -> Icmp.ECHO_REQUEST_V6;
      default -> Icmp.NO_TYPE;
    };
  }

  // Sessions.

  /** The session of a packet that arrives from a realm; {@link #NONE} if there is none. */
  public int sessionOf(Packet packet, int realm) {
    asked = key(packet, realm);
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

  public void noteWay(int reference, int way) {
    sessions.noteWay(reference, way);
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
    int back = sessions.find(answering(left, realm));
    int there = sessions.find(asked);
    return (back != NONE && back >> 1 != reopened) || (there != NONE && there >> 1 != reopened);
  }

  /** The key of packets that answer one that left; addresses of IPv6 are never changed. */
  private FlowKey answering(Packet left, int realm) {
    FlowKey key = key(left, realm);
    return (left.family == Family.IPV4 ? key : new FlowKey(asked.ends(), key.kind())).swapped();
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
      int source = use(left.family, left.sourceHigh, left.sourceLow);
      int destination = use(left.family, left.destinationHigh, left.destinationLow);
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
    return record(
        asked,
        answering(left, realm),
        new SessionTable.Made(binding, origins.rule(destinationRule), origins.rule(sourceRule)),
        settings);
  }

  private int record(FlowKey there, FlowKey back, SessionTable.Made made, StateSettings settings) {
    int refreshing = SessionTable.EITHER;
    int binding = made.binding();
    boolean isTcp = there.protocol() == Protocol.TCP;
    if (binding != NONE && !isTcp && !settings.inboundRefreshes()) { // RFC 4787 REQ-6
      refreshing = isOutward(back, binding) ? SessionTable.OPENER : SessionTable.OTHER;
    }
    int idleTimes = idle.settings(settings.timers());
    int session = sessions.record(there, back, made, idleTimes, refreshing, clock.elapsed());
    if (binding != NONE) {
      use(2 * session, binding);
    }
    countEndpoints(session);
    return 2 * session;
  }

  // The endpoints by which replies come in, of sessions that have no binding there: no temporary
  // binding may be made on them. They are counted in the space of their address once that has one,
  // so that devices that share no address make none.

  void countEndpoints(int session) {
    for (int which = 0; which < 2; which++) {
      FlowKey key = sessions.key(2 * session + which);
      int port = key.destinationPort();
      int binding = sessions.binding(session);
      if (port != 0
          && key.realm() < NOWHERE_BACK
          && !(binding != NONE && isOutward(key, binding))
          && !key.isIpv6()
          && takable.contains(Family.IPV4, 0, key.destination() & 0xffff_ffffL)) {
        PortSpace space = spaces.find(key.destination(), key.protocol(), key.realm());
        if (space == null) {
          someUncounted = true;
        } else if (!sessions.isCounted(session, which)) {
          space.use(port);
          sessions.count(session, which, true);
        }
      }
    }
  }

  private void uncountEndpoints(int session) {
    for (int which = 0; which < 2; which++) {
      if (sessions.isCounted(session, which)) {
        FlowKey key = sessions.key(2 * session + which);
        space(key.destination(), key.protocol(), key.realm()).unuse(key.destinationPort());
        sessions.count(session, which, false);
      }
    }
  }

  /** Takes the connection of a session, met in its middle, for an open one. */
  public void takeForEstablished(int reference) {
    sessions.takeForEstablished(reference >> 1, clock.elapsed());
  }

  /** Ends a session, but not its binding if that is the one to be kept. */
  private void end(int reference, int kept) {
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
    uncountEndpoints(session);
    cameBack.remove(session);
    unfinished.remove(2 * session);
    unfinished.remove(2 * session + 1);
    if (key.isIpv6()) {
      numbers.release(key.source());
      numbers.release(key.destination());
    }
    if (sessions.isExpected(session)) {
      expected--;
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
    sessions.link(use, bindings.firstUse(binding));
    bindings.setFirstUse(binding, use);
  }

  private void unuse(int use, int binding, int kept, long now) {
    int first = sessions.unlink(use, bindings.firstUse(binding));
    bindings.setFirstUse(binding, first);
    if (first == NONE && binding != kept) {
      giveBack(binding, now);
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
      giveBack(binding, clock.elapsed());
    }
  }

  private void giveBack(int binding, long now) {
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
      space(external, protocol, bindings.externalRealm(binding))
          .free(bindings.externalPort(binding), now, settings.ports().holdDown().toMillis());
    }
    bindings.remove(binding);
  }

  /** Ends the sessions one of whose ends has one of some addresses, on either side. */
  public void forget(AddressSet addresses) {
    for (int at = sessions.nextLive(0); at != NONE; at = sessions.nextLive(at + 1)) {
      Header arrived = arrived(at);
      Header left = left(at);
      if (addresses.contains(arrived.source())
          || addresses.contains(arrived.destination())
          || addresses.contains(left.source())
          || addresses.contains(left.destination())) {
        end(2 * at, NONE);
      }
    }
  }

  /** Ends every session and with them every temporary binding. */
  public void clear() {
    sessions.forget();
    bindings.forget();
    sources.forget();
    numbers.forget();
    origins.pools().forEach(PoolUse::forget);
    spaces.forget();
    someUncounted = false;
    cameBack.clear();
    unfinished.clear();
    expected = 0;
  }

  /** Goes on with another policy: sessions and bindings stay. */
  public void goOnWith(DeviceProgram changed) {
    program = changed;
    origins.learn(changed.device.translation());
    for (PortSpace space : spaces.all()) {
      space.claim(claims(space.key));
    }
    takable = changed.takable();
    for (int at = sessions.nextLive(0); at != NONE; at = sessions.nextLive(at + 1)) {
      countEndpoints(at); // what nobody takes any more stays counted until it ends
    }
    sessions.forgetWays();
  }

  /** Ends the sessions over an address of the device's own, and with them the bindings on it. */
  public void endOver(Address own, int realm) {
    for (int at = sessions.nextLive(0); at != NONE; at = sessions.nextLive(at + 1)) {
      for (int which = 0; which < 2; which++) {
        FlowKey key = sessions.key(2 * at + which);
        if ((key.realm() == realm || key.realm() >= NOWHERE_BACK) && destination(key).equals(own)) {
          end(2 * at, NONE);
          break;
        }
      }
    }
  }

  // Bindings.

  public TranslationRule ruleOf(int binding) {
    return origins.ruleOf(bindings.origin(binding));
  }

  /** The temporary binding that an external endpoint belongs to; {@link #NONE} if none does. */
  public int bindingAt(Packet packet, int realm) {
    return packet.family == Family.IPV6
        ? NONE
        : bindingAt((int) packet.destinationLow, packet.destinationPort, packet.protocol, realm);
  }

  private int bindingAt(int external, int port, int protocol, int realm) {
    if (bindings.count() == 0) {
      return NONE;
    }
    int binding = bindings.ofExternal(external, port, realm, protocol);
    binding = binding != NONE ? binding : bindings.ofExternal(external, 0, realm, 0);
    return binding == NONE
            || program.claims.isClaimed(ipv4(external), protocol, port, program.realmName(realm))
        ? NONE
        : binding;
  }

  /** Whether a live binding stands on an endpoint. */
  public boolean isBound(Address address, int port, int protocol, int realm) {
    return address.family() == Family.IPV4
        && bindingAt((int) address.low(), port, protocol, realm) != NONE;
  }

  /** The interface for which a binding was made; null if the device has it no more. */
  public @Nullable Interface leavingOf(int binding) {
    return program.named(origins.leavingOf(bindings.origin(binding)));
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
            && !Protocol.isIcmp(bindings.protocol(binding));
    for (int use = bindings.firstUse(binding); use != NONE; use = sessions.nextUse(use)) {
      int remote = remoteOf(use, binding);
      FlowKey key = sessions.key(remote >> 1);
      FlowKey far = (remote & 1) == 0 ? key : key.swapped();
      if (far.source() == sender && (!byPort || far.sourcePort() == port)) {
        return true;
      }
    }
    return false;
  }

  /** Whether the user of the binding opened the session, and not somebody outside. */
  boolean isOutward(int session, int binding) {
    return isOutward(sessions.key(2 * session + 1), binding);
  }

  private boolean isOutward(FlowKey back, int binding) {
    return back.destination() == bindings.external(binding)
        && (bindings.isWholeAddress(binding)
            || back.destinationPort() == bindings.externalPort(binding));
  }

  /**
   * Where the far end of a session stands, as the outside of its binding sees it: twice a
   * reference, plus 1 if it is the destination there and not the source.
   */
  private int remoteOf(int use, int binding) {
    int session = use & ~1;
    if (sessions.secondBinding(use >> 1) != NONE) {
      // Two insiders, who see each other's outsides: the opener's in what left, the other's in what
      // arrived.
      return (use & 1) == 0 ? 2 * session + 1 : 2 * (session + 1) + 1;
    }
    return 2 * (isOutward(use >> 1, binding) ? session + 1 : session);
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
   * @return {@link #NONE} if no port is left, {@link #AT_ITS_LIMIT} if the source may have no more
   */
  public int share(
      TranslationRule rule,
      Packet packet,
      int from,
      Interface leaving,
      AddressSet externals,
      StateSettings settings) {
    if (externals.isEmpty()) {
      return NONE;
    }
    int to = program.realm(leaving);
    int origin = origins.origin(rule, origins.poolOf(externals), leaving.name());
    int owner = origins.owner(origin);
    int internal = (int) packet.sourceLow;
    int port = packet.sourcePort;
    int protocol = packet.protocol;
    StateSettings.Endpoints mapping = settings.mapping();
    int remote =
        mapping == StateSettings.Endpoints.ENDPOINT_INDEPENDENT ? 0 : (int) packet.destinationLow;
    int remotePort =
        mapping == StateSettings.Endpoints.ADDRESS_AND_PORT_DEPENDENT ? packet.destinationPort : 0;
    int known = bindings.ofInternal(internal, port, from, protocol, owner, remote, remotePort);
    if (known != NONE) {
      return known;
    }
    int source = sources.find(internal, from, owner);
    int limit = settings.ports().perSource();
    if (limit > 0 && sources.ports(source, protocol) >= limit) {
      return AT_ITS_LIMIT;
    }
    PoolUse use = origins.use(origins.pool(origin));
    boolean paired = source != NONE && settings.pooling() == StateSettings.Pooling.PAIRED;
    int external = paired ? sources.external(source) : use.address(use.leastShared());
    int given = takePort(external, protocol, to, port, settings);
    for (long i = 0; given == NONE && !paired && i < use.size(); i++) {
      external = use.address(i);
      given = takePort(external, protocol, to, port, settings);
    }
    if (given == NONE) {
      return NONE;
    }
    use.share(external, 1);
    sources.count(internal, from, owner, external, protocol);
    return bindings.make(
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
        clock.elapsed());
  }

  private int takePort(int external, int protocol, int realm, int wanted, StateSettings settings) {
    if (bindings.ofExternal(external, 0, realm, 0) != NONE) {
      return NONE; // the whole address is lent to somebody
    }
    PortSpace space = space(external, protocol, realm);
    StateSettings.Ports ports = settings.ports();
    long now = clock.elapsed();
    if (!Protocol.hasPorts(protocol)) {
      return space.takeIdentifier(ports.preserved() ? wanted : lot.draw(space, 65536), now);
    }
    boolean low = wanted < 1024;
    int start =
        ports.preserved() ? wanted : low ? lot.draw(space, 1024) : 1024 + lot.draw(space, 64512);
    boolean parity = ports.parity() && protocol == Protocol.UDP;
    return space.take(parity ? (start & ~1) | (wanted & 1) : start, parity, ports.fallback(), now);
  }

  private BitSet claims(long space) {
    return program.claimedPorts(
        PortSpaces.address(space), PortSpaces.protocol(space), PortSpaces.realm(space));
  }

  PortSpace space(int external, int protocol, int realm) {
    PortSpace known = spaces.find(external, protocol, realm);
    if (known != null) {
      return known;
    }
    long key = PortSpaces.key(external, protocol, realm);
    PortSpace made = spaces.add(new PortSpace(key, claims(key)));
    if (someUncounted) {
      for (int at = sessions.nextLive(0); at != NONE; at = sessions.nextLive(at + 1)) {
        countEndpoints(at);
      }
    }
    return made;
  }

  /**
   * The external address that the packet's source has of a pool, lent if it has none: the lowest on
   * which nobody has a binding.
   *
   * @param leaving the interface for which it is lent
   * @return {@link #NONE} if all are lent
   */
  public int borrow(
      TranslationRule rule, Packet packet, int from, Interface leaving, AddressSet pool) {
    int to = program.realm(leaving);
    int number = origins.poolOf(pool);
    int origin = origins.origin(rule, number, leaving.name());
    int internal = (int) packet.sourceLow;
    int known = bindings.ofInternal(internal, 0, from, 0, origins.owner(origin), 0, 0);
    if (known != NONE) {
      return known;
    }
    PoolUse use = origins.use(number);
    for (long at = use.nextFree(0); at < use.size(); at = use.nextFree(at + 1)) {
      int external = use.address(at);
      // Another pool may have it, too.
      if (bindings.ofExternal(external, 0, to, 0) == NONE && !spaces.isShared(external, to)) {
        use.lend(external);
        return bindings.make(internal, 0, from, external, 0, to, 0, 0, 0, origin, clock.elapsed());
      }
    }
    return NONE;
  }

  /** The external address of a binding. */
  public Address external(int binding) {
    return ipv4(bindings.external(binding));
  }

  // Packets that came back.

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
    int known = sessionOf(outside, NOWHERE);
    if (known != NONE) {
      saw(known, outside);
      return;
    }
    int session =
        record(
                asked,
                key(outside, NOWHERE_BACK).swapped(),
                new SessionTable.Made(binding, 0, origins.rule(rule)),
                settings)
            >> 1;
    if (outside.protocol == Protocol.TCP && !outside.opensTcp()) {
      takeForEstablished(2 * session);
    }
    cameBack.put(session, arrived.header());
  }

  // Data connections that an application level gateway expects.

  /**
   * Expects a TCP connection in the direction against a packet of a known session: from the
   * packet's receiver, whatever its port, to an endpoint that the packet announces. It stands among
   * the sessions, with source port 0, until it is opened or its time is up.
   *
   * @param reference the session of the announcement, in its direction
   * @param port the port that is announced
   * @param external the port by which the outside of the announcer's side knows it
   * @param binding the binding that it uses, or {@link #NONE}
   */
  public void expect(int reference, int port, int external, int binding, StateSettings settings) {
    // The connection goes the other way: it arrives where packets to the announcer arrive.
    FlowKey there = sessions.key(reference ^ 1).withPorts(0, external);
    FlowKey back = sessions.key(reference).withPorts(port, 0);
    endExpected(sessions.find(there), binding);
    endExpected(sessions.find(back), binding);
    if (sessions.find(there) != NONE || sessions.find(back) != NONE) {
      return; // somebody sends from port 0, which no data connection has
    }
    useOnceMore(there);
    boolean reply =
        (reference & 1) != 0; // the rules act the other way round on the announcer's side
    int session = reference >> 1;
    int made =
        record(
            there,
            back,
            new SessionTable.Made(
                binding,
                reply ? sessions.destinationRule(session) : sessions.sourceRule(session),
                reply ? sessions.sourceRule(session) : sessions.destinationRule(session)),
            settings);
    sessions.expect(made >> 1);
    expected++;
  }

  /** Ends what was expected before, if anything was. */
  private void endExpected(int reference, int kept) {
    if (reference != NONE && sessions.isExpected(reference >> 1)) {
      end(reference, kept);
    }
  }

  /** Counts a session more for the IPv6 addresses of a header that are numbered already. */
  private void useOnceMore(FlowKey key) {
    if (key.isIpv6()) {
      for (Address address : List.of(source(key), destination(key))) {
        numbers.use(address.high(), address.low());
      }
    }
  }

  /** The binding by which the outside reaches a port of the sender of a session's packets. */
  public int bindAnnounced(
      int reference, TranslationRule rule, int port, Interface leaving, StateSettings settings) {
    FlowKey inside = sessions.key(reference);
    Packet announced =
        new Packet(source(inside), port, destination(inside), 0, Protocol.TCP, Icmp.NO_TYPE, 0);
    AddressSet seenAs = AddressSet.of(destination(sessions.key(reference ^ 1)));
    return share(rule, announced, inside.realm(), leaving, seenAs, settings);
  }

  /** The external port of a binding. */
  public int externalPort(int binding) {
    return bindings.externalPort(binding);
  }

  /** The source with which packets of a direction leave. */
  public Address leavingSource(int reference) {
    return destination(sessions.key(reference ^ 1));
  }

  /** Takes the text of a direction that was kept as unfinished; empty if there was none. */
  public String takeUnfinished(int reference) {
    String text = unfinished.remove(reference);
    return text == null ? "" : text;
  }

  /** Keeps text of a direction until the rest of its line comes. */
  public void keepUnfinished(int reference, String text) {
    unfinished.put(reference, text);
  }

  /** The port of the receiver of a session's opener, behind the device. */
  public int receiverPort(int reference) {
    return sessions.key(reference | 1).sourcePort();
  }

  /** The session that the opening segment looked up last was expected as; it has its ports then. */
  public int fulfil() {
    if (expected == 0) {
      return NONE;
    }
    int port = asked.sourcePort();
    int reference = sessions.find(asked.withPorts(0, asked.destinationPort()));
    if (reference == NONE || (reference & 1) != 0 || !sessions.isExpected(reference >> 1)) {
      return NONE;
    }
    int session = reference >> 1;
    FlowKey expectedBack = sessions.key(reference + 1);
    FlowKey back = expectedBack.withPorts(expectedBack.sourcePort(), port);
    if (sessions.find(back) != NONE) {
      return NONE; // replies would be taken for somebody else's
    }
    SessionTable.Made made =
        new SessionTable.Made(
            sessions.binding(session),
            sessions.destinationRule(session),
            sessions.sourceRule(session));
    useOnceMore(asked);
    end(reference, made.binding());
    return record(asked, back, made, program.device.state());
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
  public List<SessionRow> sessionRows() {
    return rows.sessionRows();
  }

  /**
   * How much of the external addresses that a rule has used is in use: ports, or lent addresses.
   */
  public List<PoolFill> fills(
      TranslationRule rule, AddressSet externals, boolean lends, @Nullable String realm) {
    return rows.fills(rule, externals, lends, realm);
  }

  /** All that is known now, without any object of the run. */
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
