// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.capacity;

import java.util.Arrays;

/**
 * The highest level of something that goes up and down, for each interval of time.
 *
 * <p>Idea: intervals of one second; where they become too many, neighbours are put together, so
 * that memory stays the same however long it lasts, and no peak is lost.
 */
final class Levels {
  private static final int MOST = 8192;

  private int[] highest = new int[64];
  private long width = 1000;
  private int last;
  private int level;

  /** The level changes by some at a time, in milliseconds; never before the one before. */
  void change(long at, int by) {
    passTo(at);
    level += by;
    highest[last] = Math.max(highest[last], level);
  }

  /** Time passes. */
  void passTo(long at) {
    while (at / width >= MOST) {
      for (int i = 0; i < highest.length; i += 2) {
        highest[i / 2] = Math.max(highest[i], highest[i + 1]);
      }
      Arrays.fill(highest, highest.length / 2, highest.length, 0);
      last /= 2;
      width *= 2;
    }
    int now = (int) (at / width);
    if (now >= highest.length) {
      highest = Arrays.copyOf(highest, Integer.highestOneBit(now) * 2);
    }
    for (; last < now; last++) {
      highest[last + 1] = level;
    }
  }

  int level() {
    return level;
  }

  /** Everything is given back. */
  void clear(long at) {
    change(at, -level);
  }

  /**
   * The highest level in each of some intervals.
   *
   * @param every their width in milliseconds
   * @param until a time in the last one
   */
  long[] highest(long every, long until) {
    long[] all = new long[(int) (until / every + 1)];
    for (int i = 0; i <= last; i++) {
      // An own interval may reach into several: nobody knows in which part of it the peak was.
      long first = i * width / every;
      for (long at = first; at <= ((i + 1) * width - 1) / every && at < all.length; at++) {
        all[(int) at] = Math.max(all[(int) at], highest[i]);
      }
    }
    return all;
  }
}
