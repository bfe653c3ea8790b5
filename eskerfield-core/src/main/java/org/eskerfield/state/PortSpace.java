// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.Arrays;
import java.util.BitSet;
import java.util.List;
import java.util.PriorityQueue;

/**
 * The ports of one external address and protocol (or its ICMP identifiers): which are taken.
 *
 * <p>Idea: a bit map of the ports, and above it one of its words that are full, for even and odd
 * ports apart, so that the next free port from any point on is found by looking at a few words,
 * however full the map is. Freed ports may be held down for a time; they wait in a queue. Ports
 * over which sessions run that have no binding, as those of destination rules and of the device
 * itself, are counted, and as little free as the others.
 */
final class PortSpace {
  private static final int PORTS = 65536;
  private static final int WORDS = PORTS / Long.SIZE;
  private static final int FIRST_UNPRIVILEGED = 1024;
  private static final int PIECE = 1024;
  private static final long EVEN = 0x5555_5555_5555_5555L;
  private static final long ODD = ~EVEN;
  private static final long EVERY = -1;

  /** What the space is known by. */
  final long key;

  private final long[] taken = new long[WORDS];
  private final long[] claimed = new long[WORDS];
  private final long[] used = new long[WORDS];
  private final long[] fullEven = new long[WORDS / Long.SIZE];
  private final long[] fullOdd = new long[WORDS / Long.SIZE];

  /** How many sessions without a binding run over each port, in pieces; empty until one does. */
  private int[][] users = new int[0][];

  /** Ports that are held down, each below the millisecond of its release. */
  private final PriorityQueue<Long> held = new PriorityQueue<>();

  private int count;

  /** How many ports were drawn by lot. */
  private int draws;

  /** A space where rules and own services claim some ports. */
  PortSpace(long key, BitSet claims) {
    this.key = key;
    long[] words = claims.toLongArray();
    System.arraycopy(words, 0, claimed, 0, words.length);
    for (int word = 0; word < words.length; word++) {
      if (words[word] != 0) {
        summarize(word);
      }
    }
  }

  /** How many ports were drawn by lot. */
  int draws() {
    return draws;
  }

  /** The ports that rest, the one that is free again first. */
  List<DeviceSnapshot.Resting> resting() {
    return held.stream()
        .sorted()
        .map(each -> new DeviceSnapshot.Resting((int) (each % PORTS), each / PORTS))
        .toList();
  }

  /** Goes on where another one was. */
  void goOn(DeviceSnapshot.Ports before) {
    draws = before.draws();
    for (DeviceSnapshot.Resting each : before.resting()) {
      taken[each.port() / Long.SIZE] |= 1L << each.port();
      summarize(each.port() / Long.SIZE);
      held.add(each.until() * PORTS + each.port());
    }
  }

  /** Takes a port that a binding has had before. */
  void retake(int port) {
    take(port);
  }

  /** The number of a draw, from 1 on. */
  int nextDraw() {
    return ++draws;
  }

  /** Sets anew which ports rules and own services claim. */
  void claim(BitSet claims) {
    Arrays.fill(claimed, 0);
    long[] words = claims.toLongArray();
    System.arraycopy(words, 0, claimed, 0, words.length);
    for (int word = 0; word < WORDS; word++) {
      summarize(word);
    }
  }

  private void summarize(int word) {
    long busy = busy(word);
    int at = word / Long.SIZE;
    long bit = 1L << word;
    fullEven[at] = (busy & EVEN) == EVEN ? fullEven[at] | bit : fullEven[at] & ~bit;
    fullOdd[at] = (busy & ODD) == ODD ? fullOdd[at] | bit : fullOdd[at] & ~bit;
  }

  private long busy(int word) {
    return taken[word] | claimed[word] | used[word];
  }

  /** Counts a session without a binding that runs over a port. */
  void use(int port) {
    if (users.length == 0) {
      users = new int[PORTS / PIECE][];
    }
    int[] piece = users[port / PIECE];
    if (piece == null) {
      piece = new int[PIECE];
      users[port / PIECE] = piece;
    }
    if (piece[port % PIECE]++ == 0) {
      used[port / Long.SIZE] |= 1L << port;
      summarize(port / Long.SIZE);
    }
  }

