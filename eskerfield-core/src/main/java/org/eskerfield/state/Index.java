// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.Arrays;
import java.util.function.Supplier;
import org.eskerfield.packet.KeyedHash;

/**
 * Finds records by the hash of their keys; the keys themselves stay in the records.
 *
 * <p>Idea: open addressing with linear probing over one array of ints, at most half full. A slot
 * holds the number of a record, plus one so that 0 is empty; its upper bits, as many as the number
 * leaves, hold the bits of the hash that its position does not tell. So a probe that meets another
 * record nearly never has to look at that record. Removal closes the gap by moving later entries
 * back (Knuth, The Art of Computer Programming, volume 3, section 6.4, algorithm R), so that
 * lookups never slow down with age. Probing does not go round the end: behind it lie some slots
 * more. Cost: 8 to 16 bytes an entry; about one cache line touched a lookup. The hash is keyed (see
 * {@link KeyedHash}); should too many records meet all the same, another key is taken. The index
 * grows by what is in it only.
 */
abstract class Index {
  /** No such record. */
  static final int NONE = -1;

  /** What {@link #at} tells of a slot that holds a record with another hash. */
  static final int OTHER = -2;

  private static final int INITIAL_BITS = 5;

  /**
   * How far a record may lie from where its search begins, and so how many slots lie behind those;
   * by chance none comes so far.
   */
  private static final int TAIL = 128;

  private int[] slots = new int[(1 << INITIAL_BITS) + TAIL];

  /** How many bits of a hash are a position, and of a slot a record's number. */
  private int bits = INITIAL_BITS;

  private int mask = (1 << INITIAL_BITS) - 1;
  private int size;
  private final Supplier<KeyedHash> keys;
  private KeyedHash keyed;

  Index() {
    this(KeyedHash::fresh);
  }

  /**
   * @param keys where a key is taken from, and another whenever too many records meet under it
   */
  Index(Supplier<KeyedHash> keys) {
    this.keys = keys;
    this.keyed = keys.get();
  }

  /** The {@link #hash} of a record's key. */
  abstract int hashOf(int record);

  /** The hash of a key of two words. */
  final int hash(long first, long second) {
    return (int) (keyed.of(first, second) >>> 32);
  }

  /** The slot where the search for a hash begins. */
  final int start(int hash) {
    return hash >>> (32 - bits);
  }

  /** The slot where it goes on. */
  final int next(int slot) {
    return slot + 1;
  }

  /**
   * The record in a slot if it may have this hash, {@link #OTHER} if not, {@link #NONE} if empty.
   */
  final int at(int slot, int hash) {
    int entry = slots[slot];
    if (entry == 0) {
      return NONE;
    }
    return (entry ^ (hash << bits)) >>> bits == 0 ? (entry & mask) - 1 : OTHER;
  }

  /** Adds a record that is not in here. Numbers of records must be below twice their count. */
  final void add(int record) {
    while (2 * (size + 1) > mask + 1 || record >= mask) {
      rebuild(bits + 1);
    }
    while (!put(record, hashOf(record))) {
      keyed = keys.get();
      rebuild(bits);
    }
    size++;
  }

  /** Puts a record where it belongs; false if that is taken as far as records may lie. */
  private boolean put(int record, int hash) {
    int slot = start(hash);
    int end = slot + TAIL;
    while (slots[slot] != 0) {
      slot = next(slot);
      if (slot == end) { // the last slot of all stays empty, so that every search ends
        return false;
      }
    }
    slots[slot] = (hash << bits) | (record + 1);
    return true;
  }

  private void rebuild(int newBits) {
    int[] old = slots;
    int oldMask = mask;
    bits = newBits;
    mask = (1 << bits) - 1;
    slots = new int[mask + 1 + TAIL];
    for (int i = 0; i < old.length; i++) {
      int record = (old[i] & oldMask) - 1;
      if (record != NONE && !put(record, hashOf(record))) {
        keyed = keys.get(); // and from the beginning: the slots so far are of the other key
        Arrays.fill(slots, 0);
        i = -1;
      }
    }
  }

  /** Removes a record that is in here; its key must still be readable. */
  final void remove(int record) {
    int gap = start(hashOf(record));
    while ((slots[gap] & mask) != record + 1) {
      gap = next(gap);
    }
    size--;
    for (int slot = next(gap); slots[slot] != 0; slot = next(slot)) {
      int home = start(hashOf((slots[slot] & mask) - 1));
      // An entry may move back into the gap unless its home lies after it.
      if (home <= gap) {
        slots[gap] = slots[slot];
        gap = slot;
      }
    }
    slots[gap] = 0;
  }

  /** Removes every record. */
  final void clear() {
    bits = INITIAL_BITS;
    mask = (1 << bits) - 1;
    slots = new int[mask + 1 + TAIL];
    size = 0;
  }
}
