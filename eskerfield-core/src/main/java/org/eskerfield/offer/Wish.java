// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.List;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.Service;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.jspecify.annotations.Nullable;

/**
 * An offer as it is asked for.
 *
 * @param host whose service
 * @param family over which family; over IPv6 no rule translates it
 * @param service what the host listens on; its name is written into the file
 * @param external the external address; null to propose one
 * @param externalPorts the external ports; null for those that the host listens on
 * @param from who may use it; at least one
 * @param hairpin which zones or interfaces of the outermost device may use the external address,
 *     too; often empty
 * @param when the only time at which it is open; null for always
 * @param log whether the devices log what they let in
 * @param whole whether the host gets an external address of its own, both ways: a static rule
 * @param name what the rules are called; null to propose one
 */
public record Wish(
    Host host,
    Family family,
    Service service,
    @Nullable Address external,
    @Nullable PortSet externalPorts,
    List<AddressTerm> from,
    List<String> hairpin,
    @Nullable Schedule when,
    boolean log,
    boolean whole,
    @Nullable String name) {
  /** Whether everybody may use it. */
  boolean isForAnybody() {
    return from.stream().anyMatch(term -> term.kind() == AddressTerm.Kind.ANY);
  }

  /** Whether a zone or interface that may use the external address, too, is that of a network. */
  static boolean names(Site site, String where, Network network) {
    return network.zone().equals(where)
        || (!network.isOutside()
            && site.interfacesOn(network).stream().anyMatch(own -> own.name().equals(where)));
  }

  Wish withFrom(List<AddressTerm> others) {
    return new Wish(
        host, family, service, external, externalPorts, others, hairpin, when, log, whole, name);
  }

  /** Copies the lists. */
  public Wish {
    from = List.copyOf(from);
    hairpin = List.copyOf(hairpin);
    if (from.isEmpty()) {
      throw new IllegalArgumentException("say who may use it");
    }
  }
}
