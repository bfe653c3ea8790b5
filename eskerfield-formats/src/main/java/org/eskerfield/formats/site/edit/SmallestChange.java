// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Cure;
import org.eskerfield.check.Opening;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Attempt;
import org.jspecify.annotations.Nullable;

/**
 * The smallest change of a site file that lets an attempt through: obstacle after obstacle is cured
 * in the text, and the attempt traced on what comes of it, until it is answered. Cost: one reading
 * of the file and one diagnosis for each obstacle.
 *
 * @param steps what is done, as clauses, in order; empty if nothing is known that helps
 * @param patch the steps as a unified diff; empty where there are none
 * @param site the site with the steps carried out
 * @param after what then becomes of the attempt
 * @param opens what devices let in by that and did not before, the attempt included; null if that
 *     was not worked out, as where the attempt is not answered all the same
 * @param closes what devices let in before and then no more; null as well
 */
public record SmallestChange(
    List<String> steps,
    String patch,
    Site site,
    Diagnosis after,
    @Nullable List<Opening> opens,
    @Nullable List<Opening> closes) {
  /** More are not tried: who has to mend ten things reads anew afterwards. */
  private static final int MOST = 10;

  /** Copies the steps. */
  public SmallestChange {
    steps = List.copyOf(steps);
  }

  /**
   * The change for an attempt that fails.
   *
   * @param text the text of the site file
   * @param folder where the file stands, for the files that it names; null if it names none
   * @param name what the patch calls it
   * @param site what the text says
   * @param diagnosis what stands in the way on that site
   */
  public static SmallestChange of(
      String text, @Nullable Path folder, String name, Site site, Diagnosis diagnosis) {
    Attempt attempt = diagnosis.conversation().attempt();
    List<String> steps = new ArrayList<>();
    String changed = text;
    Site now = site;
    Diagnosis left = diagnosis;
    while (!isAnswered(left) && !left.obstacles().isEmpty() && steps.size() < MOST) {
      Cure cure = left.obstacles().get(0).cure();
      CuredSite cured = CuredSite.changed(changed, folder, name, cure.changes());
      if (cured == null || steps.contains(cure.summary())) {
        break;
      }
      steps.add(cure.summary());
      changed = cured.after();
      now = cured.file().site();
      left = Diagnosis.of(now, attempt.on(now));
    }
    return new SmallestChange(
        steps,
        steps.isEmpty() ? "" : SiteEditor.patch(name, text, changed),
        now,
        left,
        isAnswered(left) ? Opening.between(site, now) : null,
        isAnswered(left) ? Opening.between(now, site) : null);
  }

  private static boolean isAnswered(Diagnosis diagnosis) {
    return diagnosis.conversation().outcome() == Outcome.ANSWERED;
  }

  /** Whether the attempt is answered then. */
  public boolean succeeds() {
    return isAnswered(after);
  }

  /** What stands in the way all the same, for which no change is known; null if nothing does. */
  public @Nullable Obstacle left() {
    return succeeds() || after.obstacles().isEmpty() ? null : after.obstacles().get(0);
  }
}
