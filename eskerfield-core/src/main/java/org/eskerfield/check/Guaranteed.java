// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.change.Cure;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.guarantee.WayIn;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Placed;
import org.eskerfield.trace.Labels;
import org.eskerfield.verify.Wanted;

/** The guarantees of a file that do not hold. */
final class Guaranteed {
  private final Inspection check;
  private static final int MOST_CURES = 3;

  Guaranteed(Inspection check) {
    this.check = check;
  }

  void inspect(List<Guarantee> guarantees) {
    Prover prover = new Prover(check.tracer);
    for (Guarantee each : guarantees) {
      Proof proof = prover.prove(each);
      if (!proof.holds()) {
        check.add(
            Code.GUARANTEE_BROKEN,
            each,
            each.name(),
            "guarantee '" + each.name() + "' is " + word(proof.status()) + ": " + proof.reason(),
            null,
            cure(prover, proof));
      }
    }
  }

  private Cure cure(Prover prover, Proof proof) {
    List<Cure> found = new ArrayList<>();
    prover.cures(proof, (cure, site) -> found.add(cure) && found.size() < MOST_CURES);
    Cure best = null;
    for (Cure each : found) {
      best = best == null ? each : best.or(each);
    }
    return best == null
        ? Cure.byHand("run 'eskerfield verify' on the file: it shows the packets")
        : best;
  }

  /** Ways in from outside of which neither guarantees nor expectations speak. */
  void inspectWaysIn(Wanted wanted) {
    if (wanted.guarantees().isEmpty()) {
      return; // nobody asks for it
    }
    for (WayIn each : WayIn.of(check.tracer, wanted.expectations(), wanted.guarantees()).ways()) {
      if (each.meantBy().isEmpty()) {
        Placed by = each.by().get(each.by().size() - 1);
        check.add(
            Code.WAY_IN_UNCOVERED,
            by,
            each.receiver() + " " + each.received(),
            each.receiver()
                + " is reached from outside by "
                + Labels.of(by)
                + " ("
                + String.join("; ", each.received())
                + "), and no expectation or guarantee speaks of it",
            null,
            Cure.byHand(
                "expect it, allow it under 'may' of a guarantee, or take it away; 'eskerfield"
                    + " reach --ways-in' shows all"));
      }
    }
  }

  private static String word(Proof.Status status) {
    return switch (status) {
      case HOLDS -> "kept";
      case BROKEN -> "broken";
      case HOLDS_UNTIL -> "broken by other traffic";
      case NOT_DECIDED -> "not decided by any device";
      case HOLDS_FOR_NOTHING -> "about nobody";
      case UNDETERMINED -> "undetermined";
    };
  }
}
