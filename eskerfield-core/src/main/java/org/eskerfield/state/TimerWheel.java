// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.Arrays;

/**
 * Tells which timers may be due as time goes on, to the millisecond and in their order.
 *
 * <p>Idea: hierarchical timing wheels (Varghese and Lauck, 1987). The time of a timer is read as
 * six digits to the base 256. A timer waits on the wheel of the highest digit in which its time
 * differs from now, in the bucket of that digit; when now reaches that digit, it moves to a lower
 * wheel or is due. A bit map of the buckets in use lets time jump. Times are not kept: who set a
 * timer is told when it is due or must move, and sets it anew in the latter case; so a timer may be
 * put off without a word. Cost: O(1) to set and to cancel, at most six moves a timer; 8 bytes a
 * timer.
 */
abstract class TimerWheel {
  /** Hears of timers. */
  interface Listener {
    /** This timer is unset; it is to be set anew unless its time has come. */
    void mayBeDue(int timer, long now);
  }

  private static final int DIGITS = 6;
  private static final int DIGIT_BITS = 8;
  private static final int BUCKETS = 1 << DIGIT_BITS;
  private static final long LATEST = (1L << (DIGITS * DIGIT_BITS)) - 1;

  /** The first timer of each bucket, plus one; 0 for none. */
  private final int[] heads = new int[DIGITS * BUCKETS];

  private final long[] used = new long[DIGITS * BUCKETS / Long.SIZE];

  private long now;

  /**
   * The word of a timer: above, the timer before it in its bucket, plus one, or minus the bucket
   * minus one if it is the first; below, the one after it, plus one.
   */
  abstract long link(int timer);

  /** Keeps the word of a timer. */
  abstract void link(int timer, long word);

  private static long word(int before, int after) {
    return (long) before << 32 | (after & 0xffff_ffffL);
  }

  private int before(int timer) {
    return (int) (link(timer) >>> 32);
  }

  private int after(int timer) {
    return (int) link(timer);
  }

  private static int bucketOf(long time, long now) {
    int digit = (Long.SIZE - 1 - Long.numberOfLeadingZeros((time ^ now) | 1)) / DIGIT_BITS;
    return digit * BUCKETS + (int) (time >>> (digit * DIGIT_BITS) & (BUCKETS - 1));
  }

  /** Sets a timer that is not set. A time that has passed is due at the next advance. */
  void set(int timer, long time) {
    int bucket = bucketOf(Math.min(LATEST, Math.max(time, now + 1)), now);
    int head = heads[bucket];
    link(timer, word(-bucket - 1, head));
    if (head != 0) {
      link(head - 1, word(timer + 1, after(head - 1)));
    }
    heads[bucket] = timer + 1;
    used[bucket / Long.SIZE] |= 1L << bucket;
  }

  /** Cancels a timer that is set. */
  void cancel(int timer) {
    int before = before(timer);
    int after = after(timer);
    if (after != 0) {
      link(after - 1, word(before, after(after - 1)));
    }
    if (before > 0) {
      link(before - 1, word(before(before - 1), after));
      return;
    }
    int bucket = -before - 1;
    heads[bucket] = after;
    if (after == 0) {
      used[bucket / Long.SIZE] &= ~(1L << bucket);
    }
  }

  /** Lets time go on, and tells of every timer that is due by then. */
  void advance(long to, Listener listener) {
    for (int bucket = firstUsed(); bucket >= 0; bucket = firstUsed()) {
      int shift = bucket / BUCKETS * DIGIT_BITS;
      long above = now >>> shift >>> DIGIT_BITS << DIGIT_BITS << shift;
      long until = above | (long) (bucket & (BUCKETS - 1)) << shift;
      if (until > to) {
        break;
      }
      now = until;
      int timer = heads[bucket] - 1;
      heads[bucket] = 0;
      used[bucket / Long.SIZE] &= ~(1L << bucket);
      while (timer >= 0) {
        int next = after(timer) - 1;
        listener.mayBeDue(timer, now);
        timer = next;
      }
    }
    now = to;
  }

  /** The bucket in use whose time comes first: lower wheels turn before higher ones. */
  private int firstUsed() {
    for (int i = 0; i < used.length; i++) {
      if (used[i] != 0) {
        return i * Long.SIZE + Long.numberOfTrailingZeros(used[i]);
      }
    }
    return -1;
  }

  /** Cancels every timer. */
  void clear() {
    Arrays.fill(heads, 0);
    Arrays.fill(used, 0);
  }
}
