// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.EnumMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * An immutable set of packet headers, each with the interfaces and the time at which it is met.
 *
 * <p>Sets of one {@link PacketSpace} are equal exactly if they hold the same packets, and to find
 * out takes no time. Operations throw {@link UndeterminedException} where the space allows no more
 * room. Not safe for use by several threads, as the space that it shares with others is not.
 */
public final class PacketSet {
  private final PacketSpace space;
  final Node root;

  PacketSet(PacketSpace space, Node root) {
    this.space = space;
    this.root = root;
  }

  /**
   * One packet of a set.
   *
   * @param packet the header; a TCP packet opens a connection
   * @param arriving the number of the interface by which it arrives
   * @param leaving the number of the interface by which it leaves
   * @param at when
   */
  public record Member(Packet packet, int arriving, int leaving, ZonedDateTime at) {}

  private PacketSet combined(Diagrams.Operation operation, PacketSet other) {
    return new PacketSet(space, space.diagrams.combine(operation, root, other.root));
  }

  /** The space that it is a part of. */
  public PacketSpace space() {
    return space;
  }

  /** The packets of this set, of the other, and of both. */
  public PacketSet union(PacketSet other) {
    return combined(Diagrams.Operation.UNION, other);
  }

  /** The packets that are in both sets. */
  public PacketSet intersection(PacketSet other) {
    return combined(Diagrams.Operation.INTERSECTION, other);
  }

  /** The packets of this set that are not in the other. */
  public PacketSet minus(PacketSet other) {
    return combined(Diagrams.Operation.DIFFERENCE, other);
  }

  /** Every packet that is not in this set. */
  public PacketSet complement() {
    return space.all().minus(this);
  }

  /**
   * The values of each dimension that packets of a set have, to tell quickly that two sets have
   * nothing in common.
   */
  public static final class Bounds {
    private static final long[] EVERY = {0, -1};
    private static final int DIMENSIONS = PacketSpace.DIMENSIONS.size();

    /** For each dimension the values that some packet of the set has, as intervals, ascending. */
    private final long[][] first = new long[DIMENSIONS][];

    private final long[][] last = new long[DIMENSIONS][];

    private Bounds(Node root) {
      List<List<long[]>> found = new ArrayList<>();
      for (int i = 0; i < DIMENSIONS; i++) {
        found.add(new ArrayList<>());
      }
      if (root != Node.NONE) {
        visit(root, -1, new HashSet<>(), found);
      }
      for (int i = 0; i < DIMENSIONS; i++) {
        join(found.get(i), i);
      }
    }

    @SuppressWarnings("ReferenceEquality") // equal nodes are the same object
    private static void visit(Node node, int above, Set<Node> visited, List<List<long[]>> found) {
      for (int i = above + 1; i < Math.min(node.dimension, DIMENSIONS); i++) {
        List<long[]> all = found.get(i);
        if (all.isEmpty() || all.get(0) != EVERY) {
          all.add(0, EVERY); // a dimension that is not asked has every value
        }
      }
      if (node.last.length == 0 || !visited.add(node)) {
        return;
      }
      for (int i = 0; i < node.to.length; i++) {
        if (node.to[i] != Node.NONE) {
          found.get(node.dimension).add(new long[] {node.first(i), node.last[i]});
          visit(node.to[i], node.dimension, visited, found);
        }
      }
    }

    private void join(List<long[]> intervals, int dimension) {
      intervals.sort((a, b) -> Long.compareUnsigned(a[0], b[0]));
      long[] firsts = new long[intervals.size()];
      long[] lasts = new long[intervals.size()];
      int n = 0;
      for (long[] each : intervals) {
        if (n > 0 && Long.compareUnsigned(each[0], lasts[n - 1]) <= 0) {
          if (Long.compareUnsigned(each[1], lasts[n - 1]) > 0) {
            lasts[n - 1] = each[1];
          }
        } else {
          firsts[n] = each[0];
          lasts[n++] = each[1];
        }
      }
      first[dimension] = Arrays.copyOf(firsts, n);
      last[dimension] = Arrays.copyOf(lasts, n);
    }

