package org.eskerfield.engine;

import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Random;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
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
final class DeviceTables {
  static final int NONE = Index.NONE;

  /** Told instead of a binding: the source has as many ports as it may. */
  static final int AT_ITS_LIMIT = -3;

  private final VirtualClock clock;
  private DeviceProgram program;
  private final AddressNumbers numbers = new AddressNumbers();
  private final Idle idle = new Idle();
  private final SessionTable sessions = new SessionTable(idle);
  private final Origins origins = new Origins();
  private final BindingTable bindings = new BindingTable(origins);
  private final SourceTable sources = new SourceTable();
  private final List<PortSpace> spaces = new ArrayList<>();

  private final Index bySpaceKey =
      new Index() {
        @Override
        int hashOf(int space) {
          return hash(spaces.get(space).key, 0);
        }
      };

  private final Random random = new Random(20260105);
  private final TimerWheel.Listener whenDue = this::ended;
  private int expected;
  private long sessionsAged;
  private long bindingsAged;

  // The header of the packet that was looked up last, as it arrived.
  private long ends;
  private long kind;

  DeviceTables(VirtualClock clock, DeviceProgram program) {
    this.clock = clock;
    this.program = program;
    clock.whenItMoves(() -> sessions.advance(clock.elapsed(), whenDue));
  }

  // Addresses and headers.

  private int number(Family family, long high, long low) {
    return family == Family.IPV4 ? (int) low : numbers.find(high, low);
  }

  private int use(Family family, long high, long low) {
    return family == Family.IPV4 ? (int) low : numbers.use(high, low);
  }

  private Address address(long kind, int number) {
    return numbers.address(SessionTable.isIpv6(kind), number);
  }

  private static long kind(Packet packet, int realm) {
    return SessionTable.kind(
        realm,
        packet.family == Family.IPV6,
        packet.protocol,
        packet.sourcePort,
        packet.destinationPort);
  }

