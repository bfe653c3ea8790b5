// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.TreeSet;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Change;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.model.Host;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Expectation;
import org.junit.jupiter.api.Test;

/**
 * What stands in the way of an attempt, held to counterfactuals: with all that is named changed it
 * is answered, with all but one of them it is not, and each of several ways to mend one thing mends
 * it. The attempts are those that healthy sites answer, on the same sites after a slip of a hand.
 * The build tries some slips; {@code -Dcauses=200} tries most of them.
 */
class NamedCausesTest {
  private int failing;
  private int complete;
  private final Set<String> wrong = new TreeSet<>();
  private final Set<String> inWords = new TreeSet<>();
  private final Set<String> unknown = new TreeSet<>();

  @Test
  void whatIsNamedIsWhatHasToChange() throws Exception {
    int most = Integer.getInteger("causes", 3);
    for (Map.Entry<String, String> site : MutationTest.healthy().entrySet()) {
      String text = site.getValue();
      String promised = "expect:\n" + MutationTest.Promises.of(MutationTest.read(text).site());
      text = Mutations.without(text, "expect");
      List<Mutations.Mutation> slips = new ArrayList<>(Mutations.of(text));
      Collections.shuffle(slips, new Random(22));
      int damaged = 0;
      for (Mutations.Mutation slip : slips) {
        if (damaged == most) {
          break;
        }
        damaged += judge(site.getKey() + ": " + slip.what(), slip.text() + promised) ? 1 : 0;
      }
    }
    System.out.printf(
        "failing %d, all causes known of %d, in words %d, unknown %d%n",
        failing, complete, inWords.size(), unknown.size());
    assertThat(wrong).isEmpty();
    assertThat(complete * 100).as("%s", unknown).isGreaterThan(failing * 85);
  }

  /** Whether the slip broke anything. */
  private boolean judge(String what, String text) throws Exception {
    SiteFile now;
    try {
      now = MutationTest.read(text);
    } catch (UnreadableSiteException e) {
      return false;
    }
    Tracer tracer = Tracer.of(now.site());
    int tried = 0;
    for (Expectation expected : now.expectations()) {
      Attempt attempt = expected.attempts().get(0);
      if (expected.outcome() == Outcome.ANSWERED
          && tried < 2
          && tracer.converse(attempt).outcome() != Outcome.ANSWERED) {
        tried++;
        failing++;

        judge(what + " | " + expected.text(), now.site(), Diagnosis.of(tracer, attempt), attempt);
      }
    }
    return tried > 0;
  }

  private void judge(String what, Site site, Diagnosis diagnosis, Attempt attempt) {
    List<Obstacle> obstacles = diagnosis.obstacles();
    if (!diagnosis.complete()) {
      unknown.add(what + " " + obstacles.stream().map(Obstacle::cause).toList());
      return;
    }
    complete++;
    if (obstacles.stream().anyMatch(each -> each.cure().assumed().isEmpty())) {
      inWords.add(what + " " + told(diagnosis));
      return;
    }
    for (int left = -1; left < obstacles.size(); left++) {
      List<Change> changes = new ArrayList<>();
      for (int i = 0; i < obstacles.size(); i++) {
        if (i != left) {
          changes.addAll(obstacles.get(i).cure().assumed());
        }
      }
      boolean answered = answers(site, changes, attempt);
      if (answered != (left < 0) && (left < 0 || !isSaidAgain(obstacles, left))) {
        wrong.add(
            what + (left < 0 ? ": not answered with " : ": answered without ") + told(diagnosis));
      }
    }
    if (obstacles.size() == 1) {
      for (Cure other : obstacles.get(0).cure().all()) {
        if (!answers(site, other.assumed(), attempt)) {
          wrong.add(what + ": not answered with " + other.summary());
        }
      }
    }
  }

  /** Of two changes of one thing the later one says again what the earlier one says. */
  private static boolean isSaidAgain(List<Obstacle> obstacles, int at) {
    for (Change change : obstacles.get(at).cure().assumed()) {
      for (int i = 0; i < obstacles.size(); i++) {
        for (Change other : obstacles.get(i).cure().assumed()) {
          boolean same = other.object().place().equals(change.object().place());
          if (i != at && (same || isFilterOf(change.object(), other.object()))) {
            return true;
          }
        }
      }
    }
    return false;
  }

  private static boolean isFilterOf(Placed list, Placed host) {
    return host instanceof Host owner
        && owner.filter() != null
        && owner.filter().place().equals(list.place());
  }

  private static String told(Diagnosis diagnosis) {
    return String.join(
        "; ",
        diagnosis.obstacles().stream()
            .map(
                each ->
                    each.cause()
                        + " at "
                        + (each.place() == null ? "" : each.place().place())
                        + " by "
                        + each.cure().summary())
            .toList());
  }

  private static boolean answers(Site site, List<Change> changes, Attempt attempt) {
    try {
      Site changed = Changes.on(site, changes);
      return Tracer.of(changed).converse(attempt).outcome() == Outcome.ANSWERED;
    } catch (IllegalArgumentException e) {
      return false;
    }
  }
}
