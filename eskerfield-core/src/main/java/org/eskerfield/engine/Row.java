package org.eskerfield.engine;

import java.time.ZonedDateTime;
import java.util.List;
import java.util.function.Predicate;
import org.eskerfield.packet.Packet;
import org.jspecify.annotations.Nullable;

/**
 * Conditions that are asked in their order; the first that holds decides.
 *
 * @param entries what is asked, in its order
 * @param passes where packets only pass or are at their end, whichever entry takes them: whether an
 *     entry lets them pass; null where each entry leads somewhere else
 * @param otherwise whether packets pass that no entry takes, where that counts
 */
record Row<E extends Condition>(List<E> entries, @Nullable Predicate<E> passes, boolean otherwise) {
  /** What {@link #first} tells where no entry holds. */
  static final int NONE = -1;

  Row {
    entries = List.copyOf(entries);
  }

  /** A row of which each entry leads somewhere else. */
  static <E extends Condition> Row<E> of(List<E> entries) {
    return new Row<>(entries, null, false);
  }

  /** The number of the first entry that holds for a packet; {@link #NONE} if none does. */
  int first(Packet packet, boolean own, ZonedDateTime now) {
    for (int i = 0; i < entries.size(); i++) {
      if (entries.get(i).holds(packet, own, now)) {
        return i;
      }
    }
    return NONE;
  }

  /** The entry with a number; null for {@link #NONE}. */
  @Nullable E get(int number) {
    return number == NONE ? null : entries.get(number);
  }

  /** Whether packets pass that an entry takes, or none. */
  boolean passes(int number) {
    return (number == NONE || passes == null) ? otherwise : passes.test(entries.get(number));
  }

  /** The first entry whose packets pass; {@link #NONE} where only those pass that none takes. */
  int example() {
    for (int i = 0; i < entries.size(); i++) {
      if (passes(i)) {
        return i;
      }
    }
    return NONE;
  }

  @Override
  public boolean equals(@Nullable Object other) {
    return this == other;
  }

  @Override
  public int hashCode() {
    return System.identityHashCode(this);
  }
}
