// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

/**
 * A decision of a diagram: the interval in which a packet's value of one dimension lies tells where
 * to go on. Two are the same object exactly if they decide the same, see {@link Diagrams}.
 */
final class Node {
  /** The diagram of no packet, and that of every one. */
  static final Node NONE = new Node(Integer.MAX_VALUE, new long[0], new Node[0], 0, 0);

  static final Node ALL = new Node(Integer.MAX_VALUE, new long[0], new Node[0], 1, 1);

  /** The ordinal of the dimension that is asked; the highest number for the two ends. */
  final int dimension;

  /** The last value of each interval, ascending unsigned; that of the last one is all ones. */
  final long[] last;

  /** Where each interval leads; neighbours differ. */
  final Node[] to;

  /** Unique among the nodes of one space. */
  final int id;

  /** Of what it decides, under the key of {@link Nodes}. */
  final int hash;

  Node(int dimension, long[] last, Node[] to, int id, int hash) {
    this.dimension = dimension;
    this.last = last;
    this.to = to;
    this.id = id;
    this.hash = hash;
  }

  /** The number of the interval that holds a value: a binary search. */
  int indexOf(long value) {
    return indexOf(value, 0);
  }

  /** The same, where it is known to be none before another one. */
  int indexOf(long value, int from) {
    if (Long.compareUnsigned(value, last[from]) <= 0) {
      return from;
    }
    if (Long.compareUnsigned(value, last[from + 1]) <= 0) {
      return from + 1; // mostly it is the next
    }
    int end = last.length - 1;
    while (from < end) {
      int middle = (from + end) >>> 1;
      if (Long.compareUnsigned(value, last[middle]) <= 0) {
        end = middle;
      } else {
        from = middle + 1;
      }
    }
    return from;
  }

  /** The first value of an interval. */
  long first(int interval) {
    return interval == 0 ? 0 : last[interval - 1] + 1;
  }
}
