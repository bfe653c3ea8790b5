// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.Named;
import org.jspecify.annotations.Nullable;

/**
 * Makes and combines decision diagrams over intervals.
 *
 * <p>Idea: a set is a directed graph that asks one dimension after the other, always in the same
 * order, and goes on by the interval that a value lies in. Neighbouring intervals that lead to the
 * same place are one, a node with a single interval is left out, and equal nodes are made only
 * once. So a set has one diagram only, and to compare two is to compare two references (the
 * reduction of Bryant, "Graph-based algorithms for boolean function manipulation", 1986, with
 * intervals in place of bits). Two diagrams are combined by walking both at once and remembering
 * each pair that was met. Cost: union, intersection and difference at most the product of the two
 * sizes, in practice near their sum.
 *
 * <p>Values above the highest of a dimension are never asked for; they go with the highest one, so
 * that "every value" and "not asked" are the same diagram.
 */
final class Diagrams {
  /** How two diagrams are combined. */
  enum Operation {
    UNION,
    INTERSECTION,
    DIFFERENCE
  }

  private final Nodes nodes = new Nodes();
  private int allowed = Integer.MAX_VALUE;
  private @Nullable Named subject;
  private int room = Integer.MAX_VALUE;

  /** Lets the next questions look at so many intervals and no more. */
  void allow(int intervals) {
    allowed = intervals;
    room = intervals;
  }

  /** What is worked out from now on, for the message if the room is used up. */
  void workOn(@Nullable Named subject) {
    this.subject = subject;
  }

  /** How many intervals were looked at since then. */
  int used() {
    return allowed - room;
  }

  /**
   * The node that decides so.
   *
   * @param count how many intervals of the arrays count; neighbours may be equal
   */
  @SuppressWarnings("ReferenceEquality") // equal nodes are the same object
  Node node(int dimension, long[] last, Node[] to, int count) {
    int kept = 0;
    for (int i = 0; i < count; i++) {
      if (i + 1 < count && to[i] == to[i + 1]) {
        continue;
      }
      last[kept] = last[i];
      to[kept] = to[i];
      kept++;
    }
    if (kept == 1) {
      return to[0];
    }
    room -= kept;
    if (room < 0) {
      throw new UndeterminedException(allowed, subject);
    }
    return nodes.of(dimension, last, to, kept);
  }

  /** The packets whose value lies between two, and that go on to a node. */
  Node between(Dimension dimension, long first, long last, Node to) {
    // What lies above the highest value goes with it.
    boolean toEnd = Long.compareUnsigned(last, dimension.highest) >= 0;
    long[] ends = new long[3];
    Node[] nodes = new Node[3];
    int n = 0;
    if (first != 0) {
      ends[n] = first - 1;
      nodes[n++] = Node.NONE;
    }
    ends[n] = toEnd ? -1 : last;
    nodes[n++] = to;
    if (!toEnd) {
      ends[n] = -1;
      nodes[n++] = Node.NONE;
    }
    return node(dimension.position, ends, nodes, n);
  }

  /** Where the node of each dimension is worked out; below it, only later ones are. */
  private final long[][] ends = new long[PacketSpace.DIMENSIONS.size()][8];

  private final Node[][] results = new Node[PacketSpace.DIMENSIONS.size()][8];

  /** What was met on one walk; the next one takes it again. */
  private final Pairs pairs = new Pairs();

  Node combine(Operation operation, Node a, Node b) {
    pairs.clear();
    return new Combination(operation).of(a, b);
  }

  /** One walk through two diagrams. */
  private final class Combination {
    private final Operation operation;

    Combination(Operation operation) {
      this.operation = operation;
    }

    @SuppressWarnings("ReferenceEquality") // equal nodes are the same object
    Node of(Node a, Node b) {
      switch (operation) {
        case UNION -> {
          if (a == Node.ALL || b == Node.NONE || a == b) {
            return a;
          }
          if (b == Node.ALL || a == Node.NONE) {
            return b;
          }
        }
        case INTERSECTION -> {
          if (a == Node.NONE || b == Node.ALL || a == b) {
            return a;
          }
          if (b == Node.NONE || a == Node.ALL) {
            return b;
          }
        }
        case DIFFERENCE -> {
          if (a == Node.NONE || b == Node.NONE) {
            return a;
          }
          if (b == Node.ALL || a == b) {
            return Node.NONE;
          }
        }
      }
      Node known = pairs.get(a, b);
      if (known == null) {
        known = walk(a, b);
        pairs.put(a, b, known);
      }
      return known;
    }

