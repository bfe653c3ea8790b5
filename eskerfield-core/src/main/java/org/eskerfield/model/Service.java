// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;

/**
 * A set of protocols and ports under a name or as a literal.
 *
 * @param name the name, or the literal as written
 * @param parts what belongs to it; at least one
 * @param place where it stands; {@link Place#IN_CODE} for a well-known service
 */
public record Service(String name, List<ServicePart> parts, Place place) implements Named {
  /** Everything. */
  public static final Service ANY =
      new Service("any", List.of(ServicePart.all(ServicePart.ANY_PROTOCOL)), Place.IN_CODE);

  /** ICMP echo requests of both families. */
  public static final Service PING =
      new Service(
          "ping",
          List.of(
              new ServicePart(Protocol.ICMP, PortSet.ALL, Icmp.ECHO_REQUEST),
              new ServicePart(Protocol.ICMPV6, PortSet.ALL, Icmp.ECHO_REQUEST_V6)),
          Place.IN_CODE);

  /** Copies the parts. */
  public Service {
    parts = List.copyOf(parts);
  }

  /** Whether a packet of this protocol, destination port, ICMP type and code belongs to it. */
  public boolean covers(int protocol, int destinationPort, int icmpType, int icmpCode) {
    for (ServicePart part : parts) {
      if (part.covers(protocol, destinationPort, icmpType, icmpCode)) {
        return true;
      }
    }
    return false;
  }

  /** Whether some packet belongs to both services. */
  public boolean overlaps(Service other) {
    for (ServicePart mine : parts) {
      for (ServicePart theirs : other.parts) {
        if (mine.overlaps(theirs)) {
          return true;
        }
      }
    }
    return false;
  }
}
