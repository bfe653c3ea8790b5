// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Route;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.MatchField;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.NearMiss;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/** Names the cause for which a request did not arrive. */
final class RequestCauses extends Case {
  RequestCauses(Case other) {
    super(other);
  }

  @Nullable Verdict judgeRequest(Decision end) {
    Leg leg = legs.get(legs.size() - 1);
    Device device = site.devices().get(leg.where());
    Header header = end.after();
    return switch (end.ruling()) {
      case BLOCKED_AT_SENDER -> verdict(Cause.SENDER_NETWORK_BLOCKS, end);
      case SENDER_OFF, HOST_OFF -> verdict(Cause.HOST_OFF, end);
      case NO_GATEWAY -> verdict(Cause.GATEWAY_OR_PREFIX_WRONG, end);
      case NOBODY_THERE -> judgeNobody(leg, end);
      case NOT_FOR_HOST -> judgeAstray(Cause.ROUTE_MISSING);
      case INTERFACE_DOWN, ROUTE_DOWN -> judgeDown(end);
      case NO_ROUTE, ROUTE_DISCARDS ->
          verdict(Cause.ROUTE_MISSING, end, routed(device, header.destination()));
      case HOPS_USED_UP -> verdict(Cause.LOOP, "", null, routedEverywhere(header.destination()));
      case SOURCE_NOT_CARRIED -> new CarriedCauses(this).judgePrivateSource();
      case DESTINATION_NOT_CARRIED -> new CarriedCauses(this).judgePrivateDestination(header);
      case NO_CARRIER_LINK -> verdict(Cause.ADDRESS_NOT_ROUTED, end, null);
      case DESTINATION_UNMATCHED,
          DEVICE_NOT_ADMITTED,
          DEVICE_REFUSES,
          DEVICE_REFUSES_LATER,
          DEVICE_SERVICE_CLOSED ->
          device == null ? null : judgeUntranslated(device, leg, end);
      case NOT_ADMITTED ->
          device == null ? null : new AccessCauses(this).judgeAdmission(device, end);
      case DROPPED_BY_RULE,
          REJECTED_BY_RULE,
          DROPPED_OTHERWISE,
          REJECTED_OTHERWISE,
          DROPPED_BY_STANCE,
          REJECTED_BY_STANCE ->
          device == null ? null : new AccessCauses(this).judgeAccess(device, leg, end);
      case POOL_USED_UP ->
          verdict(lendsOne(end.by()) ? Cause.SHARING_LEFT_OUT : Cause.EXHAUSTED, end, null);
      case PORTS_USED_UP, PORT_LIMIT_REACHED -> verdict(Cause.EXHAUSTED, end, null);
      case CANNOT_SHARE -> verdict(Cause.CANNOT_SHARE, end, null);
      case DESTINATION_UNTRANSLATABLE, SOURCE_UNTRANSLATABLE ->
          verdict(Cause.NO_COUNTERPART, end, null);
      case HOST_REFUSES -> verdict(Cause.NOTHING_LISTENS, end);
      case HOST_FILTERED, HOST_REJECTED -> verdict(Cause.HOST_FILTER, end);
      case HOST_SILENT -> verdict(Cause.NO_PING, end);
      case SOURCE_IS_OWN, SOURCE_IMPOSSIBLE, SOURCE_BY_OTHER_WAY, NOT_FORWARDED ->
          verdict(Cause.NOT_FORWARDED, end, null);
      case NOT_AN_OPENING, BINDING_FILTERED, ERROR_UNMATCHED ->
          verdict(Cause.NO_SESSION, end, null);
      default -> null;
    };
  }

  /** Whether a rule has a single address to lend. */
  private static boolean lendsOne(@Nullable Placed by) {
    Pool pool = by instanceof TranslationRule rule ? rule.pool() : null;
    List<AddressRange> ranges = pool == null ? List.of() : pool.addresses().ranges();
    return ranges.size() == 1 && ranges.get(0).first().equals(ranges.get(0).last());
  }

