// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.verify;

import java.util.List;
import org.eskerfield.model.Guarantee;

/**
 * The expectations and guarantees of a file.
 *
 * @param expectations what must happen to sample traffic; often empty
 * @param guarantees what must hold for all packets; often empty
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
