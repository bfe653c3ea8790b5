// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.List;
import java.util.Map;
import org.eskerfield.check.Finding;
import org.eskerfield.formats.Problem;
import org.eskerfield.formats.site.edit.JudgedCure;
import org.eskerfield.trace.Conversation;
import org.jspecify.annotations.Nullable;

/** Findings and problems as trees, see {@code check.schema.json}. */
public final class CheckData {
  private CheckData() {}

  /**
   * The findings of a check.
   *
   * @param cures the cures of each finding whose cure is asked for
   */
  public static Tree of(String site, List<Finding> findings, Map<Finding, List<JudgedCure>> cures) {
    return new Tree()
        .with("site", site)
        .with("problems", List.of())
        .with("findings", Tree.each(findings, each -> finding(each, cures.get(each))));
  }

  /** The problems of a file that could not be read, in the same shape. */
  public static Tree problems(String site, List<Problem> problems) {
    return new Tree()
        .with("site", site)
        .with("problems", Tree.each(problems, CheckData::problem))
        .with("findings", List.of());
  }

  private static Tree problem(Problem problem) {
    return new Tree()
        .with("message", problem.message())
        .with("remedy", problem.remedy())
        .with("place", Tree.placeInFile(problem.place()));
  }

  private static Tree finding(Finding finding, @Nullable List<JudgedCure> cures) {
    JudgedCure first = cures == null || cures.isEmpty() ? null : cures.get(0);
    return new Tree()
        .with("code", finding.code())
        .with("severity", finding.severity())
        .with("about", finding.about())
        .with("message", finding.message())
        .with("why", finding.code().why())
        .with("sample", Tree.of(finding.sample(), CheckData::sample))
        .with("cure", first == null ? finding.cure().summary() : first.summary())
        .with("patch", Tree.of(first, each -> each.cured().patch()))
        .with("cures", Tree.of(cures, all -> Tree.each(all, CheckData::cure)))
        .with("accepted", finding.accepted())
        .with("place", Tree.placeInFile(finding.place()));
  }

  private static Tree cure(JudgedCure cure) {
    return new Tree()
        .with("cure", cure.summary())
        .with("clean", cure.isClean())
        .with("patch", cure.cured().patch())
        .with("effects", EffectData.of(cure.effect().noticed(), cure.cured().file().site()));
  }

  private static Tree sample(Conversation sample) {
    return new Tree()
        .with("from", sample.attempt().sender().name())
        .with("to", sample.attempt().to())
        .with("service", sample.attempt().probe())
        .with("at", sample.attempt().at().toLocalDateTime())
        .with("outcome", sample.outcome())
        .with("reason", sample.reason());
  }
}
