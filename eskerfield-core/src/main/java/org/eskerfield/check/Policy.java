// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.jspecify.annotations.Nullable;

/**
 * The acceptances and severities that a site file sets for findings.
 *
 * @param severities severities that differ from the usual ones, by kind of finding
 * @param accepted the findings that are accepted
 */
public record Policy(Map<Code, Severity> severities, List<Acceptance> accepted) {
  /** Nothing is said: every severity is the usual one, and nothing is accepted. */
  public static final Policy NONE = new Policy(Map.of(), List.of());

  /**
   * A finding that may stay.
   *
   * @param code the kind of finding
   * @param at the name of the object it is about; null for every object
   * @param because the reason for accepting it
   * @param place where the acceptance stands
   */
  public record Acceptance(Code code, @Nullable String at, String because, Place place)
      implements Placed {
    boolean covers(Finding finding) {
      return code == finding.code() && (at == null || at.equals(finding.about()));
    }
  }

  /** Copies both. */
  public Policy {
    severities = severities.isEmpty() ? Map.of() : Map.copyOf(new EnumMap<>(severities));
    accepted = List.copyOf(accepted);
  }
}
