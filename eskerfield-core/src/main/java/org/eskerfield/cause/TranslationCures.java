// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.DestinationRuleBuilder;
import org.eskerfield.model.Device;
import org.eskerfield.model.External;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.PrefixRuleBuilder;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.SharedRuleBuilder;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.PrefixMapping;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.jspecify.annotations.Nullable;

/** Cures of translation rules that are missing, that come too late, or that ask for too little. */
public final class TranslationCures extends CureScene {
  /** How many parts of a routed block are looked at. */
  private static final int MOST_TRIES = 4096;

  TranslationCures(CureScene scene) {
    super(scene);
  }

  @Nullable Cure untouched(@Nullable Placed early) {
    Cure moved = new AccessCures(this).order(early);
    return moved == null && early instanceof TranslationRule rule
        ? rule.bySide(in -> null, out -> null, both -> narrowed(site, both, sent.source()))
        : moved;
  }

  /** An untouched rule for inner networks only, as seen from a source; null if that is no help. */
  public static @Nullable Cure narrowed(Site site, UntouchedRule rule, Address source) {
    boolean forward = site.addresses(rule.from()).contains(source);
    List<AddressTerm> wide = forward ? rule.to() : rule.from();
    List<AddressTerm> other = forward ? rule.from() : rule.to();
    List<AddressTerm> inner = new ArrayList<>();
    for (Network network : site.networks().values()) {
      Address first = network.prefixes().get(0).first();
      if (network.carrier().isEmpty()
          && site.addresses(wide).contains(first)
          && !site.addresses(other).contains(first)) {
        inner.add(AddressTerm.of(network));
      }
    }
    return inner.isEmpty()
        ? null
        : Cure.of(
            "let " + Labels.of(rule) + " name the inner networks that it is meant for",
            new Change.Alter(rule, forward ? rule.withTo(inner) : rule.withFrom(inner)));
  }

  @Nullable Cure face(InwardRule rule) {
    Interface arriving = leg.arriving();
    return arriving == null || rule.facing().names(arriving)
        ? null
        : Cure.of(
            "let " + Labels.of(rule) + " take what arrives by " + arriving.name(),
            new Change.Alter(rule, rule.facingTo(InterfaceTerm.of(arriving))));
  }

  /** A rule that names a way out, with another one. */
  static @Nullable Cure leavingBy(InwardRule rule, Interface own) {
    InterfaceTerm there = InterfaceTerm.of(own);
    return rule.leaving() == null || rule.leaving().names(own)
        ? null
        : rule.by(
            fixed -> Cure.of(leads(rule, own), new Change.Alter(fixed, fixed.withLeaving(there))),
            to -> Cure.of(leads(rule, own), new Change.Alter(to, to.withLeaving(there))),
            prefix -> null);
  }

  private static String leads(InwardRule rule, Interface own) {
    return "let " + Labels.of(rule) + " lead by " + own.name();
  }

  @Nullable Cure from(InwardRule rule) {
    AddressTerm sender = called(header.source());
    return rule.by(
        fixed -> null,
        to ->
            Cure.of(
                "let " + Labels.of(to) + " take packets from " + sender.text() + ", too",
                new Change.Alter(to, to.withFrom(with(to.from(), sender)))),
        prefix -> null);
  }

  @Nullable Cure serve(InwardRule rule) {
    Cure outer = outerPort(rule.services());
    return rule.by(
        fixed -> outer,
        to ->
            Cure.of(
                    "let " + Labels.of(to) + " take " + Mends.service(header).text(),
                    new Change.Alter(to, Mends.serving(to, header)))
                .or(outer),
        prefix -> outer);
  }

  /** Where a rule before leads to another port than a later one is for: the port of that one. */
  @Nullable Cure outerPort(List<ServiceTerm> services) {
    InwardRule outer = InwardRule.of(leadingHere());
    Integer port = onlyPort(services, header.protocol());
    return outer == null || port == null
        ? null
        : outer.by(fixed -> null, to -> ported(to, port), prefix -> null);
  }