    private Node walk(Node a, Node b) {
      int dimension = Math.min(a.dimension, b.dimension);
      boolean askA = a.dimension == dimension;
      boolean askB = b.dimension == dimension;
      int n = 0;
      int i = 0;
      int j = 0;
      while (true) {
        Node toA = askA ? a.to[i] : a;
        Node toB = askB ? b.to[j] : b;
        long endA = askA ? a.last[i] : -1;
        long endB = askB ? b.last[j] : -1;
        // Where one of them settles it, the intervals of the other are gone over at once.
        long end = settles(toA) ? endA : isSettledBy(toB) ? endB : lower(endA, endB);
        Node result = of(toA, toB);
        if (n == ends[dimension].length) {
          ends[dimension] = Arrays.copyOf(ends[dimension], 2 * n);
          results[dimension] = Arrays.copyOf(results[dimension], 2 * n);
        }
        ends[dimension][n] = end;
        results[dimension][n++] = result;
        if (end == -1) {
          return node(dimension, ends[dimension], results[dimension], n);
        }
        i = askA ? a.indexOf(end + 1, i) : i;
        j = askB ? b.indexOf(end + 1, j) : j;
      }
    }

    /** Whether the result is known from the first, whatever the second is. */
    @SuppressWarnings("ReferenceEquality") // equal nodes are the same object
    private boolean settles(Node a) {
      return a == (operation == Operation.UNION ? Node.ALL : Node.NONE);
    }

    /** Whether it is known from the second, whatever the first is. */
    @SuppressWarnings("ReferenceEquality") // equal nodes are the same object
    private boolean isSettledBy(Node b) {
      return b == (operation == Operation.INTERSECTION ? Node.NONE : Node.ALL);
    }
  }

  private static long lower(long one, long other) {
    return Long.compareUnsigned(one, other) < 0 ? one : other;
  }

  /** Whether two sets have something in common; less work than to find out what. */
  boolean meet(Node a, Node b) {
    pairs.clear();
    return meet(a, b, Node.NONE, pairs);
  }

  /** Whether one set holds all of another; less work than to find out what it lacks. */
  boolean covers(Node a, Node b) {
    pairs.clear();
    return !meet(b, a, Node.ALL, pairs);
  }

  /**
   * Whether two sets meet, or one meets what the other lacks.
   *
   * @param never where the second one leads that has nothing to be met
   */
  @SuppressWarnings("ReferenceEquality") // equal nodes are the same object
  private boolean meet(Node a, Node b, Node never, Pairs apart) {
    if (a == Node.NONE || b == never) {
      return false;
    }
    if (a == b) {
      return never == Node.NONE;
    }
    if (a == Node.ALL || b == Node.ALL || b == Node.NONE) {
      return true;
    }
    int dimension = Math.min(a.dimension, b.dimension);
    boolean askA = a.dimension == dimension;
    boolean askB = b.dimension == dimension;
    if (!apart.put(a, b, Node.NONE)) {
      return false; // looked at before, or it would have ended there
    }
    int i = 0;
    int j = 0;
    while (true) {
      Node toA = askA ? a.to[i] : a;
      Node toB = askB ? b.to[j] : b;
      long endA = askA ? a.last[i] : -1;
      long endB = askB ? b.last[j] : -1;
      if (meet(toA, toB, never, apart)) {
        return true;
      }
      long end = toA == Node.NONE ? endA : toB == never ? endB : lower(endA, endB);
      if (end == -1) {
        return false;
      }
      i = askA ? a.indexOf(end + 1, i) : i;
      j = askB ? b.indexOf(end + 1, j) : j;
    }
  }