  /**
   * The packet was handed to a host that is not its receiver.
   *
   * @param ofDevice what it is where a device handed it over, and not the sender
   */
  Verdict judgeAstray(Cause ofDevice) {
    Leg leg = legs.get(legs.size() - 1);
    Leg before = legs.get(legs.size() - 2);
    Address to = leg.decisions().get(0).before().destination();
    Device device = site.devices().get(before.where());
    return device == null
        ? verdict(
            Cause.GATEWAY_OR_PREFIX_WRONG,
            "its gateway is " + leg.where() + ", which is no device",
            site.hosts().get(before.where()))
        : verdict(
            ofDevice,
            "it hands it to " + leg.where() + ", which is no device",
            device,
            routed(device, to));
  }

  /** A device's route leads to a router that is not there; null where it was no route. */
  @Nullable Verdict judgeMisled(Leg leg, Decision end, Cause cause) {
    Device device = site.devices().get(leg.where());
    for (Decision decision : leg.decisions()) {
      if (device != null && decision.by() instanceof Route route && route.via() != null) {
        return verdict(
            cause,
            "its route to " + route.to() + " leads to " + route.via() + ", which nobody has",
            device,
            routed(device, end.after().destination()));
      }
    }
    return null;
  }

  /** Nobody has the address that the packet was handed to. */
  Verdict judgeNobody(Leg leg, Decision end) {
    Verdict misled = judgeMisled(leg, end, Cause.ROUTE_MISSING);
    if (misled != null) {
      return misled;
    }
    List<Decision> decisions = leg.decisions();
    Ruling before =
        decisions.size() < 2 ? Ruling.FLOW_IS_NEW : decisions.get(decisions.size() - 2).ruling();
    Header header = end.after();
    if (leg.kind() == Leg.Kind.HOST && before == Ruling.SENT_TO_GATEWAY) {
      return verdict(
          Cause.GATEWAY_OR_PREFIX_WRONG,
          "its gateway is no device of the site",
          site.hosts().get(leg.where()));
    }
    Host sender = site.hosts().get(leg.where());
    if (sender != null && !sender.ownPrefixes().isEmpty() && before == Ruling.SENT_TO_NEIGHBOUR) {
      return verdict(
          Cause.GATEWAY_OR_PREFIX_WRONG,
          "it takes " + sender.ownPrefixes().get(0) + " for its own network",
          sender);
    }
    if (leg.kind() == Leg.Kind.INTERNET && end.by() instanceof Network link) {
      Interface assigned = assignedOn(link);
      if (assigned != null) {
        return verdict(
            Cause.ADDRESS_CHANGED,
            "the carrier assigns the address of "
                + assigned.name()
                + "; it is "
                + assigned.addresses().get(0)
                + " now",
            assigned,
            null);
      }
      Verdict wrong = judgeOtherAddress(header);
      return wrong != null ? wrong : verdict(Cause.TRANSLATION_MISSING, end, null);
    }
    if (translatedBy() == null) {
      return verdict(Cause.WRONG_ADDRESS, end, null);
    }
    Host moved = listener(header);
    if (moved != null && !moved.addresses().contains(header.destination())) {
      return verdict(
          Cause.HOST_MOVED,
          moved.name() + " listens on that port, and is at " + moved.addresses().get(0),
          translatedBy(),
          site.with(Mends.alsoAt(moved, header.destination())));
    }
    Network network = site.networkOf(header.destination());
    Host phantom =
        network == null
            ? null
            : Mends.listening(Host.unnamed(header.destination(), network), header);
    return verdict(
        Cause.HOST_MOVED, "", translatedBy(), phantom == null ? null : site.with(phantom));
  }