  private Header header(long ends, long kind) {
    return new Header(
        address(kind, SessionTable.source(ends)),
        SessionTable.sourcePort(kind),
        address(kind, SessionTable.destination(ends)),
        SessionTable.destinationPort(kind),
        SessionTable.protocol(kind),
        queryType(SessionTable.protocol(kind)),
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
  int sessionOf(Packet packet, int realm) {
    if (packet.family == Family.IPV4) {
      ends = packet.sourceLow << 32 | packet.destinationLow;
    } else {
      ends =
          SessionTable.ends(
              number(packet.family, packet.sourceHigh, packet.sourceLow),
              number(packet.family, packet.destinationHigh, packet.destinationLow));
    }
    kind = kind(packet, realm);
    return sessions.find(ends, kind);
  }

  /**
   * The session that a packet inside an ICMP error belongs to, in the direction towards the sender
   * of that packet, which is the direction of the error; {@link #NONE} if there is none.
   */
  int sessionOfError(Packet inner, int realm) {
    long innerEnds =
        SessionTable.ends(
            number(inner.family, inner.sourceHigh, inner.sourceLow),
            number(inner.family, inner.destinationHigh, inner.destinationLow));
    return sessions.find(
        SessionTable.swapEnds(innerEnds), SessionTable.swapPorts(kind(inner, realm)));
  }

  /** Takes note of a packet of a known session. */
  void saw(int reference, Packet packet) {
    sessions.saw(reference, packet.protocol, packet.tcpFlags, clock.elapsed());
  }

  /** As {@link SessionTable#pass}. */
  int pass(Packet packet, int realm, int arriving) {
    return sessions.pass(packet, (long) realm << 56, arriving, clock.elapsed());
  }

  void noteWay(int reference, int way) {
    sessions.noteWay(reference, way);
  }

  void forgetWays() {
    sessions.forgetWays();
  }

  /** The rule that changed the destination of the opener's packets. */
  @Nullable TranslationRule destinationRule(int reference) {
    return origins.rule(sessions.destinationRule(reference >> 1));
  }

  /** The rule that changed their source. */
  @Nullable TranslationRule sourceRule(int reference) {
    return origins.rule(sessions.sourceRule(reference >> 1));
  }

  /** The source that packets of a direction bear when they arrive. */
  Address arrivingSource(int reference) {
    return address(sessions.kind(reference), SessionTable.source(sessions.ends(reference)));
  }

  /** Gives a packet of a direction the destination with which it leaves. */
  void restoreDestination(int reference, Packet packet) {
    long to = sessions.ends(reference ^ 1);
    int port = SessionTable.sourcePort(sessions.kind(reference ^ 1));
    if (packet.family == Family.IPV4) {
      packet.destinationLow = to >>> 32;
      packet.destinationPort = port;
    } else {
      packet.rewriteDestination(address(sessions.kind(reference), SessionTable.source(to)), port);
    }
  }

  /** Gives a packet of a direction the source with which it leaves. */
  void restoreSource(int reference, Packet packet) {
    long from = sessions.ends(reference ^ 1);
    int port = SessionTable.destinationPort(sessions.kind(reference ^ 1));
    if (packet.family == Family.IPV4) {
      packet.sourceLow = from & 0xffff_ffffL;
      packet.sourcePort = port;
    } else {
      packet.rewriteSource(address(sessions.kind(reference), SessionTable.destination(from)), port);
    }
  }

  /** Gives a packet inside an error the header with which its sender sent it. */
  void restoreInner(int reference, Packet inner) {
    Header sent = header(sessions.ends(reference ^ 1), sessions.kind(reference ^ 1));
    inner.rewriteSource(sent.source(), sent.sourcePort());
    inner.rewriteDestination(sent.destination(), sent.destinationPort());
  }

  /**
   * Records the session of the packet that was looked up last.
   *
   * @param left the packet as it left
   * @param realm the realm that it left to
   * @param binding the binding that it uses, or {@link #NONE}
   * @return the session in the direction of the packet
   */
  int record(
      Packet left,
      int realm,
      @Nullable TranslationRule destinationRule,
      @Nullable TranslationRule sourceRule,
      int binding,
      StateSettings settings) {
    // Addresses of IPv6 are never changed, so the ones that left are those that arrived.
    if (left.family == Family.IPV6) {
      ends =
          SessionTable.ends(
              use(left.family, left.sourceHigh, left.sourceLow),
              use(left.family, left.destinationHigh, left.destinationLow));
    }
    long backEnds =
        left.family == Family.IPV6
            ? SessionTable.swapEnds(ends)
            : left.destinationLow << 32 | left.sourceLow;
    long backKind = SessionTable.swapPorts(kind(left, realm));
    return record(
        ends,
        kind,
        backEnds,
        backKind,
        binding,
        origins.rule(destinationRule),
        origins.rule(sourceRule),
        idle.settings(settings));
  }

  private int record(
      long ends,
      long kind,
      long backEnds,
      long backKind,
      int binding,
      int destinationRule,
      int sourceRule,
      int settings) {
    end(sessions.find(ends, kind), binding);
    end(sessions.find(backEnds, backKind), binding);
    int session =
        sessions.record(
            ends,
            kind,
            backEnds,
            backKind,
            binding,
            destinationRule,
            sourceRule,
            settings,
            clock.elapsed());
    if (binding != NONE) {
      use(2 * session, binding);
    }
    if (isExpected(session)) {
      expected++;
    }
    return 2 * session;
  }

  /** Takes the connection of a session, met in its middle, for an open one. */
  void takeForEstablished(int reference) {
    sessions.takeForEstablished(reference >> 1, clock.elapsed());
  }

  /** Ends a session, but not its binding if that is the one to be kept. */
  private void end(int reference, int kept) {
    if (reference != NONE) {
      sessions.remove(reference >> 1);
      unuse(reference >> 1, kept);
    }
  }

  private void ended(int session, long now) {
    sessionsAged++;
    int before = bindings.count();
    unuse(session, NONE);
    bindingsAged += before - bindings.count();
  }

  /** Takes back what a session used that has just been removed; its record is still readable. */
  private void unuse(int session, int kept) {
    long kind = sessions.kind(2 * session);
    if (SessionTable.isIpv6(kind)) {
      numbers.release(SessionTable.source(sessions.ends(2 * session)));
      numbers.release(SessionTable.destination(sessions.ends(2 * session)));
    }
    if (isExpected(session)) {
      expected--;
    }
    if (sessions.binding(session) != NONE) {
      unuse(2 * session, sessions.binding(session), kept);
    }
    if (sessions.secondBinding(session) != NONE) {
      unuse(2 * session + 1, sessions.secondBinding(session), kept);
      sessions.forgetSecond(session);
    }
  }

  private void use(int use, int binding) {
    sessions.link(use, bindings.firstUse(binding));
    bindings.setFirstUse(binding, use);
  }

  private void unuse(int use, int binding, int kept) {
    int first = sessions.unlink(use, bindings.firstUse(binding));
    bindings.setFirstUse(binding, first);
    if (first == NONE && binding != kept) {
      giveBack(binding);
    }
  }

  /** Lets a session that has a binding use a second one, that of its receiver. */
  void useSecond(int reference, int binding) {
    sessions.useSecond(reference >> 1, binding);
    use(reference | 1, binding);
  }

  private void giveBack(int binding) {
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
          origins.pool(bindings.origin(binding)),
          protocol);
      space(external, protocol, bindings.externalRealm(binding))
          .free(
              bindings.externalPort(binding),
              clock.elapsed(),
              program.device.state().ports().holdDown().toMillis());
    }
    bindings.remove(binding);
  }

