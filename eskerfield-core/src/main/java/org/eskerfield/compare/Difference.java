// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.List;
import java.util.Locale;
import org.eskerfield.model.Place;
import org.jspecify.annotations.Nullable;

/**
 * Something that two site files say differently.
 *
 * @param kind how it differs
 * @param what the object: {@code access rule 'the shop' of list 'to the quay' of lockhouse}
 * @param where for what moved, where it stands now, in words; else empty
 * @param fields what differs in it; empty for what is new, gone or only moved
 * @param before where it stood; null for what is new
 * @param after where it stands; null for what is gone
 */
public record Difference(
    Kind kind,
    String what,
    String where,
    List<Field> fields,
    @Nullable Place before,
    @Nullable Place after) {
  /** How something differs. */
  public enum Kind {
    /** The object is new. */
    ADDED,
    /** The object is gone. */
    REMOVED,
    /** The object stands elsewhere in its list. */
    MOVED,
    /** Some of its fields differ. */
    ALTERED;

    /** The word in lower case. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /**
   * A field that differs.
   *
   * @param name what it is called
   * @param before what it said; empty for nothing
   * @param after what it says; empty for nothing
   */
  public record Field(String name, String before, String after) {}

  /** Copies the list. */
  public Difference {
    fields = List.copyOf(fields);
  }
}
