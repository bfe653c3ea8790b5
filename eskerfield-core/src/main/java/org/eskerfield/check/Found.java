// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;

/** What a check has found so far, known by its place and by the changes that mend it. */
final class Found {
  private final List<Finding> all = new ArrayList<>();
  private final Map<Place, List<Finding>> byPlace = new HashMap<>();
  private final Map<String, List<List<Change>>> cures = new HashMap<>();

  void add(Finding finding) {
    all.add(finding);
    byPlace.computeIfAbsent(finding.place(), place -> new ArrayList<>(1)).add(finding);
    Cure cure = finding.cure();
    if (!cure.changes().isEmpty()) {
      cures.computeIfAbsent(cure.outline(), key -> new ArrayList<>(1)).add(cure.changes());
    }
  }

  void remove(List<Finding> some) {
    List<Finding> rest = new ArrayList<>(all);
    rest.removeAll(some);
    all.clear();
    byPlace.clear();
    cures.clear();
    rest.forEach(this::add);
  }

  /** In the order in which they were found. */
  List<Finding> all() {
    return Collections.unmodifiableList(all);
  }

  /** Those about a thing; empty for none. */
  List<Finding> at(Placed thing) {
    return byPlace.getOrDefault(thing.place(), List.of());
  }

  /** Whether the changes of a cure mend one of them; no changes mend none. */
  boolean isMendedBy(Cure cure) {
    return cures.getOrDefault(cure.outline(), List.of()).contains(cure.changes());
  }
}
