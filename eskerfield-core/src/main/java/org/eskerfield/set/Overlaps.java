// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.List;

/**
 * Which of many sets may have packets in common.
 *
 * <p>Idea: two sets meet only if they share a value in every dimension. So the intervals of one
 * dimension are gone through in order of their beginnings, with those at hand that have not ended;
 * only sets that are at hand together are compared in full. It is done in the dimension that brings
 * the fewest pairs together. Cost: sorting the intervals, and a comparison for each of these pairs.
 */
public final class Overlaps {
  private final List<PacketSet.Bounds> bounds;

  /** All intervals of one dimension, by their beginnings: first value, last value, whose. */
  private long[] first = new long[0];

  private long[] last = new long[0];
  private int[] of = new int[0];

  private Overlaps(List<PacketSet.Bounds> bounds) {
    this.bounds = bounds;
  }

  /**
   * For each set those before it in the list that it may meet.
   *
   * @return their numbers, ascending; empty for none
   */
  public static int[][] of(List<PacketSet.Bounds> bounds) {
    return new Overlaps(bounds).find();
  }

  private int[][] find() {
    int best = 0;
    long fewest = Long.MAX_VALUE;
    for (int d = 0; d < PacketSpace.DIMENSIONS.size() && fewest > 0; d++) {
      long pairs = pairs(d);
      if (pairs < fewest) {
        fewest = pairs;
        best = d;
      }
    }
    gather(best);
    BitSet[] earlier = new BitSet[bounds.size()];
    for (int i = 0; i < earlier.length; i++) {
      earlier[i] = new BitSet();
    }
    int[] open = new int[first.length];
    int count = 0;
    for (int i = 0; i < first.length; i++) {
      for (int j = 0; j < count; ) {
        if (Long.compareUnsigned(last[open[j]], first[i]) < 0) {
          open[j] = open[--count];
          continue;
        }
        meet(of[i], of[open[j]], earlier);
        j++;
      }
      open[count++] = i;
    }
    return Arrays.stream(earlier).map(each -> each.stream().toArray()).toArray(int[][]::new);
  }

  private void meet(int one, int other, BitSet[] earlier) {
    int low = Math.min(one, other);
    int high = Math.max(one, other);
    if (!earlier[high].get(low) && bounds.get(high).mayMeet(bounds.get(low))) {
      earlier[high].set(low);
    }
  }

  /** How many pairs of intervals of a dimension have a value in common. */
  private long pairs(int dimension) {
    int count = 0;
    for (PacketSet.Bounds each : bounds) {
      count += each.count(dimension);
    }
    long[] starts = new long[count];
    long[] ends = new long[count];
    int n = 0;
    for (PacketSet.Bounds each : bounds) {
      for (int i = 0; i < each.count(dimension); i++) {
        // With the highest bit turned over, signed order is unsigned order.
        starts[n] = each.first(dimension, i) ^ Long.MIN_VALUE;
        ends[n++] = each.last(dimension, i) ^ Long.MIN_VALUE;
      }
    }
    Arrays.sort(starts);
    Arrays.sort(ends);
    long pairs = 0;
    int ended = 0;
    for (int i = 0; i < count; i++) {
      while (ends[ended] < starts[i]) {
        ended++;
      }
      pairs += i - ended;
    }
    return pairs;
  }

  private void gather(int dimension) {
    record Part(long first, long last, int of) {}
    List<Part> parts = new ArrayList<>();
    for (int i = 0; i < bounds.size(); i++) {
      PacketSet.Bounds each = bounds.get(i);
      for (int j = 0; j < each.count(dimension); j++) {
        parts.add(new Part(each.first(dimension, j), each.last(dimension, j), i));
      }
    }
    parts.sort((a, b) -> Long.compareUnsigned(a.first, b.first));
    first = parts.stream().mapToLong(Part::first).toArray();
    last = parts.stream().mapToLong(Part::last).toArray();
    of = parts.stream().mapToInt(Part::of).toArray();
  }
}
