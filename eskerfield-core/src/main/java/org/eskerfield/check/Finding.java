// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import org.eskerfield.change.Cure;
import org.eskerfield.model.Place;
import org.eskerfield.trace.Conversation;
import org.jspecify.annotations.Nullable;

/**
 * Something that a check found.
 *
 * @param code the kind of finding
 * @param severity the severity, as set by the file where it sets one
 * @param about the name of the object: a rule, list, host, network, device, name…
 * @param message what was found, in one sentence
 * @param place where the object stands
 * @param sample a packet that shows it, traced; null where none can
 * @param cure the change that removes it
 * @param accepted the reason for which the file accepts it; null where it does not
 */
public record Finding(
    Code code,
    Severity severity,
    String about,
    String message,
    Place place,
    @Nullable Conversation sample,
    Cure cure,
    @Nullable String accepted) {
  /** Where it was found, as a call names it: {@code pool-too-small@41}. */
  public String handle() {
    return code + "@" + place.line();
  }

  Finding with(Severity other, @Nullable String reason) {
    return new Finding(code, other, about, message, place, sample, cure, reason);
  }
}
