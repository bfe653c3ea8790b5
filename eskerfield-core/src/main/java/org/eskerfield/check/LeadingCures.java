// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.List;
import org.eskerfield.cause.TranslationCures;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.External;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Place;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.StaticRuleBuilder;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Labels;
import org.jspecify.annotations.Nullable;

/** How to bring to a host what an access rule lets in to it, but no translation rule leads. */
final class LeadingCures {
  private final Inspection check;

  LeadingCures(Inspection check) {
    this.check = check;
  }

  /** A rule at an address that is free for this service. */
  Cure cure(Device device, AccessRule rule, PacketSet accepted) {
    PacketSet.Member one = accepted.sample();
    Interface own = Sides.outer(device);
    Address external = own == null ? null : own.address(Family.IPV4);
    if (one == null || own == null || external == null) {
      return Cure.of("take the rule away", new Change.Remove(rule));
    }
    Packet packet = one.packet();
    Cure corrected = corrected(device, packet);
    if (corrected != null) {
      return corrected;
    }
    Host host = check.site.hostAt(packet.destination());
    Address inside = packet.destination();
    AddressTerm to = host == null ? AddressTerm.of(inside) : AddressTerm.of(host);
    List<? extends TranslationRule> others =
        device.inward().isEmpty() ? device.translation() : device.inward();
    if (!Protocol.hasPorts(packet.protocol)) {
      Address free = new Externals(check).free(device, own);
      if (free == null) {
        return Cure.byHand(
            "give " + to.text() + " an external address of its own with a static rule");
      }
      TranslationRule fixed =
          StaticRuleBuilder.builder()
              .name(rule.name())
              .facing(InterfaceTerm.of(own))
              .external(External.of(free))
              .internal(to)
              .internalBlock(Prefix.of(inside))
              .place(Place.IN_CODE)
              .build();
      return Cure.of(
          "give it an external address of its own", Change.Add.first(device, fixed, others));
    }
    NameAnswers names = new NameAnswers(check);
    DestinationRule takenIn =
        names
            .told(own, packet)
            .name(rule.name())
            .facing(InterfaceTerm.of(own))
            .internal(to)
            .internalBlock(Prefix.of(inside))
            .internalPorts(PortSet.of(packet.destinationPort))
            .place(Place.IN_CODE)
            .build();
    boolean atInterface = takenIn.external().ofInterface() != null;
    return Cure.of(
        "lead it there with a destination rule",
        Change.Add.first(
            device, atInterface ? takenIn : takenIn.withHairpin(names.hairpinOf(device)), others));
  }

  /** A rule that means it, but for its protocol, its port or its host; null if there is none. */
  private @Nullable Cure corrected(Device device, Packet packet) {
    DestinationRule near = forOtherProtocol(device, packet);
    if (near != null) {
      PortSet ports = near.services().get(0).service().parts().get(0).ports();
      ServicePart part = new ServicePart(packet.protocol, ports, Icmp.NO_TYPE);
      return Cure.of(
          "let " + Labels.of(near) + " take " + Protocol.name(packet.protocol),
          new Change.Alter(near, near.withServices(List.of(ServiceTerm.of(part)))));
    }
    Cure ported = ported(device, packet);
    return ported == null ? redirected(device, packet) : ported;
  }

  /**
   * The port corrected in a rule that leads to the same address, at a port where nothing listens
   * and that nobody lets in; null where there is none.
   */
  private @Nullable Cure ported(Device device, Packet packet) {
    Host host = check.site.hostAt(packet.destination());
    for (InwardRule rule : device.inward()) {
      boolean there =
          !rule.disabled()
              && !rule.services().isEmpty()
              && rule.internalBlock().contains(packet.destination())
              && host != null
              && host.listens().stream()
                  .noneMatch(
                      own ->
                          Offers.inside(rule).stream()
                              .anyMatch(t -> t.service().overlaps(own.service())));
      Cure cure =
          there
              ? rule.by(
                  fixed -> null,
                  to -> TranslationCures.ported(to, packet.destinationPort),
                  prefix -> null)
              : null;
      if (cure != null && TranslationCures.onlyPort(rule.services(), packet.protocol) != null) {
        return cure;
      }
    }
    return null;
  }

  /** A rule for that port which leads to a host where nothing listens on it; null if none does. */
  private @Nullable Cure redirected(Device device, Packet packet) {
    Host meant = check.site.hostAt(packet.destination());
    for (InwardRule rule : device.inward()) {
      Host present = check.site.hostLedTo(rule);
      boolean forIt =
          !rule.disabled() && !rule.services().isEmpty() && covers(Offers.inside(rule), packet);
      if (forIt && meant != null && present != null && !listens(present, packet)) {
        return TranslationCures.redirected(rule, meant, packet.destination());
      }
    }
    return null;
  }

  private static boolean listens(Host host, Packet packet) {
    return host.listensFor(
        packet.protocol, packet.destinationPort, packet.icmpType, packet.icmpCode);
  }

  private static boolean covers(List<ServiceTerm> services, Packet packet) {
    return ServiceTerm.anyCovers(
        services, packet.protocol, packet.destinationPort, packet.icmpType, packet.icmpCode);
  }

  /** A rule that leads to the same port of the same address, but over the other protocol. */
  private static @Nullable DestinationRule forOtherProtocol(Device device, Packet packet) {
    for (InwardRule rule : device.inward()) {
      DestinationRule to = rule.by(fixed -> null, destination -> destination, prefix -> null);
      if (to != null
          && !to.disabled()
          && to.internalBlock().contains(packet.destination())
          && to.services().size() == 1
          && to.services().get(0).service().parts().size() == 1) {
        ServicePart part = to.services().get(0).service().parts().get(0);
        boolean same =
            part.ports().size() == 1
                && to.internalPort(part.ports().first()) == packet.destinationPort;
        if (same && part.protocol() != packet.protocol && Protocol.hasPorts(part.protocol())) {
          return to;
        }
      }
    }
    return null;
  }
}
