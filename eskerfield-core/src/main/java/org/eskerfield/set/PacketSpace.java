// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.Flags;
import org.eskerfield.model.Named;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * Makes sets of packets from what rules say. Sets of one space can be combined with each other.
 *
 * <p>Not safe for use by several threads.
 */
public final class PacketSpace {
  static final List<Dimension> DIMENSIONS = List.of(Dimension.values());

  /** The highest IPv4 address as a number. */
  public static final long HIGHEST_IPV4 = 0xffff_ffffL;

  final Diagrams diagrams = new Diagrams();
  private final int interfaces;
  final Times times;
  private final PacketSet all = new PacketSet(this, Node.ALL);
  private final PacketSet none = new PacketSet(this, Node.NONE);
  private final PacketSet withPorts;
  private final PacketSet ipv4;

  /**
   * The space of the packets at one device.
   *
   * @param interfaces how many interfaces it has
   * @param times the times that its schedules tell apart
   */
  public PacketSpace(int interfaces, Times times) {
    this.interfaces = interfaces;
    this.times = times;
    this.withPorts = protocol(Protocol.TCP).union(protocol(Protocol.UDP));
    this.ipv4 = where(Dimension.FAMILY, 0, 0);
  }

  /** Lets what is asked from now on take so much room and no more, see {@link PacketSet}. */
  public void allow(int intervals) {
    diagrams.allow(intervals);
  }

  /** Whose packets are worked out from now on: {@link UndeterminedException#subject}. */
  public void workOn(@Nullable Named subject) {
    diagrams.workOn(subject);
  }

  /** How much room was taken since the last call of {@link #allow}. */
  public int used() {
    return diagrams.used();
  }

  /** Every packet. */
  public PacketSet all() {
    return all;
  }

  /** No packet. */
  public PacketSet none() {
    return none;
  }

  /** The packets of a family. */
  public PacketSet of(Family family) {
    return family == Family.IPV4 ? ipv4 : ipv4.complement();
  }

  /** The packets of TCP and UDP, which have ports. */
  public PacketSet withPorts() {
    return withPorts;
  }

  /** The packets of a protocol. */
  public PacketSet protocol(int number) {
    return where(Dimension.PROTOCOL, number, number);
  }

  /** The packets whose value of a dimension lies between two, unsigned. */
  public PacketSet where(Dimension dimension, long first, long last) {
    return new PacketSet(this, diagrams.between(dimension, first, last, Node.ALL));
  }

  /**
   * The packets that arrive by an interface.
   *
   * @param number its number; the number of interfaces stands for the device itself
   */
  public PacketSet arriving(int number) {
    return where(Dimension.ARRIVING, number, number == interfaces ? -1 : number);
  }

  /** The packets that leave by the interface with a number. */
  public PacketSet leaving(int number) {
    return where(Dimension.LEAVING, number, number == interfaces - 1 ? -1 : number);
  }

  /** The packets with one of these sources. */
  public PacketSet sources(AddressSet addresses) {
    return addresses(addresses, Dimension.SOURCE_HIGH, Dimension.SOURCE);
  }

  /** The packets with one of these destinations. */
  public PacketSet destinations(AddressSet addresses) {
    return addresses(addresses, Dimension.DESTINATION_HIGH, Dimension.DESTINATION);
  }

  private PacketSet addresses(AddressSet addresses, Dimension upper, Dimension lower) {
    List<PacketSet> pieces = new ArrayList<>();
    for (AddressRange range : addresses.ranges()) {
      Address first = range.first();
      Address last = range.last();
      if (first.family() == Family.IPV4) {
        long end = last.low() == HIGHEST_IPV4 ? -1 : last.low();
        pieces.add(ipv4.intersection(where(lower, first.low(), end)));
      } else if (first.high() == last.high()) {
        pieces.add(six(upper, first.high(), last.high(), where(lower, first.low(), last.low())));
      } else {
        pieces.add(six(upper, first.high(), first.high(), where(lower, first.low(), -1)));
        if (first.high() + 1 != last.high()) {
          pieces.add(six(upper, first.high() + 1, last.high() - 1, all));
        }
        pieces.add(six(upper, last.high(), last.high(), where(lower, 0, last.low())));
      }
    }
    return union(pieces);
  }

