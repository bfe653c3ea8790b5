package org.eskerfield.model;

import java.util.List;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** A rule that leads packets to an external address inside. */
public sealed interface InwardRule extends TranslationRule permits StaticRule, DestinationRule {
  /** The interfaces on the external side. */
  InterfaceTerm facing();

  /** By which interface packets go on whatever the routes say; null where those decide. */
  @Nullable InterfaceTerm leaving();

  /** Whose packets; empty for everybody's. */
  List<AddressTerm> from();

  /** The external address or block. */
  External external();

  /** The external ports; empty for every port and protocol. */
  List<ServiceTerm> services();

  /** The host or block inside, as written. */
  AddressTerm internal();

  /** Its addresses. */
  Prefix internalBlock();

  /** Its ports; null where each port stays as it is. */
  @Nullable PortSet internalPorts();

  /** Which insiders may use the external address, or null for none. */
  @Nullable Hairpin hairpin();

  /** Who is let in with the rule; null where the access rules alone decide. */
  @Nullable Admission admit();
}
