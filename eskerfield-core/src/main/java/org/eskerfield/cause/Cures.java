// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * What would clear an obstacle away, as edits of the site file: the smallest that opens the way for
 * this sender and service and for nothing else that has to be guessed.
 */
final class Cures extends CureScene {
  private final AccessCures access;
  private final TranslationCures translation;
  private final RouteCures routes;

  private Cures(Site site, Obstacle obstacle, Case found, Decision end) {
    super(site, obstacle, found, end);
    this.access = new AccessCures(this);
    this.translation = new TranslationCures(this);
    this.routes = new RouteCures(this);
  }

  /** How to clear an obstacle on a site away. */
  static Cure of(Site site, Obstacle obstacle) {
    Case found =
        new Case(site, obstacle.conversation(), each -> obstacle.conversation(), c -> true);
    Trace deciding = obstacle.conversation().deciding();
    if (deciding == null) {
      return obstacle.cure();
    }
    found.find(deciding);
    if (found.end == null) {
      return obstacle.cure();
    }
    Cure cure = new Cures(site, obstacle, found, found.end).cure();
    return cure == null ? obstacle.cure() : cure;
  }

  private @Nullable Cure cure() {
    Placed place = obstacle.place();
    return switch (obstacle.cause()) {
      case ACCESS_MISSING, DENIED, SENDER_NOT_ADMITTED, WRONG_SERVICE, WRONG_INTERFACE ->
          atStep(place);
      case OTHER_SIDE_NAMED -> access.otherSide();
      case LIST_GUARDS_NOTHING -> place instanceof AccessRule ? access.accept() : access.guards();
      case ORDER -> access.order(place);
      case UNTOUCHED_FIRST -> translation.untouched(place);
      case TRANSLATION_MISSING -> translation.translationMissing(place);
      case OUTER_RULE_MISSING -> translation.outer();
      case HAIRPIN_MISSING -> translation.hairpin(place);
      case REPLY_BY_OTHER_WAY, GATEWAY_OR_PREFIX_WRONG -> routes.otherWay(place);
      case REPLIES_NOT_LET_IN -> {
        Device device = Objects.requireNonNull(device());
        AccessList list = list(device, end.by());
        yield new Cure(
            "let "
                + (list == null ? device.name() : Labels.of(list))
                + " keep sessions, so that replies are accepted",
            Mends.remembering(device, list));
      }
      case INTERFACE_DOWN -> place instanceof Interface own ? Mends.broughtUp(own) : null;
      case HOST_OFF ->
          host("switch " + leg.where() + " on, then correct the file", h -> h.withOff(false));
      case NO_PING ->
          host(
              "let " + leg.where() + " answer pings, then correct the file",
              h -> h.withAnswersPing(true));
      case SENDER_NETWORK_BLOCKS ->
          host(
              "have the network that " + leg.where() + " is on let it out, and say so",
              h -> h.withBlocked(List.of()));
      case HOST_FILTER -> hostFilter();
      case NOTHING_LISTENS -> listens();
      case HOST_MOVED -> moved();
      case TRANSFER_NOT_HELPED -> readTransfers(place);
      case NOTICE_LOST -> smaller(place);
      case ROUTE_MISSING, RETURN_ROUTE_MISSING -> routes.route();
      case CARRIER_DISCARDS_PRIVATE -> translation.privateSource(place);
      case SHARING_LEFT_OUT, EXHAUSTED -> TranslationCures.sharing(place);
      case ADDRESS_CHANGED -> translation.changed(place);
      case ADDRESS_PRIVATE ->
          place instanceof TranslationRule rule
              ? Cure.byHand(
                  "have " + Labels.of(rule) + " use an address that the carrier sends here")
              : null;
      case OWN_SERVICE_TAKEN -> ownService(place);
      case OWN_SERVICE_CLOSED -> openService(place);
      default -> null;
    };
  }

  /** Lets the gateway of a device read a control connection. */
  private @Nullable Cure readTransfers(@Nullable Placed place) {
    Trace opening = obstacle.conversation().opening();
    if (!(place instanceof Device device) || opening == null) {
      return null;
    }
    PortSet all = device.state().controlPorts();
    for (Map.Entry<Device, PortSet> each : Classifier.unread(site, opening).entrySet()) {
      all = each.getKey().name().equals(device.name()) ? all.union(each.getValue()) : all;
    }
    return Cure.of(
        device.state().fileTransfer()
            ? "let the gateway for file transfer of " + device.name() + " know the port, too"
            : "switch the gateway for file transfer of " + device.name() + " on",
        new Change.Alter(device, device.withState(device.state().withFileTransfer(all))));
  }

