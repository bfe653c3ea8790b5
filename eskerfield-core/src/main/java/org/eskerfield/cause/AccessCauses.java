// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.EnumSet;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.MatchField;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.program.CompiledList;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.NearMiss;
import org.jspecify.annotations.Nullable;

/** Names the cause for which a list, a stance or an admission let a packet not pass. */
final class AccessCauses extends Case {
  AccessCauses(Case other) {
    super(other);
  }

  Verdict judgeAdmission(Device device, Decision end) {
    InwardRule rule = Objects.requireNonNull(InwardRule.of(end.by()));
    NearMiss near = end.near();
    boolean late = near != null && near.fields().equals(EnumSet.of(MatchField.SCHEDULE));
    return late
        ? verdict(Cause.OUTSIDE_SCHEDULE, end, on(new Change.Alter(rule, Mends.admittingAll(rule))))
        : verdict(Cause.SENDER_NOT_ADMITTED, end);
  }

  Verdict judgeAccess(Device device, Leg leg, Decision end) {
    Header header = seenByLists(device, leg, end);
    Placed by = end.by();
    AccessList list = listOf(device, by);
    Astray astray = new Astray(site, device);
    AccessList turned = list == null ? null : Astray.turned(list);
    if (list != null && turned != null && astray.is(list) && !astray.is(turned)) {
      return verdict(
          Cause.WRONG_INTERFACE,
          Labels.of(list)
              + " guards "
              + Astray.ways(list)
              + ", and all its rules are for the other direction",
          list);
    }
    if (by instanceof AccessRule) {
      return verdict(Cause.DENIED, end);
    }
    NearMiss near = end.near();
    if (near != null) {
      Set<MatchField> fields = near.fields();
      if (fields.equals(EnumSet.of(MatchField.SCHEDULE))) {
        return verdict(Cause.OUTSIDE_SCHEDULE, "", near.rule(), anyTime(near.rule()));
      }
      if (fields.equals(EnumSet.of(MatchField.DESTINATION)) && namesOtherSide(near, leg)) {
        return verdict(
            Cause.OTHER_SIDE_NAMED,
            device.name()
                + " filters on the destination "
                + (device.seesOriginal() ? "before" : "after")
                + " translation",
            near.rule());
      }
      boolean meant = near.rule() instanceof AccessRule rule && !rule.to().isEmpty();
      if ((meant && fields.equals(EnumSet.of(MatchField.SERVICE)))
          || fields.equals(EnumSet.of(MatchField.SOURCE_PORT))) {
        return verdict(Cause.WRONG_SERVICE, "", near.rule());
      }
      if (fields.equals(EnumSet.of(MatchField.SOURCE)) && isForHisSide(near.rule(), header)) {
        return verdict(Cause.SENDER_NOT_ADMITTED, "", near.rule());
      }
    }
    Verdict elsewhere = judgeOthers(device, list, header, astray);
    if (elsewhere != null) {
      return elsewhere;
    }
    AccessRule disabled = list == null ? null : disabled(list, header);
    return disabled != null
        ? verdict(Cause.ACCESS_MISSING, Labels.of(disabled) + " is disabled", disabled)
        : verdict(Cause.ACCESS_MISSING, end);
  }

  /** A rule that would accept it, of a list that guards something else. */
  private @Nullable Verdict judgeOthers(
      Device device, @Nullable AccessList list, Header header, Astray astray) {
    for (AccessList other : device.access()) {
      AccessRule match = accepting(other, header);
      if (match == null || other.equals(list)) {
        continue;
      }
      boolean idle = other.guards().isEmpty();
      if (idle || astray.is(other, match) || astray.is(other)) {
        return verdict(
            idle ? Cause.LIST_GUARDS_NOTHING : Cause.WRONG_INTERFACE,
            Labels.of(match)
                + " of "
                + Labels.of(other)
                + " would accept it, but the list guards "
                + (idle ? "nothing" : Astray.ways(other)),
            list == null ? other : match);
      }
    }
    return null;
  }

  /** A rule of a list that would accept the service, but is disabled. */
  private static @Nullable AccessRule disabled(AccessList list, Header header) {
    for (AccessRule rule : list.rules()) {
      if (rule.disabled() && rule.action() == Action.ACCEPT && covers(rule.services(), header)) {
        return rule;
      }
    }
    return null;
  }

  /**
   * Whether a rule is for senders of the side that a sender is on, inside or on the internet: a
   * rule for what goes out is not what keeps somebody from coming in.
   */
  private boolean isForHisSide(Placed rule, Header header) {
    AddressSet outside = Outside.senders(site);
    AddressSet side = outside.contains(header.source()) ? outside : outside.complement();
    return !(rule instanceof AccessRule access) || site.matched(access.from()).intersects(side);
  }

  /** As if a rule that is for some times only held at every time. */
  private @Nullable Site anyTime(Placed rule) {
    return rule instanceof AccessRule access
        ? on(new Change.Alter(access, access.withWhen(null)))
        : null;
  }

  private @Nullable AccessRule accepting(AccessList list, Header header) {
    AccessRule match =
        CompiledList.of(site, list).firstMatch(Packet.of(header), false, attempt.at());
    return match != null && match.action() == Action.ACCEPT ? match : null;
  }

  /** Whether the rule names the address that the packet had, or will have, on the other side. */
  private boolean namesOtherSide(NearMiss near, Leg leg) {
    AccessRule rule = (AccessRule) near.rule();
    for (Decision decision : leg.decisions()) {
      if (decision.ruling() == Ruling.DESTINATION_TRANSLATED) {
        return site.addresses(rule.to()).contains(decision.before().destination())
            || site.addresses(rule.to()).contains(decision.after().destination());
      }
    }
    return false;
  }
}
