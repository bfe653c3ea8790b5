// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.List;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Route;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
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
      case NO_GATEWAY -> judgeGateless(header, end);
      case NOBODY_THERE -> judgeNobody(leg, end);
      case NOT_FOR_HOST -> judgeAstray(Cause.ROUTE_MISSING);
      case INTERFACE_DOWN, ROUTE_DOWN -> judgeDown(end);
      case NO_ROUTE, ROUTE_DISCARDS -> judgeUnrouted(device, header, end);
      case HOPS_USED_UP -> verdict(Cause.LOOP, "", null, routedEverywhere(header.destination()));
      case SOURCE_NOT_CARRIED -> new CarriedCauses(this).judgePrivateSource();
      case DESTINATION_NOT_CARRIED -> new CarriedCauses(this).judgePrivateDestination(header);
      case NO_CARRIER_LINK -> verdict(Cause.ADDRESS_NOT_ROUTED, end, null);
      case DESTINATION_UNMATCHED,
          DEVICE_NOT_ADMITTED,
          DEVICE_REFUSES,
          DEVICE_REFUSES_LATER,
          DEVICE_SILENT,
          DEVICE_SERVICE_CLOSED ->
          device == null ? null : new UntranslatedCauses(this).judgeUntranslated(device, leg, end);
      case NOT_ADMITTED ->
          device == null ? null : new AccessCauses(this).judgeAdmission(device, end);
      case DROPPED_BY_RULE,
          REJECTED_BY_RULE,
          DROPPED_OTHERWISE,
          REJECTED_OTHERWISE,
          DROPPED_BY_STANCE,
          REJECTED_BY_STANCE ->
          device == null ? null : judgeRefused(device, leg, end);
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

  private Verdict judgeRefused(Device device, Leg leg, Decision end) {
    Verdict bounced = new UntranslatedCauses(this).judgeBounced(leg, end);
    return bounced != null ? bounced : new AccessCauses(this).judgeAccess(device, leg, end);
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
            "its gateway is " + leg.where() + ", which is not a device of the site",
            site.hosts().get(before.where()))
        : verdict(
            ofDevice,
            "it sends it to " + leg.where() + ", which is not a device of the site",
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
          "its gateway is not a device of the site",
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
      Verdict astray = judgeBlock(link, header.destination());
      return astray != null ? astray : new UntranslatedCauses(this).judgeOnLink(link, header, end);
    }
    if (translatedBy() == null) {
      return end.by() instanceof Network network
          ? new UntranslatedCauses(this).judgeUnclaimed(network, header, end, Cause.WRONG_ADDRESS)
          : verdict(Cause.WRONG_ADDRESS, end, null);
    }
    Host moved = listener(site, header);
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

  /** The carrier routes the block that holds an address to somebody who is not on the link. */
  @Nullable Verdict judgeBlock(Network link, Address to) {
    for (Network.Routed block : link.routed()) {
      if (block.to().contains(to) && link.prefixOf(to) == null) {
        return verdict(
            Cause.ADDRESS_NOT_ROUTED,
            "the carrier routes "
                + block.to()
                + " to "
                + block.via()
                + " (line "
                + block.place().line()
                + "), which nobody on "
                + link.name()
                + " has",
            link);
      }
    }
    return null;
  }

  /** A host without a gateway: maybe since no device is there to be one. */
  private Verdict judgeGateless(Header header, Decision end) {
    Host sender = end.by() instanceof Host host ? host : null;
    for (Network network : sender == null ? List.<Network>of() : sender.networks()) {
      if (!site.gateways(network, header.destination().family()).isEmpty()) {
        return verdict(Cause.GATEWAY_OR_PREFIX_WRONG, end);
      }
    }
    return sender == null
        ? verdict(Cause.GATEWAY_OR_PREFIX_WRONG, end)
        : verdict(
            Cause.ROUTE_MISSING,
            "no device has an interface on " + sender.networks().get(0).name(),
            sender.networks().get(0));
  }

  /** No route: maybe since the rule that led here names the wrong way out. */
  private Verdict judgeUnrouted(@Nullable Device device, Header header, Decision end) {
    InwardRule rule = InwardRule.of(translatedBy());
    if (device != null && rule != null && rule.leaving() != null) {
      for (Interface own : device.interfaces()) {
        Cure cure = TranslationCures.leavingBy(rule, own);
        if (cure != null && succeedsOn(Changes.on(site, cure.changes()))) {
          return verdictWith(
              own,
              Cause.WRONG_INTERFACE,
              "with 'leaving: " + own.name() + "' it comes through (tried)",
              rule);
        }
      }
    }
    return verdict(Cause.ROUTE_MISSING, end, routed(device, header.destination()));
  }
}
