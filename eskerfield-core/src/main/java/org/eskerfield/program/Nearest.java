// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.util.Set;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.MatchField;
import org.jspecify.annotations.Nullable;

/**
 * A rule that nearly took a packet.
 *
 * @param rule the rule
 * @param misses the fields that kept it from matching; at least one
 */
public record Nearest(Placed rule, Set<MatchField> misses) {
  /**
   * The nearer of a rule so far and another one; the earlier of equals. Of access rules that miss
   * as many fields one that names this very destination is nearer than one for whatever comes by.
   */
  static Nearest of(@Nullable Nearest before, Placed rule, Set<MatchField> misses) {
    Nearest other = new Nearest(rule, misses);
    return before != null && before.distance() <= other.distance() ? before : other;
  }

  private int distance() {
    boolean passing =
        rule instanceof AccessRule access
            && access.to().isEmpty()
            && !misses.contains(MatchField.DESTINATION);
    return 1000 * misses.size() + (passing ? 100 : 0) + Match.distance(misses);
  }
}