  /** Ends every session and with them every temporary binding. */
  void clear() {
    sessions.forget();
    bindings.forget();
    sources.forget();
    numbers.forget();
    origins.pools().forEach(PoolUse::forget);
    spaces.clear();
    bySpaceKey.clear();
    expected = 0;
  }

  /** Goes on with another policy: sessions and bindings stay. */
  void goOnWith(DeviceProgram changed) {
    program = changed;
    for (PortSpace space : spaces) {
      space.claim(program.claimedPorts(addressOf(space), protocolOf(space)));
    }
    sessions.forgetWays();
  }

  /** Ends the bindings on an external address, and the sessions that use them. */
  void endBindingsOn(Address external) {
    if (external.family() == Family.IPV6) {
      return; // translation is for IPv4
    }
    for (int at = bindings.nextLive(0); at != NONE; at = bindings.nextLive(at + 1)) {
      if (bindings.external(at) == (int) external.low()) {
        for (int use = bindings.firstUse(at); use != NONE; ) {
          int next = sessions.nextUse(use);
          end(use, NONE);
          use = next;
        }
      }
    }
  }

  // Bindings.

  TranslationRule ruleOf(int binding) {
    return origins.ruleOf(bindings.origin(binding));
  }

  /** The temporary binding that an external endpoint belongs to; {@link #NONE} if none does. */
  int bindingAt(Packet packet, int realm) {
    if (packet.family == Family.IPV6 || bindings.count() == 0) {
      return NONE;
    }
    int external = (int) packet.destinationLow;
    int binding = bindings.ofExternal(external, packet.destinationPort, realm, packet.protocol);
    return binding != NONE ? binding : bindings.ofExternal(external, 0, realm, 0);
  }

  /**
   * Whether a binding lets in a packet that belongs to none of its sessions. Cost: O(sessions of
   * the binding).
   */
  boolean admits(int binding, int sender, StateSettings.Endpoints filtering) {
    if (filtering != StateSettings.Endpoints.ADDRESS_DEPENDENT) {
      return filtering == StateSettings.Endpoints.ENDPOINT_INDEPENDENT;
    }
    for (int use = bindings.firstUse(binding); use != NONE; use = sessions.nextUse(use)) {
      if (remoteOf(use, binding) == sender) {
        return true;
      }
    }
    return false;
  }

