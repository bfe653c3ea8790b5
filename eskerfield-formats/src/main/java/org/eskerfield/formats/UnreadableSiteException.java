// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats;

import java.util.List;

/** A site file has problems; all of them are in here. */
public final class UnreadableSiteException extends Exception {
  private static final long serialVersionUID = 1L;
  private final transient List<Problem> problems;

  public UnreadableSiteException(String file, List<Problem> problems) {
    super(
        file
            + " has "
            + problems.size()
            + (problems.size() == 1 ? " problem" : " problems")
            + "; the first, in line "
            + problems.get(0).place().line()
            + ": "
            + problems.get(0).message());
    this.problems = List.copyOf(problems);
  }

  /** Every problem of the file, in its order; at least one. */
  public List<Problem> problems() {
    return problems;
  }
}