    int count(int dimension) {
      return first[dimension].length;
    }

    long first(int dimension, int interval) {
      return first[dimension][interval];
    }

    long last(int dimension, int interval) {
      return last[dimension][interval];
    }

    /** Whether the sets may have a packet in common; if not, they surely have none. */
    public boolean mayMeet(Bounds other) {
      for (int i = 0; i < DIMENSIONS; i++) {
        int mine = first[i].length;
        int theirs = other.first[i].length;
        if (mine == 0
            || theirs == 0
            || Long.compareUnsigned(first[i][0], other.last[i][theirs - 1]) > 0
            || Long.compareUnsigned(other.first[i][0], last[i][mine - 1]) > 0) {
          return false;
        }
      }
      for (int i = 0; i < DIMENSIONS; i++) {
        boolean few = first[i].length <= other.first[i].length;
        if (!(few ? meet(this, other, i) : meet(other, this, i))) {
          return false;
        }
      }
      return true;
    }

    /** Whether two sets share a value: each interval of one is looked for among the other's. */
    private static boolean meet(Bounds few, Bounds many, int dimension) {
      long[] ends = many.last[dimension];
      for (int i = 0; i < few.first[dimension].length; i++) {
        int from = 0;
        int end = ends.length;
        while (from < end) { // the first that does not end before this one begins
          int middle = (from + end) >>> 1;
          if (Long.compareUnsigned(ends[middle], few.first[dimension][i]) < 0) {
            from = middle + 1;
          } else {
            end = middle;
          }
        }
        if (from < ends.length
            && Long.compareUnsigned(many.first[dimension][from], few.last[dimension][i]) <= 0) {
          return true;
        }
      }
      return false;
    }
  }

  /**
   * A part of a set that is told by one interval of each dimension.
   *
   * @param intervals first and last value of the dimensions that are not left open, unsigned
   */
  public record Box(Map<Dimension, Interval> intervals) {
    /**
     * An interval of values, unsigned.
     *
     * @param first the lowest
     * @param last the highest; all ones where there is no upper end
     */
    public record Interval(long first, long last) {}

    /** Copies the map. */
    public Box {
      intervals = Map.copyOf(intervals);
    }
  }

  /** Disjoint boxes that make up the set, as many of them as asked for at most. */
  public List<Box> boxes(int most) {
    List<Box> boxes = new ArrayList<>();
    collect(root, new EnumMap<>(Dimension.class), boxes, most);
    return boxes;
  }

  private static void collect(
      Node node, Map<Dimension, Box.Interval> above, List<Box> boxes, int most) {
    if (node.equals(Node.ALL) && boxes.size() < most) {
      boxes.add(new Box(above));
    }
    for (int i = 0; i < node.to.length && boxes.size() < most; i++) {
      if (!node.to[i].equals(Node.NONE)) {
        Map<Dimension, Box.Interval> here = new EnumMap<>(Dimension.class);
        here.putAll(above);
        here.put(
            PacketSpace.DIMENSIONS.get(node.dimension),
            new Box.Interval(node.first(i), node.last[i]));
        collect(node.to[i], here, boxes, most);
      }
    }
  }

  /** The bounds of the set. */
  public Bounds bounds() {
    return new Bounds(root);
  }

  /** Whether there is no packet in the set. */
  public boolean isEmpty() {
    return root.equals(Node.NONE);
  }

  /** Whether every packet of the other set is in this one. */
  public boolean covers(PacketSet other) {
    return space.diagrams.covers(root, other.root);
  }

  /** Whether some packet is in both sets. */
  public boolean meets(PacketSet other) {
    return space.diagrams.meet(root, other.root);
  }

  /** The set without what it says of a dimension: packets that are in it with some value of it. */
  public PacketSet without(Dimension dimension) {
    return new PacketSet(space, space.diagrams.without(root, dimension));
  }

