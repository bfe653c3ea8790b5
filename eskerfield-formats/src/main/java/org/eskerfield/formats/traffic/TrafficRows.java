// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.traffic;

import java.io.Closeable;
import java.io.IOException;
import java.util.Set;
import org.eskerfield.formats.UnreadableSiteException;
import org.jspecify.annotations.Nullable;

/** The rows of a traffic file of one format, one after the other. */
interface TrafficRows extends Closeable {
  /** A row: its values by name; those that are not given are empty. */
  interface Row {
    /** The value of a name; empty if it has none. */
    String get(String name);
  }

  /**
   * The next row.
   *
   * @return null at the end
   * @throws UnreadableSiteException if it is no row
   */
  @Nullable Row next() throws UnreadableSiteException;

  /** The line of the row that was read last, from 1. */
  long line();

  @Override
  void close() throws IOException;

  /**
   * The names that a row must have and those that it may have.
   *
   * @param action one of the latter: what is said there, some actions need less than others
   */
  record Names(Set<String> needed, Set<String> optional, String action) {
    boolean has(String name) {
      return needed.contains(name) || optional.contains(name);
    }
  }
}
