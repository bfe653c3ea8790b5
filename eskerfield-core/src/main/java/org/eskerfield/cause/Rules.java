package org.eskerfield.cause;

import java.util.List;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.External;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.StaticRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Leg;
import org.jspecify.annotations.Nullable;

/** Translation rules with one thing changed. */
final class Rules {
  private Rules() {}

  /** The rule with another side and hairpin. */
  static InwardRule with(InwardRule rule, InterfaceTerm facing, @Nullable Hairpin hairpin) {
    return copy(rule, facing, rule.from(), rule.external(), hairpin, rule.admit());
  }

  /** The rule for packets of everybody. */
  static InwardRule forEverybody(InwardRule rule) {
    return copy(rule, rule.facing(), List.of(), rule.external(), rule.hairpin(), rule.admit());
  }

  /** The rule at whatever address an interface has. */
  static InwardRule at(InwardRule rule, Interface own) {
    External external = new External(null, own, own.name());
    return copy(rule, rule.facing(), rule.from(), external, rule.hairpin(), rule.admit());
  }

  /** The rule that lets in everybody at every time. */
  static InwardRule admittingAll(InwardRule rule) {
    AddressTerm any =
        new AddressTerm(AddressTerm.Kind.ANY, Site.ANY, AddressSet.NONE, rule.place());
    Admission admit = new Admission(List.of(any), null, false, rule.place());
    return copy(rule, rule.facing(), rule.from(), rule.external(), rule.hairpin(), admit);
  }

  private static InwardRule copy(
      InwardRule rule,
      InterfaceTerm facing,
      List<AddressTerm> from,
      External external,
      @Nullable Hairpin hairpin,
      @Nullable Admission admit) {
    if (rule instanceof DestinationRule to) {
      return new DestinationRule(
          to.name(),
          facing,
          to.leaving(),
          to.sources(),
          from,
          external,
          to.services(),
          to.internal(),
          to.internalBlock(),
          to.internalPorts(),
          hairpin,
          admit,
          to.disabled(),
          to.note(),
          to.place());
    }
    StaticRule fixed = (StaticRule) rule;
    return new StaticRule(
        fixed.name(),
        facing,
        fixed.leaving(),
        external,
        fixed.services(),
        fixed.internal(),
        fixed.internalBlock(),
        fixed.internalPorts(),
        hairpin,
        admit,
        fixed.disabled(),
        fixed.note(),
        fixed.place());
  }

  /** The rule for the service of a packet as well, led to where the rule leads its own. */
  static DestinationRule serving(DestinationRule rule, Header header) {
    PortSet inside = rule.internalPorts();
    PortSet own =
        rule.services().isEmpty()
            ? PortSet.of(header.destinationPort())
            : rule.services().get(0).service().parts().get(0).ports();
    return new DestinationRule(
        rule.name(),
        rule.facing(),
        rule.leaving(),
        rule.sources(),
        rule.from(),
        rule.external(),
        List.of(Mends.service(header)),
        rule.internal(),
        rule.internalBlock(),
        PortSet.of((inside == null ? own : inside).first()),
        rule.hairpin(),
        rule.admit(),
        rule.disabled(),
        rule.note(),
        rule.place());
  }

  /** A rule that leads a packet, where it arrived, to a host, its port unchanged. */
  static DestinationRule leadingTo(Leg leg, Header header, Host host) {
    Interface arriving = leg.arriving();
    Address inside = host.address(header.destination().family());
    return new DestinationRule(
        "as if mended",
        new InterfaceTerm(Site.ANY, arriving == null ? List.of() : List.of(arriving), host.place()),
        null,
        null,
        List.of(),
        new External(Prefix.of(header.destination()), null, header.destination().toString()),
        List.of(Mends.service(header)),
        Mends.term(inside == null ? header.destination() : inside),
        Prefix.of(inside == null ? header.destination() : inside),
        null,
        null,
        null,
        false,
        null,
        host.place());
  }

  /** A rule of an outer device that leads a packet on to where a rule of an inner one takes it. */
  static DestinationRule passedOn(
      Device outer, Interface arriving, Header header, Address to, InwardRule inner) {
    PortSet expected =
        inner.services().isEmpty() || !Protocol.hasPorts(header.protocol())
            ? null
            : PortSet.of(inner.services().get(0).service().parts().get(0).ports().first());
    return new DestinationRule(
        "as if mended",
        new InterfaceTerm(arriving.name(), List.of(arriving), outer.place()),
        null,
        null,
        List.of(),
        new External(Prefix.of(header.destination()), null, header.destination().toString()),
        List.of(Mends.service(header)),
        Mends.term(to),
        Prefix.of(to),
        expected,
        null,
        null,
        false,
        null,
        outer.place());
  }
}