  /** Counts one less. */
  void unuse(int port) {
    if (--users[port / PIECE][port % PIECE] == 0) {
      used[port / Long.SIZE] &= ~(1L << port);
      summarize(port / Long.SIZE);
    }
  }

  /** How many ports are in use by bindings. */
  int count() {
    return count;
  }

  /**
   * Takes a port: the wanted one if it is free, else the next one of its range, round the end of
   * it; ranges are 0-1023 and 1024-65535 (RFC 4787 section 4.2.1).
   *
   * @param parity whether an even port is to stay even and an odd one odd, if that can be
   * @param fallback whether the other range may serve where its own is full
   * @return {@link Index#NONE} if there is none
   */
  int take(int wanted, boolean parity, boolean fallback, long now) {
    release(now);
    boolean low = wanted < FIRST_UNPRIVILEGED;
    int port = takeWithin(wanted, low, parity);
    if (port == Index.NONE && fallback) {
      port = takeWithin(wanted + (low ? FIRST_UNPRIVILEGED : 0), !low, parity);
    }
    return port == Index.NONE ? port : take(port);
  }

  private int takeWithin(int wanted, boolean low, boolean parity) {
    int first = low ? 0 : FIRST_UNPRIVILEGED;
    int last = low ? FIRST_UNPRIVILEGED - 1 : PORTS - 1;
    int from = Math.min(Math.max(wanted, first), last);
    int port = parity ? free(from, first, last, (wanted & 1) == 0 ? EVEN : ODD) : Index.NONE;
    return port != Index.NONE ? port : free(from, first, last, EVERY);
  }

  /** Takes an ICMP identifier: the wanted one, else the next. */
  int takeIdentifier(int wanted, long now) {
    release(now);
    int identifier = free(wanted, 0, PORTS - 1, EVERY);
    return identifier == Index.NONE ? identifier : take(identifier);
  }

  private int take(int port) {
    taken[port / Long.SIZE] |= 1L << port;
    summarize(port / Long.SIZE);
    count++;
    return port;
  }

  /** The first free port from one on, round the end of the range; {@link Index#NONE} if none is. */
  private int free(int from, int first, int last, long kind) {
    int port = firstFree(from, last, kind);
    return port == Index.NONE && from > first ? firstFree(first, from - 1, kind) : port;
  }

  private int firstFree(int from, int last, long kind) {
    int word = from / Long.SIZE;
    long free = ~busy(word) & kind & -1L << from;
    while (free == 0) {
      word = nextWithRoom(word + 1, kind);
      if (word == WORDS) {
        return Index.NONE;
      }
      free = ~busy(word) & kind;
    }
    int port = word * Long.SIZE + Long.numberOfTrailingZeros(free);
    return port <= last ? port : Index.NONE;
  }

  private int nextWithRoom(int word, long kind) {
    for (int at = word / Long.SIZE; at < fullEven.length; at++) {
      long full =
          kind == EVEN ? fullEven[at] : kind == ODD ? fullOdd[at] : fullEven[at] & fullOdd[at];
      long room = at == word / Long.SIZE ? ~full & -1L << word : ~full;
      if (room != 0) {
        return at * Long.SIZE + Long.numberOfTrailingZeros(room);
      }
    }
    return WORDS;
  }

  /** Gives a port back at a moment; it is free once the hold-down has passed since then. */
  void free(int port, long now, long holdDown) {
    count--;
    if (holdDown == 0) {
      untake(port);
      return;
    }
    held.add((now + holdDown) * PORTS + port);
  }

  private void untake(int port) {
    taken[port / Long.SIZE] &= ~(1L << port);
    summarize(port / Long.SIZE);
  }

  private void release(long now) {
    while (!held.isEmpty() && held.peek() / PORTS <= now) {
      untake((int) (held.remove() % PORTS));
    }
  }
}