  /** The rule that changed the destination last; null if none did. */
  private @Nullable Placed leadingHere() {
    Placed by = null;
    for (Leg each : legs()) {
      for (Decision decision : each.decisions()) {
        by = decision.ruling() == Ruling.DESTINATION_TRANSLATED ? decision.by() : by;
      }
    }
    return by;
  }

  /** The one port that services have of a protocol; null if they have none, or several. */
  public static @Nullable Integer onlyPort(List<ServiceTerm> services, int protocol) {
    Integer only = null;
    for (ServiceTerm term : services) {
      for (ServicePart part : term.service().parts()) {
        if (part.protocol() == protocol && Protocol.hasPorts(protocol)) {
          if (only != null || part.ports().size() != 1) {
            return null;
          }
          only = part.ports().first();
        }
      }
    }
    return only;
  }

  /** A rule for one port that leads to another port inside; null where it is for several. */
  public static @Nullable Cure ported(DestinationRule rule, int port) {
    List<ServicePart> parts = new ArrayList<>();
    rule.services().forEach(term -> parts.addAll(term.service().parts()));
    if (parts.size() != 1 || parts.get(0).ports().size() != 1) {
      return null;
    }
    boolean same = parts.get(0).ports().contains(port);
    return Cure.of(
        "let " + Labels.of(rule) + " lead to port " + port + " of " + rule.internal().text(),
        new Change.Alter(rule, rule.withInternalPorts(same ? null : PortSet.of(port))));
  }

  /** A rule that leads to another host. */
  public static Cure redirected(InwardRule rule, Host host, Address inside) {
    return Cure.of(
        "let " + Labels.of(rule) + " lead to " + host.name(),
        new Change.Alter(rule, rule.leadingTo(host, inside)));
  }

  /** The port that the host listens on, in a rule that leads to another one. */
  @Nullable Cure listened() {
    Host host = host();
    InwardRule rule = InwardRule.of(leadingHere());
    Integer port = host == null ? null : onlyPort(host.listens(), header.protocol());
    return rule == null || port == null
        ? null
        : rule.by(fixed -> null, to -> ported(to, port), prefix -> null);
  }

  @Nullable Cure translationMissing(@Nullable Placed place) {
    if (place instanceof TranslationRule rule && rule.disabled()) {
      return enabled(rule);
    }
    Cure enabled = enabled();
    if (enabled != null) {
      return enabled;
    }
    Host host =
        obstacle.other() instanceof Host meant
            ? meant
            : Case.listener(site, header); // of several only a person can tell who is meant
    Interface arriving =
        obstacle.place() instanceof Interface own && leg.arriving() == null ? own : leg.arriving();
    return host == null || arriving == null || led(host, header) == null
        ? null
        : Cure.of(
            "lead it to " + host.name() + " with a destination rule",
            leading(site, arriving, header, host));
  }

  /** The port of a host that a packet may be meant for: its own, else the only one there is. */
  static @Nullable Integer led(Host host, Header header) {
    return host.listens().isEmpty() || Case.listens(host, header)
        ? Integer.valueOf(header.destinationPort())
        : onlyPort(host.listens(), header.protocol());
  }

  /** A rule that leads what a packet asks for to a host that may be meant, as {@link #led} says. */
  static Change leading(Site site, Interface arriving, Header header, Host host) {
    int port = Objects.requireNonNull(led(host, header));
    PortSet inside =
        port == header.destinationPort() || !Protocol.hasPorts(header.protocol())
            ? null
            : PortSet.of(port);
    AddressTerm to = AddressTerm.of(host);
    Address address = site.addresses(List.of(to)).ranges().get(0).first();
    return rule(
        site.deviceOf(arriving),
        arriving,
        header,
        leading(host.name(), to).internalBlock(Prefix.of(address)).internalPorts(inside));
  }

