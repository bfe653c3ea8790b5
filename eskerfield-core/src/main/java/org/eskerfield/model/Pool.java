// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.packet.AddressSet;

/**
 * External addresses that are lent to internal ones.
 *
 * @param terms as written: literals only
 * @param addresses all of them; at least one
 * @param place where it stands
 */
public record Pool(List<AddressTerm> terms, AddressSet addresses, Place place) implements Placed {
  /** Some addresses as such. */
  public static Pool of(AddressSet addresses) {
    List<AddressTerm> terms = new ArrayList<>();
    addresses.ranges().forEach(range -> terms.add(AddressTerm.of(range)));
    return new Pool(terms, addresses, Place.IN_CODE);
  }

  /** Copies the list. */
  public Pool {
    terms = List.copyOf(terms);
  }
}
