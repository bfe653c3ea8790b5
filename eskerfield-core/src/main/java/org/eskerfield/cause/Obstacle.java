// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.List;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Placed;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.NearMiss;
import org.jspecify.annotations.Nullable;

/**
 * Something that stands in the way of an attempt.
 *
 * @param cause the kind of cause
 * @param sentence what happens to the packet there, in one sentence
 * @param detail further facts, such as the rule that comes too late; empty if there are none
 * @param place the rule, list, route, interface or host at fault; null where there is none
 * @param other a second object involved, such as the rule of an inner device that waits for the
 *     packet; null for none
 * @param near the rule that would have matched but for the fewest fields; null where none comes
 *     near
 * @param conversation the attempt up to this obstacle, with all earlier ones removed
 * @param cure the change that removes it, tried on the site with all earlier obstacles removed; one
 *     to be made by hand where no change is known
 */
public record Obstacle(
    Cause cause,
    String sentence,
    String detail,
    @Nullable Placed place,
    @Nullable Placed other,
    @Nullable NearMiss near,
    Conversation conversation,
    Cure cure) {
  /** How titles of causes begin that are about a rule. */
  private static final List<String> RULES = List.of("the rule or list", "the rule");

  Obstacle withCure(Cure tried) {
    return new Obstacle(cause, sentence, detail, place, other, near, conversation, tried);
  }

  /** The same where another thing is to blame. */
  Obstacle at(Cause other, Placed blamed, String why) {
    return new Obstacle(other, sentence, why, blamed, this.other, near, conversation, cure);
  }

  /** The title: the cause, with the name of the rule in question. */
  public String title() {
    String title = cause.title();
    boolean list = place instanceof AccessRule || place instanceof AccessList;
    if (place != null && (list || place instanceof TranslationRule)) {
      for (String rule : RULES) {
        if (title.startsWith(rule)) {
          return Labels.of(place) + title.substring(rule.length());
        }
      }
    }
    return title;
  }

  /** The same without a change, where none that is known clears it away. */
  Obstacle byHand() {
    return withCure(
        Cure.byHand(
            detail.isEmpty()
                ? "no edit that is known mends this by itself: " + cause.title()
                : detail));
  }

  /** Whether it is the same thing at the same place. */
  boolean isSame(Obstacle other) {
    return cause == other.cause && sentence.equals(other.sentence);
  }
}
