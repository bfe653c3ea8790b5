// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.verify;

import java.util.List;
import org.eskerfield.model.Guarantee;

/**
 * The expectations and guarantees of a file.
 *
 * @param expectations the expectations; often empty
 * @param guarantees the guarantees; often empty
 */
public record Wanted(List<Expectation> expectations, List<Guarantee> guarantees) {
  /** Nothing. */
  public static final Wanted NOTHING = new Wanted(List.of(), List.of());

  /** Copies the lists. */
  public Wanted {
    expectations = List.copyOf(expectations);
    guarantees = List.copyOf(guarantees);
  }
}
