// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.change;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.Named;
import org.jspecify.annotations.Nullable;

/**
 * How to mend something.
 *
 * @param summary what to do, in one sentence
 * @param changes the summary as changes of the site; empty where a person has to decide or act
 * @param facts changes that record in the file what a person has done outside it; often empty
 * @param others alternative cures, which have no alternatives themselves; often empty
 */
public record Cure(String summary, List<Change> changes, List<Change> facts, List<Cure> others) {
  /** Copies the lists. */
  public Cure {
    changes = List.copyOf(changes);
    facts = List.copyOf(facts);
    others = List.copyOf(others);
  }

  /** The only cure that is known. */
  public Cure(String summary, List<Change> changes) {
    this(summary, changes, List.of(), List.of());
  }

  /** A cure that only a person can carry out. */
  public static Cure byHand(String summary) {
    return new Cure(summary, List.of());
  }

  /** A cure that is done elsewhere than in the file, and then is a fact that the file may say. */
  public static Cure done(String summary, Change... facts) {
    return new Cure(summary, List.of(), List.of(facts), List.of());
  }

  /** The changes of the site, whether the file or a person makes them. */
  public List<Change> assumed() {
    return changes.isEmpty() ? facts : changes;
  }

  /** A cure by changes. */
  public static Cure of(String summary, Change... changes) {
    return new Cure(summary, List.of(changes));
  }

  /** The same with another way to mend it; the same where that is null. */
  public Cure or(@Nullable Cure other) {
    if (other == null) {
      return this;
    }
    List<Cure> more = new ArrayList<>(others);
    more.add(other);
    return new Cure(summary, changes, facts, more);
  }

  /**
   * What cures with equal changes have in common, short: to compare a device with many others, each
   * of which may be large, takes long.
   */
  public String outline() {
    StringBuilder outline = new StringBuilder();
    for (Change change : changes) {
      outline.append(change.getClass().getSimpleName()).append(change.object().place());
      if (change instanceof Change.Add add) {
        outline.append(add.added() instanceof Named named ? named.name() : "");
      }
    }
    return outline.toString();
  }

  /** This cure, and then the others. */
  public List<Cure> all() {
    List<Cure> all = new ArrayList<>();
    all.add(new Cure(summary, changes, facts, List.of()));
    all.addAll(others);
    return all;
  }
}
