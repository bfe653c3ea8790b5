// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.ledger;

import java.util.List;
import java.util.Locale;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.jspecify.annotations.Nullable;

/**
 * A use of some addresses.
 *
 * @param kind the kind of holder
 * @param device the device whose interface, service or rule it is; null for other kinds
 * @param who the holder in a few words: the name of a host, or a rule with its target
 * @param services the ports of the addresses that are used; empty for whole addresses
 * @param by the object of the file
 */
public record Holding(
    Kind kind, @Nullable String device, String who, List<ServicePart> services, Placed by) {
  /** The kinds of holders of an address. */
  public enum Kind {
    /** The address that names a connected network as a whole. */
    NETWORK_ADDRESS,
    /** The broadcast address of a connected network. */
    BROADCAST,
    /** The address of every router of a connected IPv6 network (RFC 4291 section 2.6.1). */
    ROUTER_ANYCAST,
    /** The carrier's router. */
    CARRIER,
    /** An interface of a device. */
    INTERFACE,
    /** A host. */
    HOST,
    /** A service of the device itself, on an address of an interface. */
    OWN_SERVICE,
    /** A static rule. */
    STATIC,
    /** A destination rule. */
    DESTINATION,
    /** A prefix rule. */
    PREFIX,
    /** The pool of a dynamic rule. */
    POOL,
    /** A shared rule, which uses what ports of the address are left. */
    SHARED;

    /** The word of the answer, in lower case with hyphens. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT).replace('_', '-');
    }
  }

  /** Copies the list. */
  public Holding {
    services = List.copyOf(services);
  }
}
