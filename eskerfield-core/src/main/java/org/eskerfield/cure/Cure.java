package org.eskerfield.cure;

import java.util.List;

/**
 * How to mend something.
 *
 * @param summary what to do, in one sentence
 * @param edits the same as edits of the site file; empty where only a person can decide
 */
public record Cure(String summary, List<Edit> edits) {
  /** Copies the list. */
  public Cure {
    edits = List.copyOf(edits);
  }

  /** A cure that only a person can carry out. */
  public static Cure byHand(String summary) {
    return new Cure(summary, List.of());
  }

  /** A cure by edits. */
  public static Cure of(String summary, Edit... edits) {
    return new Cure(summary, List.of(edits));
  }
}