  private @Nullable Interface assignedOn(Network link) {
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (own.network().name().equals(link.name()) && own.assigned() == Assignment.BY_CARRIER) {
          return own;
        }
      }
    }
    return null;
  }

  /** Would it work with another external address? */
  @Nullable Verdict judgeOtherAddress(Header header) {
    for (Device device : site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        if (rule.disabled()) {
          continue;
        }
        var external = rule.block(header.destination().family());
        if (external == null
            || external.contains(
                attempt.addresses().isEmpty()
                    ? header.destination()
                    : attempt.addresses().get(0))) {
          continue;
        }
        Conversation other =
            Tracer.of(site)
                .converse(
                    new Attempt(
                        attempt.sender(),
                        attempt.source(),
                        external.first().toString(),
                        null,
                        List.of(external.first()),
                        attempt.probe(),
                        attempt.sourcePort(),
                        attempt.manner(),
                        attempt.at()));
        if (goal.test(other)) {
          return verdict(
              Cause.WRONG_ADDRESS,
              external.first() + " is the address that works: " + Labels.of(rule),
              rule,
              null);
        }
      }
    }
    return null;
  }

  /** A packet for an address of the device that no rule takes further. */
  private Verdict judgeUntranslated(Device device, Leg leg, Decision end) {
    NearMiss near = end.near();
    Header header = end.after();
    Verdict changed = judgeChangedAddress(device, header);
    InwardRule rule = near == null ? null : InwardRule.of(near.rule());
    if (near != null && rule != null) {
      return judgeNearTranslation(device, leg, end, near, rule);
    }
    Verdict wrong = judgeOtherAddress(header);
    if (changed != null || wrong != null) {
      return changed != null ? changed : Objects.requireNonNull(wrong);
    }
    Verdict outer = judgeOuter(device, leg, header);
    if (outer != null) {
      return outer;
    }
    boolean inside = leg.arriving() != null && !leg.arriving().isOutside();
    boolean meant = inside || attempt.to().equals(device.name());
    if (end.ruling() == Ruling.DEVICE_SERVICE_CLOSED
        || (meant && isOwn(device, header.destination()) && !isLedTo(device))) {
      return verdict(Cause.OWN_SERVICE_CLOSED, end, open(device, header));
    }
    for (InwardRule each : device.inward()) {
      if (each.disabled() && isAt(each, header) && covers(each.services(), header)) {
        return verdict(
            Cause.TRANSLATION_MISSING,
            Labels.of(each) + " would take it, but is disabled",
            each,
            null);
      }
    }
    return verdict(Cause.TRANSLATION_MISSING, end, null);
  }

  private static boolean isAt(InwardRule rule, Header header) {
    var external = rule.block(header.destination().family());
    return external != null && external.contains(header.destination());
  }

  /** As if the device itself ran the service for everybody. */
  private Site open(Device device, Header header) {
    List<OwnService> services = new ArrayList<>();
    services.add(new OwnService(Mends.service(header), List.of(), null, device.place()));
    services.addAll(device.services());
    return site.with(device.withServices(services));
  }

  /** Whether the packet came here because another device translated it. */
  private boolean isLedTo(Device device) {
    Placed by = translatedBy();
    return by != null && !device.translation().contains(by);
  }

  private static boolean isOwn(Device device, Address address) {
    return device.interfaces().stream().anyMatch(own -> own.addresses().contains(address));
  }

  private Verdict judgeNearTranslation(
      Device device, Leg leg, Decision end, NearMiss near, InwardRule rule) {
    Interface arriving = leg.arriving();
    Set<MatchField> fields = near.fields();
    if (fields.contains(MatchField.ARRIVING) && arriving != null) {
      return verdict(
          !arriving.isOutside() ? Cause.HAIRPIN_MISSING : Cause.WRONG_INTERFACE, "", rule);
    }
    if (fields.contains(MatchField.SERVICE)) {
      Header header = end.after();
      Verdict other = judgeOtherAddress(header);
      other =
          other == null && !isOtherProtocol(rule, header) ? judgeOuter(device, leg, header) : other;
      if (other != null) {
        return other;
      }
      Host meant = isOtherProtocol(rule, header) ? null : listener(header);
      return meant == null
          ? verdict(Cause.WRONG_SERVICE, "", nearest(device, rule, header))
          : verdict(
              Cause.TRANSLATION_MISSING,
              meant.name() + " listens there, but no rule of " + device.name() + " leads to it",
              device);
    }
    return verdict(Cause.SENDER_NOT_ADMITTED, "", rule);
  }

  /** Whether the rule is for the same port of the other protocol. */
  /**
   * Of the rules that take packets for the same address, and other ports of the protocol: the one
   * that has the name of the rule that led here, else that of the nearest port.
   */
  private InwardRule nearest(Device device, InwardRule near, Header header) {
    Placed by = translatedBy();
    InwardRule nearest = near;
    int least = Integer.MAX_VALUE;
    for (InwardRule each : device.inward()) {
      Integer port = TranslationCures.onlyPort(each.services(), header.protocol());
      boolean there = isAt(each, header) && each.facing().equals(near.facing());
      if (each.disabled() || port == null || !there) {
        continue;
      }
      boolean named = by instanceof Named outer && outer.name().equals(each.name());
      int distance = named ? -1 : Math.abs(port - header.destinationPort());
      if (distance < least) {
        least = distance;
        nearest = each;
      }
    }
    return nearest;
  }

  private static boolean isOtherProtocol(InwardRule rule, Header header) {
    int other =
        header.protocol() == Protocol.TCP
            ? Protocol.UDP
            : header.protocol() == Protocol.UDP ? Protocol.TCP : header.protocol();
    return !rule.services().isEmpty()
        && ServiceTerm.anyCovers(
            rule.services(), other, header.destinationPort(), header.icmpType(), header.icmpCode());
  }

  /** The only host that listens on the port of a packet; null if there is none or several. */
  private @Nullable Host listener(Header header) {
    Host found = null;
    for (Host host : site.hosts().values()) {
      if (!host.isOutside() && !host.listens().isEmpty() && covers(host.listens(), header)) {
        if (found != null) {
          return null;
        }
        found = host;
      }
    }
    return found;
  }

  /** A rule names an address literally that the carrier assigns and has changed. */
  private @Nullable Verdict judgeChangedAddress(Device device, Header header) {
    for (Interface own : device.interfaces()) {
      if (own.assigned() != Assignment.BY_CARRIER
          || !own.addresses().contains(header.destination())) {
        continue;
      }
      for (InwardRule rule : device.inward()) {
        if (!rule.disabled()
            && rule.external().literal() != null
            && own.network().prefixOf(rule.external().literal().first()) != null
            && !own.addresses().contains(rule.external().literal().first())
            && covers(rule.services(), header)) {
          return verdict(
              Cause.ADDRESS_CHANGED,
              Labels.of(rule)
                  + " names "
                  + rule.external().text()
                  + ", but the carrier has assigned "
                  + header.destination()
                  + " to "
                  + own.name()
                  + " now",
              rule);
        }
      }
    }
    return null;
  }

  /** A device behind this one expects the packet, but this one does not pass it on. */
  private @Nullable Verdict judgeOuter(Device outer, Leg leg, Header header) {
    for (Device inner : site.devices().values()) {
      if (inner.name().equals(outer.name())) {
        continue;
      }
      for (InwardRule rule : inner.inward()) {
        if (rule.disabled() || isFed(outer, rule)) {
          continue;
        }
        var external = rule.block(header.destination().family());
        boolean facesOuter =
            rule.facing().interfaces().stream()
                .anyMatch(
                    own ->
                        outer.interfaces().stream()
                            .anyMatch(o -> o.network().name().equals(own.network().name())));
        if (external != null
            && facesOuter
            && leg.arriving() != null
            && SpecialAddresses.NOT_ON_THE_INTERNET.contains(external.first())) {
          return verdictWith(
              rule,
              Cause.OUTER_RULE_MISSING,
              inner.name()
                  + " behind it expects the packet at "
                  + external.first()
                  + " by "
                  + Labels.of(rule)
                  + " (line "
                  + rule.place().line()
                  + "), but no rule of "
                  + outer.name()
                  + " leads it there",
              outer);
        }
      }
    }
    return null;
  }

  /** Whether a rule of the outer device leads to where a rule of the inner one takes packets. */
  private static boolean isFed(Device outer, InwardRule inner) {
    for (InwardRule rule : outer.inward()) {
      if (!rule.disabled()) {
        var external = inner.block(rule.internalBlock().family());
        if (external == null || !rule.internalBlock().contains(external.first())) {
          continue;
        }
        PortSet ports = rule.internalPorts();
        if (inner.services().isEmpty() || (ports == null && rule.services().isEmpty())) {
          return true;
        }
        for (ServiceTerm term : inner.services()) {
          for (ServicePart part : term.service().parts()) {
            if (ports != null
                ? part.ports().intersects(ports)
                : rule.services().stream()
                    .anyMatch(own -> own.service().overlaps(term.service()))) {
              return true;
            }
          }
        }
      }
    }
    return false;
  }
}
