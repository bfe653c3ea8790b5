// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.CompiledList;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketWords;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.EveryPacket.Passage;
import org.jspecify.annotations.Nullable;

/** What the internet reaches that nobody should offer so, and what could be reached from there. */
final class Exposure {
  private final Inspection check;

  Exposure(Inspection check) {
    this.check = check;
  }

  void inspect(Device device) {
    for (Interface arriving : device.interfaces()) {
      if (arriving.isOutside()) {
        for (Passage passage : check.passages(device, arriving)) {
          Interface leaving = passage.leaving();
          if (leaving != null && !leaving.isOutside()) {
            offered(device, passage);
          }
        }
      }
    }
    for (CompiledList list : check.sets(device).program().lists()) {
      if (list.list().guards().stream().anyMatch(Offers::isFromOutside)) {
        rules(device, list);
        otherwise(device, list);
      }
    }
    for (InwardRule rule : device.inward()) {
      if (!rule.disabled() && rule.admit() != null) {
        admission(rule, rule.admit());
      }
    }
  }

  // What a passage offers.

  private void offered(Device device, Passage passage) {
    PacketSet in = passage.arrived().intersection(check.fromStrangers);
    InwardRule rule = InwardRule.of(passage.destinationRule());
    if (in.isEmpty() || rule == null) {
      return;
    }
    PacketSet inside = in.image(passage.destination());
    boolean all =
        rule.services().isEmpty()
            && justPorts(inside)
                .covers(check.space.service(new ServicePart(Protocol.TCP, PortSet.ALL, -1)));
    if (all) {
      check.add(
          Code.EVERYTHING_OFFERED,
          rule,
          Labels.of(rule) + " offers every port of " + rule.internal().text() + " to the internet",
          sample(in),
          everything(device, rule));
    }
    PacketSet admin = inside.intersection(check.ports.administration);
    if (!admin.isEmpty() && !all && Management.isOpenToMany(check, admin)) {
      PacketSet arrived = passage.arrivedAs(passage.left()).intersection(in);
      check.add(
          Code.ADMINISTRATION_OFFERED,
          rule,
          Labels.of(rule)
              + " offers "
              + service(admin)
              + " of "
              + rule.internal().text()
              + (Management.isOpenToAll(check, admin)
                  ? " to everybody on the internet"
                  : " to most of the internet"),
          sample(arrived.intersection(admin.preImage(passage.destination()))),
          Cure.byHand(
              "name in its admission or access rule who may use it; or put a tunnel before it"));
    }
    if (admin.isEmpty() && !all && Management.isOpenToMany(check, inside)) {
      administeredBeyond(in, rule);
    }
    // Whatever its port inside: what outsiders speak on a port of that service is that service.
    PacketSet clear =
        in.intersection(check.ports.clearText)
            .union(in.intersection(check.ports.clearText.preImage(passage.destination())));
    if (!clear.isEmpty() && !all) {
      check.add(
          Code.CLEAR_TEXT_OFFERED,
          rule,
          Labels.of(rule)
              + " offers "
              + service(clear.image(passage.destination()))
              + " of "
              + rule.internal().text()
              + ", which is not encrypted, across the internet",
          sample(clear),
          Cure.byHand(
              "offer its encrypted counterpart instead, or accept the finding with the reason"));
    }
  }

  /** Another device may lead on to the port of a service by which machines are managed. */
  private void administeredBeyond(PacketSet in, InwardRule rule) {
    AddressSet nobody = check.describedOutside().complement();
    Conversation tried =
        check.traced(check.attempt(in.intersection(check.space.sources(nobody)).sample()));
    Trace opening = tried == null ? null : tried.opening();
    Endpoint end = opening == null ? null : opening.deliveredTo();
    if (tried != null
        && end != null
        && tried.outcome() == Outcome.ANSWERED
        && Ports.isAdministration(end.protocol(), end.port())) {
      check.add(
          Code.ADMINISTRATION_OFFERED,
          rule,
          Labels.of(rule)
              + " leads everybody on the internet to "
              + Probe.of(end.protocol(), end.port())
              + " of "
              + end.name(),
          tried,
          Cure.byHand(
              "name in its admission or access rule who may use it; or put a tunnel before it"));
    }
  }

  private static PacketSet justPorts(PacketSet set) {
    return set.withoutAllBut(Dimension.PROTOCOL, Dimension.DESTINATION_PORT);
  }

  private static String service(PacketSet set) {
    PacketSet.Member one = Objects.requireNonNull(set.sample());
    return PacketWords.service(one.packet());
  }

  private @Nullable Conversation sample(PacketSet set) {
    return check.traced(check.attempt(check.likely(set).sample()));
  }

