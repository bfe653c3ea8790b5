// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.cause.Cause;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.DestinationRuleBuilder;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.External;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Place;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** Who is told what address for a name, and whether he can use it. */
final class NameAnswers {
  private final Inspection check;

  NameAnswers(Inspection check) {
    this.check = check;
  }

  void inspect() {
    for (DomainName name : check.site.names().values()) {
      for (DomainName.Answer answer : name.answers()) {
        notAsked(name, answer);
        unknown(name, answer);
        changing(name, answer);
      }
      for (Host host : check.site.hosts().values()) {
        if (!host.isOutside() && !host.off()) {
          hairpin(name, host);
        }
      }
    }
  }

  private @Nullable Host resolverOf(Host host) {
    Address asked = check.site.resolver(host);
    return asked == null ? null : check.site.hostAt(asked);
  }

  /** An answer for insiders that no insider gets. */
  private void notAsked(DomainName name, DomainName.Answer answer) {
    Host resolver = answer.resolver() == null ? null : check.site.hosts().get(answer.resolver());
    if (resolver == null || resolver.isOutside() || resolver.networks().isEmpty()) {
      return;
    }
    Set<Network> lost = new LinkedHashSet<>();
    for (Host host : check.site.hosts().values()) {
      Host asked = host.isOutside() ? null : resolverOf(host);
      if (asked != null && asked.name().equals(resolver.name()) && !host.equals(resolver)) {
        return;
      }
      if (asked != null && asked.isOutside() && host.isOn(resolver.networks().get(0))) {
        lost.add(resolver.networks().get(0));
      }
    }
    Network network = lost.isEmpty() ? null : lost.iterator().next();
    check.add(
        Code.NAME_WRONG_SIDE,
        answer,
        name.name(),
        resolver.name()
            + " has an answer of its own for "
            + name.name()
            + ", but no host asks it"
            + (network == null
                ? ""
                : ": hosts of " + network.name() + " ask a resolver of the internet"),
        null,
        network == null
            ? Cure.byHand("name " + resolver.name() + " as the resolver of those who should ask it")
            : Cure.of(
                "let the hosts of " + network.name() + " ask " + resolver.name(),
                new Change.Alter(network, network.withResolver(AddressTerm.of(resolver)))));
  }

  private void unknown(DomainName name, DomainName.Answer answer) {
    DomainName.Answer outside = null;
    for (DomainName.Answer each : name.answers()) {
      outside = each.resolver() == null && !each.addresses().isEmpty() ? each : outside;
    }
    if (answer.resolver() == null || !answer.addresses().isEmpty() || outside == null) {
      return;
    }
    String asker = null;
    for (Host host : check.site.hosts().values()) {
      Host asked = host.isOutside() ? null : resolverOf(host);
      boolean asks = asked != null && asked.name().equals(answer.resolver());
      asker = asker == null && asks && !host.equals(asked) ? host.name() : asker;
    }
    if (asker == null) {
      return;
    }
    Host meant = hostBehind(outside.addresses().get(0));
    check.add(
        Code.NAME_UNKNOWN,
        answer,
        name.name(),
        answer.resolver()
            + " answers that there is no "
            + name.name()
            + ", while the internet resolves it to "
            + outside.addresses().get(0)
            + "; "
            + asker
            + " asks "
            + answer.resolver(),
        null,
        meant == null
            ? Cure.byHand("give " + answer.resolver() + " an answer")
            : Cure.of(
                "let " + answer.resolver() + " answer with " + meant.name(),
                new Change.Alter(answer, answer.saying(meant.addresses(), null, meant.name()))));
  }

  /** The only host that outsiders reach by an external address. */
  private @Nullable Host hostBehind(Address external) {
    Host found = null;
    for (Conversation each : fromOutside(external)) {
      Trace opening = each.opening();
      Endpoint at = opening == null ? null : opening.deliveredTo();
      Host host =
          at == null ? null : check.site.hosts().get(Objects.requireNonNullElse(at.name(), ""));
      found = found == null ? host : found;
    }
    return found;
  }

