// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.Overlaps;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.eskerfield.set.Unions;
import org.jspecify.annotations.Nullable;

/**
 * What conditions mean as sets of packets, each worked out once.
 *
 * <p>Not safe for use by several threads.
 */
public class Meaning {
  public final PacketSpace space;
  private final IdentityHashMap<Condition, PacketSet> known = new IdentityHashMap<>();
  private final IdentityHashMap<Row<?>, Taken> taken = new IdentityHashMap<>();

  public Meaning(PacketSpace space) {
    this.space = space;
  }

  /** The space that all its sets are of. */
  public PacketSpace space() {
    return space;
  }

  /** The packets that the device itself sends; none where no device asks. */
  public PacketSet bySelf() {
    return space.none();
  }

  /** The packets for which a condition holds. */
  public PacketSet of(Condition condition) {
    PacketSet set = known.get(condition);
    if (set == null) {
      set = condition.among(this);
      known.put(condition, set);
    }
    return set;
  }

  // Rows.

  /** What the entries of a row take. */
  public Taken taken(Row<?> row) {
    return taken.computeIfAbsent(row, Taken::new);
  }

  /**
   * What each entry of a row takes.
   *
   * <p>Idea: from what an entry matches only the earlier ones are taken off that share a value with
   * it in every dimension. Each is worked out when it is asked for.
   */
  public final class Taken {
    private final Row<?> row;
    private final List<PacketSet> matched = new ArrayList<>();
    private final PacketSet[] decided;
    private int @Nullable [][] earlier;
    private final Unions unions;
    private @Nullable PacketSet passing;

    Taken(Row<?> row) {
      this.row = row;
      this.decided = new PacketSet[row.entries().size()];
      for (Condition entry : row.entries()) {
        space.workOn(entry.rule());
        matched.add(of(entry));
      }
      this.unions = new Unions(space, matched);
    }

    /** The packets of which an entry is the first to hold; those of none for {@link Row#NONE}. */
    public PacketSet decided(int number) {
      if (number == Row.NONE) {
        return any().complement();
      }
      if (decided[number] == null) {
        space.workOn(row.entries().get(number).rule());
        PacketSet set = matched.get(number);
        for (int before : earlier(number)) {
          set = set.minus(matched.get(before));
        }
        decided[number] = set;
      }
      return decided[number];
    }

    private int[] earlier(int number) {
      if (earlier == null) {
        earlier = Overlaps.of(matched.stream().map(PacketSet::bounds).toList());
      }
      return earlier[number];
    }

    /** The packets that some entry takes. */
    public PacketSet any() {
      return unions.all();
    }

    /** The entries that take some of a set, in their order. */
    public List<Integer> meeting(PacketSet some) {
      return unions.meeting(some);
    }

    /** The packets that pass the row, whichever entry lets them. */
    public PacketSet passing() {
      if (passing == null) {
        Passing all = passing(0, matched.size());
        passing = row.otherwise() ? all.passing.union(all.matched.complement()) : all.passing;
      }
      return passing;
    }

    /** What a run of entries matches and lets pass: halves first, so that long rows are cheap. */
    private Passing passing(int from, int to) {
      if (to == from) {
        return new Passing(space.none(), space.none());
      }
      if (to - from == 1) {
        space.workOn(row.entries().get(from).rule());
        PacketSet set = matched.get(from);
        return new Passing(set, row.passes(from) ? set : space.none());
      }
      int middle = (from + to) >>> 1;
      Passing first = passing(from, middle);
      Passing rest = passing(middle, to);
      return new Passing(
          first.matched.union(rest.matched),
          first.passing.union(rest.passing.minus(first.matched)));
    }

    private record Passing(PacketSet matched, PacketSet passing) {}
  }

  // Rewriting.

  /** A source out of some addresses, and any port or identifier. */
  public Rewrite shares(AddressSet pool) {
    PacketSet ports = space.ports(Dimension.SOURCE_PORT, PortSet.range(1, PortSet.HIGHEST));
    return lends(pool).andBecomes(Dimension.SOURCE_PORT, ports, of(Condition.Kind.SHAREABLE));
  }

  /** A source out of some addresses, the port as it is. */
  public Rewrite lends(AddressSet pool) {
    return Rewrite.NONE.andBecomes(Dimension.SOURCE, space.sources(pool), space.of(Family.IPV4));
  }

  /** Ports a distance further up or down, after another rewriting. */
  public Rewrite portsMove(Rewrite before, Dimension dimension, int distance) {
    if (distance == 0) {
      return before;
    }
    int first = Math.max(0, -distance);
    int last = PortSet.HIGHEST - Math.max(0, distance);
    return before.andMoves(dimension, first, last, distance, PortSet.HIGHEST, space.withPorts());
  }

  /** Addresses of a block at the same position of another one. */
  public Rewrite addressesMove(Dimension dimension, Prefix from, Prefix to) {
    long distance = to.first().low() - from.first().low();
    return distance == 0
        ? Rewrite.NONE
        : Rewrite.NONE.andMoves(
            dimension,
            from.first().low(),
            from.last().low(),
            distance,
            PacketSpace.HIGHEST_IPV4,
            space.of(Family.IPV4));
  }
}