  static Cure enabled(Placed rule) {
    Placed by =
        rule instanceof AccessRule access
            ? access.withDisabled(false)
            : ((TranslationRule) rule).enabled();
    return Cure.of("enable " + Labels.of(rule), new Change.Alter(rule, by));
  }

  /** A rule of the device that would take the packet, but is disabled; null if there is none. */
  @Nullable Cure enabled() {
    Device device = device();
    Interface arriving = leg.arriving();
    if (device == null || arriving == null) {
      return null;
    }
    for (InwardRule each : device.inward()) {
      if (each.disabled() && AccessCures.isFor(each, header) && each.facing().names(arriving)) {
        return enabled(each);
      }
    }
    return null;
  }

  private static DestinationRuleBuilder leading(String name, AddressTerm to) {
    return DestinationRuleBuilder.builder().name(name).internal(to).place(Place.IN_CODE);
  }

  /** A rule that takes what a packet asks for, where it arrives. */
  private static Change rule(
      Device device, Interface arriving, Header header, DestinationRuleBuilder led) {
    Address at = header.destination();
    boolean own = arriving.addresses().contains(at);
    return Mends.first(
        device,
        led.facing(InterfaceTerm.of(arriving))
            .external(own ? External.of(arriving) : External.of(at))
            .services(List.of(Mends.service(header)))
            .build());
  }

  @Nullable Cure outer() {
    Device outer = device();
    InwardRule inner = InwardRule.of(obstacle.other());
    Cure enabled = enabled();
    if (outer == null || inner == null || leg.arriving() == null || enabled != null) {
      return enabled;
    }
    Address to = Objects.requireNonNull(inner.block(header.destination().family())).first();
    PortSet port =
        inner.services().isEmpty() || !Protocol.hasPorts(header.protocol())
            ? null
            : PortSet.of(inner.services().get(0).service().parts().get(0).ports().first());
    return Cure.of(
        "lead it on to " + owner(inner) + " with a destination rule of " + outer.name(),
        rule(
            outer,
            leg.arriving(),
            header,
            leading(inner.name(), AddressTerm.of(to))
                .internalBlock(Prefix.of(to))
                .internalPorts(port)));
  }

  /** The name of the device that has a rule. */
  String owner(InwardRule rule) {
    for (Device device : site.devices().values()) {
      if (device.translation().contains(rule)) {
        return device.name();
      }
    }
    throw new IllegalArgumentException("no device has " + Labels.of(rule));
  }

  @Nullable Cure hairpin(@Nullable Placed place) {
    InwardRule rule = InwardRule.of(place);
    Interface arriving = leg.arriving();
    if (rule == null || arriving == null) {
      return null;
    }
    Hairpin hairpin = rule.hairpin();
    if (Hairpin.covers(hairpin, arriving)) {
      return null; // they may already: it fails for another reason
    }
    Hairpin wider =
        hairpin == null
            ? new Hairpin(InterfaceTerm.of(arriving), rule.usualHairpin(), Place.IN_CODE)
            : hairpin.withFrom(hairpin.from().and(arriving));
    return Cure.of(
        "let insiders who come by " + arriving.name() + " use the external address",
        new Change.Alter(rule, rule.hairpinning(wider)));
  }

