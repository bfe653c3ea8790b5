// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.AbstractMap;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/** Things of a file by their names, in its order; nobody can change it. */
abstract class ByName<T> extends AbstractMap<String, T> {
  private final Map<String, T> things;

  ByName(Map<String, T> things) {
    this.things = Site.frozen(things);
  }

  @Override
  public @Nullable T get(Object name) {
    return things.get(name);
  }

  @Override
  public boolean containsKey(Object name) {
    return things.containsKey(name);
  }

  @Override
  public Set<Entry<String, T>> entrySet() {
    return things.entrySet();
  }
}