  /**
   * Has the ends of a connection agree on segments that fit: by the interface whose link is too
   * small, whatever becomes of notices. Of other packets the notice has to be let in.
   */
  private @Nullable Cure smaller(@Nullable Placed place) {
    Interface link = place instanceof Interface own ? own : null;
    for (Leg each : place instanceof Network ? legs() : List.<Leg>of()) {
      for (Interface own : new Interface[] {each.arriving(), each.leaving()}) {
        link = own != null && own.network().equals(place) ? own : link;
      }
    }
    Attempt attempt = obstacle.conversation().attempt();
    if (attempt.probe().protocol() != Protocol.TCP) {
      return end.ruling().ends() == Outcome.DROPPED ? access.accept() : null;
    }
    if (link == null) {
      return null;
    }
    boolean ipv6 =
        link.network().prefixes().stream().anyMatch(each -> each.family() == Family.IPV6);
    Family family = ipv6 ? Family.IPV6 : Family.IPV4;
    int fits = link.linkMtu() - Size.headers(family, Protocol.TCP);
    return Cure.of(
        "let SYNs that pass " + Labels.of(link) + " ask for segments of " + fits + " bytes at most",
        new Change.Alter(link, link.withLargestSegment(fits)));
  }

  private @Nullable Cure atStep(@Nullable Placed place) {
    Ruling ruling = end.ruling();
    InwardRule leading = InwardRule.of(place);
    if (leading != null && obstacle.other() instanceof Interface own) {
      return TranslationCures.leavingBy(leading, own);
    }
    return switch (ruling) {
      case DROPPED_BY_RULE, REJECTED_BY_RULE, DROPPED_OTHERWISE, REJECTED_OTHERWISE ->
          access.accept();
      case DROPPED_BY_STANCE, REJECTED_BY_STANCE -> access.open();
      case NOT_ADMITTED -> access.admit();
      case SOURCE_NOT_CARRIED -> translation.privateSource(place);
      default -> {
        InwardRule rule = InwardRule.of(place);
        yield rule == null
            ? null
            : switch (obstacle.cause()) {
              case WRONG_INTERFACE -> translation.face(rule);
              case SENDER_NOT_ADMITTED -> translation.from(rule);
              default -> translation.serve(rule);
            };
      }
    };
  }

  private @Nullable Cure ownService(@Nullable Placed place) {
    InwardRule rule = InwardRule.of(place);
    if (rule == null || rule.services().size() != 1) {
      return null;
    }
    int port = sent.destinationPort();
    int other = port < 1024 ? port * 100 + port : port + 1;
    ServicePart free =
        new ServicePart(
            sent.protocol(),
            PortSet.of(other > PortSet.HIGHEST ? port + 10_000 : other),
            Icmp.NO_TYPE);
    return rule.by(
        fixed -> null,
        to ->
            Cure.of(
                "offer the host on another port, such as " + free,
                new Change.Alter(to, to.serving(ServiceTerm.of(free), port))),
        prefix -> null);
  }

  private @Nullable Cure openService(@Nullable Placed place) {
    Device device = device();
    AddressTerm sender = called(header.source());
    if (!(place instanceof OwnService own)) {
      return device == null || place instanceof AccessRule || place instanceof AccessList
          ? null
          : Cure.of(
              "let " + device.name() + " itself answer it, to " + sender.text() + " alone",
              new Change.Add(
                  device,
                  new OwnService(Mends.service(header), List.of(sender), null, Place.IN_CODE),
                  null));
    }
    if (own.from().isEmpty()) {
      return null;
    }
    return Cure.of(
        "let " + sender.text() + " reach the device's own service",
        new Change.Alter(own, own.withFrom(with(own.from(), sender))));
  }

  private @Nullable Cure hostFilter() {
    Host host = host();
    AccessList filter = host == null ? null : host.filter();
    return filter == null
        ? null
        : Cure.of(
            "let the filter of " + leg.where() + " accept it",
            new Change.Add(
                filter,
                AccessRule.called(Action.ACCEPT, "what it offers")
                    .services(List.of(Mends.service(header)))
                    .build(),
                end.by() instanceof AccessRule rule ? rule : null));
  }

  /** Whether a program runs is a fact that no edit makes: only a rule can lead elsewhere. */
  private @Nullable Cure listens() {
    Cure elsewhere = translation.listened();
    Host host = host();
    Cure there = host == null ? null : Mends.started(host, List.of(Mends.service(header)));
    return there == null ? elsewhere : there.or(elsewhere);
  }

  private @Nullable Cure moved() {
    Host moved = Case.listener(site, header);
    if (moved == null || moved.addresses().contains(header.destination())) {
      return null;
    }
    AddressTerm there = AddressTerm.of(moved);
    Address old = header.destination();
    Address inside = Objects.requireNonNullElse(moved.address(old.family()), old);
    List<Change> changes = new ArrayList<>();
    for (Device device : site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        if (rule.internalBlock().equals(Prefix.of(old))) {
          changes.add(new Change.Alter(rule, rule.leadingTo(moved, inside)));
        }
      }
      for (AccessList list : device.access()) {
        for (AccessRule rule : list.rules()) {
          List<AddressTerm> to = new ArrayList<>(rule.to());
          if (to.removeIf(term -> term.text().equals(old.toString()))) {
            to.removeIf(term -> term.text().equals(there.text()));
            changes.add(new Change.Alter(rule, rule.withTo(with(to, there))));
          }
        }
      }
    }
    return changes.isEmpty()
        ? null
        : new Cure("name " + moved.name() + " in place of " + header.destination(), changes);
  }
}