  /** What outsiders reach at an address by its rules, web services first. */
  private List<Conversation> fromOutside(Address external) {
    List<Conversation> answered = new ArrayList<>();
    for (Host outsider : check.site.hosts().values()) {
      if (!outsider.isOutside() || outsider.off() || !outsider.blocked().isEmpty()) {
        continue;
      }
      for (Probe probe : probes(external)) {
        Attempt attempt = check.attempt(outsider, external, probe);
        Conversation each = check.tracer.converse(attempt);
        if (each.outcome() == Outcome.ANSWERED) {
          answered.add(each);
        }
      }
      if (!answered.isEmpty()) {
        break;
      }
    }
    return answered;
  }

  /**
   * The ports that a name with an address is for: those of the web if rules have any there, else
   * those of the only rule there; none where several rules leave it open.
   */
  private List<Probe> probes(Address external) {
    Set<Probe> all = new LinkedHashSet<>();
    Set<Probe> web = new LinkedHashSet<>();
    int rules = 0;
    for (Device device : check.site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        if (rule.disabled()) {
          continue;
        }
        Prefix block = rule.block(external.family());
        if (block == null || !block.contains(external)) {
          continue;
        }
        rules++;
        for (ServiceTerm term : rule.services()) {
          for (ServicePart part : term.service().parts()) {
            if (Protocol.hasPorts(part.protocol())) {
              int port = part.ports().first();
              Probe probe = Probe.of(part.protocol(), port);
              (port == 80 || port == 443 ? web : all).add(probe);
            }
          }
        }
      }
    }
    return !web.isEmpty() ? List.copyOf(web) : rules == 1 ? List.copyOf(all) : List.of();
  }

  private void changing(DomainName name, DomainName.Answer answer) {
    if (answer.follows() != null || answer.resolver() != null) {
      return;
    }
    for (Device device : check.site.devices().values()) {
      for (Interface own : device.interfaces()) {
        for (Address address : answer.addresses()) {
          if (own.assigned() == Assignment.BY_CARRIER && own.addresses().contains(address)) {
            check.add(
                Code.CHANGING_ADDRESS_TOLD,
                answer,
                name.name(),
                name.name()
                    + " resolves to the literal "
                    + address
                    + ", which the carrier assigns to "
                    + own.name()
                    + " of "
                    + device.name()
                    + " and may change",
                null,
                Cure.of(
                    "let the name follow the interface",
                    new Change.Alter(
                        answer,
                        answer.saying(own.addresses(), own, device.name() + " " + own.name()))));
          }
        }
      }
    }
  }

  /** An insider who is told the external address, and cannot use it as outsiders can. */
  private void hairpin(DomainName name, Host host) {
    Host resolver = resolverOf(host);
    DomainName.Answer answer = resolver == null ? null : name.by(resolver.name());
    if (answer == null || answer.addresses().isEmpty()) {
      return;
    }
    Address told = answer.addresses().get(0);
    if (check.site.hostAt(told) != null || host.address(told.family()) == null) {
      return;
    }
    for (Conversation outsiders : fromOutside(told)) {
      Trace opening = outsiders.opening();
      Endpoint at = opening == null ? null : opening.deliveredTo();
      if (at != null && host.addresses().contains(at.address())) {
        continue; // a host that speaks to itself needs no router
      }
      Attempt attempt = check.attempt(host, told, outsiders.attempt().probe());
      Conversation insiders = check.tracer.converse(attempt);
      Diagnosis why = check.diagnosed(insiders);
      if (why == null || why.obstacles().isEmpty()) {
        continue;
      }
      // Were insiders let in at all, if only they were led there?
      boolean missing = why.obstacles().get(0).cause() == Cause.HAIRPIN_MISSING;
      if (missing && why.complete() && why.obstacles().size() == 1) {
        InwardRule rule = Objects.requireNonNull(InwardRule.of(why.obstacles().get(0).place()));
        check.add(
            Code.HAIRPIN_MISSING,
            rule,
            host.name()
                + " resolves "
                + name.name()
                + " to the external address "
                + told
                + ", but "
                + Labels.of(rule)
                + " has no hairpin for it",
            insiders,
            cure(rule, why.obstacles().get(0).cure()));
      }
    }
  }

  /** Hairpin for all insiders whom the stance lets go there, if none is written yet. */
  private Cure cure(InwardRule rule, Cure narrow) {
    for (Device device : check.site.devices().values()) {
      Hairpin all = device.translation().contains(rule) ? hairpinOf(device) : null;
      if (rule.hairpin() == null && all != null) {
        return Cure.of(
            "let insiders use the external address", new Change.Alter(rule, rule.hairpinning(all)));
      }
    }
    return narrow;
  }

  // For the cures of other inspectors.

  /**
   * Where a rule for a packet to an inner address should take packets: at the address that
   * outsiders are told for the host, if that is known, else at the interface.
   */
  DestinationRuleBuilder told(Interface own, Packet inside) {
    Host host = listenerBehind(inside);
    int port = inside.destinationPort;
    int usual = port == 8443 ? 443 : port == 8080 ? 80 : port;
    for (DomainName name : check.site.names().values()) {
      boolean its = false;
      Address outside = null;
      for (DomainName.Answer answer : name.answers()) {
        its |=
            answer.resolver() != null
                && host != null
                && !answer.addresses().isEmpty()
                && host.addresses().contains(answer.addresses().get(0));
        outside =
            answer.resolver() == null && !answer.addresses().isEmpty()
                ? answer.addresses().get(0)
                : outside;
      }
      if (its && outside != null && probes(outside).stream().noneMatch(p -> p.port() == usual)) {
        return DestinationRuleBuilder.builder()
            .external(External.of(outside))
            .services(List.of(service(inside, usual)));
      }
    }
    return DestinationRuleBuilder.builder()
        .external(External.of(own))
        .services(List.of(service(inside, port)));
  }

  private static ServiceTerm service(Packet packet, int port) {
    return ServiceTerm.of(new ServicePart(packet.protocol, PortSet.of(port), Icmp.NO_TYPE));
  }

  /** The host that gets a packet to an inner address in the end. */
  private @Nullable Host listenerBehind(Packet inside) {
    Host host = check.site.hostAt(inside.destination());
    Device inner = check.site.deviceAt(inside.destination());
    if (host != null || inner == null) {
      return host;
    }
    for (InwardRule rule : inner.inward()) {
      if (!rule.disabled()) {
        Prefix external = rule.block(inside.family);
        boolean here = external != null && external.contains(inside.destination());
        if (here
            && ServiceTerm.anyCovers(
                rule.services(),
                inside.protocol,
                inside.destinationPort,
                inside.icmpType,
                inside.icmpCode)) {
          return check.site.hostLedTo(rule);
        }
      }
    }
    return null;
  }

  /**
   * For insiders by each interface from which the stance lets them go to where rules of an outer
   * one lead; null if there is none.
   */
  @Nullable Hairpin hairpinOf(Device device) {
    Map<String, Interface> all = new LinkedHashMap<>();
    for (InwardRule rule : device.inward()) {
      if (!rule.disabled()) {
        Interface towards = check.sets(device).program().towards(rule.internalBlock().first());
        for (Interface own : device.interfaces()) {
          if (towards != null
              && !own.isOutside()
              && device.stance().actionFor(own.network().zone(), towards.network().zone())
                  == Action.ACCEPT) {
            all.put(own.name(), own);
          }
        }
      }
    }
    InterfaceTerm from = null;
    for (Interface own : all.values()) {
      from = from == null ? InterfaceTerm.of(own) : from.and(own);
    }
    return from == null ? null : new Hairpin(from, Hairpin.Source.DEVICE, Place.IN_CODE);
  }
}
