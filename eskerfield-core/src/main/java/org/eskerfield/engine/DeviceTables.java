package org.eskerfield.engine;

import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.PriorityQueue;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * The sessions and temporary bindings of one device in one run.
 *
 * <p>Idea: hash tables by what tells packets apart; a queue of sessions by the time at which they
 * may end. Whoever asks first lets everything end that is due, so that nothing observable depends
 * on when a table was swept. A session that was refreshed is found in the queue with an old time
 * and put back with its new one. Cost: O(1) a lookup, O(log n) a new session and each end of one; a
 * lent address is found in O(pool).
 */
final class DeviceTables {
  private static final int FIRST_UNPRIVILEGED_PORT = 1024;
  private static final int PORTS = 65536;

  /**
   * What tells the packets of one direction of a flow from all others; also the internal side of a
   * binding with its external address as the far end, and the external side with itself as the far
   * end. Equality is written out as in {@link Address}.
   */
  private record Key(Address near, int nearPort, Address far, int farPort, int protocol) {
    @Override
    public boolean equals(@Nullable Object other) {
      return other instanceof Key that
          && nearPort == that.nearPort
          && farPort == that.farPort
          && protocol == that.protocol
          && near.equals(that.near)
          && far.equals(that.far);
    }

    @Override
    public int hashCode() {
      return ((near.hashCode() * 31 + far.hashCode()) * 31 + nearPort) * 31 + farPort + protocol;
    }
  }

  /** A session met in one of its directions. */
  record Met(Session session, boolean asReply) {}

  /** A session that may end at a time. */
  private record Due(long time, Session session) implements Comparable<Due> {
    @Override
    public int compareTo(Due other) {
      return Long.compare(time, other.time);
    }
  }

  private final VirtualClock clock;
  private final StateSettings settings;
  private final Map<Key, Met> sessions = new HashMap<>();
  private final Map<Key, Binding> byInternal = new HashMap<>();
  private final Map<Key, Binding> byExternal = new HashMap<>();

  /** How many external ports an internal address has, by protocol, where that is limited. */
  private final Map<Key, Integer> portsOf = new HashMap<>();

  private final PriorityQueue<Due> due = new PriorityQueue<>();

  DeviceTables(VirtualClock clock, StateSettings settings) {
    this.clock = clock;
    this.settings = settings;
  }

  // Sessions.

  private static Key forward(Header arrived) {
    return new Key(
        arrived.source(),
        arrived.sourcePort(),
        arrived.destination(),
        arrived.destinationPort(),
        arrived.protocol());
  }

  private static Key backward(Header left) {
    return new Key(
        /* near= */ left.destination(),
        /* nearPort= */ left.destinationPort(),
        /* far= */ left.source(),
        /* farPort= */ left.sourcePort(),
        left.protocol());
  }

  @Nullable Met sessionOf(Packet packet) {
    endWhatIsDue();
    return sessions.get(
        new Key(
            packet.source(),
            packet.sourcePort,
            packet.destination(),
            packet.destinationPort,
            packet.protocol));
  }

  /** Takes note of a packet of a known session, as it arrived. */
  void saw(Met met, Packet packet) {
    met.session().saw(packet, met.asReply(), clock.elapsed(), settings);
  }

  void record(
      Header arrived,
      Header left,
      @Nullable TranslationRule destinationRule,
      @Nullable TranslationRule sourceRule,
      @Nullable Binding binding) {
    Session session =
        new Session(arrived, left, destinationRule, sourceRule, binding, clock.elapsed(), settings);
    end(sessions.get(forward(arrived)));
    end(sessions.get(backward(left)));
    sessions.put(forward(arrived), new Met(session, false));
    sessions.put(backward(left), new Met(session, true));
    due.add(new Due(session.expires(), session));
    if (binding != null) {
      binding.sessions++;
      binding.remotes.merge(remote(session, binding), 1, Integer::sum);
    }
  }

  /** The far end of a session as its binding's user sees it. */
  private static Address remote(Session session, Binding binding) {
    return session.left.source().equals(binding.external)
        ? session.left.destination()
        : session.arrived.source();
  }

  private void endWhatIsDue() {
    long now = clock.elapsed();
    for (Due first = due.peek(); first != null && first.time() <= now; first = due.peek()) {
      due.remove();
      Session session = first.session();
      Met met = sessions.get(forward(session.arrived));
      if (met == null || met.session() != session) {
        continue; // it ended before
      }
      if (session.expires() > now) {
        due.add(new Due(session.expires(), session));
      } else {
        end(met);
      }
    }
  }

