// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.ledger;

import java.util.List;
import org.eskerfield.model.Network;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * A block of addresses and who has each of them.
 *
 * @param prefix the block
 * @param network the network that has it as its prefix, or by which the carrier routes it here
 * @param via the address that a merely routed block is sent to; null for a connected one
 * @param assigned whether the carrier assigns single addresses of it, so that none is ours to take
 * @param stretches all its addresses in order, neighbours with the same holders folded
 */
public record Block(
    Prefix prefix,
    Network network,
    @Nullable Address via,
    boolean assigned,
    List<Stretch> stretches) {
  /**
   * Neighbouring addresses with the same holders.
   *
   * @param addresses from the first to the last
   * @param holdings the holders, whole addresses before ports; empty for free addresses
   */
  public record Stretch(AddressRange addresses, List<Holding> holdings) {
    /** Copies the list. */
    public Stretch {
      holdings = List.copyOf(holdings);
    }

    /** Whether nobody has them. */
    public boolean isFree() {
      return holdings.isEmpty();
    }
  }

  /** Copies the list. */
  public Block {
    stretches = List.copyOf(stretches);
  }

  /** The addresses that can be used: all of a merely routed block. */
  public AddressRange usable() {
    return via == null ? prefix.usable() : prefix.range();
  }
}
