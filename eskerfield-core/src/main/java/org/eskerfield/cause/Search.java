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
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Labels;
import org.jspecify.annotations.Nullable;

/**
 * The search for the fewest changes that let an attempt through.
 *
 * <p>Idea: breadth first. An obstacle has one or more cures; each is carried out on the site, and
 * the attempt is led anew: it comes through, or ends at the next obstacle. So all sets of one
 * change are tried before those of two. Of several sets of one size the one with the fewest things
 * that no edit does comes first. A step without which the others lead through as well is left out.
 * Cost: a compilation of the site for each cure that is tried, {@value #MOST_TRIED} at most.
 */
final class Search {
  /** Up to so many changes, all that is known at each obstacle is tried; then only the first. */
  private static final int WIDE = 4;

  /** More are not looked for: who has to mend ten things reads anew afterwards. */
  private static final int MOST = 10;

  private static final int MOST_TRIED = 60;

  /** Of so many sets of one size the needless steps are looked for. */
  private static final int MOST_COMPARED = 6;

  private final Site site;
  private final Function<Site, Conversation> rehearsal;
  private final Predicate<Conversation> goal;
  private int tried;

  Search(Site site, Function<Site, Conversation> rehearsal, Predicate<Conversation> goal) {
    this.site = site;
    this.rehearsal = rehearsal;
    this.goal = goal;
  }

  /**
   * An obstacle that was cleared away.
   *
   * @param cure what did it; null where it was only imagined away, to look further
   */
  private record Step(Obstacle obstacle, @Nullable Cure cure) {
    boolean isByHand() {
      return cure == null || cure.changes().isEmpty();
    }
  }

  /**
   * A site with some obstacles cleared away.
   *
   * @param next what stands in the way there; null if nothing does, or nobody knows
   */
  private record Way(Site site, Conversation now, Case.@Nullable Verdict next, List<Step> steps) {}

  Diagnosis diagnosis() {
    Way start = way(site, List.of());
    Conversation first = start.now;
    if (goal.test(first)) {
      return new Diagnosis(first, List.of(), true);
    }
    List<Way> level = List.of(start);
    while (true) {
      List<Way> through = new ArrayList<>();
      List<Way> further = new ArrayList<>();
      for (Way way : level) {
        for (Way each : beyond(way)) {
          (goal.test(each.now) ? through : further).add(each);
        }
      }
      for (Way way : through.isEmpty() ? level : List.<Way>of()) {
        if (way.next != null && way.next.solved()) {
          return new Diagnosis(first, leftOf(way), true);
        }
      }
      if (!through.isEmpty()) {
        through.sort(
            Comparator.comparing(way -> way.steps.stream().filter(Step::isByHand).count()));
        return new Diagnosis(first, told(through), true);
      }
      if (further.isEmpty() || further.get(0).steps.size() == MOST) {
        return new Diagnosis(
            first, leftOf(further.isEmpty() ? level.get(0) : further.get(0)), false);
      }
      level = further;
    }
  }

  private Way way(Site as, List<Step> steps) {
    tried++;
    Conversation now = rehearsal.apply(as);
    Case.Verdict next = goal.test(now) ? null : new Classifier(as, now, rehearsal, goal).judge();
    return new Way(as, now, next, steps);
  }

  /** What follows when the obstacle of a way is cleared away, in each manner that clears it. */
  private List<Way> beyond(Way way) {
    if (way.next == null || isStuck(way.steps, way.next.obstacle())) {
      return List.of();
    }
    Obstacle obstacle = way.next.obstacle();
    List<Way> beyond = new ArrayList<>();
    boolean wide = way.steps.size() < WIDE && tried < MOST_TRIED;
    for (Cure cure : Cures.of(way.site, obstacle).all()) {
      if (!cure.assumed().isEmpty() && (wide || beyond.isEmpty())) {
        Site mended = Changes.on(way.site, cure.assumed());
        Way then = way(mended, with(way.steps, new Step(obstacle, cure)));
        if (goal.test(then.now) || then.next == null || !then.next.obstacle().isSame(obstacle)) {
          beyond.add(then);
        }
      }
    }
    Way elsewhere = wide ? elsewhere(way, obstacle) : null;
    if (elsewhere != null) {
      beyond.add(0, elsewhere);
    }
    if (beyond.isEmpty() && way.next.mended() != null) {
      beyond.add(way(way.next.mended(), with(way.steps, new Step(obstacle, null))));
    }
    return beyond;
  }

  /** With a rule that leads to the one other host to whom everything is open; null if none is. */
  private @Nullable Way elsewhere(Way way, Obstacle obstacle) {
    Way only = null;
    for (Cure cure : Elsewhere.cures(way.site, way.now)) {
      Way then =
          way(Changes.on(way.site, cure.assumed()), with(way.steps, new Step(obstacle, cure)));
      if (goal.test(then.now)) {
        if (only != null) {
          return null; // of several only a person can tell which one is meant
        }
        only = then;
      }
    }
    return only;
  }

  /** Whether mending did not help: the same thing stands at the same place again. */
  private static boolean isStuck(List<Step> before, Obstacle obstacle) {
    return !before.isEmpty() && before.get(before.size() - 1).obstacle.isSame(obstacle);
  }

  private static List<Step> with(List<Step> steps, Step step) {
    List<Step> more = new ArrayList<>(steps);
    more.add(step);
    return more;
  }

  // What is told.