  /** Whether the user of the binding opened the session, and not somebody outside. */
  private boolean isOutward(int session, int binding) {
    long back = sessions.ends(2 * session + 1);
    return SessionTable.destination(back) == bindings.external(binding)
        && (bindings.isWholeAddress(binding)
            || SessionTable.destinationPort(sessions.kind(2 * session + 1))
                == bindings.externalPort(binding));
  }

  /** The far end of a session as the outside of its binding sees it. */
  private int remoteOf(int use, int binding) {
    if ((use & 1) != 0) { // an insider, who is seen outside by his own binding
      return SessionTable.destination(sessions.ends(use));
    }
    return SessionTable.source(sessions.ends(isOutward(use >> 1, binding) ? use + 1 : use));
  }

  /** Whether a packet comes from the user of a binding. */
  boolean isUser(int binding, Packet packet) {
    return bindings.internal(binding) == (int) packet.sourceLow;
  }

  /** Leads a packet to the user of a binding. */
  void leadTo(int binding, Packet packet) {
    packet.rewriteDestination(
        ipv4(bindings.internal(binding)),
        bindings.isWholeAddress(binding) ? packet.destinationPort : bindings.internalPort(binding));
  }

  /** Gives a packet the external side of a binding as its source. */
  void leadFrom(int binding, Packet packet) {
    packet.rewriteSource(
        ipv4(bindings.external(binding)),
        bindings.isWholeAddress(binding) ? packet.sourcePort : bindings.externalPort(binding));
  }

