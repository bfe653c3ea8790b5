// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.verify;

import java.time.Duration;
import java.util.List;
import org.eskerfield.guarantee.WayIn;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.trace.Attempt;
import org.jspecify.annotations.Nullable;

/**
 * A required outcome of sample conversations.
 *
 * @param text the expectation in one line
 * @param attempts the conversations, one for each sender that it names; at least one
 * @param outcome how each must end
 * @param by the host that must receive it, by name or address; null for any
 * @param seenAs the address as which the receiver must see the sender; null for any
 * @param rule the name of a rule or list that must have decided on it; null for any
 * @param after the steps before it, in the same run; often empty
 * @param before the site on which these steps happen, before the site changes to the one verified;
 *     null if it is the same
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
public record Expectation(
    String text,
    List<Attempt> attempts,
    Outcome outcome,
    @Nullable String by,
    @Nullable Address seenAs,
    @Nullable String rule,
    List<Earlier> after,
    @Nullable Site before,
    @Nullable String note,
    Place place)
    implements Placed, WayIn.Expected {
  /**
   * Earlier traffic; what it opens stays open.
   *
   * @param attempt the conversation
   * @param pause the time that passes after it, 0 or more
   */
  public record Earlier(Attempt attempt, Duration pause) {}

  @Override
  public String label() {
    return "expectation '" + text + "' (" + place + ")";
  }

  /** Copies the lists. */
  public Expectation {
    attempts = List.copyOf(attempts);
    after = List.copyOf(after);
  }
}
