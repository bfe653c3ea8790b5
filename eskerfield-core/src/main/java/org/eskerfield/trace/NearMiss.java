// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.Collections;
import java.util.EnumSet;
import java.util.Set;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.MatchField;

/**
 * A rule that would have matched but for a few fields.
 *
 * @param rule the access rule or translation rule
 * @param fields the fields that kept it from matching; at least one, in the order of their type
 * @param text the same in words, with the values on both sides
 */
public record NearMiss(Placed rule, Set<MatchField> fields, String text) {
  /** Copies the fields. */
  public NearMiss {
    fields = Collections.unmodifiableSet(EnumSet.copyOf(fields));
  }
}
