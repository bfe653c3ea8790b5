// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessListBuilder;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.DeviceBuilder;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceBuilder;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/** Reads one device of a site file: its interfaces, routes, services, rules and lists. */
final class DeviceReader {
  private static final Set<String> HANDED_OUT =
      Set.of("dhcp", "dhcpv6", "dynamic", "auto", "automatic", "slaac", "ppp", "pppoe");

  private static final String BY_CARRIER = "assigned by the carrier";

  private final SiteReader site;
  private final Problems problems;
  private final Terms terms;
  private final Node.Scalar name;
  private final Fields fields;
  private final Map<String, Interface> interfaces = new LinkedHashMap<>();

  /** Whether every interface could be read; if not, names of interfaces prove nothing. */
  private boolean interfacesComplete = true;

  private StateSettings state = StateSettings.OF_THE_RFCS;

  DeviceReader(SiteReader site, Node.Scalar name, Fields fields) {
    this.site = site;
    this.problems = site.problems();
    this.terms = site.terms();
    this.name = name;
    this.fields = fields;
  }

  /** The device; null if it has no interface that could be read. */
  @Nullable Device read() {
    readInterfaces();
    Stance stance = stance();
    List<Route> routes = routes();
    List<OwnService> services = services();
    state = state(fields, StateSettings.OF_THE_RFCS);
    List<TranslationRule> translation =
        new TranslationReader(this, site).read(fields.children("translation"));
    List<AccessList> access = access();
    if (interfaces.isEmpty()) {
      if (fields.has("interfaces") && fields.named("interfaces").isEmpty()) {
        problems.add(
            fields.place("interfaces"),
            "device '" + name.text() + "' has no interface",
            "describe at least one");
      }
      return null;
    }
    return DeviceBuilder.builder()
        .name(name.text())
        .stance(stance)
        .seesOriginal("original".equals(fields.text("access-sees")))
        .savesAtOnce(!"when told".equals(fields.text("saves")))
        .verifySource(fields.isTrue("verify-source", false))
        .state(state)
        .interfaces(List.copyOf(interfaces.values()))
        .routes(routes)
        .services(services)
        .translation(translation)
        .access(access)
        .note(fields.text("note"))
        .place(name.place())
        .build();
  }

  // Interfaces.

  private void readInterfaces() {
    interfacesComplete = fields.has("interfaces");
    for (Fields.NamedNode named : fields.named("interfaces")) {
      Fields own = fields.children(named.value()).get(0);
      Network network = site.network(own.scalar("on"));
      String who = "interface '" + named.name().text() + "' of " + name.text();
      boolean byCarrier = BY_CARRIER.equals(own.text("at"));
      if (byCarrier && !own.has("now")) {
        problems.add(
            own.place("at"),
            who + " needs 'now': it says which address the carrier has assigned at the moment",
            "add now: 198.51.100.140, or whatever it is");
      } else if (!byCarrier && own.has("now")) {
        problems.add(
            own.place("now"),
            who + " has 'now', but its address is not assigned by the carrier",
            "take 'now' away, or write at: " + BY_CARRIER);
      }
      List<Node.Scalar> texts = own.texts(byCarrier ? "now" : "at");
      String instead = "at: " + BY_CARRIER + ", and now: the address of " + who;
      if (isHandedOut(own, problems, instead)) {
        interfacesComplete = false;
        continue;
      }
      List<Address> addresses = terms.literals(texts);
      if (network == null || addresses.isEmpty()) {
        interfacesComplete = false;
        continue;
      }
      interfacesComplete &= !network.prefixes().isEmpty();
      for (Node.Scalar text : texts) {
        site.checkRouterOn(network, text, who);
      }
      for (int i = 0; i < addresses.size(); i++) {
        site.hold(network.name(), addresses.get(i), who, texts.get(Math.min(i, texts.size() - 1)));
      }
      String state = own.text("state");
      interfaces.put(
          named.name().text(),
          InterfaceBuilder.builder()
              .name(named.name().text())
              .network(network)
              .addresses(ownFirst(network, addresses, own))
              .assigned(byCarrier ? Assignment.BY_CARRIER : Assignment.FIXED)
              .state(
                  state == null
                      ? Interface.State.UP
                      : Interface.State.valueOf(state.toUpperCase(Locale.ROOT).replace(' ', '_')))
              .ports(own.texts("port").stream().map(Node.Scalar::text).toList())
              .mtu(site.mtu(own, addresses.stream().anyMatch(each -> each.family() == Family.IPV6)))
              .largestSegment(own.whole("largest-segment"))
              .note(own.text("note"))
              .place(named.name().place())
              .build());
    }
    for (Interface own : interfaces.values()) {
      reportAmbiguousName(own);
    }
  }

