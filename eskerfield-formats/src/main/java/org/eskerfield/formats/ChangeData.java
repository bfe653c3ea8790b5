package org.eskerfield.formats;

import static org.eskerfield.formats.LedgerData.place;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.check.Finding;
import org.eskerfield.offer.Plan;

/** A planned change as a tree for {@link JsonWriter#tree}, see {@link Schemas#OFFER}. */
public final class ChangeData {
  private ChangeData() {}

  /**
   * What a change does.
   *
   * @param written whether it was written
   */
  public static Tree of(Plan plan, PlannedChange change, boolean written) {
    List<Object> steps = new ArrayList<>();
    for (Plan.Step step : plan.steps()) {
      steps.add(
          new Tree()
              .with("device", step.device())
              .with("what", step.what())
              .with("where", step.where()));
    }
    List<Object> broken = new ArrayList<>();
    change.broken().forEach(each -> broken.add(each.expectation().text()));
    return new Tree()
        .with("safe", change.isSafe())
        .with("written", written)
        .with("steps", steps)
        .with("tidied", change.tidied())
        .with("patch", change.changed().patch())
        .with("appeared", findings(change.appeared()))
        .with("gone", findings(change.gone()))
        .with("proofs", proofs(change.proofs()))
        .with("management", proofs(change.management()))
        .with("broken", broken);
  }

  static List<Object> findings(List<Finding> findings) {
    List<Object> all = new ArrayList<>();
    for (Finding each : findings) {
      all.add(
          new Tree()
              .with("code", each.code())
              .with("severity", each.severity())
              .with("about", each.about())
              .with("message", each.message())
              .with("place", place(each.place())));
    }
    return all;
  }

  private static List<Object> proofs(List<PlannedChange.Proved> proofs) {
    List<Object> all = new ArrayList<>();
    for (PlannedChange.Proved each : proofs) {
      var attempt = each.conversation().attempt();
      all.add(
          new Tree()
              .with("what", each.what())
              .with("from", attempt.sender().name())
              .with("to", attempt.to())
              .with("service", attempt.probe())
              .with("at", attempt.at())
              .with("outcome", each.conversation().outcome())
              .with("reason", each.conversation().reason())
              .with("holds", each.holds()));
    }
    return all;
  }
}
