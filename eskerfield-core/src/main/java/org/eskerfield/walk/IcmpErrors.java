// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.Objects;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.Condition;
import org.eskerfield.program.RouteTable;
import org.eskerfield.program.Row;
import org.eskerfield.program.Translations;
import org.jspecify.annotations.Nullable;

/**
 * What a device does with ICMP errors, which carry the packet that they are about: one about a
 * packet of a session or of a binding is translated, inside and out (RFC 5508 section 4.2).
 */
final class IcmpErrors {
  private final DeviceMachine machine;

  /** The rule whose internal side the packet inside an error was for; null for another. */
  private Translations.@Nullable Outbound rule;

  IcmpErrors(DeviceMachine machine) {
    this.machine = machine;
  }

  /** Begins with another packet. */
  void begin() {
    rule = null;
  }

  /** Whether the error goes out by a rule, and was not led in by one. */
  boolean goesOut() {
    return rule != null;
  }

  /**
   * An error about a packet of no session: one of a binding is translated; one about an endpoint
   * that is translated here, but not for this packet, is dropped (RFC 5508 REQ-4); any other is an
   * ordinary packet.
   */
  @Nullable Ruling judge(Packet inner) {
    if (machine.arriving != null) {
      machine.destinationBinding =
          machine.tables.filter().bindingAt(inner.mirrored(), machine.realm);
      if (machine.destinationBinding != DeviceWalk.NONE) {
        machine.errorOfBinding = true;
        machine.say(Ruling.ERROR_OF_BINDING, machine.tables.ruleOf(machine.destinationBinding));
        return null;
      }
      Row<Translations.Fixed> rules =
          machine.program.translations.fixedFrom(machine.arriving, machine.arrivingNumber);
      Translations.Fixed fixed = rules.get(machine.first(rules, Seen.INNER_ANSWERED));
      if (fixed != null) {
        if (isLost(fixed.entry().lost())) {
          return machine.end(Ruling.ERROR_UNMATCHED, fixed.rule());
        }
        machine.errorOfBinding = true;
        machine.translated = fixed.entry();
        machine.say(Ruling.ERROR_OF_BINDING, fixed.rule());
        return null;
      }
      rule = fixedTowards();
      if (rule != null) {
        if (isLost(rule.lost())) {
          return machine.end(Ruling.ERROR_UNMATCHED, rule.rule());
        }
        machine.errorOfBinding = true;
        machine.say(Ruling.ERROR_OF_BINDING, rule.rule());
        return null;
      }
      if (stands(inner)) {
        return machine.end(Ruling.ERROR_UNMATCHED, null);
      }
    }
    machine.say(Ruling.FLOW_IS_NEW, null);
    return null;
  }

  /** Whether the rule has no counterpart for the address that it would put into the error. */
  private boolean isLost(@Nullable Condition lost) {
    return lost != null && machine.is(lost, Seen.INNER_ANSWERED);
  }

  /**
   * The rule for both ways by which a reply would leave where the error leaves; null if there is
   * none.
   */
  private Translations.@Nullable Outbound fixedTowards() {
    if (machine.is(machine.program.owned)) {
      return null;
    }
    Row<RouteTable.Entry> routes = machine.program.routesBy(null);
    RouteTable.Entry route = routes.get(machine.first(routes, Seen.NOW));
    if (route == null || route.leaving() == null) {
      return null;
    }
    Translations.Outbound rule = machine.outbound(route.leaving(), Seen.INNER_ANSWERED);
    return rule != null && rule.rule().isBothWays() ? rule : null;
  }

  /** Whether an end of the packet inside an error is one that a rule or binding stands on. */
  private boolean stands(Packet inner) {
    boolean bound =
        isBound(inner.source(), inner.sourcePort, inner)
            || isBound(inner.destination(), inner.destinationPort, inner);
    if (bound && machine.witness != null) {
      machine.witness.isPeculiar();
    }
    return bound || machine.is(machine.program.standing, Seen.INNER_ANSWERED);
  }

  private boolean isBound(Address address, int port, Packet about) {
    return machine.program.claims.isNobodys(address)
        && machine.tables.filter().isBound(address, port, about.protocol, machine.realm);
  }

  /** Leads an error to the user of a binding, and shows him his own packet in it. */
  void lead(Packet inner) {
    Packet reply = inner.mirrored();
    if (machine.destinationBinding != DeviceWalk.NONE) {
      machine.tables.leadTo(machine.destinationBinding, reply);
    } else if (machine.translated != null) {
      machine.translated.rewrite(reply);
    }
    inner.rewriteSource(reply.destination(), reply.destinationPort);
    machine.packet.rewriteDestination(reply.destination(), 0);
    if (machine.witness != null && machine.translated != null) {
      machine.witness.rewrittenDestination(machine.translated::rewrite);
    }
    TranslationRule by =
        machine.translated != null
            ? machine.translated.rule()
            : machine.tables.ruleOf(machine.destinationBinding);
    machine.translated = null; // its admission and hairpin are for packets that open something
    machine.say(Ruling.DESTINATION_RESTORED, by);
  }

  /**
   * The source of an error about a packet of no session: one from inside about a packet to the
   * internal side of a static rule shows the external side of it.
   */
  void keepSource(Packet inner) {
    Translations.Outbound rule = this.rule;
    InwardRule fixed = rule == null ? null : rule.rule().inward();
    Interface side = machine.leaving();
    if (rule == null || side == null || fixed == null || rule.external() == null) {
      machine.say(Ruling.SOURCE_KEPT, null);
      return;
    }
    Packet reply = inner.mirrored();
    Address external = Objects.requireNonNullElse(rule.external(reply.source()), reply.source());
    Address sender = fixed.isStateless() ? rule.external(machine.packet.source()) : null;
    Address own = sender != null ? sender : side.address(machine.packet.family);
    boolean fromEnd = machine.packet.source().equals(inner.destination());
    int port = inner.destinationPort - (Protocol.hasPorts(inner.protocol) ? fixed.shift() : 0);
    inner.rewriteDestination(external, port);
    boolean changed = !external.equals(reply.source());
    if (changed && (fromEnd || own != null)) {
      machine.packet.rewriteSource(fromEnd || own == null ? external : own, 0);
      if (machine.witness != null && fromEnd) {
        machine.witness.rewrittenSource(all -> rule.rewrite(all, side));
      } else if (machine.witness != null) {
        machine.witness.isPeculiar();
      }
    }
    machine.say(Ruling.SOURCE_RESTORED, fixed);
  }

  /**
   * Gives an error a source that the other side knows: that of the session if it comes from the far
   * end itself, else, from a router on the way, the device's own address (RFC 5508 REQ-5).
   */
  void hideSender() {
    if (machine.packet.source().equals(machine.tables.arrivingSource(machine.session))) {
      machine.tables.restoreSource(machine.session, machine.packet);
      machine.packet.sourcePort = 0;
      return;
    }
    Interface side = machine.leaving();
    Address own = side == null ? null : side.address(machine.packet.family);
    if (own != null) {
      machine.packet.rewriteSource(own, 0);
    }
  }
}
