// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

/**
 * Where something stands in a file.
 *
 * @param file the name of the file, without folders; empty for an object made in code
 * @param line the line, from 1; 0 for an object made in code
 * @param column the column in characters, from 1; 0 for an object made in code
 */
public record Place(String file, int line, int column) {
  /** The place of an object that was made in code. */
  public static final Place IN_CODE = new Place("", 0, 0);

  /** {@code file:line}; {@code (in code)} where there is no file. */
  @Override
  public String toString() {
    return line == 0 ? "(in code)" : file + ":" + line;
  }
}
