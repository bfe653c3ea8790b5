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
 * @param icmpCode the ICMP code, or {@link Icmp#NO_CODE} for every code of the type
 */
public record ServicePart(int protocol, PortSet ports, int icmpType, int icmpCode) {
  /** The same for every code of a type. */
  public ServicePart(int protocol, PortSet ports, int icmpType) {
    this(protocol, ports, icmpType, Icmp.NO_CODE);
  }

  /** Stands for every protocol. */
  public static final int ANY_PROTOCOL = -1;

  /** Every port of a protocol, or all of a protocol without ports. */
  public static ServicePart all(int protocol) {
    return new ServicePart(protocol, PortSet.ALL, Icmp.NO_TYPE);
  }

  /** Whether a packet of this protocol, destination port, ICMP type and code belongs to it. */
  public boolean covers(int protocol, int destinationPort, int icmpType, int icmpCode) {
    if (this.protocol == ANY_PROTOCOL) {
      return true;
    }
    if (this.protocol != protocol) {
      return false;
    }
    return Protocol.hasPorts(protocol)
        ? ports.contains(destinationPort)
        : this.icmpType == Icmp.NO_TYPE
            || (this.icmpType == icmpType
                && (this.icmpCode == Icmp.NO_CODE || this.icmpCode == icmpCode));
  }

  /** Whether every packet of another part belongs to this one. */
  public boolean covers(ServicePart other) {
    if (protocol == ANY_PROTOCOL) {
      return true;
    }
    return protocol == other.protocol
        && (icmpType == Icmp.NO_TYPE
            || (icmpType == other.icmpType
                && (icmpCode == Icmp.NO_CODE || icmpCode == other.icmpCode)))
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
            || (icmpType == other.icmpType
                && (icmpCode == Icmp.NO_CODE
                    || other.icmpCode == Icmp.NO_CODE
                    || icmpCode == other.icmpCode)))
        && ports.intersects(other.ports);
  }

  /** As in a site file: {@code 443/tcp}, {@code tcp}, {@code gre}, {@code icmp 3/4}. */
  @Override
  public String toString() {
    if (protocol == ANY_PROTOCOL) {
      return "any";
    }
    if (Icmp.isEchoRequest(icmpType) && icmpCode == Icmp.NO_CODE) {
      return "ping";
    }
    if (icmpType != Icmp.NO_TYPE) {
      String code = icmpCode == Icmp.NO_CODE ? "" : "/" + icmpCode;
      return Protocol.name(protocol) + " " + icmpType + code;
    }
    return Protocol.hasPorts(protocol) && !ports.equals(PortSet.ALL)
        ? ports + "/" + Protocol.name(protocol)
        : Protocol.name(protocol);
  }
}
