package org.eskerfield.formats;

import static org.eskerfield.formats.LedgerData.map;
import static org.eskerfield.formats.LedgerData.place;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.eskerfield.check.Finding;
import org.eskerfield.offer.Plan;
import org.jspecify.annotations.Nullable;

/** A planned change as a tree for {@link JsonWriter#tree}, see {@link Schemas#OFFER}. */
public final class ChangeData {
  private ChangeData() {}

  /**
   * What a change does.
   *
   * @param written whether it was written
   */
  public static Map<String, @Nullable Object> of(Plan plan, PlannedChange change, boolean written) {
    List<Object> steps = new ArrayList<>();
    for (Plan.Step step : plan.steps()) {
      steps.add(map("device", step.device(), "what", step.what(), "where", step.where()));
    }
    List<Object> broken = new ArrayList<>();
    change.broken().forEach(each -> broken.add(each.expectation().text()));
    return map(
        "safe",
        change.isSafe(),
        "written",
        written,
        "steps",
        steps,
        "tidied",
        change.tidied(),
        "patch",
        change.changed().patch(),
        "appeared",
        findings(change.appeared()),
        "gone",
        findings(change.gone()),
        "proofs",
        proofs(change.proofs()),
        "management",
        proofs(change.management()),
        "broken",
        broken);
  }

  static List<Object> findings(List<Finding> findings) {
    List<Object> all = new ArrayList<>();
    for (Finding each : findings) {
      all.add(
          map(
              "code",
              each.code(),
              "severity",
              each.severity(),
              "about",
              each.about(),
              "message",
              each.message(),
              "place",
              place(each.place())));
    }
    return all;
  }

  private static List<Object> proofs(List<PlannedChange.Proved> proofs) {
    List<Object> all = new ArrayList<>();
    for (PlannedChange.Proved each : proofs) {
      var attempt = each.conversation().attempt();
      all.add(
          map(
              "what",
              each.what(),
              "from",
              attempt.sender().name(),
              "to",
              attempt.to(),
              "service",
              attempt.probe(),
              "at",
              attempt.at(),
              "outcome",
              each.conversation().outcome(),
              "reason",
              each.conversation().reason(),
              "holds",
              each.holds()));
    }
    return all;
  }
}
