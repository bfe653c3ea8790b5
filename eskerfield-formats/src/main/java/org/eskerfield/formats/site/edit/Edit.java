// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import org.eskerfield.model.Place;
import org.jspecify.annotations.Nullable;

/**
 * One change of a site file. An object of the file is named by its place, as every object of the
 * model knows it. Values are texts, lists of values, or maps from keys to values, in order; what is
 * a number or a truth value in the file is a text here. A key may be a path into what keys hold:
 * {@code state/file-transfer}.
 */
public sealed interface Edit {
  /** Gives a key of an object a value, whether it has one or not. */
  record Put(Place owner, String key, Object value) implements Edit {
    /** Copies the value. */
    public Put {
      value = Values.copied(value);
    }
  }

  /** Takes a key of an object away. */
  record Take(Place owner, String key) implements Edit {}

  /** Gives a key of an object another name. */
  record Rename(Place owner, String key, String name) implements Edit {}

  /** Writes another value where a value stands. */
  record Replace(Place value, Object by) implements Edit {
    /** Copies the value. */
    public Replace {
      by = Values.copied(by);
    }
  }

  /** Takes an object away: an item of a list, or a named one. */
  record Remove(Place object) implements Edit {}

  /**
   * Puts an item into the list that a key of an object has, or begins that list.
   *
   * @param before the item that it goes before; null to go last
   */
  record Insert(Place owner, String key, @Nullable Place before, Object item) implements Edit {
    /** Copies the value. */
    public Insert {
      item = Values.copied(item);
    }
  }

  /** Gives an object one more named one: a rule list of a device, an interface. */
  record Define(Place owner, String key, String name, Object value) implements Edit {
    /** Copies the value. */
    public Define {
      value = Values.copied(value);
    }
  }

  /**
   * Puts an item of a list before another one of the same list.
   *
   * @param before the item that it goes before; null to go last
   */
  record Move(Place item, @Nullable Place before) implements Edit {}
}