  private PacketSet six(Dimension upper, long first, long last, PacketSet below) {
    return of(Family.IPV6).intersection(where(upper, first, last)).intersection(below);
  }

  /** The packets of one of these services; every packet for no services. */
  public PacketSet services(List<ServiceTerm> terms) {
    if (terms.isEmpty()) {
      return all;
    }
    List<PacketSet> pieces = new ArrayList<>();
    for (ServiceTerm term : terms) {
      for (ServicePart part : term.service().parts()) {
        pieces.add(service(part));
      }
    }
    return union(pieces);
  }

  /** The packets of a part of a service. */
  public PacketSet service(ServicePart part) {
    if (part.protocol() == ServicePart.ANY_PROTOCOL) {
      return all;
    }
    PacketSet set = protocol(part.protocol());
    if (Protocol.hasPorts(part.protocol())) {
      return set.intersection(ports(Dimension.DESTINATION_PORT, part.ports()));
    }
    if (part.icmpType() == Icmp.NO_TYPE) {
      return set;
    }
    set = set.intersection(where(Dimension.ICMP_TYPE, part.icmpType(), part.icmpType()));
    return part.icmpCode() == Icmp.NO_CODE
        ? set
        : set.intersection(where(Dimension.ICMP_CODE, part.icmpCode(), part.icmpCode()));
  }

  /** The packets whose port of a dimension is one of these. */
  public PacketSet ports(Dimension dimension, PortSet ports) {
    BitSet bits = new BitSet();
    ports.addTo(bits);
    List<PacketSet> pieces = new ArrayList<>();
    for (int first = bits.nextSetBit(0); first >= 0; ) {
      int end = bits.nextClearBit(first);
      pieces.add(where(dimension, first, end - 1));
      first = bits.nextSetBit(end);
    }
    return union(pieces);
  }

  /** The packets of TCP and UDP from one of these ports; every packet for null. */
  public PacketSet sourcePorts(@Nullable PortSet ports) {
    return ports == null ? all : withPorts.intersection(ports(Dimension.SOURCE_PORT, ports));
  }

  /** The segments of TCP with flags that match. */
  public PacketSet flags(Flags flags) {
    List<PacketSet> pieces = new ArrayList<>();
    for (int value = 0; value <= Dimension.TCP_FLAGS.highest; value++) {
      if (flags.match(value)) {
        pieces.add(flags(value));
      }
    }
    return protocol(Protocol.TCP).intersection(union(pieces));
  }

  /** The packets with just these flags, as in {@link Packet}; what is above URG does not count. */
  public PacketSet flags(int tcpFlags) {
    long value = tcpFlags & Dimension.TCP_FLAGS.highest;
    return where(Dimension.TCP_FLAGS, value, value == Dimension.TCP_FLAGS.highest ? -1 : value);
  }

  /** The packets that are met while a schedule acts; every packet for null. */
  public PacketSet during(@Nullable Schedule schedule) {
    if (schedule == null) {
      return all;
    }
    PacketSet set = none;
    BitSet covered = times.covered(schedule);
    for (int i = covered.nextSetBit(0); i >= 0; i = covered.nextSetBit(i + 1)) {
      // What lies above the last stretch goes with it, as in every dimension.
      set = set.union(where(Dimension.TIME, i, i == times.count() - 1 ? -1 : i));
    }
    return set;
  }

  /** The packets that are met when the same schedules act as at a moment. */
  public PacketSet at(ZonedDateTime moment) {
    int time = times.numberOf(moment);
    return where(Dimension.TIME, time, time == times.count() - 1 ? -1 : time);
  }