  /** The set without what it says of all dimensions but these. */
  public PacketSet withoutAllBut(Dimension... kept) {
    List<Dimension> told = List.of(kept);
    PacketSet left = this;
    for (Dimension each : PacketSpace.DIMENSIONS) {
      left = told.contains(each) ? left : left.without(each);
    }
    return left;
  }

  /** The packets after a rewrite. */
  public PacketSet image(Rewrite rewrite) {
    PacketSet result = this;
    for (Rewrite.Part part : rewrite.parts) {
      PacketSet changed = result.intersection(part.only());
      result = changed.changed(part).union(result.minus(part.only()));
    }
    return result;
  }

  private PacketSet changed(Rewrite.Part part) {
    if (part instanceof Rewrite.Becomes to) {
      return without(to.dimension()).intersection(to.values());
    }
    Rewrite.Moves by = (Rewrite.Moves) part;
    return moved(by, by.shifts());
  }

  /** The packets that may become one of this set. */
  public PacketSet preImage(Rewrite rewrite) {
    PacketSet result = this;
    List<Rewrite.Part> parts = rewrite.parts;
    for (int i = parts.size() - 1; i >= 0; i--) {
      // No part changes what decides whether it applies, so that holds before and after.
      PacketSet only = parts.get(i).only();
      PacketSet changed = result.intersection(only).changedBack(parts.get(i));
      result = changed.intersection(only).union(result.minus(only));
    }
    return result;
  }

  private PacketSet changedBack(Rewrite.Part part) {
    if (part instanceof Rewrite.Becomes to) {
      return intersection(to.values()).without(to.dimension());
    }
    Rewrite.Moves by = (Rewrite.Moves) part;
    return moved(by, by.shifts().back());
  }

  private PacketSet moved(Rewrite.Moves by, Shifts shifts) {
    return new PacketSet(space, space.diagrams.moved(root, by.dimension(), shifts, by.top()));
  }

  /**
   * Whether a packet is in the set.
   *
   * @param arriving the number of the interface by which it arrives
   * @param leaving the number of the interface by which it leaves
   */
  public boolean contains(Packet packet, int arriving, int leaving, ZonedDateTime at) {
    Node node = root;
    while (node.last.length > 0) {
      Dimension dimension = PacketSpace.DIMENSIONS.get(node.dimension);
      node = node.to[node.indexOf(value(dimension, packet, arriving, leaving, at))];
    }
    return node.equals(Node.ALL);
  }

  private long value(
      Dimension dimension, Packet packet, int arriving, int leaving, ZonedDateTime at) {
    return switch (dimension) {
      case FAMILY -> packet.family == Family.IPV4 ? 0 : 1;
      case PROTOCOL -> packet.protocol;
      case DESTINATION_HIGH -> packet.destinationHigh;
      case DESTINATION -> packet.destinationLow;
      case DESTINATION_PORT -> packet.destinationPort;
      case ICMP_TYPE -> packet.icmpType;
      case ICMP_CODE -> packet.icmpCode;
      case TCP_FLAGS -> packet.tcpFlags & Dimension.TCP_FLAGS.highest;
      case SOURCE_HIGH -> packet.sourceHigh;
      case SOURCE -> packet.sourceLow;
      case SOURCE_PORT -> packet.sourcePort;
      case ARRIVING -> arriving;
      case LEAVING -> leaving;
      case TIME -> space.times.numberOf(at);
    };
  }

  /** A packet of the set that people can make sense of; null if the set is empty. */
  public @Nullable Member sample() {
    return isEmpty() ? null : new Choice().make();
  }

  /**
   * Chooses a value for one dimension after the other. Every node leads to some packet, so no
   * choice has to be taken back.
   */
  private final class Choice {
    private Node node = root;