  private static Address ipv4(int number) {
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
   * @param to the realm that it leaves to
   * @return {@link #NONE} if no port is left, {@link #AT_ITS_LIMIT} if the source may have no more
   */
  int share(
      TranslationRule rule,
      Packet packet,
      int from,
      int to,
      AddressSet externals,
      StateSettings settings) {
    if (externals.isEmpty()) {
      return NONE;
    }
    int pool = origins.poolOf(externals);
    int internal = (int) packet.sourceLow;
    int port = packet.sourcePort;
    int protocol = packet.protocol;
    StateSettings.Endpoints mapping = settings.mapping();
    int remote =
        mapping == StateSettings.Endpoints.ENDPOINT_INDEPENDENT ? 0 : (int) packet.destinationLow;
    int remotePort =
        mapping == StateSettings.Endpoints.ADDRESS_AND_PORT_DEPENDENT ? packet.destinationPort : 0;
    int known = bindings.ofInternal(internal, port, from, protocol, pool, remote, remotePort);
    if (known != NONE) {
      return known;
    }
    int source = sources.find(internal, from, pool);
    int limit = settings.ports().perSource();
    if (limit > 0 && sources.ports(source, protocol) >= limit) {
      return AT_ITS_LIMIT;
    }
    PoolUse use = origins.use(pool);
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
    sources.count(internal, from, pool, external, protocol);
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
        origins.origin(rule, pool),
        clock.elapsed());
  }

  private int takePort(int external, int protocol, int realm, int wanted, StateSettings settings) {
    PortSpace space = space(external, protocol, realm);
    StateSettings.Ports ports = settings.ports();
    long now = clock.elapsed();
    if (!Protocol.hasPorts(protocol)) {
      return space.takeIdentifier(ports.preserved() ? wanted : random.nextInt(65536), now);
    }
    boolean low = wanted < 1024;
    int start =
        ports.preserved() ? wanted : low ? random.nextInt(1024) : 1024 + random.nextInt(64512);
    boolean parity = ports.parity() && protocol == Protocol.UDP;
    return space.take(parity ? (start & ~1) | (wanted & 1) : start, parity, ports.fallback(), now);
  }

  private static Address addressOf(PortSpace space) {
    return ipv4((int) (space.key >>> 32));
  }

  private static int protocolOf(PortSpace space) {
    return (int) space.key >> 8 & 0xff;
  }

  private PortSpace space(int external, int protocol, int realm) {
    long key = (long) external << 32 | protocol << 8 | realm;
    int hash = Index.hash(key, 0);
    for (int slot = bySpaceKey.start(hash); ; slot = bySpaceKey.next(slot)) {
      int space = bySpaceKey.at(slot, hash);
      if (space == NONE) {
        break;
      }
      if (space != Index.OTHER && spaces.get(space).key == key) {
        return spaces.get(space);
      }
    }
    PortSpace made = new PortSpace(key, program.claimedPorts(ipv4(external), protocol));
    spaces.add(made);
    bySpaceKey.add(spaces.size() - 1, hash);
    return made;
  }

  /**
   * The external address that the packet's source has of a pool, lent if it has none: the lowest
   * that is free.
   *
   * @return {@link #NONE} if all are lent
   */
  int borrow(TranslationRule rule, Packet packet, int from, int to, AddressSet pool) {
    int number = origins.poolOf(pool);
    int internal = (int) packet.sourceLow;
    int known = bindings.ofInternal(internal, 0, from, 0, number, 0, 0);
    if (known != NONE) {
      return known;
    }
    PoolUse use = origins.use(number);
    for (long at = use.nextFree(0); at < use.size(); at = use.nextFree(at + 1)) {
      int external = use.address(at);
      if (bindings.ofExternal(external, 0, to, 0) == NONE) { // another pool may have it, too
        use.lend(external);
        int origin = origins.origin(rule, number);
        return bindings.make(internal, 0, from, external, 0, to, 0, 0, 0, origin, clock.elapsed());
      }
    }
    return NONE;
  }

  /** The external address that a source would send from, as a number; 0 if that is open. */
  int externalOf(Packet packet, int from, AddressSet externals) {
    int pool = origins.poolOf(externals);
    int source = sources.find((int) packet.sourceLow, from, pool);
    if (source != NONE) {
      return sources.external(source);
    }
    int lent = bindings.ofInternal((int) packet.sourceLow, 0, from, 0, pool, 0, 0);
    if (lent != NONE) {
      return bindings.external(lent);
    }
    return origins.use(pool).size() == 1 ? origins.use(pool).address(0) : 0;
  }

  // Data connections that an application level gateway expects.

  private boolean isExpected(int session) {
    long kind = sessions.kind(2 * session);
    return SessionTable.protocol(kind) == Protocol.TCP && SessionTable.sourcePort(kind) == 0;
  }

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
  void expect(int reference, int port, int external, int binding, StateSettings settings) {
    // The connection goes the other way: it arrives where packets to the announcer arrive.
    long ends = sessions.ends(reference ^ 1);
    long kind = opening(sessions.kind(reference ^ 1), external);
    long backEnds = sessions.ends(reference);
    long backKind = SessionTable.swapPorts(opening(sessions.kind(reference), port));
    useOnceMore(ends, kind);
    boolean reply =
        (reference & 1) != 0; // the rules act the other way round on the announcer's side
    int session = reference >> 1;
    record(
        ends,
        kind,
        backEnds,
        backKind,
        binding,
        reply ? sessions.destinationRule(session) : sessions.sourceRule(session),
        reply ? sessions.sourceRule(session) : sessions.destinationRule(session),
        idle.settings(settings));
  }

  /** Counts a session more for the IPv6 addresses of a header that are numbered already. */
  private void useOnceMore(long ends, long kind) {
    if (SessionTable.isIpv6(kind)) {
      for (int number : new int[] {SessionTable.source(ends), SessionTable.destination(ends)}) {
        Address address = address(kind, number);
        numbers.use(address.high(), address.low());
      }
    }
  }

  private static long opening(long kind, int port) {
    return (kind & 0xffff_ffff_0000_0000L) | port;
  }

  /** The binding by which the outside reaches a port of the sender of a session's packets. */
  int bindAnnounced(int reference, TranslationRule rule, int port, StateSettings settings) {
    long inside = sessions.ends(reference);
    long outside = sessions.ends(reference ^ 1);
    Packet announced =
        new Packet(
            ipv4(SessionTable.source(inside)),
            port,
            ipv4(SessionTable.destination(inside)),
            0,
            Protocol.TCP,
            Icmp.NO_TYPE,
            0);
    return share(
        rule,
        announced,
        SessionTable.realm(sessions.kind(reference)),
        SessionTable.realm(sessions.kind(reference ^ 1)),
        AddressSet.of(ipv4(SessionTable.destination(outside))),
        settings);
  }

  /** The external port of a binding. */
  int externalPort(int binding) {
    return bindings.externalPort(binding);
  }

  /** The source with which packets of a direction leave. */
  Address leavingSource(int reference) {
    return address(
        sessions.kind(reference), SessionTable.destination(sessions.ends(reference ^ 1)));
  }

  /** Whether one end of a session listens on this port, on either side of the device. */
  boolean isFor(int reference, int port) {
    int session = reference & ~1;
    return SessionTable.destinationPort(sessions.kind(session)) == port
        || SessionTable.sourcePort(sessions.kind(session + 1)) == port;
  }

  /** The session that the opening segment looked up last was expected as; it has its ports then. */
  int fulfil() {
    if (expected == 0) {
      return NONE;
    }
    int port = SessionTable.sourcePort(kind);
    int reference = sessions.find(ends, kind & ~(0xffffL << 16));
    if (reference == NONE || (reference & 1) != 0) {
      return NONE;
    }
    int session = reference >> 1;
    int binding = sessions.binding(session);
    long backEnds = sessions.ends(reference + 1);
    long backKind = sessions.kind(reference + 1) | port;
    int destinationRule = sessions.destinationRule(session);
    int sourceRule = sessions.sourceRule(session);
    useOnceMore(ends, kind);
    end(reference, binding);
    return record(
        ends,
        kind,
        backEnds,
        backKind,
        binding,
        destinationRule,
        sourceRule,
        idle.settings(program.device.state()));
  }

  // What there is.

  int sessionCount() {
    return sessions.count();
  }

  int bindingCount() {
    return bindings.count();
  }

  long sessionsAged() {
    return sessionsAged;
  }

  long bindingsAged() {
    return bindingsAged;
  }

  /**
   * How much of the external addresses that a rule has used is in use: ports, or lent addresses.
   */
  List<PoolFill> fills(TranslationRule rule, AddressSet externals, boolean lends) {
    List<PoolFill> fills = new ArrayList<>();
    PoolUse use = origins.use(origins.poolOf(externals));
    if (lends) {
      fills.add(new PoolFill(rule, 0, use.lentCount(), use.size()));
      return fills;
    }
    for (int protocol : new int[] {Protocol.TCP, Protocol.UDP, Protocol.ICMP}) {
      long each = Protocol.hasPorts(protocol) ? 65535 : 65536; // nobody has port 0
      long taken = 0;
      long size = each * use.size();
      for (PortSpace space : spaces) {
        if (protocolOf(space) == protocol && externals.contains(addressOf(space))) {
          taken += space.count();
          size -= each - space.size(); // what rules and own services claim
        }
      }
      fills.add(new PoolFill(rule, protocol, taken, size));
    }
    return fills;
  }

  List<SessionRow> sessionRows() {
    long now = clock.elapsed();
    List<SessionRow> rows = new ArrayList<>();
    for (int at = sessions.nextLive(0); at != NONE; at = sessions.nextLive(at + 1)) {
      rows.add(
          new SessionRow(
              arrived(at),
              left(at),
              origins.rule(sessions.destinationRule(at)),
              origins.rule(sessions.sourceRule(at)),
              Duration.ofMillis(now - sessions.since(at)),
              Duration.ofMillis(sessions.expires(at) - now)));
    }
    rows.sort(
        Comparator.comparing(SessionRow::age)
            .reversed()
            .thenComparing(row -> row.arrived().toString()));
    return rows;
  }

  private Header arrived(int session) {
    return header(sessions.ends(2 * session), sessions.kind(2 * session));
  }

  private Header left(int session) {
    return header(
        SessionTable.swapEnds(sessions.ends(2 * session + 1)),
        SessionTable.swapPorts(sessions.kind(2 * session + 1)));
  }

  /** The temporary bindings, in the order of their external sides. */
  List<BindingRow> bindingRows() {
    List<BindingRow> rows = new ArrayList<>();
    for (int at = bindings.nextLive(0); at != NONE; at = bindings.nextLive(at + 1)) {
      rows.add(row(at));
    }
    rows.sort(
        Comparator.comparing((BindingRow row) -> row.external().first())
            .thenComparing(BindingRow::protocol)
            .thenComparing(row -> row.externalPorts().first())
            .thenComparing(row -> row.internal().first()));
    return rows;
  }

  private BindingRow row(int binding) {
    long now = clock.elapsed();
    long expires = now;
    List<BindingRow.Remote> remotes = new ArrayList<>();
    for (int use = bindings.firstUse(binding); use != NONE; use = sessions.nextUse(use)) {
      int at = use >> 1;
      expires = Math.max(expires, sessions.expires(at));
      if (sessions.secondBinding(at) != NONE) { // between insiders, who know each other's outsides
        Header header = (use & 1) == 0 ? arrived(at) : left(at);
        String other = (use & 1) == 0 ? header.destinationText() : header.sourceText();
        remotes.add(new BindingRow.Remote(other, other));
      } else {
        remotes.add(remote(arrived(at), left(at), isOutward(at, binding)));
      }
    }
    boolean whole = bindings.isWholeAddress(binding);
    return new BindingRow(
        ruleOf(binding),
        whole ? ServicePart.ANY_PROTOCOL : bindings.protocol(binding),
        Prefix.of(ipv4(bindings.internal(binding))),
        whole ? PortSet.ALL : PortSet.of(bindings.internalPort(binding)),
        Prefix.of(ipv4(bindings.external(binding))),
        whole ? PortSet.ALL : PortSet.of(bindings.externalPort(binding)),
        remotes,
        Duration.ofMillis(now - bindings.since(binding)),
        Duration.ofMillis(expires - now));
  }

  private static BindingRow.Remote remote(Header arrived, Header left, boolean outward) {
    return outward
        ? new BindingRow.Remote(arrived.destinationText(), left.destinationText())
        : new BindingRow.Remote(left.sourceText(), arrived.sourceText());
  }

  /** The remote ends of the sessions that a rule for good has translated. */
  List<BindingRow.Remote> remotesOf(TranslationRule rule, Prefix external, ServicePart part) {
    List<BindingRow.Remote> remotes = new ArrayList<>();
    int number = origins.rule(rule);
    for (int at = sessions.nextLive(0); at != NONE; at = sessions.nextLive(at + 1)) {
      boolean inward = sessions.destinationRule(at) == number;
      if (!inward && sessions.sourceRule(at) != number) {
        continue;
      }
      Header arrived = arrived(at);
      Header left = left(at);
      Address outside = inward ? arrived.destination() : left.source();
      int port = inward ? arrived.destinationPort() : left.sourcePort();
      if (external.contains(outside) && part.covers(arrived.protocol(), port, Icmp.NO_TYPE)) {
        remotes.add(remote(arrived, left, !inward));
      }
    }
    return remotes;
  }
}
