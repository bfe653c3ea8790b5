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
 * @param where for a moved object, its new position in words; else empty
 * @param fields the keys that differ; empty for objects that are new, gone or only moved
 * @param before its place in the old file; null for a new object
 * @param after its place in the new file; null for a removed object
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
   * @param name the key
   * @param before the old value; empty for none
   * @param after the new value; empty for none
   */
  public record Field(String name, String before, String after) {}

  /** Copies the list. */
  public Difference {
    fields = List.copyOf(fields);
  }
}
