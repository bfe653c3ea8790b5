// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.function.Function;
import java.util.function.Predicate;
import org.eskerfield.change.Change;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * All that stands in the way of an attempt.
 *
 * <p>Idea: the first obstacle is where the attempt ends. To learn what comes behind it, the site is
 * changed as if that had been mended, and the same attempt is led through the changed site, by the
 * same machines as every other; and so on, until it comes through or the mending cannot be guessed.
 * So what follows on the first obstacle is never a second opinion on how devices work. Cost: one
 * compilation of the site for each obstacle.
 *
 * @param conversation the attempt on the site as it is
 * @param obstacles what stands in the way, in the order in which packets meet it; empty exactly if
 *     the attempt is what it should be
 * @param complete whether nothing else stands in the way; false where what comes behind the last
 *     obstacle cannot be told before that is mended
 */
public record Diagnosis(Conversation conversation, List<Obstacle> obstacles, boolean complete) {
  /** More are not looked for: who has to mend ten things reads anew afterwards. */
  private static final int MOST = 10;

  /** Copies the list. */
  public Diagnosis {
    obstacles = List.copyOf(obstacles);
  }

  /** What keeps an attempt, through devices without any state, from being answered. */
  public static Diagnosis of(Site site, Attempt attempt) {
    return of(Tracer.of(site), attempt);
  }

  /** The same on a site that was compiled already. */
  public static Diagnosis of(Tracer tracer, Attempt attempt) {
    return of(
        tracer.site(),
        each -> tracer.on(each).converse(attempt),
        conversation -> conversation.outcome() == Outcome.ANSWERED);
  }

  /**
   * What keeps an attempt from ending as it should.
   *
   * @param rehearsal leads the attempt on a site, earlier traffic included
   * @param goal whether it ended as it should
   */
  public static Diagnosis of(
      Site site, Function<Site, Conversation> rehearsal, Predicate<Conversation> goal) {
    Conversation first = rehearsal.apply(site);
    List<Obstacle> obstacles = new ArrayList<>();
    Conversation now = first;
    Site as = site;
    Case.@Nullable Verdict verdict = judged(as, now, rehearsal, goal);
    while (!goal.test(now)) {
      if (verdict == null || isStuck(obstacles, verdict)) {
        return new Diagnosis(first, obstacles, false);
      }
      Obstacle obstacle = verdict.obstacle();
      Cure proposed = Cures.of(as, obstacle);
      List<Tried> helping = helping(as, obstacle, proposed, rehearsal, goal);
      obstacles.add(
          proposed.all().stream().allMatch(each -> each.assumed().isEmpty())
              ? obstacle.withCure(proposed)
              : cured(obstacle, helping, obstacles.isEmpty()));
      Site mended = helping.isEmpty() ? verdict.mended() : helping.get(0).site;
      Conversation then = now;
      Case.Verdict next = null;
      if (!helping.isEmpty()) {
        then = helping.get(0).conversation;
        next = helping.get(0).next;
      } else if (mended != null) {
        then = rehearsal.apply(mended);
        next = judged(mended, then, rehearsal, goal);
      }
      if (mended == null || obstacles.size() == MOST) {
        return new Diagnosis(first, obstacles, false);
      }
      as = mended;
      now = then;
      verdict = next;
    }
    return new Diagnosis(first, obstacles, true);
  }

  private static Case.@Nullable Verdict judged(
      Site site,
      Conversation conversation,
      Function<Site, Conversation> rehearsal,
      Predicate<Conversation> goal) {
    return goal.test(conversation)
        ? null
        : new Classifier(site, conversation, rehearsal, goal).judge();
  }

  /**
   * A cure that was carried out.
   *
   * @param next what stands in the way then; null if nothing does, or nobody knows
   */
  private record Tried(
      Cure cure, Site site, Conversation conversation, Case.@Nullable Verdict next) {}

  /**
   * The cures of an obstacle that clear it away: all those with which nothing else is left, edits
   * first, and else the first one if it leads on to another obstacle.
   */
  private static List<Tried> helping(
      Site site,
      Obstacle obstacle,
      Cure proposed,
      Function<Site, Conversation> rehearsal,
      Predicate<Conversation> goal) {
    List<Tried> through = new ArrayList<>();
    List<Tried> further = new ArrayList<>();
    List<Cure> all = proposed.all();
    for (Cure cure : all) {
      if (cure.assumed().isEmpty()) {
        continue;
      }
      Site mended = Changes.on(site, cure.assumed());
      Conversation then = rehearsal.apply(mended);
      Case.Verdict next = judged(mended, then, rehearsal, goal);
      if (goal.test(then)) {
        through.add(new Tried(cure, mended, then, null));
      } else if (cure.equals(all.get(0)) && (next == null || !next.obstacle().isSame(obstacle))) {
        further.add(new Tried(cure, mended, then, next));
      }
    }
    through.sort(Comparator.comparing(each -> each.cure.changes().isEmpty()));
    through.addAll(further);
    return through;
  }

  /** What a cure does to what cures of earlier obstacles made is for whoever carried those out. */
  private static Obstacle cured(Obstacle obstacle, List<Tried> helping, boolean first) {
    Cure all = null;
    for (Tried each : helping) {
      List<Change> own =
          each.cure.changes().stream().filter(change -> first || change.isOfFile()).toList();
      if (!own.isEmpty() || each.cure.changes().isEmpty()) {
        Cure cure = new Cure(each.cure.summary(), own, each.cure.facts(), List.of());
        all = all == null ? cure : all.or(cure);
      }
    }
    return all == null ? obstacle : obstacle.withCure(all);
  }

  /** Whether mending did not help: the same thing stands at the same place again. */
  private static boolean isStuck(List<Obstacle> before, Case.Verdict verdict) {
    return !before.isEmpty() && before.get(before.size() - 1).isSame(verdict.obstacle());
  }
}