  /** The obstacles of the best of some ways that lead through, each with all that clears it. */
  private List<Obstacle> told(List<Way> through) {
    List<Step> whole = through.get(0).steps;
    List<Step> best = needed(whole);
    for (Way other : through.subList(1, Math.min(through.size(), MOST_COMPARED))) {
      List<Step> needed = best.size() == 1 ? best : needed(other.steps);
      if (needed.size() < best.size()) {
        best = needed;
        whole = other.steps;
      }
    }
    List<Obstacle> told = new ArrayList<>();
    for (int i = 0; i < best.size(); i++) {
      Step step = best.get(i);
      List<Cure> cures = new ArrayList<>();
      if (step.cure != null) {
        cures.add(step.cure);
      }
      for (Way other : through) {
        Cure cure = other.steps.size() == best.size() ? other.steps.get(i).cure : null;
        if (cure != null && differOnlyAt(best, other.steps, i)) {
          cures.add(cure);
        }
      }
      told.add(cured(step, cures, best.size() < whole.size()));
    }
    return told;
  }

  private static boolean differOnlyAt(List<Step> some, List<Step> others, int at) {
    for (int i = 0; i < some.size(); i++) {
      Step one = some.get(i);
      Step other = others.get(i);
      boolean same = one.cure == null ? other.cure == null : one.cure.equals(other.cure);
      if (!one.obstacle.isSame(other.obstacle) || same == (i == at)) {
        return false;
      }
    }
    return true;
  }

  /** The steps without those that the others lead through without. */
  private List<Step> needed(List<Step> steps) {
    List<Step> needed = new ArrayList<>(steps);
    for (Step each : steps) {
      List<Step> others = new ArrayList<>(needed);
      others.remove(each);
      // Of two that alter one thing the later one says again what the earlier one says.
      boolean again = others.stream().anyMatch(other -> altersSame(each, other));
      if (!others.isEmpty() && !again && leadThrough(others)) {
        needed = others;
      }
    }
    return needed;
  }

  private boolean altersSame(Step one, Step other) {
    for (Change change : one.cure == null ? List.<Change>of() : one.cure.assumed()) {
      for (Change later : other.cure == null ? List.<Change>of() : other.cure.assumed()) {
        Placed changed = holder(change.object());
        Placed changedLater = holder(later.object());
        if (changed.place().equals(changedLater.place())
            && changed.getClass() == changedLater.getClass()) {
          return true;
        }
      }
    }
    return false;
  }

  /** The host whose filter a list is; else the thing itself. */
  private Placed holder(Placed thing) {
    for (Host host : site.hosts().values()) {
      if (host.filter() != null && host.filter().place().equals(thing.place())) {
        return host;
      }
    }
    return thing;
  }

  private boolean leadThrough(List<Step> steps) {
    List<Change> changes = new ArrayList<>();
    for (Step step : steps) {
      if (step.cure == null) {
        return false;
      }
      step.cure.assumed().stream().filter(Change::isOfFile).forEach(changes::add);
    }
    try {
      return goal.test(rehearsal.apply(Changes.on(site, changes)));
    } catch (IllegalArgumentException e) {
      return false; // two steps change the same thing
    }
  }

  /** The obstacles of a way that leads to none of which a cure is known. */
  private static List<Obstacle> leftOf(Way way) {
    List<Obstacle> left = new ArrayList<>();
    for (Step step : way.steps) {
      left.add(cured(step, step.cure == null ? List.of() : List.of(step.cure), /* apart= */ false));
    }
    if (way.next != null && !isStuck(way.steps, way.next.obstacle())) {
      Obstacle last = way.next.obstacle();
      Cure known = Cures.of(way.site, last);
      boolean inWords = known.all().stream().allMatch(each -> each.assumed().isEmpty());
      left.add(inWords ? last.withCure(known) : last);
    }
    return left;
  }

  /**
   * An obstacle with all that clears it away.
   *
   * @param apart whether steps before it were left out, and with them what they made
   */
  private static Obstacle cured(Step step, List<Cure> cures, boolean apart) {
    Obstacle obstacle = step.obstacle;
    Cure all = null;
    for (Cure each : cures) {
      List<Change> own =
          each.changes().stream().filter(change -> !apart || change.isOfFile()).toList();
      Cure cure = new Cure(each.summary(), own, each.facts(), List.of());
      all = all == null ? cure : all.or(cure);
    }
    if (all == null) {
      return obstacle;
    }
    return attributed(obstacle, all).withCure(all);
  }

  /** What is named as the cause is what was changed. */
  private static Obstacle attributed(Obstacle obstacle, Cure cure) {
    Change only = cure.changes().size() == 1 ? cure.changes().get(0) : null;
    Obstacle elsewhere = Elsewhere.blamed(obstacle, only);
    if (elsewhere != null) {
      return elsewhere;
    }
    Placed changed = only instanceof Change.Alter alter ? alter.object() : null;
    boolean port =
        obstacle.cause() == Cause.WRONG_SERVICE || obstacle.cause() == Cause.NOTHING_LISTENS;
    return port
            && changed != null
            && InwardRule.of(changed) != null
            && !changed.equals(obstacle.place())
        ? obstacle.at(
            Cause.WRONG_SERVICE,
            changed,
            "it leads to another port than "
                + (obstacle.place() == null
                    ? "what lies behind it is for"
                    : Labels.of(obstacle.place())
                        + (obstacle.cause() == Cause.WRONG_SERVICE ? " is for" : " listens on")))
        : obstacle;
  }
}
