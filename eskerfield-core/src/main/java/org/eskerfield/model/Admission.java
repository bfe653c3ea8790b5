// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * An access rule that is part of a translation rule, so that the two cannot drift apart. It decides
 * alone on what the rule translated; lists that are stateless still judge.
 *
 * @param from who is let in; at least one
 * @param when the only time at which they are, or null for always
 * @param log whether what it lets in is logged
 * @param place where it stands
 */
@Built
public record Admission(List<AddressTerm> from, @Nullable Schedule when, boolean log, Place place)
    implements Placed, AdmissionBuilder.With {
  /** Copies the list. */
  public Admission {
    from = List.copyOf(from);
  }
}