  /**
   * Reports an address that a server or the carrier hands out, where the address itself belongs.
   */
  static boolean isHandedOut(Fields fields, Problems problems, String instead) {
    Node.Scalar at = fields.scalar("at");
    if (at == null || !HANDED_OUT.contains(at.text().toLowerCase(Locale.ROOT))) {
      return false;
    }
    String message = "'" + at.text() + "' is not an address";
    problems.add(at, message, "write " + instead + " at the moment");
    return true;
  }

  /** The addresses with the link-local ones last: others are what the device is known by. */
  private List<Address> ownFirst(Network network, List<Address> addresses, Fields own) {
    List<Address> sorted = new ArrayList<>(addresses);
    List<Address> near = new ArrayList<>(addresses);
    near.removeIf(each -> !Neighbours.isOn(network, each));
    sorted.removeAll(near);
    if (sorted.stream().noneMatch(each -> each.family() == Family.IPV6) && !near.isEmpty()) {
      problems.add(
          own.place("at"),
          "the interface has no address of "
              + network.name()
              + " but the link-local "
              + near.get(0),
          "add the one by which others know it");
    }
    sorted.addAll(near);
    return sorted;
  }

  /** An interface may have the name of its zone only where it is the zone's only one here. */
  private void reportAmbiguousName(Interface own) {
    if (terms.isZone(own.name())
        && (!own.network().zone().equals(own.name()) || inZone(own.name()).size() > 1)) {
      problems.add(
          own,
          "interface '" + own.name() + "' has the name of a zone that is not just this interface",
          "rename the interface or the zone, so that rules can tell them apart");
    }
  }

  private List<Interface> inZone(String zone) {
    return interfaces.values().stream().filter(i -> i.network().zone().equals(zone)).toList();
  }

  /** All the interfaces that several words stand for; null if none could be read. */
  @Nullable InterfaceTerm interfaceTerm(List<Node.Scalar> scalars) {
    List<String> texts = new ArrayList<>();
    Map<String, Interface> meant = new LinkedHashMap<>();
    for (Node.Scalar scalar : scalars) {
      InterfaceTerm term = interfaceTerm(scalar);
      if (term != null) {
        texts.add(term.text());
        term.interfaces().forEach(own -> meant.put(own.name(), own));
      }
    }
    return meant.isEmpty()
        ? null
        : new InterfaceTerm(
            String.join(", ", texts), List.copyOf(meant.values()), scalars.get(0).place());
  }

  @Nullable InterfaceTerm interfaceTerm(Node.@Nullable Scalar scalar) {
    if (scalar == null) {
      return null;
    }
    String text = scalar.text();
    Interface own = interfaces.get(text);
    List<Interface> meant =
        own != null
            ? List.of(own)
            : text.equals(Site.ANY) ? List.copyOf(interfaces.values()) : inZone(text);
    if (!meant.isEmpty()) {
      return new InterfaceTerm(text, meant, scalar.place());
    }
    if (!interfacesComplete) {
      return null;
    }
    if (terms.isZone(text)) {
      problems.add(
          scalar,
          "device '" + name.text() + "' has no interface in zone '" + text + "'",
          "name one of its interfaces: " + String.join(", ", interfaces.keySet()));
    } else {
      List<String> candidates = new ArrayList<>(interfaces.keySet());
      candidates.addAll(terms.zones());
      terms.undefined(scalar, "interface of " + name.text() + " and no zone", text, candidates);
    }
    return null;
  }

  // Stance, routes, own services.

  private Stance stance() {
    Node node = fields.node("stance");
    if (!(node instanceof Node.Mapping mapping)) {
      Action action = RuleReader.action(fields.text("stance"));
      return new Stance(action, List.of(), fields.place("stance"));
    }
    Action otherwise = Action.DROP;
    List<Stance.Pair> pairs = new ArrayList<>();
    for (Node.Entry entry : mapping.entries()) {
      String key = entry.key().text();
      Action action =
          RuleReader.action(entry.value() instanceof Node.Scalar scalar ? scalar.text() : null);
      int to = key.indexOf(" to ");
      if (key.equals("otherwise")) {
        otherwise = action;
      } else if (to > 0) {
        String from = key.substring(0, to);
        String into = key.substring(to + " to ".length());
        checkZone(entry.key(), from);
        if (!into.equals(Site.SELF)) {
          checkZone(entry.key(), into);
        }
        pairs.add(new Stance.Pair(from, into, action, entry.key().place()));
      }
    }
    return new Stance(otherwise, pairs, fields.place("stance"));
  }

