// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.List;
import org.eskerfield.check.Finding;
import org.eskerfield.formats.site.edit.PlannedChange;
import org.eskerfield.offer.Plan;
import org.eskerfield.trace.Attempt;

/** A planned change as a tree for {@link Json}, see {@code offer.schema.json}. */
public final class ChangeData {
  private ChangeData() {}

  /**
   * A planned change as a tree.
   *
   * @param written whether the file was written
   */
  public static Tree of(Plan plan, PlannedChange change, boolean written) {
    return new Tree()
        .with("safe", change.isSafe())
        .with("written", written)
        .with("steps", Tree.each(plan.steps(), ChangeData::step))
        .with("tidied", change.tidied())
        .with("patch", change.changed().patch())
        .with("appeared", findings(change.effect().appeared()))
        .with("gone", findings(change.effect().resolved()))
        .with("proofs", Tree.each(change.proofs(), ChangeData::proof))
        .with("management", Tree.each(change.management(), ChangeData::proof))
        .with("broken", Tree.each(change.broken(), each -> each.expectation().text()))
        .with("effects", EffectData.of(change.effect().noticed(), change.changed().file().site()))
        .with("besides", EffectData.of(change.besides(), change.changed().file().site()));
  }

  private static Tree step(Plan.Step step) {
    return new Tree()
        .with("device", step.device())
        .with("what", step.what())
        .with("where", step.where());
  }

  static List<?> findings(List<Finding> findings) {
    return Tree.each(
        findings,
        each ->
            new Tree()
                .with("code", each.code())
                .with("severity", each.severity())
                .with("about", each.about())
                .with("message", each.message())
                .with("place", Tree.place(each.place())));
  }

  private static Tree proof(PlannedChange.Proved proof) {
    Attempt attempt = proof.conversation().attempt();
    return new Tree()
        .with("what", proof.what())
        .with("from", attempt.sender().name())
        .with("to", attempt.to())
        .with("service", attempt.probe())
        .with("at", attempt.at())
        .with("outcome", proof.conversation().outcome())
        .with("reason", proof.conversation().reason())
        .with("holds", proof.holds());
  }
}
