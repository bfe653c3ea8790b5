// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * A static route of a device. Of several that lead to an address the longest prefix counts, then
 * the lowest preference number, then the order in the file.
 *
 * @param to the destinations
 * @param text the destinations as written: a prefix, {@code any} or the name of a network, which
 *     may have several prefixes, with a route for each
 * @param via the next hop; null exactly for a route that discards
 * @param leaving the interface whose network holds the next hop; null for a route that discards
 * @param preference the preference; the lowest wins
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record Route(
    Prefix to,
    String text,
    @Nullable Address via,
    @Nullable Interface leaving,
    int preference,
    @Nullable String note,
    Place place)
    implements Noted, RouteBuilder.With {
  /** The preference of a route that names none. */
  public static final int DEFAULT_PREFERENCE = 10;

  /** Whether packets on this route are thrown away. */
  public boolean discards() {
    return via == null;
  }
}
