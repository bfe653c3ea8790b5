// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import org.eskerfield.formats.Problem;
import org.eskerfield.formats.yaml.SourceText;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.jspecify.annotations.Nullable;

/** Collects the problems of a file while it is read. */
public final class Problems {
  /** More than this many help nobody; the rest is only counted. */
  public static final int MOST = 500;

  private final @Nullable SourceText source;
  private final List<Problem> found = new ArrayList<>();
  private int left;

  public Problems(@Nullable SourceText source) {
    this.source = source;
  }

  public void add(Placed at, String message, String remedy) {
    add(at.place(), message, remedy);
  }

  public void add(Place place, String message, String remedy) {
    if (found.size() == MOST) {
      left++;
      return;
    }
    String line = source == null ? "" : source.line(place.line());
    found.add(new Problem(place, message, remedy, line));
  }

  /** As {@link Similar#didYouMean}, but no work where the problem will not be kept. */
  public String didYouMean(String text, Collection<String> candidates, String otherwise) {
    return found.size() == MOST ? otherwise : Similar.didYouMean(text, candidates, otherwise);
  }

  public boolean isEmpty() {
    return found.isEmpty();
  }

  /** The problems in the order of the file. */
  public List<Problem> sorted() {
    List<Problem> sorted = new ArrayList<>(found);
    sorted.sort(
        Comparator.comparing((Problem p) -> p.place().line())
            .thenComparing(p -> p.place().column()));
    if (left > 0) {
      Place end = sorted.get(sorted.size() - 1).place();
      sorted.add(new Problem(end, left + " more problems are not shown", "mend these first", ""));
    }
    return List.copyOf(sorted);
  }
}
