// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import org.jspecify.annotations.Nullable;

/**
 * All addresses from one to another of the same family.
 *
 * @param first the lowest
 * @param last the highest; not below {@code first}
 */
public record AddressRange(Address first, Address last) {
  /** Checks that the ends are of one family and in order. */
  public AddressRange {
    if (first.family() != last.family() || first.compareTo(last) > 0) {
      throw new IllegalArgumentException(first + "-" + last + " is no range");
    }
  }

  /** The prefix that has the same addresses; null if none has. */
  public @Nullable Prefix prefix() {
    for (int length = first.family().bits(); length >= 0; length--) {
      Prefix around = Prefix.around(first, length);
      if (around.range().equals(this)) {
        return around;
      }
    }
    return null;
  }

  /** A single address, or {@code first-last}. */
  @Override
  public String toString() {
    return first.equals(last) ? first.toString() : first + "-" + last;
  }
}
