// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketSet.Box;
import org.eskerfield.words.Some;

/**
 * What packets are for, in words: {@code ping, 443/tcp}, or {@code every service but 25/tcp}.
 *
 * <p>Idea: the parts are laid on one another, ports of each protocol and the protocols without
 * ports; then whichever is shorter is told, what is there or what is missing of everything.
 */
final class ServiceWords {
  private static final int MOST_NAMES = 8;

  /** How much may be missing of something that is told by its name. */
  private static final int MOST_MISSING = 4;

  private static final int PROTOCOLS = 256;

  /**
   * One part: some protocols, or some ports of one, from some source ports.
   *
   * @param first the lowest protocol
   * @param last the highest one
   * @param ports the ports of a single protocol that has some; else all
   * @param from the source ports; all where they do not matter
   */
  record Part(int first, int last, PortSet ports, PortSet from) {
    static Part of(Box box) {
      Box.Interval protocol = box.intervals().get(Dimension.PROTOCOL);
      int first = protocol == null ? 0 : (int) protocol.first();
      int last = protocol == null ? PROTOCOLS - 1 : (int) protocol.last();
      return new Part(
          first,
          last < 0 ? PROTOCOLS - 1 : last,
          ports(box, Dimension.DESTINATION_PORT),
          ports(box, Dimension.SOURCE_PORT));
    }

    private static PortSet ports(Box box, Dimension dimension) {
      Box.Interval ports = box.intervals().get(dimension);
      if (ports == null) {
        return PortSet.ALL;
      }
      int last = ports.last() == -1 ? PortSet.HIGHEST : (int) ports.last();
      return PortSet.range((int) ports.first(), last);
    }
  }

  private final BitSet protocols = new BitSet(PROTOCOLS);
  private final Map<Integer, BitSet> ports = new LinkedHashMap<>();
  private boolean ping;

  private ServiceWords() {
    ports.put(Protocol.TCP, new BitSet());
    ports.put(Protocol.UDP, new BitSet());
  }

  static String of(Set<Part> parts) {
    Map<PortSet, ServiceWords> all = new LinkedHashMap<>();
    for (Part part : parts) {
      all.computeIfAbsent(part.from, from -> new ServiceWords()).add(part);
    }
    List<String> texts = new ArrayList<>();
    all.forEach(
        (from, words) ->
            texts.add(words.text() + (from.equals(PortSet.ALL) ? "" : " from port " + from)));
    return String.join(", ", texts);
  }

  private void add(Part part) {
    for (int protocol = part.first; protocol <= part.last; protocol++) {
      if (Protocol.isIcmp(protocol)) {
        ping = true;
      } else if (Protocol.hasPorts(protocol)) {
        part.ports.addTo(ports.computeIfAbsent(protocol, number -> new BitSet()));
      } else {
        protocols.set(protocol);
      }
    }
  }

  private String text() {
    List<String> missing = new ArrayList<>(ping ? List.of() : List.of("ping"));
    ports.forEach((protocol, some) -> missing.addAll(ports(protocol, without(some))));
    BitSet others = otherProtocols();
    others.andNot(protocols);
    missing.addAll(protocols(others));
    List<String> there = there(others);
    if (missing.isEmpty()) {
      return "every service";
    }
    boolean wide = !others.equals(otherProtocols()) && missing.size() <= MOST_MISSING;
    return wide && missing.size() < there.size()
        ? "every service but " + String.join(", ", missing)
        : Some.of(there, MOST_NAMES);
  }

  private List<String> there(BitSet missing) {
    List<String> there = new ArrayList<>(ping ? List.of("ping") : List.of());
    ports.forEach((protocol, some) -> there.addAll(ports(protocol, some)));
    List<String> but = protocols(missing);
    if (!protocols.isEmpty() && but.size() <= MOST_MISSING) {
      there.add(
          "protocols without ports" + (but.isEmpty() ? "" : " but " + Some.of(but, but.size())));
    } else {
      there.addAll(protocols(protocols));
    }
    return there;
  }

  /** All protocols that have no ports, but for those of pings. */
  private static BitSet otherProtocols() {
    BitSet all = new BitSet(PROTOCOLS);
    all.set(0, PROTOCOLS);
    for (int protocol = 0; protocol < PROTOCOLS; protocol++) {
      all.set(protocol, !Protocol.isIcmp(protocol) && !Protocol.hasPorts(protocol));
    }
    return all;
  }

  private static BitSet without(BitSet some) {
    BitSet rest = new BitSet();
    rest.set(0, PortSet.HIGHEST + 1);
    rest.andNot(some);
    return rest;
  }

  private static List<String> ports(int protocol, BitSet some) {
    List<String> texts = new ArrayList<>();
    if (some.cardinality() == PortSet.HIGHEST + 1) {
      return List.of(Protocol.name(protocol));
    }
    for (int first = some.nextSetBit(0); first >= 0; ) {
      int end = some.nextClearBit(first);
      texts.add(PortSet.range(first, end - 1) + "/" + Protocol.name(protocol));
      first = some.nextSetBit(end);
    }
    return texts;
  }

  private static List<String> protocols(BitSet some) {
    List<String> texts = new ArrayList<>();
    for (int first = some.nextSetBit(0); first >= 0; ) {
      int last = first;
      // Those of pings and those with ports are told by themselves, and part nothing.
      for (int next = first + 1; next < PROTOCOLS && isInRow(some, next); next++) {
        last = some.get(next) ? next : last;
      }
      texts.add(first == last ? Protocol.name(first) : "protocols " + first + "-" + last);
      first = some.nextSetBit(last + 1);
    }
    return texts;
  }

  private static boolean isInRow(BitSet some, int protocol) {
    return some.get(protocol) || Protocol.isIcmp(protocol) || Protocol.hasPorts(protocol);
  }
}
