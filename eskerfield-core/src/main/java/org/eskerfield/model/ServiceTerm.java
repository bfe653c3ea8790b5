// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;

/**
 * A service where a rule or host names one.
 *
 * @param service what the name or literal stands for
 * @param place where it is named
 */
public record ServiceTerm(Service service, Place place) implements Placed {
  /** The name or literal as written. */
  public String text() {
    return service.name();
  }

  /** One protocol with its ports or type, as such. */
  public static ServiceTerm of(ServicePart part) {
    Service service = new Service(part.toString(), List.of(part), Place.IN_CODE);
    return new ServiceTerm(service, Place.IN_CODE);
  }

  /** Whether one of the terms covers the packet; no terms cover every packet. */
  public static boolean anyCovers(
      List<ServiceTerm> terms, int protocol, int destinationPort, int icmpType, int icmpCode) {
    for (ServiceTerm term : terms) {
      if (term.service.covers(protocol, destinationPort, icmpType, icmpCode)) {
        return true;
      }
    }
    return terms.isEmpty();
  }
}
