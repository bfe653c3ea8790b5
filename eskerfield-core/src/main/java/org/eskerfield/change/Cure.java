// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.change;

import java.util.List;

/**
 * How to mend something.
 *
 * @param summary what to do, in one sentence
 * @param changes the same as changes; empty where only a person can decide
 */
public record Cure(String summary, List<Change> changes) {
  /** Copies the list. */
  public Cure {
    changes = List.copyOf(changes);
  }

  /** A cure that only a person can carry out. */
  public static Cure byHand(String summary) {
    return new Cure(summary, List.of());
  }

  /** A cure by changes. */
  public static Cure of(String summary, Change... changes) {
    return new Cure(summary, List.of(changes));
  }
}
