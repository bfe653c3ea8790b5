// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.util.Arrays;
import org.eskerfield.packet.KeyedHash;
import org.jspecify.annotations.Nullable;

/**
 * What came of each pair of nodes.
 *
 * <p>Idea: open addressing with linear probing, at most half full, over the numbers of the nodes,
 * so that a pair that is looked up or kept costs no object. As small as most walks are, doubled
 * where it fills, and small again for the next walk.
 */
final class Pairs {
  private static final int FEW = 64;
  private static final KeyedHash KEYED = KeyedHash.fresh();

  /** The numbers of both nodes of a pair; 0 where a slot is free, which is {@code NONE} twice. */
  private long[] pairs = new long[FEW];

  private @Nullable Node[] results = new @Nullable Node[FEW];
  private int count;

  /** Forgets all of them. */
  void clear() {
    if (pairs.length > FEW) {
      pairs = new long[FEW];
      results = new @Nullable Node[FEW];
    } else if (count > 0) {
      Arrays.fill(pairs, 0);
      Arrays.fill(results, null);
    }
    count = 0;
  }

  /** What was kept for a pair; null for nothing. */
  @Nullable Node get(Node a, Node b) {
    return results[slot(pair(a, b))];
  }

  /** Keeps what came of a pair; whether that is new. */
  boolean put(Node a, Node b, Node result) {
    long pair = pair(a, b);
    int slot = slot(pair);
    boolean fresh = pairs[slot] == 0;
    pairs[slot] = pair;
    results[slot] = result;
    if (fresh && 2 * ++count > pairs.length) {
      grow();
    }
    return fresh;
  }

  private static long pair(Node a, Node b) {
    return ((long) a.id << 32) | b.id;
  }

  private int slot(long pair) {
    int slot = (int) KEYED.of(pair, 0) & (pairs.length - 1);
    while (pairs[slot] != pair && pairs[slot] != 0) {
      slot = (slot + 1) & (pairs.length - 1);
    }
    return slot;
  }

  private void grow() {
    long[] old = pairs;
    @Nullable Node[] kept = results;
    pairs = new long[2 * old.length];
    results = new @Nullable Node[pairs.length];
    for (int i = 0; i < old.length; i++) {
      if (old[i] != 0) {
        int slot = slot(old[i]);
        pairs[slot] = old[i];
        results[slot] = kept[i];
      }
    }
  }
}
