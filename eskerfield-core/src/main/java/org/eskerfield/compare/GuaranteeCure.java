// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.function.Predicate;
import org.eskerfield.change.Cure;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.model.Guarantee;
import org.eskerfield.packet.Header;
import org.eskerfield.reach.Senders;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Verifier;
import org.jspecify.annotations.Nullable;

/**
 * A cure of a guarantee that does not hold: with it, the guarantee was proved.
 *
 * @param cure the change of the site
 * @param objections what else it does that nobody asked for, a sentence each: expectations and
 *     guarantees that it breaks, what it opens, and what was answered and is not any more though
 *     the guarantee does not forbid it. Empty where every packet was compared and there is nothing
 * @param takes how many kinds of packets are not answered any more, as the guarantee asks
 */
public record GuaranteeCure(Cure cure, List<String> objections, int takes) {
  /** How many are judged before one with objections is taken. */
  private static final int MOST_JUDGED = 3;

  /** Copies the list. */
  public GuaranteeCure {
    objections = List.copyOf(objections);
  }

  /** Whether it does nothing that nobody asked for. */
  public boolean isClean() {
    return objections.isEmpty();
  }

  /**
   * The first cure of a guarantee that is clean; where none is, of those that were tried the one
   * with the fewest objections.
   *
   * @param side the site with its expectations and guarantees
   * @param prover the prover of the same site
   * @param proofs its proofs of all guarantees
   * @param proof the proof of the guarantee that does not hold
   * @return none where the guarantee holds, or no change is known with which it does; null where
   *     not all could be tried, since the site is too large
   */
  public static @Nullable List<GuaranteeCure> of(
      Comparison.Side side, Prover prover, List<Proof> proofs, Proof proof) {
    List<GuaranteeCure> judged = new ArrayList<>();
    boolean all =
        prover.cures(
            proof,
            (cure, cured) -> {
              judged.add(judged(side, prover, proofs, proof.guarantee(), cure, cured));
              return !judged.get(judged.size() - 1).isClean() && judged.size() < MOST_JUDGED;
            });
    if (judged.isEmpty() && !all) {
      return null;
    }
    judged.sort(Comparator.comparing(each -> each.objections.size()));
    return judged.subList(0, Math.min(1, judged.size()));
  }

  private static GuaranteeCure judged(
      Comparison.Side side,
      Prover prover,
      List<Proof> proofs,
      Guarantee guarantee,
      Cure cure,
      Prover cured) {
    List<String> objections = new ArrayList<>();
    Comparison.Side after = new Comparison.Side(cured.site(), side.wanted(), side.policy());
    for (Comparison.ExpectationChange each :
        Comparison.expectations(
            side,
            after,
            new Verifier(Tracer.of(side.site())),
            new Verifier(Tracer.of(after.site())))) {
      if (each.held() && !each.holds()) {
        objections.add("the expectation '" + each.expectation().text() + "' fails");
      }
    }
    for (Proof each : proofs) {
      if (each.holds() && !cured.prove(each.guarantee()).holds()) {
        objections.add("the guarantee '" + each.guarantee().name() + "' no longer holds");
      }
    }
    if (!objections.isEmpty()) {
      return new GuaranteeCure(cure, objections, 0); // no need to compare every packet
    }
    ChangedFates fates = ChangedFates.between(side.site(), after.site(), (who, done, of) -> {});
    if (!fates.complete()) {
      objections.add("there are too many kinds of packets to compare them all");
    }
    List<ChangedFate> losses = fates.losses();
    Predicate<ChangedFate> forbidden = forbidden(losses, prover, guarantee);
    for (ChangedFate each : losses) {
      if (!forbidden.test(each)) {
        objections.add(
            "traffic that it does not forbid is no longer answered, such as " + sample(each));
      }
    }
    for (ChangedFate each : fates.changes()) {
      boolean opens =
          each.kind() == ChangedFate.Kind.OPENED || each.kind() == ChangedFate.Kind.REACHED;
      if (opens && guarantee.kind() != Guarantee.Kind.ALWAYS) {
        objections.add("new traffic gets through, such as " + sample(each));
      }
    }
    return new GuaranteeCure(cure, objections, losses.size());
  }

  private static String sample(ChangedFate fate) {
    Header sent = fate.before().request().get(0).decisions().get(0).before();
    return fate.before().question().sender().name()
        + " → "
        + sent.destinationText()
        + " "
        + sent.kind();
  }

  /**
   * Whether all that is not answered any more is what a guarantee forbids.
   *
   * @param prover the prover of the site as it was
   */
  public static boolean takesOnlyForbidden(
      List<ChangedFate> losses, Prover prover, Guarantee guarantee) {
    return losses.stream().allMatch(forbidden(losses, prover, guarantee));
  }

  /** Whether a guarantee forbids what is not answered any more; worked out once for all losses. */
  private static Predicate<ChangedFate> forbidden(
      List<ChangedFate> losses, Prover prover, Guarantee guarantee) {
    boolean forbids =
        switch (guarantee.kind()) {
          case NEVER, ONLY, PASSES -> true;
          case ALWAYS, SEEN_AS, LOGGED -> false;
        };
    if (!forbids || losses.isEmpty()) {
      return each -> false;
    }
    PacketSpace space = losses.get(0).packets().space();
    PacketSet all = prover.forbidden(guarantee, space);
    PacketSet askable = Senders.askable(space);
    return each -> all.covers(each.packets().intersection(askable));
  }
}
