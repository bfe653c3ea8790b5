// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.List;
import java.util.function.Predicate;
import org.eskerfield.packet.Packet;
import org.jspecify.annotations.Nullable;

/** Conditions that are asked in their order; the first that holds decides. */
public final class Row<E extends Condition> {
  /** What {@link #first} tells where no entry holds. */
  public static final int NONE = -1;

  /** From how many entries on an index is worth its making. */
  private static final int LONG = 16;

  private final List<E> entries;
  private final @Nullable Predicate<E> passes;
  private final boolean otherwise;

  /** Made when it is asked for the first time: many rows never are. */
  private volatile @Nullable RowIndex index;

  /**
   * A row where packets only pass or are at their end, whichever entry takes them.
   *
   * @param entries what is asked, in its order
   * @param passes whether an entry lets packets pass
   * @param otherwise whether packets pass that no entry takes
   */
  public Row(List<E> entries, Predicate<E> passes, boolean otherwise) {
    this.entries = List.copyOf(entries);
    this.passes = passes;
    this.otherwise = otherwise;
  }

  /** A row of which each entry leads somewhere else. */
  public Row(List<E> entries) {
    this.entries = List.copyOf(entries);
    this.passes = null;
    this.otherwise = false;
  }

  /** What is asked, in its order. */
  public List<E> entries() {
    return entries;
  }

  /** The number of the first entry that holds for a packet; {@link #NONE} if none does. */
  public int first(Packet packet, boolean own, ZonedDateTime now) {
    if (entries.size() >= LONG && !own) {
      RowIndex known = index;
      if (known == null) {
        known = new RowIndex(entries);
        index = known;
      }
      return known.first(packet, false, now);
    }
    for (int i = 0; i < entries.size(); i++) {
      if (entries.get(i).holds(packet, own, now)) {
        return i;
      }
    }
    return NONE;
  }

  /** The entry with a number; null for {@link #NONE}. */
  public @Nullable E get(int number) {
    return number == NONE ? null : entries.get(number);
  }

  /** Whether packets only pass or are at their end, whichever entry takes them. */
  public boolean isGate() {
    return passes != null;
  }

  /** Whether packets pass that an entry takes, or none. */
  public boolean passes(int number) {
    return (number == NONE || passes == null) ? otherwise : passes.test(entries.get(number));
  }

  /** Whether packets pass that no entry takes. */
  public boolean otherwise() {
    return otherwise;
  }

  /** The first entry whose packets pass; {@link #NONE} where only those pass that none takes. */
  public int example() {
    for (int i = 0; i < entries.size(); i++) {
      if (passes(i)) {
        return i;
      }
    }
    return NONE;
  }
}