  private void end(@Nullable Met met) {
    if (met == null) {
      return;
    }
    Session session = met.session();
    sessions.remove(forward(session.arrived));
    sessions.remove(backward(session.left));
    Binding binding = session.binding;
    if (binding != null) {
      binding.remotes.computeIfPresent(
          remote(session, binding), (address, count) -> count == 1 ? null : count - 1);
      if (--binding.sessions == 0) {
        byInternal.remove(internalKey(binding));
        byExternal.remove(externalKey(binding.external, binding.externalPort, binding.protocol));
        portsOf.computeIfPresent(
            ownerKey(binding.internal, binding.protocol),
            (owner, count) -> count == 1 ? null : count - 1);
      }
    }
  }

  /** Ends every session and with them every temporary binding. */
  void clear() {
    sessions.clear();
    byInternal.clear();
    byExternal.clear();
    portsOf.clear();
    due.clear();
  }

  // Bindings.

  private static Key internalKey(Binding binding) {
    return internalKey(binding.internal, binding.internalPort, binding.external, binding.protocol);
  }

  private static Key internalKey(Address internal, int port, Address external, int protocol) {
    return new Key(internal, port, external, 0, protocol);
  }

  private static Key externalKey(Address external, int port, int protocol) {
    return new Key(external, port, external, 0, protocol);
  }

  /** Whether a binding lets a packet in that belongs to none of its sessions. */
  boolean admits(Binding binding, Packet packet) {
    return switch (settings.filtering()) {
      case ENDPOINT_INDEPENDENT -> true;
      case ADDRESS_DEPENDENT -> binding.remotes.containsKey(packet.source());
      case ADDRESS_AND_PORT_DEPENDENT -> false;
    };
  }

  /** The temporary binding that an external endpoint belongs to; null if none does. */
  @Nullable Binding bindingAt(Address external, int port, int protocol) {
    Binding binding = byExternal.get(externalKey(external, port, protocol));
    return binding != null
        ? binding
        : byExternal.get(externalKey(external, Binding.EVERY, Binding.EVERY));
  }

  /**
   * The binding of the packet's source on one of some external addresses, made if there is none. An
   * internal address stays with one external address while it has a binding there ("paired", RFC
   * 4787 REQ-2); a new one begins where the fewest bindings are. A port is preserved where it can
   * be and stays within its range, 0-1023 or 1024-65535, where it cannot (RFC 4787 sections 4.2.1
   * and 4.2.2).
   *
   * <p>The binding counts only when a session is recorded that uses it.
   *
   * @return null if no port is left
   */
  @Nullable Binding share(
      DeviceProgram program, TranslationRule rule, Packet packet, AddressSet externals) {
    List<AddressRange> ranges = externals.ranges();
    if (ranges.size() == 1 && ranges.get(0).first().equals(ranges.get(0).last())) {
      return bind(program, rule, packet, ranges.get(0).first());
    }
    Address paired = null;
    Map<Address, Integer> used = new HashMap<>();
    for (Binding binding : byExternal.values()) {
      if (!binding.isWholeAddress() && externals.contains(binding.external)) {
        used.merge(binding.external, 1, Integer::sum);
        if (binding.internal.equals(packet.source())) {
          paired = binding.external;
        }
      }
    }
    if (paired != null) {
      return bind(program, rule, packet, paired);
    }
    List<Address> candidates = new ArrayList<>();
    for (AddressRange range : externals.ranges()) {
      for (Address a = range.first(); a != null && a.compareTo(range.last()) <= 0; a = a.next()) {
        candidates.add(a);
      }
    }
    candidates.sort(Comparator.comparingInt(a -> used.getOrDefault(a, 0)));
    for (Address external : candidates) {
      Binding binding = bind(program, rule, packet, external);
      if (binding != null) {
        return binding;
      }
    }
    return null;
  }

  /** Whether the packet's source has as many external ports as it may, and needs one more. */
  boolean isAtItsLimit(Packet packet, AddressSet externals) {
    if (settings.portsPerSource() == 0) {
      return false;
    }
    for (AddressRange range : externals.ranges()) {
      for (Address a = range.first(); a != null && a.compareTo(range.last()) <= 0; a = a.next()) {
        if (byInternal.containsKey(
            internalKey(packet.source(), packet.sourcePort, a, packet.protocol))) {
          return false;
        }
      }
    }
    return portsOf.getOrDefault(ownerKey(packet.source(), packet.protocol), 0)
        >= settings.portsPerSource();
  }

