// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.ArrayList;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Size;
import org.jspecify.annotations.Nullable;

/**
 * Fragments that come to a device one by one, and the identifications that it gives.
 *
 * <p>Idea: only the first fragment of a packet has its ports. What the others of the same packet
 * are to be matched by is remembered from it; one that comes before it waits (RFC 4787 REQ-14).
 */
public final class Fragments {
  /** How long a fragment waits for its first one, and is known by it, in milliseconds. */
  static final long PATIENCE = 30_000;

  /** How many fragments of one source wait at most. */
  static final int MOST_OF_SOURCE = 16;

  /** How many identifications there are; 0 is none of them. */
  private static final int IDENTIFICATIONS = 65_535;

  /** What tells packets apart whose fragments arrive. */
  record Key(int realm, Address source, Address destination, int protocol, int identification) {
    static Key of(Packet packet, int realm, Size size) {
      return new Key(
          realm, packet.source(), packet.destination(), packet.protocol, size.identification());
    }
  }

  /** What a first fragment said; {@code leavesAs} is the identification given, 0 if none was. */
  record First(
      int sourcePort,
      int destinationPort,
      int icmpType,
      int icmpCode,
      int tcpFlags,
      int leavesAs,
      long until) {}

  /** A fragment that waits. */
  record Waiting(Key key, String arriving, Size size, int ttl, long until) {}

  /** Who is given identifications: an external address and a protocol. */
  record Giver(Address address, int protocol) {}

  private final DeviceState state;
  final Map<Key, First> firsts = new LinkedHashMap<>();
  final List<Waiting> waiting = new ArrayList<>();
  final Map<Giver, Integer> given = new LinkedHashMap<>();

  Fragments(DeviceState state) {
    this.state = state;
  }

  void clear() {
    firsts.clear();
    waiting.clear();
    given.clear();
  }

  private long now() {
    return state.clock.elapsed();
  }

  /** Remembers what a first fragment says. */
  public void begins(Packet packet, Size size, int realm) {
    firsts.values().removeIf(each -> each.until <= now());
    firsts.put(
        Key.of(packet, realm, size),
        new First(
            packet.sourcePort,
            packet.destinationPort,
            packet.icmpType,
            packet.icmpCode,
            packet.tcpFlags,
            0,
            now() + PATIENCE));
  }

  /** Gives a later fragment what its first one said; false where that has not come. */
  public boolean follows(Packet packet, Size size, int realm) {
    First first = firsts.get(Key.of(packet, realm, size));
    if (first == null || first.until <= now()) {
      return false;
    }
    packet.sourcePort = first.sourcePort;
    packet.destinationPort = first.destinationPort;
    packet.icmpType = first.icmpType;
    packet.icmpCode = first.icmpCode;
    packet.tcpFlags = first.tcpFlags;
    return true;
  }

  /** Keeps a later fragment until its first one comes; false where its source has too many. */
  public boolean waits(Packet packet, Size size, int realm, String arriving) {
    waiting.removeIf(each -> each.until <= now());
    Key key = Key.of(packet, realm, size);
    long others = waiting.stream().filter(each -> each.key.source.equals(key.source)).count();
    if (others >= MOST_OF_SOURCE) {
      return false;
    }
    waiting.add(new Waiting(key, arriving, size, packet.ttl, now() + PATIENCE));
    return true;
  }

  /** Those that waited by an interface for a first fragment, in the order of their coming. */
  public List<Packet> released(Packet first, Size size, int realm, String arriving) {
    Key key = Key.of(first, realm, size);
    List<Packet> released = new ArrayList<>();
    for (Iterator<Waiting> all = waiting.iterator(); all.hasNext(); ) {
      Waiting each = all.next();
      if (each.key.equals(key) && each.arriving.equals(arriving) && each.until > now()) {
        Packet packet = new Packet(key.source, 0, key.destination, 0, key.protocol, -1, 0);
        packet.size = each.size;
        packet.ttl = each.ttl;
        released.add(packet);
        all.remove();
      }
    }
    return released;
  }

  /**
   * Gives what may be cut an identification of its own where its source shares the address that it
   * leaves with, so that fragments of two sources are not mixed up (RFC 7857 section 10).
   *
   * @param arrived the key parts of a fragment that came on its own; null for a whole packet
   */
  public void identify(Packet leaving, Size size, @Nullable Packet arrived, int realm) {
    Key key = arrived == null ? null : Key.of(arrived, realm, size);
    First first = key == null ? null : firsts.get(key);
    int by = first == null ? 0 : first.leavesAs;
    if (by == 0) {
      Giver giver = new Giver(leaving.source(), leaving.protocol);
      int before = given.merge(giver, 1, Integer::sum) - 1;
      by = 1 + before % IDENTIFICATIONS;
    }
    leaving.size = size.identified(by);
    if (key != null && first != null) {
      firsts.put(
          key,
          new First(
              first.sourcePort,
              first.destinationPort,
              first.icmpType,
              first.icmpCode,
              first.tcpFlags,
              by,
              first.until));
    }
  }

  /** Whether the opener of a session shares the address that its packets leave with. */
  public boolean sharesSource(int reference) {
    int session = reference >> 1;
    int binding = state.sessions.binding(session);
    return (reference & 1) == 0
        && binding != DeviceState.NONE
        && state.isOutward(session, binding)
        && !state.bindings.isWholeAddress(binding);
  }

  /** Whether a binding shares its address. */
  public boolean isShared(int binding) {
    return !state.bindings.isWholeAddress(binding);
  }
}
