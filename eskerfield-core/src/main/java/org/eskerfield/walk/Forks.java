// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Predicate;
import java.util.function.Supplier;

/**
 * The places where some packets in hand answer otherwise than others: it is gone on with those of
 * the first answer, and from the beginning again with those of the next, until none is left. What
 * was worked out at each place is kept.
 *
 * @param <T> what is in hand after an answer
 */
final class Forks<T> {
  /** Tells that no packet is in hand, so that there is nothing to go on with. */
  static final class NoPacket extends RuntimeException {
    private static final long serialVersionUID = 1;

    NoPacket() {
      super("no packet", null, false, false);
    }
  }

  private static final class Fork<T> {
    final List<T> answers;
    int at;

    Fork(List<T> answers) {
      this.answers = answers;
    }
  }

  private final Predicate<T> isEmpty;
  private final List<Fork<T>> forks = new ArrayList<>();
  private int depth;

  /**
   * No places yet.
   *
   * @param isEmpty whether no packet is in hand
   */
  Forks(Predicate<T> isEmpty) {
    this.isEmpty = isEmpty;
  }

  /** Begins at the beginning. */
  void begin() {
    depth = 0;
  }

  /**
   * Goes on with the first answer that was not given yet, and gives it the next time.
   *
   * @throws NoPacket if no packet gives any
   */
  T go(Supplier<List<T>> answers) {
    if (depth == forks.size()) {
      List<T> given = new ArrayList<>(answers.get());
      given.removeIf(isEmpty);
      if (given.isEmpty()) {
        throw new NoPacket();
      }
      forks.add(new Fork<>(given));
    }
    Fork<T> fork = forks.get(depth++);
    return fork.answers.get(fork.at);
  }

  /** Whether there is another answer to be given. */
  boolean goesAgain() {
    while (!forks.isEmpty()) {
      Fork<T> last = forks.get(forks.size() - 1);
      if (++last.at < last.answers.size()) {
        return true;
      }
      forks.remove(forks.size() - 1);
    }
    return false;
  }
}