  private static Key ownerKey(Address internal, int protocol) {
    return new Key(internal, 0, internal, 0, protocol);
  }

  private @Nullable Binding bind(
      DeviceProgram program, TranslationRule rule, Packet packet, Address external) {
    Key internal = internalKey(packet.source(), packet.sourcePort, external, packet.protocol);
    Binding known = byInternal.get(internal);
    if (known != null) {
      return known;
    }
    int low = packet.sourcePort < FIRST_UNPRIVILEGED_PORT ? 0 : FIRST_UNPRIVILEGED_PORT;
    int high = low == 0 ? FIRST_UNPRIVILEGED_PORT : PORTS;
    int count = high - low;
    for (int i = 0; i < count; i++) {
      int port = low + (packet.sourcePort - low + i) % count;
      Key key = externalKey(external, port, packet.protocol);
      if (!byExternal.containsKey(key) && !program.holdsPort(external, packet.protocol, port)) {
        Binding made =
            new Binding(
                rule,
                packet.protocol,
                packet.source(),
                packet.sourcePort,
                external,
                port,
                clock.elapsed());
        byInternal.put(internal, made);
        byExternal.put(key, made);
        portsOf.merge(ownerKey(made.internal, made.protocol), 1, Integer::sum);
        return made;
      }
    }
    return null;
  }

  /**
   * The external address that the packet's source has of a pool, lent if it has none: the lowest
   * that is free.
   *
   * @return null if all are lent
   */
  @Nullable Binding borrow(TranslationRule rule, Packet packet, AddressSet pool) {
    for (Binding binding : byExternal.values()) {
      if (binding.isWholeAddress()
          && binding.internal.equals(packet.source())
          && pool.contains(binding.external)) {
        return binding;
      }
    }
    for (AddressRange range : pool.ranges()) {
      for (Address a = range.first(); a != null && a.compareTo(range.last()) <= 0; a = a.next()) {
        Key key = externalKey(a, Binding.EVERY, Binding.EVERY);
        if (!byExternal.containsKey(key)) {
          Binding made =
              new Binding(
                  rule,
                  Binding.EVERY,
                  packet.source(),
                  Binding.EVERY,
                  a,
                  Binding.EVERY,
                  clock.elapsed());
          byInternal.put(internalKey(made), made);
          byExternal.put(key, made);
          return made;
        }
      }
    }
    return null;
  }

  // What there is.

  int sessionCount() {
    endWhatIsDue();
    return sessions.size() / 2;
  }

  int bindingCount() {
    endWhatIsDue();
    return byExternal.size();
  }

  List<SessionRow> sessionRows() {
    endWhatIsDue();
    List<SessionRow> rows = new ArrayList<>();
    for (Met met : sessions.values()) {
      Session session = met.session();
      if (!met.asReply()) {
        rows.add(
            new SessionRow(
                session.arrived,
                session.left,
                session.destinationRule,
                session.sourceRule,
                Duration.ofMillis(clock.elapsed() - session.since),
                Duration.ofMillis(session.expires() - clock.elapsed())));
      }
    }
    rows.sort(
        Comparator.comparing(SessionRow::age)
            .reversed()
            .thenComparing(row -> row.arrived().toString()));
    return rows;
  }

  List<BindingRow> bindingRows() {
    endWhatIsDue();
    Map<Binding, Long> ends = new HashMap<>();
    for (Met met : sessions.values()) {
      if (met.session().binding != null) {
        ends.merge(met.session().binding, met.session().expires(), Math::max);
      }
    }
    List<BindingRow> rows = new ArrayList<>();
    ends.forEach(
        (binding, end) ->
            rows.add(
                new BindingRow(
                    binding.rule,
                    binding.isWholeAddress() ? ServicePart.ANY_PROTOCOL : binding.protocol,
                    Prefix.of(binding.internal),
                    ports(binding.internalPort),
                    Prefix.of(binding.external),
                    ports(binding.externalPort),
                    binding.sessions,
                    Duration.ofMillis(clock.elapsed() - binding.since),
                    Duration.ofMillis(end - clock.elapsed()))));
    rows.sort(
        Comparator.comparing((BindingRow row) -> row.external().first())
            .thenComparing(BindingRow::protocol)
            .thenComparing(row -> row.externalPorts().first()));
    return rows;
  }

  private static PortSet ports(int port) {
    return port == Binding.EVERY ? PortSet.ALL : PortSet.of(port);
  }
}
