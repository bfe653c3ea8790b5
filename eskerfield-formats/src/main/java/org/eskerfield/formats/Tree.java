package org.eskerfield.formats;

import java.util.LinkedHashMap;
import org.jspecify.annotations.Nullable;

/** An object of an answer: values by key, in the order in which they were put there. */
public final class Tree extends LinkedHashMap<String, @Nullable Object> {
  private static final long serialVersionUID = 1L;

  Tree() {}

  /** The same with one more value. */
  Tree with(String key, @Nullable Object value) {
    put(key, value);
    return this;
  }
}
