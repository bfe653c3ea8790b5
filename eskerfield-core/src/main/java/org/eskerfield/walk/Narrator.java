// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.Set;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.MatchField;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Packet;
import org.jspecify.annotations.Nullable;

/**
 * Listens to the decisions about a packet. The engine makes no object for it where none listens.
 */
public interface Narrator {
  /**
   * A decision was made.
   *
   * @param ruling what was decided
   * @param by the rule, list, route or interface that decided; null where none did
   * @param packet the packet after the decision; the listener must not change or keep it
   */
  void decided(Ruling ruling, @Nullable Placed by, Packet packet);

  /**
   * The packet was handed to an address that nobody has on a network.
   *
   * @param to the address
   */
  default void nobodyThere(Network network, Address to, Packet packet) {
    decided(Ruling.NOBODY_THERE, network, packet);
  }

  /**
   * Tells, before the decision itself, which rule nearly matched. Only called with one to three
   * fields, and with the rule that came nearest.
   *
   * @param rule the access rule, translation rule or admission
   * @param fields the fields that kept it from matching
   * @param seen the packet as the rule saw it; the listener must not change or keep it
   */
  default void nearly(Placed rule, Set<MatchField> fields, Packet seen) {}
}