  /** The packets that are in the set with some value of a dimension: the dimension is forgotten. */
  Node without(Node set, Dimension dimension) {
    return without(set, dimension.position, new HashMap<>());
  }

  private Node without(Node set, int dimension, Map<Node, Node> visited) {
    if (set.dimension > dimension) {
      return set;
    }
    Node known = visited.get(set);
    if (known != null) {
      return known;
    }
    Node result;
    if (set.dimension == dimension) {
      result = Node.NONE;
      for (Node each : set.to) {
        result = combine(Operation.UNION, result, each);
      }
    } else {
      Node[] to = new Node[set.to.length];
      for (int i = 0; i < to.length; i++) {
        to[i] = without(set.to[i], dimension, visited);
      }
      result = node(set.dimension, set.last.clone(), to, to.length);
    }
    visited.put(set, result);
    return result;
  }

  /**
   * The part of a set whose values of a dimension lie in some ranges, moved with them.
   *
   * @param top the highest value that the dimension has there; what lies above goes with it
   */
  Node moved(Node set, Dimension dimension, Shifts shifts, long top) {
    return new Moving(dimension, shifts, top).of(set);
  }

  /** One walk through a diagram, on which the intervals of a dimension are moved. */
  private final class Moving {
    private final Dimension dimension;
    private final Shifts shifts;
    private final long top;
    private final Map<Node, Node> visited = new HashMap<>();

    Moving(Dimension dimension, Shifts shifts, long top) {
      this.dimension = dimension;
      this.shifts = shifts;
      this.top = top;
    }

    @SuppressWarnings("ReferenceEquality") // equal nodes are the same object
    Node of(Node set) {
      if (set == Node.NONE) {
        return set;
      }
      Node known = visited.get(set);
      if (known != null) {
        return known;
      }
      Node result;
      if (set.dimension > dimension.position) { // not asked: every value is in
        List<Piece> pieces = new ArrayList<>();
        cut(0, top, set, pieces);
        result = joined(pieces);
      } else if (set.dimension == dimension.position) {
        List<Piece> pieces = new ArrayList<>();
        for (int i = 0; i < set.to.length; i++) {
          if (set.to[i] != Node.NONE && Long.compareUnsigned(set.first(i), top) <= 0) {
            cut(set.first(i), lower(set.last[i], top), set.to[i], pieces);
          }
        }
        result = joined(pieces);
      } else {
        Node[] to = new Node[set.to.length];
        for (int i = 0; i < to.length; i++) {
          to[i] = of(set.to[i]);
        }
        result = node(set.dimension, set.last.clone(), to, to.length);
      }
      visited.put(set, result);
      return result;
    }

    /** Cuts an interval where shifts begin and end, and moves each piece by its own. */
    private void cut(long first, long last, Node to, List<Piece> pieces) {
      for (int i = shifts.firstNotBefore(first);
          i < shifts.count() && Long.compareUnsigned(shifts.first(i), last) <= 0;
          i++) {
        boolean begun = Long.compareUnsigned(shifts.first(i), first) < 0;
        long from = begun ? first : shifts.first(i);
        long end = lower(last, shifts.last(i));
        pieces.add(new Piece(from + shifts.distance(i), end + shifts.distance(i), to));
      }
    }

    private Node joined(List<Piece> pieces) {
      pieces.sort((a, b) -> Long.compareUnsigned(a.first, b.first));
      long[] ends = new long[2 * pieces.size() + 1];
      Node[] to = new Node[2 * pieces.size() + 1];
      int n = 0;
      long next = 0; // the first value that is not told yet
      boolean done = false;
      for (Piece piece : pieces) {
        if (piece.first != next) {
          ends[n] = piece.first - 1;
          to[n++] = Node.NONE;
        }
        done = piece.last == top;
        ends[n] = done ? -1 : piece.last;
        to[n++] = piece.to;
        next = piece.last + 1;
      }
      if (!done) {
        ends[n] = -1;
        to[n++] = Node.NONE;
      }
      return node(dimension.position, ends, to, n);
    }
  }

  /** An interval of values after they were moved, and where it leads. */
  private record Piece(long first, long last, Node to) {}
}
