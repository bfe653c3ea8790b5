// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * One end of a packet.
 *
 * @param name the host or device; null where only the address is known
 * @param address its address
 * @param port its port, or the identifier of a ping; 0 where there is none
 * @param protocol the protocol number
 */
public record Endpoint(@Nullable String name, Address address, int port, int protocol) {
  /** Whether somebody means this end by a name or an address. */
  public boolean isCalled(String whom) {
    return whom.equals(name) || whom.equals(address.toString());
  }

  /** Name and address as people write them. */
  @Override
  public String toString() {
    String id = Protocol.isIcmp(protocol) && port != 0 ? " id " + port : "";
    String text = Header.endpoint(address, port, protocol) + id;
    return name == null || name.equals(address.toString()) ? text : name + " " + text;
  }
}
