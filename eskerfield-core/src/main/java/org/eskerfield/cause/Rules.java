// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.List;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.DestinationRuleBuilder;
import org.eskerfield.model.Device;
import org.eskerfield.model.External;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Leg;

/** Translation rules with one thing changed. */
final class Rules {
  private Rules() {}

  /** The rule for packets of everybody. */
  static InwardRule forEverybody(InwardRule rule) {
    return rule.by(fixed -> fixed, to -> to.withFrom(List.of()));
  }

  /** The rule that lets in everybody at every time. */
  static InwardRule admittingAll(InwardRule rule) {
    return rule.admitting(
        new Admission(
            List.of(AddressTerm.any()), /* when= */ null, /* log= */ false, rule.place()));
  }

  /** The rule for the service of a packet as well, led to where the rule leads its own. */
  static DestinationRule serving(DestinationRule rule, Header header) {
    List<ServiceTerm> own = rule.services();
    int kept =
        own.isEmpty()
            ? header.destinationPort()
            : own.get(0).service().parts().get(0).ports().first();
    return rule.serving(Mends.service(header), kept);
  }

  /** A rule that leads a packet, where it arrived, to a host, its port unchanged. */
  static DestinationRule leadingTo(Leg leg, Header header, Host host) {
    Interface arriving = leg.arriving();
    Address inside = host.address(header.destination().family());
    List<Interface> from = arriving == null ? List.of() : List.of(arriving);
    return leading(header, inside == null ? header.destination() : inside)
        .facing(new InterfaceTerm(Site.ANY, from, host.place()))
        .place(host.place())
        .build();
  }

  /** A rule of an outer device that leads a packet on to where a rule of an inner one takes it. */
  static DestinationRule passedOn(
      Device outer, Interface arriving, Header header, Address to, InwardRule inner) {
    PortSet expected =
        inner.services().isEmpty() || !Protocol.hasPorts(header.protocol())
            ? null
            : PortSet.of(inner.services().get(0).service().parts().get(0).ports().first());
    return leading(header, to)
        .facing(InterfaceTerm.of(arriving))
        .internalPorts(expected)
        .place(outer.place())
        .build();
  }

  private static DestinationRuleBuilder leading(Header header, Address to) {
    Address external = header.destination();
    return DestinationRuleBuilder.builder()
        .name("as if mended")
        .external(External.of(external))
        .services(List.of(Mends.service(header)))
        .internal(AddressTerm.of(to))
        .internalBlock(Prefix.of(to));
  }
}
