package org.eskerfield.model;

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
  /** Copies the list. */
  public Pool {
    terms = List.copyOf(terms);
  }
}