  /** Only what the host listens on. */
  private Cure everything(Device device, InwardRule rule) {
    Host host = check.site.hostLedTo(rule);
    if (host == null || host.listens().isEmpty() || rule.admit() == null) {
      return Cure.byHand("name the services that are meant, in the rule or where it is let in");
    }
    AccessRule access =
        AccessRule.called(Action.ACCEPT, "what " + rule.name() + " offers")
            .from(rule.admit().from())
            .to(List.of(AddressTerm.of(host)))
            .services(host.listens())
            .log(true)
            .build();
    Interface arriving = rule.facing().interfaces().get(0);
    Interface leaving = check.sets(device).program().towards(rule.internalBlock().first());
    if (leaving == null) {
      return Cure.byHand("name the services that are meant");
    }
    AccessList guard = null;
    for (AccessList list : device.access()) {
      for (AccessList.Guard each : list.guards()) {
        boolean there = each.arriving() != null && each.arriving().names(arriving);
        guard = guard == null && there ? list : guard;
      }
    }
    AccessList own =
        AccessList.between(arriving, leaving, "to " + host.name(), access, Action.DROP);
    return Cure.of(
        "let in only what the host listens on",
        new Change.Alter(rule, rule.admitting(null)),
        guard != null ? new Change.Add(guard, access, null) : new Change.Add(device, own, null));
  }

  // Rules by which something comes in.

  /** A list that lets in from the internet what none of its rules names. */
  private void otherwise(Device device, CompiledList list) {
    boolean said = list.list().stateless() || check.hasAny(list.list());
    if (list.list().otherwise() != Action.ACCEPT || said) {
      return;
    }
    PacketSet rest = check.space.all();
    for (CompiledList.Entry entry : list.entries()) {
      rest = rest.minus(check.sets(device).meaning().of(entry.match()));
    }
    for (Interface arriving : device.interfaces()) {
      for (Passage passage : check.passages(device, arriving)) {
        boolean guarded = list.guards(arriving, passage.leaving());
        PacketSet in =
            passage
                .inside()
                .intersection(rest)
                .intersection(check.fromStrangers)
                .intersection(check.sets(device).meaning().opening());
        boolean inwards = passage.leaving() == null || !passage.leaving().isOutside();
        if (!arriving.isOutside() || !guarded || !inwards || in.isEmpty()) {
          continue;
        }
        check.add(
            Code.OPEN_OTHERWISE,
            list.list(),
            Labels.of(list.list())
                + " of "
                + device.name()
                + " accepts whatever comes in by "
                + arriving.name()
                + " and none of its rules names",
            check.traced(check.attempt(check.likely(passage.arrived()).sample())),
            Cure.byHand(
                "accept by rules what is meant to come in, and let the list drop the rest"));
        return;
      }
    }
  }

  private void rules(Device device, CompiledList list) {
    for (CompiledList.Entry entry : list.entries()) {
      AccessRule rule = entry.rule();
      PacketSet in = check.decided(device, entry);
      if (rule.action() != Action.ACCEPT || in.isEmpty()) {
        continue;
      }
      if (!rule.log()) {
        unlogged(rule);
      }
      prefix(device, rule, in);
    }
  }

  private void admission(InwardRule rule, Admission admit) {
    boolean outside = rule.facing().interfaces().stream().anyMatch(Interface::isOutside);
    if (outside && !admit.log() && check.addresses(admit.from()).intersects(check.strangers())) {
      check.add(
          Code.INBOUND_NOT_LOGGED,
          rule,
          Labels.of(rule) + " admits outsiders without logging them",
          null,
          Cure.of("log it", new Change.Alter(rule, rule.admitting(admit.withLog(true)))));
    }
  }

  private void unlogged(AccessRule rule) {
    check.add(
        Code.INBOUND_NOT_LOGGED,
        rule,
        Labels.of(rule) + " admits outsiders without logging them",
        null,
        Cure.of("log it", new Change.Alter(rule, rule.withLog(true))));
  }

  /** A whole inner network, open for every service from everywhere. */
  private void prefix(Device device, AccessRule rule, PacketSet in) {
    if (!rule.services().isEmpty()
        && rule.services().stream().noneMatch(Exposure::isNearlyEverything)) {
      return;
    }
    if (!Management.isOpenToMany(check, in)) {
      return;
    }
    for (Network network : check.site.networks().values()) {
      if (!network.isOutside() && isWhole(network, in)) {
        check.add(
            Code.PREFIX_OFFERED,
            rule,
            Labels.of(rule)
                + " of "
                + device.name()
                + " accepts everything for the whole of "
                + network.name()
                + " from the internet",
            null,
            Cure.of("take it away: replies come in by their session", new Change.Remove(rule)));
        return;
      }
    }
  }

