// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.List;
import java.util.function.Function;
import java.util.function.Predicate;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Tracer;

/**
 * The obstacles in the way of an attempt.
 *
 * <p>Idea: the first obstacle is where the attempt ends. To learn what comes behind it, the site is
 * changed as if that had been mended, and the same attempt is led through the changed site, by the
 * same machines as every other; and so on, until it comes through or the mending cannot be guessed.
 * So what follows on the first obstacle is never a second opinion on how devices work. Where an
 * obstacle can be mended in several ways, each is tried, and the fewest changes that lead through
 * are what is told ({@link Search}).
 *
 * @param conversation the attempt on the site as it is
 * @param obstacles the obstacles, in the order in which packets meet them; empty exactly if the
 *     attempt ends as it should
 * @param complete whether these are all the obstacles; false where those behind the last one cannot
 *     be known before it is removed
 */
public record Diagnosis(Conversation conversation, List<Obstacle> obstacles, boolean complete) {
  /** Copies the list. */
  public Diagnosis {
    obstacles = List.copyOf(obstacles);
  }

  /** Diagnoses an attempt that should be answered, through devices without any state. */
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
   * Diagnoses an attempt that should end in some way.
   *
   * @param rehearsal runs the attempt on a given site, earlier traffic included
   * @param goal tells whether a conversation ended as it should
   */
  public static Diagnosis of(
      Site site, Function<Site, Conversation> rehearsal, Predicate<Conversation> goal) {
    return new Search(site, rehearsal, goal).diagnosis();
  }
}
