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
 * @param cause which of the known causes it is
 * @param sentence what happens there, in one sentence
 * @param detail what there is to know besides, such as the rule that comes too late; empty if
 *     nothing
 * @param place the rule, list, route, interface or host in question; null where there is none
 * @param other what else has to do with it, such as the rule of an inner device that waits for the
 *     packet; null where nothing has
 * @param near the rule that came nearest; null where none did
 * @param conversation the attempt up to here, with everything before mended
 * @param cure what clears it away, on the site with everything before mended: it was tried there,
 *     and the attempt did not end for the same cause; by hand where nothing known does
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
