// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.function.UnaryOperator;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
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
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.SharedRuleBuilder;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.CompiledList;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.Ruling;
import org.jspecify.annotations.Nullable;

/**
 * What would clear an obstacle away, as edits of the site file: the smallest that opens the way for
 * this sender and service and for nothing else that has to be guessed.
 */
public final class Cures {
  private final Site site;
  private final Obstacle obstacle;
  private final Leg leg;
  private final Decision end;
  private final Header header;
  private final Header sent;

  private Cures(Site site, Obstacle obstacle, Case found, Decision end) {
    this.site = site;
    this.obstacle = obstacle;
    this.leg = found.way.get(found.way.size() - 1);
    this.end = end;
    this.header = end.after();
    this.sent = found.way.get(0).decisions().get(0).before();
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

  /** How to let a device find an address inside the site; null if no way leads there. */
  public static @Nullable Cure route(Site site, Device device, Address to) {
    Mends.NextHop hop = Mends.nextHop(site, device, to);
    Network network = site.networkOf(to);
    if (hop == null || hop.via() == null) {
      return null;
    }
    boolean inside = network != null && network.carrier().isEmpty();
    Prefix block = network == null || !inside ? null : network.prefixOf(to);
    String text = network == null || block == null ? Site.ANY : network.name();
    Route route =
        new Route(
            block == null ? Prefix.around(to, 0) : block,
            text,
            hop.via(),
            hop.by(),
            Route.DEFAULT_PREFERENCE,
            /* note= */ null,
            Place.IN_CODE);
    return Cure.of(
        "give " + device.name() + " a route to " + (block == null ? "the internet" : text),
        new Change.Add(device, route, null));
  }

  private @Nullable Cure cure() {
    Placed place = obstacle.place();
    return switch (obstacle.cause()) {
      case ACCESS_MISSING, DENIED, SENDER_NOT_ADMITTED, WRONG_SERVICE, WRONG_INTERFACE ->
          atStep(place);
      case OTHER_SIDE_NAMED -> otherSide();
      case LIST_GUARDS_NOTHING -> guards();
      case ORDER -> order(place);
      case UNTOUCHED_FIRST -> untouched(place);
      case TRANSLATION_MISSING -> translationMissing(place);
      case OUTER_RULE_MISSING -> outer();
      case HAIRPIN_MISSING -> hairpin(place);
      case REPLY_BY_OTHER_WAY, GATEWAY_OR_PREFIX_WRONG -> otherWay(place);
      case REPLIES_NOT_LET_IN -> {
        AccessList list = list(device(), end.by());
        yield list == null
            ? null
            : Cure.of(
                "let " + Labels.of(list) + " remember sessions, so that replies come through",
                new Change.Alter(list, list.withStateless(false)));
      }
      case INTERFACE_DOWN ->
          place instanceof Interface own
              ? Cure.of("bring " + Labels.of(own) + " up, and say so", Mends.up(own))
              : null;
      case HOST_OFF -> host("switch " + leg.where() + " on, and say so", h -> h.withOff(false));
      case NO_PING ->
          host("let " + leg.where() + " answer pings, and say so", h -> h.withAnswersPing(true));
      case SENDER_NETWORK_BLOCKS ->
          host(
              "have the network that " + leg.where() + " is on let it out, and say so",
              h -> h.withBlocked(List.of()));
      case HOST_FILTER -> hostFilter();
      case NOTHING_LISTENS -> listens();
      case HOST_MOVED -> moved();
      case TRANSFER_NOT_HELPED -> readTransfers(place);
      case ROUTE_MISSING, RETURN_ROUTE_MISSING -> route();
      case CARRIER_DISCARDS_PRIVATE -> privateSource(place);
      case SHARING_LEFT_OUT, EXHAUSTED -> sharing(place);
      case ADDRESS_CHANGED -> changed(place);
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

  // Names for what the edits say.

  private @Nullable Device device() {
    return site.devices().get(leg.where());
  }

  private @Nullable Host host() {
    return site.hosts().get(leg.where());
  }

  /** An address as the file should call it: by the name of its only owner, if it has one. */
  private AddressTerm called(Address address) {
    Host host = site.hostAt(address);
    return host != null && host.addresses().size() == 1
        ? AddressTerm.of(host)
        : AddressTerm.of(address);
  }

  private static <T> List<T> with(List<T> some, T more) {
    List<T> all = new ArrayList<>(some);
    all.add(more);
    return all;
  }

  /** A cure of the host where it ended. */
  private @Nullable Cure host(String summary, UnaryOperator<Host> change) {
    Host host = host();
    return host == null ? null : Cure.of(summary, new Change.Alter(host, change.apply(host)));
  }

  private static @Nullable AccessList list(@Nullable Device device, @Nullable Placed by) {
    return device == null ? null : Case.listOf(device, by);
  }

  // Access.

  private @Nullable Cure atStep(@Nullable Placed place) {
    Ruling ruling = end.ruling();
    return switch (ruling) {
      case DROPPED_BY_RULE, REJECTED_BY_RULE, DROPPED_OTHERWISE, REJECTED_OTHERWISE -> accept();
      case DROPPED_BY_STANCE, REJECTED_BY_STANCE -> open();
      case NOT_ADMITTED -> admit();
      case SOURCE_NOT_CARRIED -> privateSource(place);
      default -> {
        InwardRule rule = InwardRule.of(place);
        yield rule == null
            ? null
            : switch (obstacle.cause()) {
              case WRONG_INTERFACE -> face(rule);
              case SENDER_NOT_ADMITTED -> from(rule);
              default -> serve(rule, header);
            };
      }
    };
  }

  /** The packet as the lists of its device see it. */
  private Header seen() {
    Device device = device();
    return device == null ? header : Case.seenByLists(device, leg, end);
  }

  private AccessRule acceptance() {
    Header seen = seen();
    AddressTerm from = called(seen.source());
    AddressTerm to = called(seen.destination());
    return AccessRule.called(Action.ACCEPT, from.text() + " to " + to.text())
        .from(List.of(from))
        .to(List.of(to))
        .services(List.of(Mends.service(seen)))
        .log(true)
        .build();
  }

  private @Nullable Cure accept() {
    AccessList list = list(device(), end.by());
    if (list == null) {
      return null;
    }
    if (obstacle.place() instanceof AccessRule rule && rule.disabled() && takes(rule, seen())) {
      return enabled(rule);
    }
    AccessRule before = end.by() instanceof AccessRule rule ? rule : null;
    return Cure.of(
        "let it in: an access rule in "
            + Labels.of(list)
            + (before == null ? "" : ", before " + Labels.of(before)),
        new Change.Add(list, acceptance(), before));
  }

  private boolean takes(AccessRule rule, Header seen) {
    return (rule.from().isEmpty() || site.addresses(rule.from()).contains(seen.source()))
        && (rule.to().isEmpty() || site.addresses(rule.to()).contains(seen.destination()))
        && Case.covers(rule.services(), seen);
  }

  private @Nullable Cure open() {
    Device device = device();
    Interface arriving = leg.arriving();
    Interface leaving = leaving();
    if (device == null || arriving == null || leaving == null) {
      return null;
    }
    String way = arriving.name() + " to " + leaving.name();
    Action otherwise =
        device.stance().actionFor(arriving.network().zone(), leaving.network().zone());
    return Cure.of(
        "let it in: a list that guards the way from " + way,
        new Change.Add(
            device, AccessList.between(arriving, leaving, way, acceptance(), otherwise), null));
  }

  private @Nullable Interface leaving() {
    for (Decision decision : leg.decisions()) {
      if (decision.ruling() == Ruling.ROUTED) {
        return decision.by() instanceof Route route ? route.leaving() : (Interface) decision.by();
      }
    }
    return null;
  }

  private @Nullable Cure admit() {
    InwardRule rule = InwardRule.of(end.by());
    Admission admit = rule == null ? null : rule.admit();
    if (rule == null || admit == null || obstacle.cause() == Cause.OUTSIDE_SCHEDULE) {
      return null;
    }
    AddressTerm sender = called(header.source());
    Admission wider = admit.withFrom(with(admit.from(), sender));
    return Cure.of(
        "admit " + sender.text() + " by " + Labels.of(rule),
        new Change.Alter(rule, rule.admitting(wider)));
  }

  private @Nullable Cure otherSide() {
    return obstacle.place() instanceof AccessRule rule
        ? Cure.of(
            "name the destination as the device sees it when it filters",
            new Change.Alter(rule, rule.withTo(List.of(called(seen().destination())))))
        : null;
  }

  private @Nullable Cure guards() {
    Interface arriving = leg.arriving();
    Interface leaving = leaving();
    return obstacle.place() instanceof AccessList list && arriving != null && leaving != null
        ? Cure.of(
            "let "
                + Labels.of(list)
                + " guard the way from "
                + arriving.name()
                + " to "
                + leaving.name(),
            new Change.Alter(
                list, list.withGuards(List.of(AccessList.Guard.of(arriving, leaving)))))
        : null;
  }

  // The order of rules.

  private @Nullable Cure order(@Nullable Placed early) {
    if (early == null) {
      return null;
    }
    for (Device device : site.devices().values()) {
      Placed late = laterThan(device, early);
      AccessList list = early instanceof AccessRule ? list(device, early) : null;
      if (late != null && list != null && acceptsAllBehind(list, early)) {
        return Cure.of(
            "move " + Labels.of(early) + " behind the rules that accept",
            new Change.Move(early, null));
      }
      if (late != null) {
        return Cure.of(
            "move " + Labels.of(late) + " before " + Labels.of(early),
            new Change.Move(late, early));
      }
    }
    return null;
  }

  /** Whether several rules stand behind one, and all of them accept. */
  private static boolean acceptsAllBehind(AccessList list, Placed early) {
    List<AccessRule> behind =
        list.rules().subList(list.rules().indexOf(early) + 1, list.rules().size());
    return behind.size() > 1 && behind.stream().allMatch(r -> r.action() == Action.ACCEPT);
  }

  /** The rule that would take the packet if another one did not. */
  private @Nullable Placed laterThan(Device device, Placed early) {
    for (AccessList list : device.access()) {
      int at = list.rules().indexOf(early);
      if (at >= 0) {
        AccessList rest = list.withRules(list.rules().subList(at + 1, list.rules().size()));
        AccessRule rule =
            CompiledList.of(site, rest)
                .firstMatch(Packet.of(seen()), false, obstacle.conversation().attempt().at());
        return rule != null && rule.action() == Action.ACCEPT ? rule : null;
      }
    }
    List<TranslationRule> rules = device.translation();
    int at = rules.indexOf(early);
    for (int i = at + 1; at >= 0 && i < rules.size(); i++) {
      InwardRule rule = rules.get(i).inward();
      if (rule != null && !rule.disabled() && isFor(rule, sent)) {
        return rule;
      }
    }
    return null;
  }

  private static boolean isFor(InwardRule rule, Header packet) {
    Prefix external = rule.block(packet.destination().family());
    return external != null
        && external.contains(packet.destination())
        && Case.covers(rule.services(), packet);
  }

  private @Nullable Cure untouched(@Nullable Placed early) {
    Cure moved = order(early);
    return moved == null && early instanceof TranslationRule rule
        ? rule.by(in -> null, out -> null, both -> narrowed(site, both, sent.source()))
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

  // Translation.

  private @Nullable Cure face(InwardRule rule) {
    Interface arriving = leg.arriving();
    return arriving == null
        ? null
        : Cure.of(
            "let " + Labels.of(rule) + " take what arrives by " + arriving.name(),
            new Change.Alter(rule, rule.facingTo(InterfaceTerm.of(arriving))));
  }

  private @Nullable Cure from(InwardRule rule) {
    AddressTerm sender = called(header.source());
    return rule.by(
        fixed -> null,
        to ->
            Cure.of(
                "let " + Labels.of(to) + " take packets from " + sender.text() + ", too",
                new Change.Alter(to, to.withFrom(with(to.from(), sender)))));
  }

  private static @Nullable Cure serve(InwardRule rule, Header header) {
    return rule.by(
        fixed -> null,
        to ->
            Cure.of(
                "let " + Labels.of(to) + " take " + Mends.service(header).text(),
                new Change.Alter(to, Mends.serving(to, header))));
  }

  private @Nullable Cure translationMissing(@Nullable Placed place) {
    if (place instanceof TranslationRule rule && rule.disabled()) {
      return enabled(rule);
    }
    Cure enabled = enabled();
    if (enabled != null) {
      return enabled;
    }
    Host host = null;
    for (Host each : site.hosts().values()) {
      if (!each.isOutside() && !each.listens().isEmpty() && Case.covers(each.listens(), header)) {
        if (host != null) {
          return null; // which of them is meant, only a person can tell
        }
        host = each;
      }
    }
    Device device = device();
    Interface arriving = leg.arriving();
    if (host == null || device == null || arriving == null) {
      return null;
    }
    return Cure.of(
        "lead it to " + host.name() + " with a destination rule",
        rule(device, arriving, host.name(), AddressTerm.of(host), null));
  }

  private static Cure enabled(Placed rule) {
    Placed by =
        rule instanceof AccessRule access
            ? access.withDisabled(false)
            : ((TranslationRule) rule).enabled();
    return Cure.of("enable " + Labels.of(rule), new Change.Alter(rule, by));
  }

  /** A rule of the device that would take the packet, but is disabled; null if there is none. */
  private @Nullable Cure enabled() {
    Device device = device();
    Interface arriving = leg.arriving();
    if (device == null || arriving == null) {
      return null;
    }
    for (InwardRule each : device.inward()) {
      if (each.disabled() && isFor(each, header) && each.facing().names(arriving)) {
        return enabled(each);
      }
    }
    return null;
  }

  private Change rule(
      Device device, Interface arriving, String name, AddressTerm becomes, @Nullable PortSet port) {
    Address at = header.destination();
    boolean own = arriving.addresses().contains(at);
    DestinationRule rule =
        DestinationRuleBuilder.builder()
            .name(name)
            .facing(InterfaceTerm.of(arriving))
            .external(own ? External.of(arriving) : External.of(at))
            .services(List.of(Mends.service(header)))
            .internal(becomes)
            .internalBlock(Prefix.of(site.addresses(List.of(becomes)).ranges().get(0).first()))
            .internalPorts(port)
            .place(Place.IN_CODE)
            .build();
    return Mends.first(device, rule);
  }

  private @Nullable Cure outer() {
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
        rule(outer, leg.arriving(), inner.name(), AddressTerm.of(to), port));
  }

  /** The name of the device that has a rule. */
  private String owner(InwardRule rule) {
    for (Device device : site.devices().values()) {
      if (device.translation().contains(rule)) {
        return device.name();
      }
    }
    throw new IllegalArgumentException("no device has " + Labels.of(rule));
  }

  private @Nullable Cure hairpin(@Nullable Placed place) {
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
            ? new Hairpin(InterfaceTerm.of(arriving), Hairpin.Source.DEVICE, Place.IN_CODE)
            : hairpin.withFrom(hairpin.from().and(arriving));
    return Cure.of(
        "let insiders who come by " + arriving.name() + " use the external address",
        new Change.Alter(rule, rule.hairpinning(wider)));
  }

  private @Nullable Cure privateSource(@Nullable Placed place) {
    if (obstacle.cause() == Cause.ROUTE_MISSING) {
      return route();
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

  private List<Leg> legs() {
    Trace opening = obstacle.conversation().opening();
    return opening == null ? List.of() : opening.request();
  }

  private static @Nullable Cure sharing(@Nullable Placed place) {
    OutwardRule rule = OutwardRule.of(place);
    return rule == null || !rule.lends()
        ? null
        : Cure.of(
            "let the sources of " + Labels.of(rule) + " share the addresses",
            new Change.Alter(rule, rule.shared()));
  }

  private @Nullable Cure changed(@Nullable Placed place) {
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
                new Change.Alter(to, to.serving(ServiceTerm.of(free), port))));
  }

  private @Nullable Cure openService(@Nullable Placed place) {
    if (!(place instanceof OwnService own) || own.from().isEmpty()) {
      return null;
    }
    AddressTerm sender = called(header.source());
    return Cure.of(
        "let " + sender.text() + " reach the device's own service",
        new Change.Alter(own, own.withFrom(with(own.from(), sender))));
  }

  // Hosts and routes.

  private @Nullable Cure otherWay(@Nullable Placed place) {
    InwardRule rule = InwardRule.of(place);
    Hairpin hairpin = rule == null ? null : rule.hairpin();
    if (rule != null && hairpin != null) {
      return Cure.of(
          "let the source become the device's, so that replies come back by it",
          new Change.Alter(rule, rule.hairpinning(hairpin.withSource(Hairpin.Source.DEVICE))));
    }
    if (!(place instanceof Host host)) {
      return null;
    }
    if (!host.ownPrefixes().isEmpty()) {
      return Cure.of(
          "give " + host.name() + " the prefix of its network",
          new Change.Alter(host, host.withOwnPrefixes(List.of())));
    }
    Host led = ledBack(host, header.destination());
    Address gateway = led == null ? null : led.gateway(header.destination().family());
    return gateway == null
        ? null
        : Cure.of(
            "give " + host.name() + " the gateway " + gateway,
            new Change.Alter(host, host.withGateways(List.of(gateway))));
  }

  /** The host with the gateway from which the request came to it. */
  private @Nullable Host ledBack(Host host, Address to) {
    List<Leg> request = legs();
    if (request.size() >= 2 && request.get(request.size() - 1).where().equals(host.name())) {
      Interface by = request.get(request.size() - 2).leaving();
      Address gateway = by == null ? null : by.address(to.family());
      return gateway == null ? null : Mends.over(host, gateway);
    }
    return Mends.leading(site, host, to);
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

  private @Nullable Cure listens() {
    ServiceTerm asked = Mends.service(header);
    return host(
        "let " + leg.where() + " listen on " + asked.text() + ", and say so",
        host -> host.withListens(with(host.listens(), asked)));
  }

  private @Nullable Cure moved() {
    Host moved = null;
    for (Host host : site.hosts().values()) {
      if (!host.isOutside() && !host.listens().isEmpty() && Case.covers(host.listens(), header)) {
        if (moved != null) {
          return null;
        }
        moved = host;
      }
    }
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

  /** The route that takes a destination, one left out; null if none does. */
  private static @Nullable Route strayRoute(Device device, Address to, @Nullable Route but) {
    Route found = null;
    for (Route route : device.routes()) {
      if (route.equals(but)) {
        continue;
      }
      boolean longer = found == null || route.to().length() > found.to().length();
      found = route.to().contains(to) && longer ? route : found;
    }
    return found;
  }

  private @Nullable Cure route() {
    if (obstacle.place() instanceof Device strayed && !obstacle.detail().isEmpty()) {
      Route route = strayRoute(strayed, header.destination(), null);
      Route rest = strayRoute(strayed, header.destination(), route);
      Mends.NextHop hop = Mends.nextHop(site, strayed, header.destination());
      Address via = hop == null ? null : hop.via();
      if (route != null
          && hop != null
          && via != null
          && (rest == null || !via.equals(rest.via()))) {
        return Cure.of(
            "let the route of " + strayed.name() + " to " + route.to() + " lead to " + via,
            new Change.Alter(route, route.withVia(via).withLeaving(hop.by())));
      }
      if (route != null && route.to().length() > 0) {
        return Cure.of(
            "take the route of " + strayed.name() + " to " + route.to() + " away",
            new Change.Remove(route));
      }
    }
    Device device = device();
    if (device == null) { // the packet got out of the site, or to a host: a device sent it there
      for (Leg each : obstacle.conversation().opening() == null ? List.<Leg>of() : wayOfEnd()) {
        device = each.kind() == Leg.Kind.DEVICE ? site.devices().get(each.where()) : device;
      }
    }
    return device == null ? null : route(site, device, header.destination());
  }

  private List<Leg> wayOfEnd() {
    Trace trace = Objects.requireNonNull(obstacle.conversation().deciding());
    return trace.reply().isEmpty() ? trace.request() : trace.reply();
  }
}
