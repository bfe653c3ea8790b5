// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.cause.Astray;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * One slip behind several findings: a list that guards another way than the one that it is for.
 *
 * <p>Idea: where several samples end at the lists and stances of one device, each other way that
 * one of its lists could guard is tried. If just one lets all of them through, and brings no error,
 * that is what is wrong, and what is gone with it is not said beside. Cost: a compilation for each
 * way that is tried, and one check.
 */
final class OneCause {
  private static final int FEWEST = 2;
  private static final int MOST_TRIED = 60;

  private final Inspection check;
  private int tried;

  OneCause(Inspection check) {
    this.check = check;
  }

  private record Candidate(Device device, AccessList list, Cure cure, List<Finding> mended) {}

  void inspect() {
    List<Candidate> candidates = new ArrayList<>();
    for (Device device : check.site.devices().values()) {
      List<Finding> kept =
          check.findings().stream().filter(each -> isKeptBy(device, each)).toList();
      if (kept.size() >= FEWEST) {
        for (AccessList list : device.access()) {
          for (AccessList by : Astray.others(device, list)) {
            Cure cure = Astray.cure(list, by);
            if (tried++ < MOST_TRIED && areAnswered(kept, cure)) {
              candidates.add(new Candidate(device, list, cure, kept));
            }
          }
        }
      }
    }
    if (candidates.size() == 1 && tried <= MOST_TRIED) {
      say(candidates.get(0));
    }
  }

  /** Whether the sample of a finding ends at the lists or the stance of a device. */
  private static boolean isKeptBy(Device device, Finding finding) {
    Conversation sample = finding.sample();
    return sample != null
        && finding.severity() != Severity.ADVICE
        && Rehearsals.isKeptIn(device, sample);
  }

  private boolean areAnswered(List<Finding> kept, Cure cure) {
    Site there = Changes.on(check.site, cure.changes());
    Tracer tracer = check.tracer.on(there);
    return kept.stream().allMatch(each -> isAnswered(each.sample(), there, tracer));
  }

  private static boolean isAnswered(@Nullable Conversation sample, Site there, Tracer tracer) {
    return sample != null
        && sample.attempt().isOn(there)
        && tracer.converse(sample.attempt().on(there)).outcome() == Outcome.ANSWERED;
  }

  private void say(Candidate candidate) {
    List<Finding> left = Checker.withConsequences(Changes.on(check.site, candidate.cure.changes()));
    List<Finding> errors = left.stream().filter(each -> each.severity() == Severity.ERROR).toList();
    List<Finding> gone = Checker.without(check.findings(), left);
    boolean brings = !Checker.without(errors, check.findings()).isEmpty();
    if (brings || !gone.containsAll(candidate.mended)) {
      return;
    }
    check.forget(gone);
    check.add(
        Code.WRONG_INTERFACE,
        candidate.list,
        Labels.of(candidate.list)
            + " of "
            + candidate.device.name()
            + " guards "
            + Astray.ways(candidate.list)
            + ": what its rules are for goes another way, and what goes there is dropped",
        candidate.mended.get(0).sample(),
        candidate.cure);
  }
}