  /** The set of one packet, whatever interface it leaves by. */
  public PacketSet only(PacketSet.Member member) {
    Packet packet = member.packet();
    PacketSet set =
        sources(AddressSet.of(packet.source()))
            .intersection(destinations(AddressSet.of(packet.destination())))
            .intersection(protocol(packet.protocol))
            .intersection(arriving(member.arriving()));
    set = set.intersection(at(member.at()));
    if (Protocol.hasPorts(packet.protocol)) {
      set = set.intersection(port(Dimension.DESTINATION_PORT, packet.destinationPort));
    } else if (packet.icmpType != Icmp.NO_TYPE) {
      set = set.intersection(where(Dimension.ICMP_TYPE, packet.icmpType, packet.icmpType));
      set = set.intersection(where(Dimension.ICMP_CODE, packet.icmpCode, packet.icmpCode));
    }
    if (packet.protocol == Protocol.TCP) {
      set = set.intersection(flags(packet.tcpFlags));
    }
    boolean told = Protocol.hasPorts(packet.protocol) || Icmp.isEchoRequest(packet.icmpType);
    return told ? set.intersection(port(Dimension.SOURCE_PORT, packet.sourcePort)) : set;
  }

  private PacketSet port(Dimension dimension, int port) {
    return where(dimension, port, port);
  }

  /**
   * The packets whose replies are in a set: ends and ports change sides.
   *
   * @param most how many boxes of the set may be turned round
   * @throws UndeterminedException if there are more
   */
  public PacketSet askedFor(PacketSet replies, int most) {
    List<PacketSet.Box> boxes = replies.boxes(most + 1);
    if (boxes.size() > most) {
      throw new UndeterminedException(most, null);
    }
    List<PacketSet> pieces = new ArrayList<>();
    for (PacketSet.Box box : boxes) {
      PacketSet piece = all;
      for (Map.Entry<Dimension, PacketSet.Box.Interval> side : box.intervals().entrySet()) {
        long first = side.getValue().first();
        long last = side.getValue().last();
        piece =
            piece.intersection(
                switch (side.getKey()) {
                  case DESTINATION_HIGH -> where(Dimension.SOURCE_HIGH, first, last);
                  case DESTINATION -> where(Dimension.SOURCE, first, last);
                  case DESTINATION_PORT -> where(Dimension.SOURCE_PORT, first, last);
                  case SOURCE_HIGH -> where(Dimension.DESTINATION_HIGH, first, last);
                  case SOURCE -> where(Dimension.DESTINATION, first, last);
                  case SOURCE_PORT -> where(Dimension.DESTINATION_PORT, first, last);
                  case ICMP_TYPE -> echoesOf(first, last);
                  // Replies to queries have code 0; the flags of a reply are nobody's choice.
                  case ICMP_CODE -> first == 0 ? all : none;
                  case TCP_FLAGS -> all;
                  case FAMILY, PROTOCOL, ARRIVING, LEAVING, TIME ->
                      where(side.getKey(), first, last);
                });
      }
      pieces.add(piece);
    }
    return union(pieces);
  }

  /** The packets whose reply has a type of a range; those of other protocols have none. */
  private PacketSet echoesOf(long first, long last) {
    PacketSet icmp = protocol(Protocol.ICMP).union(protocol(Protocol.ICMPV6));
    PacketSet asking = last == -1 ? all.minus(icmp) : none;
    int[][] pairs = {
      {Icmp.ECHO_REPLY, Icmp.ECHO_REQUEST}, {Icmp.ECHO_REPLY_V6, Icmp.ECHO_REQUEST_V6}
    };
    for (int[] pair : pairs) {
      if (pair[0] >= first && Long.compareUnsigned(pair[0], last) <= 0) {
        PacketSet request = where(Dimension.ICMP_TYPE, pair[1], pair[1]);
        asking = asking.union(icmp.intersection(request));
      }
    }
    return asking;
  }

  /** The packets of all the sets: halves first, so that many small sets are cheap. */
  public PacketSet union(List<PacketSet> sets) {
    if (sets.isEmpty()) {
      return none;
    }
    if (sets.size() == 1) {
      return sets.get(0);
    }
    int middle = sets.size() / 2;
    return union(sets.subList(0, middle)).union(union(sets.subList(middle, sets.size())));
  }
}
