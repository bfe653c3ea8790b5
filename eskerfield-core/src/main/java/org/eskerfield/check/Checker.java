// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.verify.Wanted;
import org.jspecify.annotations.Nullable;

/**
 * Finds what is wrong, risky or useless in a site.
 *
 * <p>Idea: what one device does is asked of all packets at once, as sets ({@link
 * org.eskerfield.walk.EveryPacket}); what lies beyond it is tried, with packets that its rules are
 * meant for, by the same machines that trace ({@link Rehearsals}). Both prove what they find, so
 * that nothing is found that is not so. Where sets would grow beyond bounds, that is said instead
 * of an answer. Each inspector has one theme. Cost: near the number of rules for lists whose rules
 * overlap little.
 */
public final class Checker {
  /** Hears how far a check has come. */
  public interface Progress {
    /**
     * A part begins.
     *
     * @param what what is being checked, in a few words
     * @param done the number of parts done
     * @param of the number of parts in all
     */
    void begins(String what, int done, int of);
  }

  /** Beside what {@link Inspection#stops}: what ends some packets, or every packet at some time. */
  private static final Set<Code> HIDING =
      EnumSet.of(
          Code.HALF_LET_IN,
          Code.NEVER_MET,
          Code.ACCEPTED_THEN_DROPPED,
          Code.SOURCES_NOT_LET_OUT,
          Code.SCHEDULE_NEVER_ACTS,
          Code.DISABLED_RULE_NEEDED,
          Code.UNDETERMINED);

  private Checker() {}

  /** Everything that was found, the worst first, then in the order of the file. */
  public static List<Finding> check(Site site) {
    return check(site, Policy.NONE, (what, done, of) -> {});
  }

  /**
   * Everything that was found, the worst first, then in the order of the file; what the file
   * accepts comes last.
   *
   * @param policy the severities and acceptances of the file
   * @param progress is told how far the check has come
   */
  public static List<Finding> check(Site site, Policy policy, Progress progress) {
    return check(site, policy, Wanted.NOTHING, progress);
  }

  /**
   * Everything that was found, with what is not so as the file says it must, on the day on which
   * runs start unless told otherwise.
   *
   * @param wanted what must be so on the site
   */
  public static List<Finding> check(Site site, Policy policy, Wanted wanted, Progress progress) {
    LocalDate today = VirtualClock.START.toLocalDate();
    return check(site, policy, wanted, today, progress);
  }

  /**
   * Everything that was found, with what is not so as the file says it must.
   *
   * @param wanted what must be so on the site
   * @param today today's date: schedules whose last day lies before it have expired
   */
  public static List<Finding> check(
      Site site, Policy policy, Wanted wanted, LocalDate today, Progress progress) {
    Inspection inspection = new Inspection(site);
    List<Part> parts = parts(inspection);
    parts.add(new Part("common causes", () -> new OneCause(inspection).inspect()));
    parts.add(new Part("schedules", () -> new Leftovers(inspection).over(today)));
    parts.add(
        new Part("expectations", () -> new Expected(inspection).inspect(wanted.expectations())));
    parts.add(
        new Part("guarantees", () -> new Guaranteed(inspection).inspect(wanted.guarantees())));
    parts.add(new Part("ways in", () -> new Guaranteed(inspection).inspectWaysIn(wanted)));
    for (int i = 0; i < parts.size(); i++) {
      progress.begins(parts.get(i).what, i, parts.size());
      parts.get(i).work.run();
    }
    List<Finding> findings = judged(inspection, policy);
    findings.sort(
        Comparator.comparing((Finding f) -> f.accepted() != null)
            .thenComparing(Finding::severity)
            .thenComparing(f -> f.place().line())
            .thenComparing(f -> f.place().column())
            .thenComparing(Finding::code));
    return List.copyOf(findings);
  }

  /**
   * Everything that can be found, also what only follows from other findings and is left out of a
   * check until those are mended.
   */
  public static List<Finding> withConsequences(Site site) {
    Inspection inspection = Inspection.withConsequences(site);
    parts(inspection).forEach(part -> part.work.run());
    return List.copyOf(inspection.findings());
  }

