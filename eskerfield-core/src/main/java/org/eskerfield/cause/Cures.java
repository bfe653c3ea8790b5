package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.cure.Cure;
import org.eskerfield.cure.Edit;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
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
  public static Cure of(Site site, Obstacle obstacle) {
    Case found =
        new Case(site, obstacle.conversation(), each -> obstacle.conversation(), c -> true);
    Trace deciding = obstacle.conversation().deciding();
    if (deciding == null) {
      return byHand(obstacle);
    }
    found.find(deciding);
    if (found.end == null) {
      return byHand(obstacle);
    }
    Cure cure = new Cures(site, obstacle, found, found.end).cure();
    return cure == null ? byHand(obstacle) : cure;
  }

  /** How to let a device find an address inside the site; null if no way leads there. */
  public static @Nullable Cure route(Site site, Device device, Address to) {
    Mends.NextHop hop = Mends.nextHop(site, device, to);
    Network network = site.networkOf(to);
    if (hop == null || hop.via() == null) {
      return null;
    }
    boolean inside = network != null && network.carrier().isEmpty();
    String name = inside ? Objects.requireNonNull(network).name() : Site.ANY;
    return Cure.of(
        "give " + device.name() + " a route to " + (inside ? name : "the internet"),
        new Edit.Insert(
            device.place(), "routes", null, map("to", name, "via", hop.via().toString())));
  }

  private static Cure byHand(Obstacle obstacle) {
    return Cure.byHand(
        obstacle.detail().isEmpty()
            ? "no edit of the file mends this by itself: " + obstacle.cause().title()
            : obstacle.detail());
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
                new Edit.Take(list.place(), "stateless"));
      }
      case INTERFACE_DOWN ->
          place instanceof Interface own
              ? Cure.of(
                  "bring " + Labels.of(own) + " up, and say so",
                  new Edit.Take(own.place(), "state"))
              : null;
      case HOST_OFF -> take(host(), "off", "switch " + leg.where() + " on, and say so");
      case NO_PING ->
          take(host(), "answers-ping", "let " + leg.where() + " answer pings, and say so");
      case SENDER_NETWORK_BLOCKS ->
          take(
              site.hosts().get(leg.where()),
              "network-blocks",
              "have the network that " + leg.where() + " is on let it out, and say so");
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
    List<Edit> edits = new ArrayList<>();
    if (!device.state().fileTransfer()) {
      edits.add(new Edit.Put(device.place(), "state/file-transfer", "true"));
    }
    PortSet known = device.state().controlPorts();
    PortSet all = known;
    for (Map.Entry<Device, PortSet> each : Classifier.unread(site, opening).entrySet()) {
      all = each.getKey().name().equals(device.name()) ? all.union(each.getValue()) : all;
    }
    if (!all.equals(known)) {
      List<String> ports = List.of(all.toString().split(","));
      edits.add(new Edit.Put(device.place(), "state/control-ports", ports));
    }
    return new Cure(
        device.state().fileTransfer()
            ? "let the gateway for file transfer of " + device.name() + " know the port, too"
            : "switch the gateway for file transfer of " + device.name() + " on",
        edits);
  }

  // Names for what the edits say.

  private @Nullable Device device() {
    return site.devices().get(leg.where());
  }

  private @Nullable Host host() {
    return site.hosts().get(leg.where());
  }

  /** An address as the file should call it: by the name of its only owner, if it has one. */
  private String called(Address address) {
    Host host = site.hostAt(address);
    return host != null && host.addresses().size() == 1 ? host.name() : address.toString();
  }

  private static String service(Header header) {
    return header.icmpType() >= 0 && !Protocol.hasPorts(header.protocol())
        ? "ping"
        : Mends.service(header).text();
  }

  private static List<String> texts(List<? extends Placed> terms) {
    List<String> texts = new ArrayList<>();
    for (Placed term : terms) {
      texts.add(term instanceof AddressTerm address ? address.text() : ((ServiceTerm) term).text());
    }
    return texts;
  }

  private static Object oneOrList(List<String> texts) {
    return texts.size() == 1 ? texts.get(0) : texts;
  }

  private static Object with(List<String> texts, String one) {
    Set<String> all = new LinkedHashSet<>(texts);
    all.add(one);
    return oneOrList(new ArrayList<>(all));
  }

  private static Map<String, Object> map(Object... keysAndValues) {
    Map<String, Object> map = new LinkedHashMap<>();
    for (int i = 0; i < keysAndValues.length; i += 2) {
      map.put((String) keysAndValues[i], keysAndValues[i + 1]);
    }
    return map;
  }

  private static @Nullable Cure take(@Nullable Host host, String key, String summary) {
    return host == null ? null : Cure.of(summary, new Edit.Take(host.place(), key));
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
            : obstacle.cause() == Cause.WRONG_INTERFACE ? face(rule) : serve(rule);
      }
    };
  }

  /** The packet as the lists of its device see it. */
  private Header seen() {
    Device device = device();
    return device == null ? header : Case.seenByLists(device, leg, end);
  }

  private Map<String, Object> acceptance() {
    Header seen = seen();
    String from = called(seen.source());
    String to = called(seen.destination());
    return map(
        "accept",
        from + " to " + to,
        "from",
        from,
        "to",
        to,
        "service",
        service(seen),
        "log",
        "true");
  }

  private @Nullable Cure accept() {
    AccessList list = list(device(), end.by());
    if (list == null) {
      return null;
    }
    if (obstacle.place() instanceof AccessRule rule && rule.disabled() && takes(rule, seen())) {
      return enabled(rule);
    }
    Place before = end.by() instanceof AccessRule rule ? rule.place() : null;
    return Cure.of(
        "let it in: an access rule in "
            + Labels.of(list)
            + (before == null ? "" : ", before " + Labels.of(Objects.requireNonNull(end.by()))),
        new Edit.Insert(list.place(), "rules", before, acceptance()));
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
    return Cure.of(
        "let it in: a list that guards the way from " + arriving.name() + " to " + leaving.name(),
        new Edit.Define(
            device.place(),
            "access",
            arriving.name() + " to " + leaving.name(),
            map(
                "guards",
                map("arriving", arriving.name(), "leaving", leaving.name()),
                "rules",
                List.of(acceptance()),
                "otherwise",
                device
                    .stance()
                    .actionFor(arriving.network().zone(), leaving.network().zone())
                    .toString())));
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
    if (!(end.by() instanceof TranslationRule rule) || rule.admit() == null) {
      return null;
    }
    Admission admit = rule.admit();
    if (obstacle.cause() == Cause.OUTSIDE_SCHEDULE) {
      return null;
    }
    List<String> from = texts(admit.from());
    boolean wide = admit.when() != null || admit.log();
    return Cure.of(
        "admit " + called(header.source()) + " by " + Labels.of(rule),
        new Edit.Put(
            rule.place(), wide ? "admit/from" : "admit", with(from, called(header.source()))));
  }

  private @Nullable Cure otherSide() {
    return obstacle.place() instanceof AccessRule rule
        ? Cure.of(
            "name the destination as the device sees it when it filters",
            new Edit.Put(rule.place(), "to", called(seen().destination())))
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
            new Edit.Put(
                list.place(),
                "guards",
                map("arriving", arriving.name(), "leaving", leaving.name())))
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
            new Edit.Move(early.place(), null));
      }
      if (late != null) {
        return Cure.of(
            "move " + Labels.of(late) + " before " + Labels.of(early),
            new Edit.Move(late.place(), early.place()));
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
    List<String> inner = new ArrayList<>();
    for (Network network : site.networks().values()) {
      Address first = network.prefixes().get(0).first();
      if (network.carrier().isEmpty()
          && site.addresses(wide).contains(first)
          && !site.addresses(other).contains(first)) {
        inner.add(network.name());
      }
    }
    return inner.isEmpty()
        ? null
        : Cure.of(
            "let " + Labels.of(rule) + " name the inner networks that it is meant for",
            new Edit.Put(rule.place(), forward ? "to" : "from", oneOrList(inner)));
  }

  // Translation.

  private static String key(InwardRule rule, String ofDestination, String ofStatic) {
    return rule.by(fixed -> ofStatic, to -> ofDestination);
  }

  private @Nullable Cure face(InwardRule rule) {
    return leg.arriving() == null
        ? null
        : Cure.of(
            "let " + Labels.of(rule) + " take what arrives by " + leg.arriving().name(),
            new Edit.Put(rule.place(), key(rule, "arriving", "facing"), leg.arriving().name()));
  }

  private @Nullable Cure serve(InwardRule rule) {
    if (rule.isBothWays()) {
      return null;
    }
    List<Edit> edits = new ArrayList<>();
    edits.add(new Edit.Put(rule.place(), "at", rule.external().text() + " " + service(header)));
    boolean portWasKept = rule.internalPorts() == null && !rule.services().isEmpty();
    int inside = portWasKept ? rule.services().get(0).service().parts().get(0).ports().first() : 0;
    if (portWasKept && Protocol.hasPorts(header.protocol()) && inside != header.destinationPort()) {
      edits.add(new Edit.Put(rule.place(), "becomes", rule.internal().text() + " " + inside));
    }
    return new Cure("let " + Labels.of(rule) + " take " + service(header), edits);
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
        rule(device, arriving, host.name(), host.name()));
  }

  private static Cure enabled(Placed rule) {
    return Cure.of("enable " + Labels.of(rule), new Edit.Take(rule.place(), "disabled"));
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

  private Edit rule(Device device, Interface arriving, String name, String becomes) {
    String at =
        arriving.addresses().contains(header.destination())
            ? arriving.name()
            : header.destination().toString();
    return new Edit.Insert(
        device.place(),
        "translation",
        device.translation().isEmpty() ? null : device.translation().get(0).place(),
        map(
            "destination",
            name,
            "arriving",
            arriving.name(),
            "at",
            at + " " + service(header),
            "becomes",
            becomes));
  }

  private @Nullable Cure outer() {
    Device outer = device();
    Cure enabled = enabled();
    if (outer == null || leg.arriving() == null || enabled != null) {
      return enabled;
    }
    for (Device inner : site.devices().values()) {
      for (InwardRule rule : inner.inward()) {
        if (!rule.disabled() && obstacle.detail().contains("(line " + rule.place().line() + ")")) {
          Prefix to = Objects.requireNonNull(rule.block(header.destination().family()));
          String port =
              rule.services().isEmpty()
                  ? ""
                  : " " + rule.services().get(0).service().parts().get(0).ports().first();
          return Cure.of(
              "lead it on to " + inner.name() + " with a destination rule of " + outer.name(),
              rule(outer, leg.arriving(), rule.name(), to.first() + port));
        }
      }
    }
    return null;
  }

  private @Nullable Cure hairpin(@Nullable Placed place) {
    InwardRule rule = InwardRule.of(place);
    if (rule == null || leg.arriving() == null) {
      return null;
    }
    Hairpin hairpin = rule.hairpin();
    boolean wide = hairpin != null && hairpin.source() != Hairpin.Source.DEVICE;
    List<String> from = hairpin == null ? List.of() : List.of(hairpin.from().text().split(",\\s*"));
    return Cure.of(
        "let insiders who come by " + leg.arriving().name() + " use the external address",
        new Edit.Put(
            rule.place(), wide ? "hairpin/from" : "hairpin", with(from, leg.arriving().name())));
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
    if (outward != null) {
      return Cure.of(
          "let " + Labels.of(outward) + " act on what leaves by " + leaving.name(),
          new Edit.Put(outward.place(), "leaving", leaving.name()));
    }
    return Cure.of(
        "share the address of " + leaving.name() + " among the sources of " + network.name(),
        new Edit.Insert(
            device.place(),
            "translation",
            null,
            map(
                "shared",
                network.name() + " to the internet",
                "from",
                network.name(),
                "leaving",
                leaving.name())));
  }

  private List<Leg> legs() {
    Trace opening = obstacle.conversation().opening();
    return opening == null ? List.of() : opening.request();
  }

  private @Nullable Cure sharing(@Nullable Placed place) {
    return place instanceof TranslationRule rule && rule.lends()
        ? Cure.of(
            "let the sources of " + Labels.of(rule) + " share the addresses",
            new Edit.Rename(rule.place(), "dynamic", "shared"))
        : null;
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
              "name the interface instead of an address that it had once", atInterface(rule, own));
        }
      }
    }
    return null;
  }

  private static Edit atInterface(InwardRule rule, Interface own) {
    List<String> at = new ArrayList<>(List.of(own.name()));
    at.addAll(texts(rule.services()));
    return new Edit.Put(rule.place(), key(rule, "at", "external"), String.join(" ", at));
  }

  private @Nullable Cure ownService(@Nullable Placed place) {
    InwardRule rule = InwardRule.of(place);
    if (rule == null || rule.isBothWays() || rule.services().size() != 1) {
      return null;
    }
    int port = sent.destinationPort();
    int other = port < 1024 ? port * 100 + port : port + 1;
    String free = (other > 65535 ? port + 10_000 : other) + "/" + Protocol.name(sent.protocol());
    String inside = rule.internalPorts() == null ? " " + port : "";
    List<Edit> edits = new ArrayList<>();
    edits.add(new Edit.Put(rule.place(), "at", rule.external().text() + " " + free));
    if (!inside.isEmpty()) {
      edits.add(new Edit.Put(rule.place(), "becomes", rule.internal().text() + inside));
    }
    return new Cure("offer the host on another port, such as " + free, edits);
  }

  private @Nullable Cure openService(@Nullable Placed place) {
    return place instanceof OwnService own && !own.from().isEmpty()
        ? Cure.of(
            "let " + called(header.source()) + " reach the device's own service",
            new Edit.Put(own.place(), "from", with(texts(own.from()), called(header.source()))))
        : null;
  }

  // Hosts and routes.

  private @Nullable Cure otherWay(@Nullable Placed place) {
    if (place instanceof TranslationRule rule && rule.hairpin() != null) {
      return Cure.of(
          "let the source become the device's, so that replies come back by it",
          new Edit.Put(
              rule.place(),
              "hairpin",
              oneOrList(List.of(rule.hairpin().from().text().split(",\\s*")))));
    }
    if (!(place instanceof Host host)) {
      return null;
    }
    if (!host.ownPrefixes().isEmpty()) {
      return Cure.of(
          "give " + host.name() + " the prefix of its network",
          new Edit.Take(host.place(), "own-prefix"));
    }
    Host led = ledBack(host, header.destination());
    Address gateway = led == null ? null : led.gateway(header.destination().family());
    return gateway == null
        ? null
        : Cure.of(
            "give " + host.name() + " the gateway " + gateway,
            new Edit.Put(host.place(), "gateway", gateway.toString()));
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
    if (host == null || host.filter() == null) {
      return null;
    }
    return Cure.of(
        "let the filter of " + host.name() + " accept it",
        new Edit.Insert(
            host.place(),
            "filter/rules",
            end.by() instanceof AccessRule rule ? rule.place() : null,
            map("accept", "what it offers", "service", service(header))));
  }

  private @Nullable Cure listens() {
    Host host = host();
    return host == null
        ? null
        : Cure.of(
            "let " + host.name() + " listen on " + service(header) + ", and say so",
            new Edit.Put(host.place(), "listens", with(texts(host.listens()), service(header))));
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
    List<Edit> edits = new ArrayList<>();
    for (Device device : site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        if (rule.internalBlock().equals(Prefix.of(header.destination()))) {
          String port = rule.internalPorts() == null ? "" : " " + rule.internalPorts();
          edits.add(
              new Edit.Put(rule.place(), key(rule, "becomes", "internal"), moved.name() + port));
        }
      }
      for (AccessList list : device.access()) {
        for (AccessRule rule : list.rules()) {
          List<String> to = texts(rule.to());
          if (to.remove(header.destination().toString())) {
            edits.add(new Edit.Put(rule.place(), "to", with(to, moved.name())));
          }
        }
      }
    }
    return edits.isEmpty()
        ? null
        : new Cure("name " + moved.name() + " in place of " + header.destination(), edits);
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
      if (route != null && via != null && (rest == null || !via.equals(rest.via()))) {
        return Cure.of(
            "let the route of " + strayed.name() + " to " + route.to() + " lead to " + via,
            new Edit.Put(route.place(), "via", via.toString()));
      }
      if (route != null && route.to().length() > 0) {
        return Cure.of(
            "take the route of " + strayed.name() + " to " + route.to() + " away",
            new Edit.Remove(route.place()));
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
