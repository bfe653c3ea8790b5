// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;

/**
 * One protocol with its ports, or one ICMP message type.
 *
 * @param protocol the protocol number, or {@link #ANY_PROTOCOL}
 * @param ports the destination ports; {@link PortSet#ALL} where the protocol has none
 * @param icmpType the ICMP type, or {@link Icmp#NO_TYPE} for every type
 */
public record ServicePart(int protocol, PortSet ports, int icmpType) {
  /** Stands for every protocol. */
  public static final int ANY_PROTOCOL = -1;

  /** Every port of a protocol, or all of a protocol without ports. */
  public static ServicePart all(int protocol) {
    return new ServicePart(protocol, PortSet.ALL, Icmp.NO_TYPE);
  }

  /** Whether a packet of this protocol, destination port and ICMP type belongs to the part. */
  public boolean covers(int protocol, int destinationPort, int icmpType) {
    if (this.protocol == ANY_PROTOCOL) {
      return true;
    }
    if (this.protocol != protocol) {
      return false;
    }
    return Protocol.hasPorts(protocol)
        ? ports.contains(destinationPort)
        : this.icmpType == Icmp.NO_TYPE || this.icmpType == icmpType;
  }

  /** Whether every packet of another part belongs to this one. */
  public boolean covers(ServicePart other) {
    if (protocol == ANY_PROTOCOL) {
      return true;
    }
    return protocol == other.protocol
        && (icmpType == Icmp.NO_TYPE || icmpType == other.icmpType)
        && (!Protocol.hasPorts(protocol) || ports.union(other.ports).equals(ports));
  }

  /** Whether some packet belongs to both parts. */
  public boolean overlaps(ServicePart other) {
    if (protocol == ANY_PROTOCOL || other.protocol == ANY_PROTOCOL) {
      return true;
    }
    return protocol == other.protocol
        && (icmpType == Icmp.NO_TYPE
            || other.icmpType == Icmp.NO_TYPE
            || icmpType == other.icmpType)
        && ports.intersects(other.ports);
  }

  /** As in a site file: {@code 443/tcp}, {@code tcp}, {@code gre}. */
  @Override
  public String toString() {
    if (protocol == ANY_PROTOCOL) {
      return "any";
    }
    if (Icmp.isEchoRequest(icmpType)) {
      return "ping";
    }
    return Protocol.hasPorts(protocol) && !ports.equals(PortSet.ALL)
        ? ports + "/" + Protocol.name(protocol)
        : Protocol.name(protocol);
  }
}
