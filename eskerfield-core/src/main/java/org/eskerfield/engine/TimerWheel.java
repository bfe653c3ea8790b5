package org.eskerfield.engine;

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
final class TimerWheel {
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

  /** For each timer the next one, plus one, and before it the previous one, or minus its bucket. */
  private int[] links = new int[32];

  private long now;

  private static int bucketOf(long time, long now) {
    int digit = (Long.SIZE - 1 - Long.numberOfLeadingZeros((time ^ now) | 1)) / DIGIT_BITS;
    return digit * BUCKETS + (int) (time >>> (digit * DIGIT_BITS) & (BUCKETS - 1));
  }

  /** Sets a timer that is not set. A time that has passed is due at the next advance. */
  void set(int timer, long time) {
    if (2 * timer + 1 >= links.length) {
      links = Arrays.copyOf(links, Math.max(2 * links.length, 2 * timer + 2));
    }
    int bucket = bucketOf(Math.min(LATEST, Math.max(time, now + 1)), now);
    int head = heads[bucket];
    links[2 * timer] = -bucket - 1;
    links[2 * timer + 1] = head;
    if (head != 0) {
      links[2 * (head - 1)] = timer + 1;
    }
    heads[bucket] = timer + 1;
    used[bucket / Long.SIZE] |= 1L << bucket;
  }

  /** Cancels a timer that is set. */
  void cancel(int timer) {
    int before = links[2 * timer];
    int after = links[2 * timer + 1];
    if (after != 0) {
      links[2 * (after - 1)] = before;
    }
    if (before > 0) {
      links[2 * (before - 1) + 1] = after;
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
      long reached = above | (long) (bucket & (BUCKETS - 1)) << shift;
      if (reached > to) {
        break;
      }
      now = reached;
      int timer = heads[bucket] - 1;
      heads[bucket] = 0;
      used[bucket / Long.SIZE] &= ~(1L << bucket);
      while (timer >= 0) {
        int next = links[2 * timer + 1] - 1;
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
