// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.change.Cure;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Code;
import org.eskerfield.check.Finding;
import org.eskerfield.compare.Comparison;
import org.eskerfield.compare.GuaranteeCure;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Tracer;

/**
 * A cure carried out, and what it does to every packet.
 *
 * @param summary the cure in one sentence
 * @param cured the file with the cure
 * @param effect the packets whose fate it changes
 * @param closes whether the finding is about something open, so that packets lost are the purpose
 */
public record JudgedCure(String summary, CuredSite cured, Comparison effect, boolean closes) {
  /**
   * The cures of a finding, judged; those that take nothing away come first.
   *
   * @param path the site file
   * @param name what messages and the patch call it
   * @param file the same, read
   * @param all all findings of the file
   * @return none if the cure is for a person to decide, or does not do what it promises
   * @throws IOException if the file cannot be read
   */
  public static List<JudgedCure> of(
      Path path, String name, SiteFile file, Finding finding, List<Finding> all)
      throws IOException {
    return of(new CuredSite.Known(path, name, all), file, finding);
  }

  /**
   * The cures of several findings, judged as those of one.
   *
   * @param some the findings, those of one file
   * @param progress is told how far it has come
   * @return the cures by finding, in the order of the findings
   * @throws IOException if the file cannot be read
   */
  public static Map<Finding, List<JudgedCure>> of(
      Path path,
      String name,
      SiteFile file,
      List<Finding> some,
      List<Finding> all,
      Checker.Progress progress)
      throws IOException {
    CuredSite.Known known = new CuredSite.Known(path, name, all);
    Map<Finding, List<JudgedCure>> cures = new LinkedHashMap<>();
    for (int i = 0; i < some.size(); i++) {
      progress.begins("cures", i, some.size());
      cures.put(some.get(i), of(known, file, some.get(i)));
    }
    return cures;
  }

  private static List<JudgedCure> of(CuredSite.Known known, SiteFile file, Finding finding)
      throws IOException {
    List<Finding> all = known.findings();
    List<JudgedCure> cures = new ArrayList<>();
    for (Cure cure : finding.cure().all()) {
      CuredSite.Checked checked = CuredSite.checked(known, cure, finding);
      if (checked != null) {
        cures.add(judged(cure, file, checked, finding, all));
      }
    }
    cures.sort(Comparator.comparing(each -> !each.isClean()));
    return cures;
  }

  private static JudgedCure judged(
      Cure cure, SiteFile file, CuredSite.Checked checked, Finding finding, List<Finding> all) {
    Comparison effect =
        Comparison.of(
            CuredSite.side(file),
            open(all),
            CuredSite.side(checked.site().file()),
            open(checked.findings()),
            (who, done, of) -> {});
    Conversation sample = finding.sample();
    boolean closes = sample != null && sample.outcome() == Outcome.ANSWERED;
    if (finding.code() == Code.GUARANTEE_BROKEN) {
      Prover prover = new Prover(Tracer.of(file.site()));
      closes =
          file.guarantees().stream()
              .filter(each -> each.place().equals(finding.place()))
              .allMatch(each -> GuaranteeCure.takesOnlyForbidden(effect.losses(), prover, each));
    }
    return new JudgedCure(cure.summary(), checked.site(), effect, closes);
  }

  private static List<Finding> open(List<Finding> all) {
    return all.stream().filter(each -> each.accepted() == null).toList();
  }

  /** Whether nothing is lost by it that was not to be closed, and no expectation breaks. */
  public boolean isClean() {
    return effect.changedFates().complete()
        && !effect.breaks()
        && (closes || effect.losses().isEmpty());
  }
}
