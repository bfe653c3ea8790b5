// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.List;
import org.eskerfield.model.DomainName;
import org.eskerfield.packet.Address;
import org.jspecify.annotations.Nullable;

/**
 * How a sender asked for a name.
 *
 * @param name the name
 * @param trace the question on its way to the resolver and back; null if the sender has no resolver
 * @param answeredBy who answered; null if nobody did
 * @param answer what it said; null if nobody answered, or there is no such name
 * @param remembered whether the sender remembered it, so that nobody was asked
 * @param reason the same in one sentence
 */
public record Lookup(
    String name,
    @Nullable Trace trace,
    @Nullable String answeredBy,
    DomainName.@Nullable Answer answer,
    boolean remembered,
    String reason) {
  /** The addresses that the sender got; empty if it got none. */
  public List<Address> addresses() {
    return answer == null ? List.of() : answer.addresses();
  }
}