  @Nullable Cure privateSource(@Nullable Placed place) {
    if (obstacle.cause() == Cause.ROUTE_MISSING) {
      return new RouteCures(this).route();
    }
    if (place instanceof TranslationRule rule && rule.disabled()) {
      return enabled(rule);
    }
    Leg last = null;
    for (Leg each : legs()) {
      last = each.kind() == Leg.Kind.DEVICE && each.leaving() != null ? each : last;
    }
    Device device = last == null ? null : site.devices().get(last.where());
    Interface leaving = last == null ? null : last.leaving();
    Network network = site.networkOf(header.source());
    if (device == null || leaving == null || network == null || !network.carrier().isEmpty()) {
      return null; // what the carrier itself assigned is no source to be shared
    }
    OutwardRule outward = OutwardRule.of(place);
    InterfaceTerm there = InterfaceTerm.of(leaving);
    if (outward != null) {
      return Cure.of(
          "let " + Labels.of(outward) + " act on what leaves by " + leaving.name(),
          new Change.Alter(outward, outward.leavingBy(there)));
    }
    InwardRule inward = InwardRule.of(place);
    if (inward != null && !inward.facing().names(leaving)) {
      return Cure.of(
          "let " + Labels.of(inward) + " face " + leaving.name(),
          new Change.Alter(inward, inward.facingTo(there)));
    }
    if (header.source().family() == Family.IPV6) {
      return renumbered(device, leaving, network);
    }
    return Cure.of(
        "share the address of " + leaving.name() + " among the sources of " + network.name(),
        new Change.Add(
            device,
            SharedRuleBuilder.builder()
                .name(network.name() + " to the internet")
                .from(List.of(AddressTerm.of(network)))
                .leaving(there)
                .place(Place.IN_CODE)
                .build(),
            null));
  }

  /** A prefix rule to a part of what the carrier routes here; null where nothing is free. */
  private static @Nullable Cure renumbered(Device device, Interface leaving, Network network) {
    Prefix inside = null;
    for (Prefix each : network.prefixes()) {
      inside = each.family() == Family.IPV6 && inside == null ? each : inside;
    }
    Prefix outside = inside == null ? null : freePrefix(device, leaving, inside.length());
    return inside == null || outside == null
        ? null
        : Cure.of(
            "translate " + inside + " to " + outside + ", which the carrier routes here",
            new Change.Add(
                device,
                PrefixRuleBuilder.builder()
                    .name(network.name() + " to the internet")
                    .facing(InterfaceTerm.of(leaving))
                    .external(new External(outside, null, outside.toString()))
                    .internal(AddressTerm.of(network))
                    .written(inside)
                    .place(Place.IN_CODE)
                    .build(),
                null));
  }

  /** The first part of a routed block that no network and no rule of the device uses. */
  private static @Nullable Prefix freePrefix(Device device, Interface leaving, int length) {
    AddressSet used = AddressSet.NONE;
    for (Interface own : device.interfaces()) {
      used = used.union(AddressSet.ofPrefixes(own.network().prefixes()));
    }
    for (InwardRule rule : device.inward()) {
      Prefix block = rule.block();
      used = block == null ? used : used.union(AddressSet.ofPrefixes(List.of(block)));
    }
    for (Network.Routed routed : leaving.network().routed()) {
      if (routed.to().family() == Family.IPV6
          && routed.to().length() <= length
          && length <= PrefixMapping.LONGEST
          && leaving.addresses().contains(routed.via())) {
        Address at = routed.to().first();
        for (int tries = 0; tries < MOST_TRIES && at != null && routed.to().contains(at); tries++) {
          Prefix part = new Prefix(at, length);
          if (!used.intersects(AddressSet.ofPrefixes(List.of(part)))) {
            return part;
          }
          at = part.last().next();
        }
      }
    }
    return null;
  }

  static @Nullable Cure sharing(@Nullable Placed place) {
    OutwardRule rule = OutwardRule.of(place);
    return rule == null || !rule.lends()
        ? null
        : Cure.of(
            "let the sources of " + Labels.of(rule) + " share the addresses",
            new Change.Alter(rule, rule.shared()));
  }

  @Nullable Cure changed(@Nullable Placed place) {
    InwardRule rule = InwardRule.of(place);
    if (rule == null) {
      return null;
    }
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (device.translation().contains(rule)
            && rule.external().literal() != null
            && own.network().prefixOf(rule.external().literal().first()) != null) {
          return Cure.of(
              "name the interface instead of an address that it had once",
              new Change.Alter(rule, rule.at(External.of(own))));
        }
      }
    }
    return null;
  }
}
