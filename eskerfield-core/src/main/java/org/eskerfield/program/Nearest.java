// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.util.Set;
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
  /** The nearer of a rule so far and another one; the earlier of equals. */
  static Nearest of(@Nullable Nearest before, Placed rule, Set<MatchField> misses) {
    return before != null && Match.distance(before.misses) <= Match.distance(misses)
        ? before
        : new Nearest(rule, misses);
  }
}
