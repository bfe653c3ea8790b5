// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.guarantee.Evidence;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.guarantee.Prover;
import org.jspecify.annotations.Nullable;

/**
 * The answer about a guarantee, with what it rests on and what would mend it.
 *
 * @param proof the answer
 * @param evidence the lines on which it rests; null where these were not asked for
 * @param cures the first cure that does nothing else, or those that were tried; empty where no
 *     change is known with which it holds; null where none was looked for, as where it holds
 */
public record ExplainedProof(
    Proof proof, @Nullable Evidence evidence, @Nullable List<GuaranteeCure> cures) {
  /** Copies the list. */
  public ExplainedProof {
    cures = cures == null ? null : List.copyOf(cures);
  }

  /**
   * Explains the answers about guarantees of one site.
   *
   * @param side the site with its expectations and guarantees
   * @param prover the prover that made the proofs
   * @param evidence whether the lines are asked for on which each rests
   * @param progress is told how far it has come
   */
  public static List<ExplainedProof> of(
      Comparison.Side side,
      Prover prover,
      List<Proof> proofs,
      boolean evidence,
      ChangedFates.Progress progress) {
    List<ExplainedProof> all = new ArrayList<>();
    for (Proof proof : proofs) {
      progress.begins("evidence and cures", all.size(), proofs.size());
      all.add(
          new ExplainedProof(
              proof,
              evidence ? prover.evidence(proof) : null,
              proof.example() == null ? null : GuaranteeCure.of(side, prover, proofs, proof)));
    }
    return all;
  }
}
