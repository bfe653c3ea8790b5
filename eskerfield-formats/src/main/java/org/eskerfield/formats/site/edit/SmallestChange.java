// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Cure;
import org.eskerfield.compare.Comparison;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Attempt;
import org.jspecify.annotations.Nullable;

/**
 * The smallest change of a site file that lets an attempt through: obstacle after obstacle is cured
 * in the text, and the attempt traced on what comes of it, until it is answered. Cost: one reading
 * of the file and one diagnosis for each obstacle.
 *
 * @param steps the changes as clauses, in order; empty if no change is known that helps
 * @param patch the steps as a unified diff; empty where there are none
 * @param site the site with the steps carried out
 * @param after the attempt on that site
 * @param effect what changes by that for every packet, the attempt included; null where the attempt
 *     is not answered all the same
 * @param others alternatives that let it through, each as its steps; often empty
 */
public record SmallestChange(
    List<String> steps,
    String patch,
    Site site,
    Diagnosis after,
    @Nullable Comparison effect,
    List<String> others) {
  /** More are not tried: who has to mend ten things reads anew afterwards. */
  private static final int MOST = 10;

  /** Copies the steps. */
  public SmallestChange {
    steps = List.copyOf(steps);
    others = List.copyOf(others);
  }

  /**
   * The change for an attempt that fails.
   *
   * @param text the text of the site file
   * @param folder where the file stands, for the files that it names; null if it names none
   * @param name the name of the file in the patch
   * @param file the text as read
   * @param diagnosis the obstacles on that site
   */
  public static SmallestChange of(
      String text, @Nullable Path folder, String name, SiteFile file, Diagnosis diagnosis) {
    List<Obstacle> obstacles = diagnosis.obstacles();
    Cure known = obstacles.isEmpty() ? Cure.byHand("") : obstacles.get(0).cure();
    SmallestChange best = null;
    List<String> others = new ArrayList<>();
    for (Cure first : known.all()) {
      SmallestChange each = beginning(first, text, folder, name, file, diagnosis);
      boolean fact =
          best != null && known.changes().isEmpty(); // what is done elsewhere comes first
      if (best == null || (!fact && rank(each) < rank(best))) {
        if (best != null && best.succeeds()) {
          others.add(0, String.join("; ", best.steps));
        }
        best = each;
      } else if (each.succeeds()) {
        others.add(String.join("; ", each.steps));
      }
    }
    return Objects.requireNonNull(best).with(others);
  }

  /** What lets it through and takes nothing away is best, and what does not help at all worst. */
  private static int rank(SmallestChange change) {
    return change.isClean() ? 0 : change.succeeds() ? 1 : 2;
  }

  private SmallestChange with(List<String> ways) {
    return new SmallestChange(steps, patch, site, after, effect, ways);
  }

  private static SmallestChange beginning(
      Cure first,
      String text,
      @Nullable Path folder,
      String name,
      SiteFile file,
      Diagnosis diagnosis) {
    Attempt attempt = diagnosis.conversation().attempt();
    List<String> steps = new ArrayList<>();
    String changed = text;
    SiteFile now = file;
    Diagnosis left = diagnosis;
    while (!isAnswered(left) && !left.obstacles().isEmpty() && steps.size() < MOST) {
      Cure cure = steps.isEmpty() ? first : left.obstacles().get(0).cure();
      CuredSite cured = CuredSite.changed(changed, folder, name, cure.changes());
      if (cured == null || steps.contains(cure.summary())) {
        break;
      }
      steps.add(cure.summary());
      changed = cured.after();
      now = cured.file();
      left = Diagnosis.of(now.site(), attempt.on(now.site()));
    }
    return new SmallestChange(
        steps,
        steps.isEmpty() ? "" : SiteEditor.patch(name, text, changed),
        now.site(),
        left,
        isAnswered(left) ? CuredSite.compared(file, now) : null,
        List.of());
  }

  private static boolean isAnswered(Diagnosis diagnosis) {
    return diagnosis.conversation().outcome() == Outcome.ANSWERED;
  }

  /** Whether it takes nothing away, breaks no expectation, and brings no error and no warning. */
  public boolean isClean() {
    return effect != null && CuredSite.isClean(effect);
  }

  /** Whether the attempt is answered then. */
  public boolean succeeds() {
    return isAnswered(after);
  }

  /** The obstacle that is left, for which no change is known; null if none is left. */
  public @Nullable Obstacle left() {
    return succeeds() || after.obstacles().isEmpty() ? null : after.obstacles().get(0);
  }
}
