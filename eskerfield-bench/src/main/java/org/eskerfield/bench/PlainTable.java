// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.bench;

/**
 * The yardstick: a plain hash table with open addressing and linear probing, at most half full,
 * keys of two longs beside each other, values of one int.
 */
final class PlainTable {
  private final long[] keys;
  private final int[] values;
  private final int mask;

  /** An empty table for so many keys. */
  PlainTable(int count) {
    int capacity = Integer.highestOneBit(Math.max(1, count - 1)) * 4;
    keys = new long[2 * capacity];
    values = new int[capacity];
    mask = capacity - 1;
  }

  private static int hash(long first, long second) {
    long mixed = (first ^ (second * 0x9e3779b97f4a7c15L)) * 0xd6e8feb86659fd93L;
    return (int) (mixed ^ (mixed >>> 32));
  }

  /** The value of a key; 0 if it has none. */
  int get(long first, long second) {
    for (int slot = hash(first, second) & mask; ; slot = (slot + 1) & mask) {
      if (keys[2 * slot] == first && keys[2 * slot + 1] == second) {
        return values[slot];
      }
      if (values[slot] == 0) {
        return 0;
      }
    }
  }

  /** Adds a key that is not in here with a value that is not 0. */
  void put(long first, long second, int value) {
    int slot = hash(first, second) & mask;
    while (values[slot] != 0) {
      slot = (slot + 1) & mask;
    }
    keys[2 * slot] = first;
    keys[2 * slot + 1] = second;
    values[slot] = value;
  }
}
