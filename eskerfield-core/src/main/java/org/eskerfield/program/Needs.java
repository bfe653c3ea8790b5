// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.util.List;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.packet.AddressSet;
import org.jspecify.annotations.Nullable;

/**
 * What a condition asks of the fields by which it can be found. A packet for which it holds has all
 * that; one that has may be none of it all the same.
 *
 * @param sources one of these sources; null for any
 * @param destinations one of these destinations; null for any
 * @param services one of these services; empty for any
 */
public record Needs(
    @Nullable AddressSet sources, @Nullable AddressSet destinations, List<ServiceTerm> services) {
  public static final Needs NOTHING = new Needs(null, null, List.of());

  public static Needs destinations(AddressSet addresses) {
    return new Needs(null, addresses, List.of());
  }
}
