// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * An external address or block: a literal, or whatever address an interface has now. Exactly one of
 * the two is present.
 *
 * @param literal the block, or null; a single address is a block of one
 * @param ofInterface the interface, or null
 * @param text as written
 */
public record External(@Nullable Prefix literal, @Nullable Interface ofInterface, String text) {
  /** The current address of an interface. */
  public static External of(Interface own) {
    return new External(null, own, own.name());
  }

  /** One address as such. */
  public static External of(Address address) {
    return new External(Prefix.of(address), null, address.toString());
  }

  /** The block now, in this family; null if there is none. */
  public @Nullable Prefix now(Family family) {
    if (ofInterface != null) {
      Address address = ofInterface.address(family);
      return address == null ? null : Prefix.of(address);
    }
    return literal != null && literal.first().family() == family ? literal : null;
  }
}
