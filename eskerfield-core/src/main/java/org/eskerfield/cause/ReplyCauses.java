// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.change.Changes;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Prefix;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** Names the cause for which a request arrived, but its reply was lost. */
final class ReplyCauses extends Case {
  ReplyCauses(Case other) {
    super(other);
  }

  @Nullable Verdict judgeReply(Trace trace, Decision end) {
    Leg leg = legs.get(legs.size() - 1);
    Device device = site.devices().get(leg.where());
    Header header = end.after();
    Host answerer = site.hosts().get(legs.get(0).where());
    String other = otherWay(trace);
    switch (end.ruling()) {
      case REPLY_DISCARDED -> {
        return verdict(Cause.REPLY_BY_OTHER_WAY, other, translatedOf(trace));
      }
      case NO_GATEWAY -> {
        return verdict(Cause.GATEWAY_OR_PREFIX_WRONG, "", answerer);
      }
      case NOT_FOR_HOST -> {
        return new RequestCauses(this).judgeAstray(Cause.RETURN_ROUTE_MISSING);
      }
      case NOBODY_THERE -> {
        if (leg.kind() == Leg.Kind.HOST) {
          return new RequestCauses(this).judgeNobody(leg, end);
        }
        Verdict nobody = judgeNobody(leg, end, other);
        if (nobody != null) {
          return nobody;
        }
      }
      case NO_CARRIER_LINK -> {
        return verdict(Cause.ADDRESS_NOT_ROUTED, end, null);
      }
      case INTERFACE_DOWN, ROUTE_DOWN -> {
        return judgeDown(end);
      }
      case NO_ROUTE, ROUTE_DISCARDS -> {
        if (other.isEmpty() || answerer == null) {
          return verdict(Cause.RETURN_ROUTE_MISSING, end, routed(device, header.destination()));
        }
      }
      case HOPS_USED_UP -> {
        return verdict(Cause.LOOP, "", null, routedEverywhere(header.destination()));
      }
      case DESTINATION_NOT_CARRIED -> {
        if (other.isEmpty()) {
          return verdict(
              Cause.RETURN_ROUTE_MISSING,
              "a route towards the internet takes it instead",
              lastDevice(),
              routed(lastDevice(), header.destination()));
        }
      }
      default -> {
        Verdict here = device == null ? null : judgeAt(device, leg, end, other.isEmpty());
        if (here != null) {
          return here;
        }
      }
    }
    return judgeOtherWay(trace, end, answerer, other);
  }

  /** A device, or a carrier, hands the reply to somebody who is not there. */
  private @Nullable Verdict judgeNobody(Leg leg, Decision end, String other) {
    RequestCauses request = new RequestCauses(this);
    Verdict misled = request.judgeMisled(leg, end, Cause.RETURN_ROUTE_MISSING);
    if (misled == null && end.by() instanceof Network link) {
      misled = request.judgeBlock(link, end.after().destination());
    }
    return misled == null && leg.kind() == Leg.Kind.INTERNET && other.isEmpty()
        ? verdict(Cause.RETURN_ROUTE_MISSING, end, null)
        : misled;
  }

  /** A device that passed the request does not know the reply for one. */
  private @Nullable Verdict judgeAt(Device device, Leg leg, Decision end, boolean sameWay) {
    if (end.ruling() == Ruling.DESTINATION_UNMATCHED) {
      return judgeUnhairpinned(device, leg, end.after());
    }
    if (end.ruling() == Ruling.NOT_AN_OPENING) {
      return sameWay ? judgeUnremembered(device) : null;
    }
    AccessList list = listOf(device, end.by());
    if (list == null) {
      return null;
    }
    Verdict unknown = sameWay && !list.stateless() ? judgeUnremembered(device) : null;
    return unknown != null || !list.stateless() ? unknown : verdict(Cause.REPLIES_NOT_LET_IN, end);
  }

  /** A device keeps no session of a request that no list guards, and takes the reply for new. */
  private @Nullable Verdict judgeUnremembered(Device device) {
    return !device.stance().acceptsEverything()
        ? null
        : verdict(
            Cause.REPLIES_NOT_LET_IN,
            "no list guards the way of the request, and the stance 'accept' keeps no sessions",
            device.stance(),
            Changes.on(site, Mends.remembering(device, null)));
  }

  /** The reply went by devices that the request did not meet, or by none. */
  private Verdict judgeOtherWay(Trace trace, Decision end, @Nullable Host answerer, String other) {
    Device strayed = strayedAt(trace);
    if (strayed != null) {
      return verdict(
          Cause.RETURN_ROUTE_MISSING, other, strayed, routed(strayed, end.after().destination()));
    }
    // It met other devices, or none: the answerer sends its replies elsewhere.
    if (answerer != null && !other.isEmpty() && !answerer.isOutside()) {
      boolean wrongGateway = !answerer.gateways().isEmpty() && answerer.networks().size() == 1;
      return verdict(
          wrongGateway ? Cause.GATEWAY_OR_PREFIX_WRONG : Cause.REPLY_BY_OTHER_WAY, other, answerer);
    }
    return verdict(
        other.isEmpty() ? Cause.RETURN_ROUTE_MISSING : Cause.REPLY_BY_OTHER_WAY,
        other,
        end.by(),
        null);
  }

  /** The reply to an insider that a rule without state does not lead back; null for another. */
  private @Nullable Verdict judgeUnhairpinned(Device device, Leg leg, Header header) {
    InwardRule rule = statelessOf(device, header.destination());
    Interface arriving = leg.arriving();
    return rule == null || arriving == null
        ? null
        : verdict(
            Cause.HAIRPIN_MISSING,
            "the reply comes by " + arriving.name() + ", and no session leads it back",
            rule);
  }

  /** The rule without state that would lead a reply back to an insider; null if none is there. */
  private static @Nullable InwardRule statelessOf(Device device, Address external) {
    for (InwardRule rule : device.inward()) {
      Prefix block = rule.block();
      if (rule.isStateless() && !rule.disabled() && block != null && block.contains(external)) {
        return rule;
      }
    }
    return null;
  }

  /** Where the reply left the way of the request; empty if it did not. */
  private String otherWay(Trace trace) {
    List<String> there = new ArrayList<>();
    for (Leg leg : trace.request()) {
      there.add(0, leg.where());
    }
    for (int i = 0; i < legs.size() && i < there.size(); i++) {
      if (!legs.get(i).where().equals(there.get(i))) {
        return "the request came to "
            + there.get(i - 1 < 0 ? 0 : i - 1)
            + " from "
            + there.get(i)
            + ", but the reply goes on to "
            + legs.get(i).where();
      }
    }
    return "";
  }

  /** The device that had the reply where it had the request, and sent it elsewhere; or null. */
  private @Nullable Device strayedAt(Trace trace) {
    List<Leg> there = trace.request();
    for (int i = 1; i < legs.size() && i < there.size(); i++) {
      if (!legs.get(i).where().equals(there.get(there.size() - 1 - i).where())) {
        return i == 1 ? null : site.devices().get(legs.get(i - 1).where());
      }
    }
    return null;
  }

  private static @Nullable Placed translatedOf(Trace trace) {
    for (Leg leg : trace.request()) {
      for (Decision decision : leg.decisions()) {
        if (decision.ruling() == Ruling.DESTINATION_TRANSLATED) {
          return decision.by();
        }
      }
    }
    return null;
  }
}
