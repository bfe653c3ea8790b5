// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Place;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/** Where packets for the service must be led, as the next device outwards has to write it. */
record Target(Address address, AddressTerm term, List<ServicePart> parts, ServiceTerm service) {
  /** What a wish asks for, at an address of the host. */
  static Target of(Wish wish, Address address) {
    return new Target(
        address,
        AddressTerm.of(wish.host()),
        wish.service().parts(),
        new ServiceTerm(wish.service(), Place.IN_CODE));
  }

  /** The parts with other ports, as many as they have; null if they have several runs of ports. */
  static @Nullable List<ServicePart> moved(List<ServicePart> parts, int first) {
    PortSet ports = parts.get(0).ports();
    List<ServicePart> moved = new ArrayList<>();
    for (ServicePart part : parts) {
      int last = first + ports.size() - 1;
      if (!Protocol.hasPorts(part.protocol())
          || !part.ports().equals(ports)
          || !ports.isRange()
          || last > PortSet.HIGHEST) {
        return null;
      }
      moved.add(new ServicePart(part.protocol(), PortSet.range(first, last), Icmp.NO_TYPE));
    }
    return moved;
  }

  static String text(List<ServicePart> parts) {
    List<String> protocols = parts.stream().map(part -> Protocol.name(part.protocol())).toList();
    return parts.get(0).ports() + "/" + String.join("+", protocols);
  }

  static Target at(Target target, Address address, List<ServicePart> parts) {
    ServiceTerm service =
        parts.equals(target.parts())
            ? target.service()
            : new ServiceTerm(new Service(text(parts), parts, Place.IN_CODE), Place.IN_CODE);
    return new Target(address, AddressTerm.of(address), parts, service);
  }

  /** The ports inside where they differ from those outside. */
  static @Nullable PortSet inside(Target external, Target target) {
    return external.parts().equals(target.parts()) ? null : target.parts().get(0).ports();
  }
}
