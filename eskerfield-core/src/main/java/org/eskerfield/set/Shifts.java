// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.util.Arrays;

/** Ranges of values that move, each by a distance of its own; ascending, unsigned. */
public final class Shifts {
  private static final int WORDS = 3;

  /** For each range its first value, its last one, and the distance. */
  private long[] ranges = new long[WORDS];

  private int count;

  /** None yet. */
  public Shifts() {}

  /**
   * And one range more, above all that are there.
   *
   * @param distance what is added to each value, modulo 2^64
   * @return this
   */
  public Shifts add(long first, long last, long distance) {
    if (WORDS * count == ranges.length) {
      ranges = Arrays.copyOf(ranges, 2 * ranges.length);
    }
    ranges[WORDS * count] = first;
    ranges[WORDS * count + 1] = last;
    ranges[WORDS * count + 2] = distance;
    count++;
    return this;
  }

  /** The way back. */
  Shifts back() {
    Integer[] order = new Integer[count];
    Arrays.setAll(order, i -> i);
    Arrays.sort(
        order, (a, b) -> Long.compareUnsigned(first(a) + distance(a), first(b) + distance(b)));
    Shifts back = new Shifts();
    for (int i : order) {
      back.add(first(i) + distance(i), last(i) + distance(i), -distance(i));
    }
    return back;
  }

  int count() {
    return count;
  }

  long first(int range) {
    return ranges[WORDS * range];
  }

  long last(int range) {
    return ranges[WORDS * range + 1];
  }

  long distance(int range) {
    return ranges[WORDS * range + 2];
  }

  /** The number of the first range that does not end before a value; the count if all do. */
  int firstNotBefore(long value) {
    int from = 0;
    int end = count;
    while (from < end) {
      int middle = (from + end) >>> 1;
      if (Long.compareUnsigned(last(middle), value) < 0) {
        from = middle + 1;
      } else {
        end = middle;
      }
    }
    return from;
  }
}