  /** How the device keeps state. */
  StateSettings state() {
    return state;
  }

  /** How state is kept: as usual, but for what the keys of {@code state} say. */
  StateSettings state(Fields holder, StateSettings usual) {
    if (!holder.has("state")) {
      return usual;
    }
    Fields state = holder.children("state").get(0);
    StateSettings.Timers times = usual.timers();
    StateSettings.Ports ports = usual.ports();
    String perSource = state.text("ports-per-source");
    PortSet controlPorts = terms.ports(state, "control-ports");
    return new StateSettings(
        new StateSettings.Timers(
            idle(state, "udp", times.udp()),
            idle(state, "tcp-established", times.tcpEstablished()),
            idle(state, "tcp-transitory", times.tcpTransitory()),
            idle(state, "icmp", times.icmp()),
            idle(state, "other", times.other())),
        word(StateSettings.Endpoints.class, state.text("mapping"), usual.mapping()),
        word(StateSettings.Endpoints.class, state.text("filtering"), usual.filtering()),
        word(StateSettings.Pooling.class, state.text("pooling"), usual.pooling()),
        new StateSettings.Ports(
            state.isTrue("port-preservation", ports.preserved()),
            state.isTrue("port-parity", ports.parity()),
            state.isTrue("port-range-fallback", ports.fallback()),
            perSource == null ? ports.perSource() : Integer.decode(perSource),
            idle(state, "port-hold-down", ports.holdDown())),
        state.isTrue("inbound-refreshes", usual.inboundRefreshes()),
        state.isTrue("mid-stream", usual.midStream()),
        state.isTrue("file-transfer", usual.fileTransfer()),
        controlPorts == null ? usual.controlPorts() : controlPorts,
        idle(state, "syn-wait", usual.synWait()));
  }

  private static <T extends Enum<T>> T word(Class<T> words, @Nullable String text, T usual) {
    return text == null
        ? usual
        : Enum.valueOf(words, text.toUpperCase(Locale.ROOT).replace('-', '_'));
  }

  private Duration idle(Fields state, String key, Duration usual) {
    Node.Scalar scalar = state.scalar(key);
    if (scalar == null) {
      return usual;
    }
    Duration time = Times.duration(scalar.text());
    if (time == null || (time.isZero() && !usual.isZero())) {
      problems.add(
          scalar, "'" + scalar.text() + "' is no time for '" + key + "'", "write 90s, 5m or 2h4m");
      return usual;
    }
    return time;
  }

  private void checkZone(Placed at, String zone) {
    if (!zone.equals(Site.ANY) && !terms.isZone(zone)) {
      terms.undefined(at, "zone", zone, List.copyOf(terms.zones()));
    }
  }

  private List<Route> routes() {
    List<Route> routes = new ArrayList<>();
    for (Fields route : fields.children("routes")) {
      Node.Scalar via = route.scalar("via");
      Address next = via == null ? null : terms.literal(via, via.text());
      Interface leaving = next == null || via == null ? null : nextTo(next, via);
      boolean discards = route.isTrue("discard", false);
      if (route.has("discard") && !discards) {
        problems.add(
            route.place("discard"), "'discard' can only be true", "write via: and the next router");
      }
      Integer preference = route.whole("preference");
      for (Prefix to : routedTo(route.scalar("to"), next, discards)) {
        if (discards || leaving != null) {
          routes.add(
              new Route(
                  to,
                  Objects.requireNonNullElse(route.text("to"), to.toString()),
                  next,
                  leaving,
                  preference == null ? Route.DEFAULT_PREFERENCE : preference,
                  route.text("note"),
                  route.place()));
        }
      }
    }
    return routes;
  }

  private @Nullable Interface nextTo(Address next, Placed at) {
    if (SpecialAddresses.FOR_NEIGHBOURS_ONLY.contains(next)) {
      List<Interface> near =
          interfaces.values().stream()
              .filter(each -> site.neighbours().has(each.network(), next))
              .filter(each -> !each.addresses().contains(next))
              .toList();
      if (near.size() != 1 && interfacesComplete) {
        problems.add(
            at,
            (near.isEmpty() ? "no router next to '" : "several routers next to '")
                + name.text()
                + "' "
                + (near.isEmpty() ? "has" : "have")
                + " the link-local address "
                + next,
            "write the address that the router has of the network's prefix");
      }
      return near.size() == 1 ? near.get(0) : null;
    }
    for (Interface own : interfaces.values()) {
      if (own.network().prefixOf(next) != null) {
        if (own.addresses().contains(next)) {
          problems.add(
              at,
              "the next router " + next + " is '" + name.text() + "' itself",
              "write the address of the other router");
        }
        return own;
      }
    }
    if (interfacesComplete) {
      problems.add(
          at,
          "the next router " + next + " is on no network of '" + name.text() + "'",
          "write an address on "
              + String.join(
                  ", ", interfaces.values().stream().map(i -> i.network().name()).toList()));
    }
    return null;
  }

