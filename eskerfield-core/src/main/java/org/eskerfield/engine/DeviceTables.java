package org.eskerfield.engine;

import java.util.HashMap;
import java.util.Map;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.jspecify.annotations.Nullable;

/** The sessions and bindings of one device in one run. */
final class DeviceTables {
  private static final int FIRST_UNPRIVILEGED_PORT = 1024;
  private static final int PORTS = 65536;

  /**
   * What tells the packets of one direction of a flow from all others; one side of a binding, too,
   * where the far end is the same address again and port 0. Equality is written out as in {@link
   * Address}.
   */
  private record Key(Address near, int nearPort, Address far, int farPort, int protocol) {
    static Key flow(
        Address source, int sourcePort, Address destination, int destinationPort, int protocol) {
      return new Key(source, sourcePort, destination, destinationPort, protocol);
    }

    static Key endpoint(Address address, int port, int protocol) {
      return new Key(address, port, address, 0, protocol);
    }

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

  private final Map<Key, Met> sessions = new HashMap<>();
  private final Map<Key, Binding> byInternal = new HashMap<>();
  private final Map<Key, Binding> byExternal = new HashMap<>();

  @Nullable Met sessionOf(Packet packet) {
    return sessions.get(
        Key.flow(
            packet.source(),
            packet.sourcePort,
            packet.destination(),
            packet.destinationPort,
            packet.protocol));
  }

  void record(Session session) {
    Header in = session.arrived();
    Header out = session.left();
    sessions.put(
        Key.flow(
            in.source(), in.sourcePort(), in.destination(), in.destinationPort(), in.protocol()),
        new Met(session, false));
    sessions.put(
        Key.flow(
            /* source= */ out.destination(),
            /* sourcePort= */ out.destinationPort(),
            /* destination= */ out.source(),
            /* destinationPort= */ out.sourcePort(),
            out.protocol()),
        new Met(session, true));
  }

  @Nullable Binding bindingAt(Address external, int port, int protocol) {
    return byExternal.get(Key.endpoint(external, port, protocol));
  }

  /**
   * The binding of the packet's source on an external address, made if there is none. A new one
   * preserves the port where it can and stays within its range, 0-1023 or 1024-65535, where it
   * cannot (RFC 4787 section 4.2.1 and 4.2.2).
   *
   * @return null if no port is left
   */
  @Nullable Binding bind(
      DeviceProgram program, TranslationRule rule, Packet packet, Address external) {
    Key internal = Key.endpoint(packet.source(), packet.sourcePort, packet.protocol);
    Binding known = byInternal.get(internal);
    if (known != null && known.external.equals(external)) {
      return known;
    }
    int low = packet.sourcePort < FIRST_UNPRIVILEGED_PORT ? 0 : FIRST_UNPRIVILEGED_PORT;
    int high = low == 0 ? FIRST_UNPRIVILEGED_PORT : PORTS;
    int count = high - low;
    for (int i = 0; i < count; i++) {
      int port = low + (packet.sourcePort - low + i) % count;
      Key key = Key.endpoint(external, port, packet.protocol);
      if (!byExternal.containsKey(key) && !program.holdsPort(external, packet.protocol, port)) {
        Binding made = new Binding(rule, packet.source(), packet.sourcePort, external, port);
        byInternal.put(internal, made);
        byExternal.put(key, made);
        return made;
      }
    }
    return null;
  }
}
