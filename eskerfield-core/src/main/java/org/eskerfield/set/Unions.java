// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.util.ArrayList;
import java.util.List;

/**
 * Sets in a row, of which those are found that have packets in common with another set.
 *
 * <p>Idea: a tree of unions, halves above halves, so that a set is held only against those branches
 * in which something meets it. Each union is worked out when it is asked for.
 */
public final class Unions {
  private final PacketSpace space;
  private final List<PacketSet> sets;

  /** The union at each place; those of both halves are at twice that place. */
  private final PacketSet[] unions;

  /** The sets, all of one space. */
  public Unions(PacketSpace space, List<PacketSet> sets) {
    this.space = space;
    this.sets = List.copyOf(sets);
    this.unions = new PacketSet[4 * sets.size()];
  }

  /** The packets of all of them. */
  public PacketSet all() {
    return sets.isEmpty() ? space.none() : union(1, 0, sets.size());
  }

  private PacketSet union(int place, int from, int to) {
    if (to - from == 1) {
      return sets.get(from);
    }
    if (unions[place] == null) {
      int middle = (from + to) >>> 1;
      unions[place] = union(2 * place, from, middle).union(union(2 * place + 1, middle, to));
    }
    return unions[place];
  }

  /** The places of those that have packets in common with a set, ascending. */
  public List<Integer> meeting(PacketSet some) {
    List<Integer> found = new ArrayList<>();
    if (some.meets(all())) {
      gather(some, 1, 0, sets.size(), found);
    }
    return found;
  }

  /** Gathers those of a branch that is known to meet the set. */
  private void gather(PacketSet some, int place, int from, int to, List<Integer> found) {
    if (to - from == 1) {
      found.add(from);
      return;
    }
    int middle = (from + to) >>> 1;
    boolean lower = some.meets(union(2 * place, from, middle));
    if (lower) {
      gather(some, 2 * place, from, middle, found);
    }
    // What meets the branch, but not its lower half, meets the upper one.
    if (!lower || some.meets(union(2 * place + 1, middle, to))) {
      gather(some, 2 * place + 1, middle, to, found);
    }
  }
}