  /** The findings that the file does not accept, in the same order. */
  public static List<Finding> open(Site site, Policy policy) {
    return check(site, policy, (what, done, of) -> {}).stream()
        .filter(each -> each.accepted() == null)
        .toList();
  }

  /** Those findings of a check that another one does not have: of another kind, or elsewhere. */
  public static List<Finding> without(List<Finding> all, List<Finding> others) {
    Set<String> known = new HashSet<>();
    others.forEach(each -> known.add(each.code() + " " + each.about()));
    return all.stream().filter(each -> !known.contains(each.code() + " " + each.about())).toList();
  }

  private record Part(String what, Runnable work) {}

  private static List<Part> parts(Inspection check) {
    List<Part> parts = new ArrayList<>();
    parts.add(new Part("links", () -> new Wishes(check).links()));
    for (Device device : check.site.devices().values()) {
      String of = " of " + device.name();
      parts.add(new Part("order of rules" + of, () -> new Orders(check).inspect(device)));
      parts.add(new Part("offers" + of, () -> new Offers(check).inspect(device)));
      parts.add(new Part("ways" + of, () -> new Sides(check).inspect(device)));
      parts.add(
          new Part("lists without sessions" + of, () -> new Stateless(check).inspect(device)));
      parts.add(new Part("management" + of, () -> new Management(check).inspect(device)));
      parts.add(new Part("exposure" + of, () -> new Exposure(check).inspect(device)));
    }
    parts.add(new Part("external addresses", () -> new Externals(check).inspect()));
    parts.add(new Part("hosts", () -> new Targets(check).inspect()));
    parts.add(new Part("names", () -> new NameAnswers(check).inspect()));
    parts.add(new Part("conversations", () -> new Rehearsals(check).inspect()));
    parts.add(new Part("what should work", () -> new Wishes(check).inspect()));
    parts.add(new Part("what nobody comes to", () -> new Unmet(check).inspect()));
    parts.add(new Part("isolation", () -> new Exposure(check).isolation()));
    parts.add(new Part("leftovers", () -> new Leftovers(check).inspect()));
    return parts;
  }

  /** The findings as the file counts them, and acceptances that cover none. */
  private static List<Finding> judged(Inspection check, Policy policy) {
    List<Finding> judged = new ArrayList<>();
    Set<Policy.Acceptance> used = new HashSet<>();
    for (Finding finding : check.findings()) {
      Policy.Acceptance acceptance = covering(policy, finding);
      if (acceptance != null) {
        used.add(acceptance);
      }
      judged.add(
          finding.with(
              policy.severities().getOrDefault(finding.code(), finding.severity()),
              acceptance == null ? null : acceptance.because()));
    }
    // Where something does not work, the finding may be there again once it does.
    boolean stopped = judged.stream().anyMatch(each -> each.accepted() == null && hides(each));
    for (Policy.Acceptance acceptance : policy.accepted()) {
      if (!used.contains(acceptance) && !stopped) {
        Code code = Code.ACCEPTANCE_UNUSED;
        String at = acceptance.at() == null ? "" : " at '" + acceptance.at() + "'";
        judged.add(
            new Finding(
                code,
                policy.severities().getOrDefault(code, code.severity()),
                acceptance.code().toString(),
                "the file accepts " + acceptance.code() + at + ", but there is no such finding",
                acceptance.place(),
                null,
                Cure.of("take the acceptance away", new Change.Remove(acceptance)),
                null));
      }
    }
    return judged;
  }

  /** Whether packets end early by what was found, so that other findings may not show. */
  private static boolean hides(Finding finding) {
    return Inspection.stops(finding) || HIDING.contains(finding.code());
  }

  private static Policy.@Nullable Acceptance covering(Policy policy, Finding finding) {
    for (Policy.Acceptance acceptance : policy.accepted()) {
      if (acceptance.covers(finding)) {
        return acceptance;
      }
    }
    return null;
  }
}
