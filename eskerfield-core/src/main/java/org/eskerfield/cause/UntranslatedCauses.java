// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.MatchField;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
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

/** Names the cause for which no rule leads a packet where it is meant to go. */
final class UntranslatedCauses extends Case {
  /** Of more hosts nobody tries which one a missing rule was for. */
  private static final int MOST_CANDIDATES = 24;

  private @Nullable Tracer tracer;

  UntranslatedCauses(Case other) {
    super(other);
  }

  /** A rule that is disabled would take it, of a device on the network where nobody has it. */
  @Nullable Verdict judgeDisabled(Device device, Header header) {
    for (InwardRule each : device.inward()) {
      if (each.disabled() && isAt(each, header) && covers(each.services(), header)) {
        return verdict(
            Cause.TRANSLATION_MISSING, Labels.of(each) + " would match it, but is disabled", each);
      }
    }
    return null;
  }

  /**
   * Nobody on a carrier's link has an address: maybe since the carrier has assigned another one.
   */
  Verdict judgeOnLink(Network link, Header header, Decision end) {
    Interface assigned = assignedOn(link);
    Address now = assigned == null ? null : assigned.address(header.destination().family());
    if (assigned == null || now == null || !goal.test(asking(now))) {
      return judgeUnclaimed(link, header, end, Cause.TRANSLATION_MISSING);
    }
    return verdict(
            Cause.ADDRESS_CHANGED,
            "the carrier assigns the address of " + assigned.name() + "; it is " + now + " now",
            assigned)
        .alone();
  }

  /** Nobody on a network has an address that one of the devices there could take. */
  Verdict judgeUnclaimed(Network network, Header header, Decision end, Cause otherwise) {
    for (Interface own : site.interfacesOn(network)) {
      Verdict led = own.isUp() ? judgeUnled(own, header) : null;
      if (led != null) {
        return led;
      }
    }
    Verdict wrong = judgeOtherAddress(header);
    return wrong != null ? wrong : verdict(otherwise, end, null);
  }

  /** It would leave to the outside again by which it came, since no rule leads it inside. */
  @Nullable Verdict judgeBounced(Leg leg, Decision end) {
    Interface arriving = leg.arriving();
    Interface leaving = leaving(leg);
    return arriving != null
            && arriving.isOutside()
            && leaving != null
            && leaving.isOutside()
            && translatedBy() == null
        ? judgeUnled(arriving, end.after())
        : null;
  }

  /** A rule that is disabled would lead what arrives by an interface, or one is missing. */
  private @Nullable Verdict judgeUnled(Interface arriving, Header header) {
    Verdict disabled = judgeDisabled(site.deviceOf(arriving), header);
    return disabled != null ? disabled : judgeMeant(arriving, header);
  }

  @Nullable Interface assignedOn(Network link) {
    for (Interface own : site.interfacesOn(link)) {
      if (own.assigned() == Assignment.BY_CARRIER) {
        return own;
      }
    }
    return null;
  }

  /** The same attempt at another address, on the site as it is. */
  Conversation asking(Address other) {
    if (tracer == null) {
      tracer = Tracer.of(site);
    }
    return tracer.converse(
        new Attempt(
            attempt.sender(),
            attempt.source(),
            other.toString(),
            null,
            List.of(other),
            attempt.probe(),
            attempt.sourcePort(),
            attempt.manner(),
            attempt.at()));
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
        if (goal.test(asking(external.first()))) {
          return verdict(
                  Cause.WRONG_ADDRESS,
                  external.first() + " is the address that works: " + Labels.of(rule),
                  rule)
              .alone();
        }
      }
    }
    return null;
  }

  /** A packet for an address of the device that no rule takes further. */
  Verdict judgeUntranslated(Device device, Leg leg, Decision end) {
    NearMiss near = end.near();
    Header header = end.after();
    Verdict disabled = judgeDisabled(device, header);
    if (disabled != null) {
      return disabled;
    }
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
    Verdict led = leg.arriving() == null ? null : judgeMeant(leg.arriving(), header);
    return led != null ? led : verdict(Cause.TRANSLATION_MISSING, end, null);
  }

  /**
   * No rule leads on what arrives by an interface. Where there is one host alone to whom everything
   * else lets it through, he is the one that is meant; null where there is none, or several.
   */
  private @Nullable Verdict judgeMeant(Interface arriving, Header header) {
    List<Host> candidates =
        site.hosts().values().stream()
            .filter(host -> !host.isOutside() && !host.off())
            .filter(host -> TranslationCures.led(host, header) != null)
            .toList();
    List<Host> meant =
        candidates.size() > MOST_CANDIDATES
            ? List.of()
            : candidates.stream().filter(host -> isLedBy(arriving, header, host)).toList();
    if (meant.size() != 1) {
      return null;
    }
    Host host = meant.get(0);
    return verdictWith(
        host,
        Cause.TRANSLATION_MISSING,
        "the rest of the way is open to port "
            + TranslationCures.led(host, header)
            + " of "
            + host.name()
            + " alone",
        arriving);
  }

  /** Whether all is as it should be with a rule that leads to a host. */
  private boolean isLedBy(Interface arriving, Header header, Host host) {
    Change rule = TranslationCures.leading(site, arriving, header, host);
    return succeedsOn(on(rule));
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
      Host meant = isOtherProtocol(rule, header) ? null : listener(site, header);
      return meant == null
          ? verdict(Cause.WRONG_SERVICE, "", nearest(device, rule, header))
          : verdict(
              Cause.TRANSLATION_MISSING,
              meant.name() + " listens there, but no rule of " + device.name() + " leads to it",
              device);
    }
    return verdict(Cause.SENDER_NOT_ADMITTED, "", rule);
  }

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

  /** Whether the rule is for the same port of the other protocol. */
  private static boolean isOtherProtocol(InwardRule rule, Header header) {
    int other =
        header.protocol() == Protocol.TCP
            ? Protocol.UDP
            : header.protocol() == Protocol.UDP ? Protocol.TCP : header.protocol();
    return !rule.services().isEmpty()
        && ServiceTerm.anyCovers(
            rule.services(), other, header.destinationPort(), header.icmpType(), header.icmpCode());
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