    Member make() {
      Family family = pick(Dimension.FAMILY, 0, 0) == 0 ? Family.IPV4 : Family.IPV6;
      boolean four = family == Family.IPV4;
      int protocol =
          (int) pick(Dimension.PROTOCOL, 1, Protocol.TCP, Protocol.UDP, four ? 1 : 58, 47, 50);
      Address destination =
          address(family, Dimension.DESTINATION_HIGH, Dimension.DESTINATION, 0xc000_0201L);
      boolean ports = Protocol.hasPorts(protocol);
      int port = (int) pick(Dimension.DESTINATION_PORT, 1, 443, 80, 53, 22, 25, 3389, 8443);
      boolean icmp = Protocol.isIcmp(protocol);
      int echo = four ? Icmp.ECHO_REQUEST : Icmp.ECHO_REQUEST_V6;
      int type = (int) pick(Dimension.ICMP_TYPE, 0, echo);
      int code = (int) pick(Dimension.ICMP_CODE, 0, 0);
      boolean tcp = protocol == Protocol.TCP;
      int flags = (int) pick(Dimension.TCP_FLAGS, 0, tcp ? Packet.SYN : 0);
      Address source = address(family, Dimension.SOURCE_HIGH, Dimension.SOURCE, 0xc633_6401L);
      int sourcePort = (int) pick(Dimension.SOURCE_PORT, 1, ports ? 50_000 : 1);
      int arriving = (int) pick(Dimension.ARRIVING, 0, 0);
      int leaving = (int) pick(Dimension.LEAVING, 0, 0);
      int time = (int) pick(Dimension.TIME, 0, 0);
      Packet packet =
          new Packet(
              source,
              ports || (icmp && Icmp.isEchoRequest(type)) ? sourcePort : 0,
              destination,
              ports ? port : 0,
              protocol,
              icmp ? type : Icmp.NO_TYPE,
              icmp ? code : 0,
              tcp ? flags : 0);
      return new Member(packet, arriving, leaving, space.times.moment(time));
    }

    private Address address(Family family, Dimension upper, Dimension lower, long usual) {
      if (family == Family.IPV4) {
        return new Address(family, 0, pick(lower, 0x0100_0000L, usual));
      }
      long high = pick(upper, 0x2001_0db8_0000_0000L, 0x2001_0db8_0000_0000L);
      return new Address(family, high, pick(lower, 1, 1));
    }

    /**
     * Goes on by a value that is in the set.
     *
     * @param least the lowest value that is chosen as long as there is another one
     * @param liked what is taken before all others, the best first
     */
    @SuppressWarnings("ReferenceEquality") // equal nodes are the same object
    private long pick(Dimension dimension, long least, long... liked) {
      if (node.dimension != dimension.position) {
        return liked[0];
      }
      for (long value : liked) {
        Node to = node.to[node.indexOf(value)];
        if (to != Node.NONE) {
          node = to;
          return value;
        }
      }
      int taken = -1;
      for (int i = 0; i < node.to.length; i++) {
        if (node.to[i] != Node.NONE) {
          taken = taken < 0 ? i : taken;
          if (Long.compareUnsigned(node.last[i], least) >= 0) {
            taken = i;
            break;
          }
        }
      }
      long first = node.first(taken);
      long last = node.last[taken];
      long value = Long.compareUnsigned(first, least) < 0 ? least : first;
      value = Long.compareUnsigned(value, last) > 0 ? first : value;
      boolean address = dimension == Dimension.SOURCE || dimension == Dimension.DESTINATION;
      if (address && (value & 0xff) == 0 && Long.compareUnsigned(value, last) < 0) {
        value++; // whoever reads it takes a network for no host
      }
      node = node.to[taken];
      return value;
    }
  }

  /** Whether the other is the same set; sets of different spaces never are. */
  @Override
  @SuppressWarnings("ReferenceEquality") // equal nodes of one space are the same object
  public boolean equals(@Nullable Object other) {
    return other instanceof PacketSet that && root == that.root && space == that.space;
  }

  @Override
  public int hashCode() {
    return root.id;
  }
}
