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
 * @param answer the answer; null if nobody answered, or there is no such name
 * @param remembered whether it came from the sender's cache
 * @param reason the lookup in one sentence
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
