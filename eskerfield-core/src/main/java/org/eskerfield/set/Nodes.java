// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.util.Arrays;
import org.eskerfield.packet.KeyedHash;
import org.jspecify.annotations.Nullable;

/**
 * The nodes of one space, each made only once.
 *
 * <p>Idea: open addressing with linear probing, at most half full; every node knows its hash. A
 * node is looked up by the arrays in which it was worked out, and these are copied only where it is
 * new.
 */
final class Nodes {
  private static final KeyedHash KEYED = KeyedHash.fresh();

  private @Nullable Node[] slots = new @Nullable Node[1 << 10];
  private int count;

  /** The node that decides so; its arrays begin with {@code length} entries of these. */
  Node of(int dimension, long[] last, Node[] to, int length) {
    long hash = dimension;
    for (int i = 0; i < length; i++) {
      hash = KEYED.of(hash ^ to[i].id, last[i]);
    }
    int slot = (int) hash & (slots.length - 1);
    for (Node each = slots[slot]; each != null; each = slots[slot]) {
      if (each.hash == (int) hash && isSame(each, dimension, last, to, length)) {
        return each;
      }
      slot = (slot + 1) & (slots.length - 1);
    }
    // The two ends have the numbers 0 and 1.
    Node made =
        new Node(
            dimension,
            Arrays.copyOf(last, length),
            Arrays.copyOf(to, length),
            2 + count,
            (int) hash);
    slots[slot] = made;
    if (2 * ++count > slots.length) {
      grow();
    }
    return made;
  }

  @SuppressWarnings("ReferenceEquality") // equal nodes are the same object
  private static boolean isSame(Node node, int dimension, long[] last, Node[] to, int length) {
    if (node.dimension != dimension || node.to.length != length) {
      return false;
    }
    for (int i = 0; i < length; i++) {
      if (node.to[i] != to[i] || node.last[i] != last[i]) {
        return false;
      }
    }
    return true;
  }

  private void grow() {
    @Nullable Node[] old = slots;
    slots = new @Nullable Node[2 * old.length];
    for (Node each : old) {
      if (each != null) {
        int slot = each.hash & (slots.length - 1);
        while (slots[slot] != null) {
          slot = (slot + 1) & (slots.length - 1);
        }
        slots[slot] = each;
      }
    }
  }
}