  private List<Prefix> routedTo(
      Node.@Nullable Scalar to, @Nullable Address next, boolean discards) {
    if (to == null) {
      return List.of();
    }
    List<Prefix> prefixes = new ArrayList<>();
    Network network = site.networks().get(to.text());
    if (network != null) {
      prefixes.addAll(network.prefixes());
    } else if (to.text().equals(Site.ANY)) {
      for (Family family : Family.values()) {
        prefixes.add(new Prefix(Address.lowest(family), 0));
      }
    } else if (Literals.looksLikeAddress(to.text())) {
      try {
        prefixes.add(
            to.text().indexOf('/') < 0
                ? Prefix.of(Literals.address(to.text()))
                : Literals.prefix(to.text()));
      } catch (BadLiteralException e) {
        problems.add(to, e.message(), e.remedy());
      }
      if (next != null
          && !prefixes.isEmpty()
          && prefixes.get(0).first().family() != next.family()) {
        problems.add(
            to,
            "the prefix "
                + to.text()
                + " and the next router "
                + next
                + " are of different families",
            "write both in the same");
      }
    } else {
      List<String> known = new ArrayList<>(site.networks().keySet());
      known.add(Site.ANY);
      if (to.text().equals("default")) {
        problems.add(to, "no network is called 'default'", "a default route is written to: any");
      } else {
        terms.undefined(to, "network", to.text(), known);
      }
    }
    // A route serves the family of its next router.
    return prefixes.stream()
        .filter(p -> discards || (next != null && p.first().family() == next.family()))
        .toList();
  }

  private List<OwnService> services() {
    List<OwnService> services = new ArrayList<>();
    for (Fields own : fields.children("services")) {
      List<AddressTerm> from = terms.addresses(own.texts("from"), false);
      for (ServiceTerm service : terms.services(own.texts("service"))) {
        services.add(new OwnService(service, from, own.text("note"), own.place()));
      }
    }
    return services;
  }

  // What the reader of translation rules needs.

  String name() {
    return name.text();
  }

  Map<String, Interface> interfaces() {
    return interfaces;
  }

  boolean interfacesComplete() {
    return interfacesComplete;
  }

  // Access.

  private List<AccessList> access() {
    List<AccessList> lists = new ArrayList<>();
    RuleReader rules = new RuleReader(terms, problems);
    for (Fields.NamedNode named : fields.named("access")) {
      Fields list = fields.children(named.value()).get(0);
      List<AccessList.Guard> guards = new ArrayList<>();
      for (Fields guard : list.children("guards")) {
        AccessList.Guard read = guard(guard);
        if (read != null) {
          guards.add(read);
        }
      }
      lists.add(
          AccessListBuilder.builder()
              .name(named.name().text())
              .guards(guards)
              .rules(rules.rules(list, true))
              .otherwise(RuleReader.action(list.text("otherwise")))
              .logsOtherwise(RuleReader.logs(list.text("otherwise")))
              .stateless(list.isTrue("stateless", false))
              .note(list.text("note"))
              .place(named.name().place())
              .build());
    }
    return lists;
  }

  private AccessList.@Nullable Guard guard(Fields guard) {
    boolean toDevice = guard.has("to");
    InterfaceTerm arriving = interfaceTerm(guard.scalar("arriving"));
    InterfaceTerm leaving = interfaceTerm(guard.scalar("leaving"));
    if (toDevice && guard.has("leaving")) {
      problems.add(
          guard.place("leaving"),
          "a way to the device itself leaves nowhere",
          "take 'leaving' or 'to' away");
      return null;
    }
    if (!toDevice && !guard.has("leaving") && !guard.has("arriving")) {
      problems.add(
          guard,
          "this names no way",
          "write arriving, leaving or both, each with an interface, a zone or any");
      return null;
    }
    if ((guard.has("arriving") && arriving == null) || (guard.has("leaving") && leaving == null)) {
      return null;
    }
    return new AccessList.Guard(arriving, leaving, toDevice, guard.place());
  }
}