  /** Whether packets of a set may go to every address that a network has of a family. */
  private boolean isWhole(Network network, PacketSet in) {
    for (Prefix prefix : network.prefixes()) {
      PacketSet all =
          check
              .space
              .destinations(AddressSet.ofPrefixes(List.of(prefix)))
              .intersection(in.without(Dimension.DESTINATION).without(Dimension.DESTINATION_HIGH));
      if (!all.isEmpty()
          && in.without(Dimension.SOURCE).without(Dimension.SOURCE_HIGH).covers(all)) {
        return true;
      }
    }
    return false;
  }

  /** Whether a service is all, or all high ports, as written to let replies in. */
  private static boolean isNearlyEverything(ServiceTerm term) {
    for (ServicePart part : term.service().parts()) {
      boolean most =
          Protocol.hasPorts(part.protocol())
              && part.ports().isRange()
              && part.ports().size() >= 16_384;
      if (part.protocol() == ServicePart.ANY_PROTOCOL || most) {
        return true;
      }
    }
    return false;
  }

  // Isolation.

  /** Where flows from the networks of offered hosts get to, through all devices. */
  void isolation() {
    Map<String, Placed> offered = offeredNetworks();
    for (Map.Entry<String, Placed> each : offered.entrySet()) {
      Network from = Objects.requireNonNull(check.site.networks().get(each.getKey()));
      for (Map.Entry<String, Spread.Start> reached : reachedFrom(from).entrySet()) {
        Network to = Objects.requireNonNull(check.site.networks().get(reached.getKey()));
        if (to.zone().equals(from.zone()) || offered.containsKey(to.name())) {
          continue;
        }
        Spread.Start start = reached.getValue();
        AddressSet inside = AddressSet.ofPrefixes(to.prefixes());
        PacketSet open = start.sent().intersection(check.space.destinations(inside));
        if (isNarrow(open)) {
          continue; // somebody has thought about it
        }
        PacketSet preferred = check.preferringTo(open, check.describedInside());
        preferred = check.preferring(preferred, check.describedInside());
        Conversation sample = check.traced(check.attempt(preferred.sample()));
        Endpoint at =
            sample == null || sample.opening() == null ? null : sample.opening().deliveredTo();
        boolean arrives = sample != null && (at != null || sample.outcome() == Outcome.UNROUTABLE);
        if (!arrives) {
          continue;
        }
        check.add(
            Code.OFFERED_ZONE_REACHES_INSIDE,
            from,
            from.name() + " to " + to.name(),
            "hosts of "
                + from.name()
                + " are offered to the internet by "
                + Labels.of(each.getValue())
                + " (line "
                + each.getValue().place().line()
                + "), and can open connections to "
                + to.name()
                + ", such as "
                + Samples.text(preferred.sample()),
            sample,
            Cure.byHand(
                "let a list or the stance of the device between them drop what "
                    + from.name()
                    + " opens, and accept only what it needs"));
      }
    }
  }

  /** Whether a way is open for some services only, none of them for remote administration. */
  private boolean isNarrow(PacketSet open) {
    PacketSet ports = justPorts(open);
    PacketSet tcp = check.space.service(new ServicePart(Protocol.TCP, PortSet.ALL, -1));
    return !ports.covers(tcp) && !ports.meets(check.ports.administration);
  }

  /**
   * The inner networks with hosts that outsiders get to by rules, with the rule of the first
   * device.
   */
  private Map<String, Placed> offeredNetworks() {
    Map<String, Placed> offered = new LinkedHashMap<>();
    for (Device device : check.site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        for (Interface arriving : rule.facing().interfaces()) {
          if (arriving.isOutside() && !check.passages(device, arriving).isEmpty()) {
            for (Passage passage : check.sets(device).passages(arriving, rule)) {
              PacketSet in = passage.arrived().intersection(check.fromStrangers);
              Spread spread = new Spread(check, /* beyond= */ false);
              spread.over(device, passage, in);
              Map<String, Spread.Start> reached = spread.reached();
              reached.keySet().forEach(network -> offered.putIfAbsent(network, rule));
            }
          }
        }
      }
    }
    return offered;
  }

  /** The inner networks with hosts that packets of a network's addresses get to. */
  private Map<String, Spread.Start> reachedFrom(Network from) {
    Spread spread = new Spread(check, /* beyond= */ false);
    spread.from(from, check.space.sources(AddressSet.ofPrefixes(from.prefixes())));
    Map<String, Spread.Start> reached = new LinkedHashMap<>(spread.reached());
    reached.remove(from.name());
    return reached;
  }
}
