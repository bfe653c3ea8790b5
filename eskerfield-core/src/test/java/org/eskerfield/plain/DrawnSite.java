// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.plain;

import java.time.DayOfWeek;
import java.time.Duration;
import java.time.LocalTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.EnumSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Random;
import org.eskerfield.Draft;
import org.eskerfield.Numbers;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessListBuilder;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AccessRuleBuilder;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.DestinationRuleBuilder;
import org.eskerfield.model.Device;
import org.eskerfield.model.DeviceBuilder;
import org.eskerfield.model.DynamicRuleBuilder;
import org.eskerfield.model.External;
import org.eskerfield.model.Flags;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.HostBuilder;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceBuilder;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.Network;
import org.eskerfield.model.NetworkBuilder;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Pool;
import org.eskerfield.model.PrefixRule;
import org.eskerfield.model.PrefixRuleBuilder;
import org.eskerfield.model.Route;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.SharedRuleBuilder;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.StaticRuleBuilder;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.jspecify.annotations.Nullable;

/**
 * Sites drawn by lot, full of addresses that several rules use: networks inside, in the middle and
 * outside, on one to three devices in a row.
 */
final class DrawnSite {
  private static final Place HERE = Place.IN_CODE;

  /** Kinds of rules, of which one is sure to be there. */
  enum Kind {
    NONE,
    STATIC,
    STATIC_BLOCK,
    STATIC_PORTS,
    DYNAMIC,
    SHARED,
    SHARED_POOL,
    DESTINATION,
    DESTINATION_WHOLE,
    BOTH_SIDES,
    HAIRPIN,
    UNTOUCHED,
    PREFIX
  }

  final Random random;

  /** For what was not drawn at first, so that all else stays as it was. */
  final Random sizes;

  /** Whether devices wait before they refuse. */
  private final boolean waits;

  private final Map<String, Network> networks = new LinkedHashMap<>();
  private final Map<String, Host> hosts = new LinkedHashMap<>();
  private final Map<String, Device> devices = new LinkedHashMap<>();

  DrawnSite(long seed) {
    this.random = new Random(seed);
    this.sizes = new Random(~seed);
    this.waits = seed % 4 == 0;
  }

  /** A size for some packets; null for most. */
  @Nullable Size size(Packet packet) {
    if (packet.inner != null || sizes.nextInt(4) > 0) {
      return null;
    }
    if (packet.opensTcp()) {
      return Size.opening(packet.family, 1100 + sizes.nextInt(400));
    }
    int length = 1250 + sizes.nextInt(260);
    return Size.of(length, packet.family == Family.IPV4 && sizes.nextBoolean());
  }

  boolean chance(int percent) {
    return random.nextInt(100) < percent;
  }

  @SafeVarargs
  final <T> T one(T... of) {
    return of[random.nextInt(of.length)];
  }

  <T> T one(List<T> of) {
    return of.get(random.nextInt(of.size()));
  }

  // Addresses. Those below are of IPv4; a site of IPv6 has others in their places.

  private static final Map<String, String> SIX =
      Map.of(
          "10.1.0.", "fd01:203:405:1::",
          "10.2.0.", "fd01:203:405:2::",
          "198.51.100.", "2001:db8:ffff::",
          "192.0.2.", "2001:db8:1:d550::",
          "203.0.113.", "2001:db8:77::");

  private boolean six;

  boolean isSix() {
    return six;
  }

  private Address a(String text) {
    int end = text.lastIndexOf('.') + 1;
    return six && end > 0
        ? Numbers.a(SIX.get(text.substring(0, end)) + Integer.toHexString(last(text, end)))
        : Numbers.a(text);
  }

  private static int last(String text, int end) {
    return Integer.parseInt(text.substring(end));
  }

  private Prefix p(String text) {
    if (!six || text.indexOf('.') < 0) {
      return Numbers.p(text);
    }
    return switch (text) {
      case "0.0.0.0/0" -> Numbers.p("::/0");
      case "10.0.0.0/8", "10.0.0.0/12" -> Numbers.p("fd01:203:405::/48");
      case "192.0.2.64/29" -> Numbers.p("2001:db8:1::/48");
      case "192.0.2.64/30" -> Numbers.p("2001:db8:1:d551::/64");
      default -> {
        String[] parts = text.split("/");
        yield new Prefix(a(parts[0]), 96 + Integer.parseInt(parts[1]));
      }
    };
  }

  static final Kind[] OF_IPV4 =
      Arrays.copyOf(Kind.values(), Kind.values().length - 1); // all but the last

  private Kind kind() {
    return six ? one(Kind.PREFIX, Kind.PREFIX, Kind.UNTOUCHED, Kind.NONE) : one(OF_IPV4);
  }

  // Sites.

  /** A device between an inside, a middle and an outside. */
  Site oneDevice(Kind kind) {
    six = kind == Kind.PREFIX;
    network("inside", "10.1.0.0/28", "inside", null, List.of());
    network("middle", "10.2.0.0/28", "middle", null, List.of());
    String uplink = one("198.51.100.130", "198.51.100.140");
    Network.Routed block = new Network.Routed(p("192.0.2.64/29"), a(uplink), HERE);
    network(
        "outside",
        "198.51.100.128/28",
        Site.INTERNET,
        "198.51.100.129",
        chance(70) ? List.of(block) : List.of());
    hosts();
    List<Interface> interfaces = new ArrayList<>();
    interfaces.add(on("inside", "10.1.0.1"));
    interfaces.add(on("middle", "10.2.0.1"));
    interfaces.add(on("outside", uplink));
    List<Route> routes = new ArrayList<>();
    routes.add(route("0.0.0.0/0", "198.51.100.129", interfaces));
    if (chance(20)) {
      routes.add(route("192.0.2.64/30", "10.2.0.5", interfaces));
    }
    if (chance(10)) {
      routes.add(
          new Route(
              p("203.0.113.4/32"),
              "203.0.113.4/32",
              null,
              null,
              Route.DEFAULT_PREFERENCE,
              null,
              HERE));
    }
    device("edge", interfaces, routes, kind);
    return site();
  }

  /** One to three devices in a row. */
  Site row(int length) {
    network(
        "link",
        "198.51.100.128/28",
        Site.INTERNET,
        "198.51.100.129",
        chance(60)
            ? List.of(new Network.Routed(p("192.0.2.64/29"), a("198.51.100.140"), HERE))
            : List.of());
    for (int i = 0; i < length; i++) {
      network("transit" + i, "10." + (10 + i) + ".0.0/28", "transit" + i, null, List.of());
      network("side" + i, "10." + (1 + i) + ".0.0/28", "side" + i, null, List.of());
    }
    for (int i = 0; i < length; i++) {
      String net = "side" + i;
      host("h" + i, net, "10." + (1 + i) + ".0.7");
      host("g" + i, net, "10." + (1 + i) + ".0.8");
    }
    host("outer", null, "203.0.113.4");
    host("other", null, "203.0.113.5");
    for (int i = 0; i < length; i++) {
      List<Interface> interfaces = new ArrayList<>();
      String above = i == 0 ? "198.51.100.140" : "10." + (9 + i) + ".0.2";
      interfaces.add(on(i == 0 ? "link" : "transit" + (i - 1), above));
      interfaces.add(on("side" + i, "10." + (1 + i) + ".0.1"));
      if (i + 1 < length) {
        interfaces.add(on("transit" + i, "10." + (10 + i) + ".0.1"));
      }
      List<Route> routes = new ArrayList<>();
      String next = i == 0 ? "198.51.100.129" : "10." + (9 + i) + ".0.1";
      if (!chance(5)) {
        routes.add(route("0.0.0.0/0", next, interfaces));
      }
      for (int below = i + 1; below < length; below++) {
        if (!chance(10)) {
          String via = "10." + (10 + i) + ".0.2";
          routes.add(route("10." + (1 + below) + ".0.0/28", via, interfaces));
          if (below + 1 < length) {
            routes.add(route("10." + (10 + below) + ".0.0/28", via, interfaces));
          }
        }
      }
      device("d" + i, interfaces, routes, kind());
    }
    return site();
  }

  private Site site() {
    return Draft.site("drawn", networks, hosts, devices);
  }

  private void network(
      String name,
      String prefix,
      String zone,
      @Nullable String carrier,
      List<Network.Routed> routed) {
    networks.put(
        name,
        NetworkBuilder.builder()
            .name(name)
            .prefixes(List.of(p(prefix)))
            .zone(zone)
            .carrier(carrier == null ? List.of() : List.of(a(carrier)))
            .routed(routed)
            .leases(AddressSet.NONE)
            .lease(lease(prefix))
            .mtu(sizes.nextInt(4) > 0 ? null : 1280 + sizes.nextInt(200))
            .place(HERE)
            .build());
  }

  /** What some networks tell hosts: their gateway, an address where nobody is, or none. */
  private Network.@Nullable Lease lease(String prefix) {
    if (!prefix.startsWith("10.") || sizes.nextInt(3) > 0) {
      return null;
    }
    String told =
        prefix.substring(0, prefix.lastIndexOf('.')) + (sizes.nextBoolean() ? ".1" : ".9");
    return new Network.Lease(
        "whoever",
        sizes.nextInt(3) == 0 ? List.of() : List.of(a(told)),
        null,
        Network.Lease.USUAL_TIME,
        HERE);
  }

  private void hosts() {
    host("in7", "inside", "10.1.0.7");
    host("in8", "inside", "10.1.0.8");
    host("mid5", "middle", "10.2.0.5");
    if (chance(50)) {
      host("out", "outside", one("198.51.100.132", "198.51.100.133", "198.51.100.135"));
    }
    host("far", null, "203.0.113.4");
  }

  private void host(String name, @Nullable String network, String address) {
    AccessList filter = null;
    if (chance(10)) {
      filter =
          AccessListBuilder.builder()
              .name("filter of " + name)
              .rules(List.of(rule(List.of())))
              .otherwise(one(Action.ACCEPT, Action.DROP, Action.REJECT))
              .place(HERE)
              .build();
    }
    hosts.put(
        name,
        HostBuilder.builder()
            .name(name)
            .networks(
                network == null
                    ? List.of()
                    : List.of(Objects.requireNonNull(networks.get(network))))
            .addresses(List.of(a(address)))
            .assigned(Assignment.values()[sizes.nextInt(3)])
            .ownPrefixes(chance(4) && network != null ? List.of(p("10.0.0.0/12")) : List.of())
            .gateways(chance(4) && network != null ? List.of(a("10.1.0.9")) : List.of())
            .listens(List.of(service()))
            .answersPing(!chance(10))
            .filter(filter)
            .blocked(chance(4) ? List.of(service()) : List.of())
            .off(chance(3))
            .place(HERE)
            .build());
  }

  private Interface on(String network, String address) {
    return InterfaceBuilder.builder()
        .name(network)
        .network(Objects.requireNonNull(networks.get(network)))
        .addresses(List.of(a(address)))
        .assigned(Assignment.FIXED)
        .state(chance(3) ? Interface.State.OFF : Interface.State.UP)
        .mtu(sizes.nextInt(3) > 0 ? null : 1280 + sizes.nextInt(200))
        .largestSegment(sizes.nextInt(5) > 0 ? null : 1200 + sizes.nextInt(300))
        .place(HERE)
        .build();
  }

  private Route route(String to, String via, List<Interface> interfaces) {
    Interface leaving =
        interfaces.stream()
            .filter(own -> own.network().prefixOf(a(via)) != null)
            .findFirst()
            .orElseThrow();
    return new Route(p(to), to, a(via), leaving, Route.DEFAULT_PREFERENCE, null, HERE);
  }

  // Devices.

  private void device(String name, List<Interface> interfaces, List<Route> routes, Kind kind) {
    List<TranslationRule> translation = new ArrayList<>();
    int rules = kind == Kind.NONE ? random.nextInt(3) : 1 + random.nextInt(4);
    int sure = random.nextInt(Math.max(1, rules));
    for (int i = 0; i < rules; i++) {
      Kind each = i == sure && kind != Kind.NONE ? kind : kind();
      if (each != Kind.NONE) {
        translation.add(translation(each, interfaces));
      }
    }
    List<AccessList> access = new ArrayList<>();
    for (int i = chance(50) ? 0 : random.nextInt(4); i > 0; i--) {
      access.add(list("list " + i, interfaces));
    }
    List<OwnService> services = new ArrayList<>();
    for (int i = random.nextInt(3); i > 0; i--) {
      List<AddressTerm> from = chance(50) ? List.of() : List.of(term(interfaces, false));
      services.add(new OwnService(service(), from, null, HERE));
    }
    devices.put(
        name,
        DeviceBuilder.builder()
            .name(name)
            .stance(stance(interfaces))
            .seesOriginal(chance(20))
            .verifySource(chance(10))
            .state(state())
            .interfaces(interfaces)
            .routes(routes)
            .services(services)
            .translation(translation)
            .access(access)
            .place(HERE)
            .build());
  }

  private Stance stance(List<Interface> interfaces) {
    List<Stance.Pair> pairs = new ArrayList<>();
    for (int i = chance(60) ? 0 : random.nextInt(3); i > 0; i--) {
      pairs.add(
          new Stance.Pair(
              zone(interfaces, "any"),
              zone(interfaces, one("any", Site.SELF)),
              one(Action.ACCEPT, Action.ACCEPT, Action.DROP, Action.REJECT),
              HERE));
    }
    return new Stance(one(Action.ACCEPT, Action.ACCEPT, Action.DROP, Action.REJECT), pairs, HERE);
  }

  private String zone(List<Interface> interfaces, String else_) {
    return chance(30) ? else_ : one(interfaces).network().zone();
  }

  private StateSettings state() {
    StateSettings usual = StateSettings.OF_THE_RFCS;
    if (chance(50)) {
      return usual;
    }
    return new StateSettings(
        usual.timers(),
        one(StateSettings.Endpoints.values()),
        one(StateSettings.Endpoints.values()),
        one(StateSettings.Pooling.values()),
        new StateSettings.Ports(
            true,
            chance(70),
            chance(70),
            chance(15) ? 3 : 0,
            chance(30) ? Duration.ofSeconds(90) : Duration.ZERO),
        chance(20),
        chance(15),
        false,
        usual.controlPorts(),
        waits ? Duration.ofSeconds(6) : Duration.ZERO);
  }

  private InterfaceTerm way(List<Interface> interfaces) {
    if (chance(15)) {
      return new InterfaceTerm("any", interfaces, HERE);
    }
    Interface own =
        chance(60)
            ? interfaces.stream()
                .filter(each -> each.network().zone().equals(Site.INTERNET))
                .findFirst()
                .orElse(interfaces.get(0))
            : one(interfaces);
    return new InterfaceTerm(own.name(), List.of(own), HERE);
  }

  private String external() {
    return one(
        "198.51.100.132",
        "198.51.100.133",
        "198.51.100.134",
        "198.51.100.135",
        "192.0.2.65",
        "192.0.2.66",
        "10.2.0.9",
        "203.0.113.5");
  }

  private String internal() {
    return one("10.1.0.7", "10.1.0.8", "10.2.0.5", "10.1.0.1", "10.2.0.7", "10.2.0.8");
  }

  private External externalOf(List<Interface> interfaces) {
    if (chance(30)) {
      Interface own = one(interfaces);
      return new External(null, own, own.name());
    }
    String text = external();
    return new External(Prefix.of(a(text)), null, text);
  }

  private static AddressTerm literal(String text, AddressSet set) {
    return new AddressTerm(AddressTerm.Kind.LITERAL, text, set, HERE);
  }

  private AddressTerm term(List<Interface> interfaces, boolean self) {
    if (self && chance(20)) {
      return new AddressTerm(AddressTerm.Kind.SELF, Site.SELF, AddressSet.NONE, HERE);
    }
    switch (random.nextInt(4)) {
      case 0:
        return new AddressTerm(AddressTerm.Kind.ANY, "any", AddressSet.NONE, HERE);
      case 1:
        if (!interfaces.isEmpty()) {
          String zone = one(interfaces).network().zone();
          return new AddressTerm(AddressTerm.Kind.ZONE, zone, AddressSet.NONE, HERE);
        }
        return literal("10.0.0.0/8", AddressSet.ofPrefixes(List.of(p("10.0.0.0/8"))));
      case 2:
        String prefix =
            one("10.1.0.0/28", "10.1.0.8/29", "10.2.0.0/28", "203.0.113.4/31", "198.51.100.132/30");
        return literal(prefix, AddressSet.ofPrefixes(List.of(p(prefix))));
      default:
        String one = one("10.1.0.7", "203.0.113.4", "10.2.0.5", "198.51.100.133", "10.2.0.7");
        return literal(one, AddressSet.of(a(one)));
    }
  }

  private static ServiceTerm service(String name, ServicePart... parts) {
    return new ServiceTerm(new Service(name, List.of(parts), HERE), HERE);
  }

  private static ServicePart part(int protocol, int first, int last) {
    return new ServicePart(protocol, PortSet.range(first, last), Icmp.NO_TYPE);
  }

  private ServicePart message(int type, int code) {
    return new ServicePart(six ? Protocol.ICMPV6 : Protocol.ICMP, PortSet.ALL, type, code);
  }

  private ServiceTerm service() {
    return switch (random.nextInt(11)) {
      case 0 -> service("1500/tcp", part(Protocol.TCP, 1500, 1500));
      case 1 -> service("1501/udp", part(Protocol.UDP, 1501, 1501));
      case 2 ->
          service(
              "1500-1502/tcp+udp", part(Protocol.TCP, 1500, 1502), part(Protocol.UDP, 1500, 1502));
      case 3 -> service("udp", ServicePart.all(Protocol.UDP));
      case 4 -> service("1-65535/tcp", part(Protocol.TCP, 1, 65535));
      case 5 -> new ServiceTerm(Service.PING, HERE);
      case 6 -> new ServiceTerm(Service.ANY, HERE);
      case 7 -> service("icmp", ServicePart.all(six ? Protocol.ICMPV6 : Protocol.ICMP));
      case 8 -> service("icmp 3/3", message(3, 3), message(1, 4));
      case 9 -> service("icmp 3, icmp 8/0", message(3, Icmp.NO_CODE), message(8, 0));
      default -> service("1500/tcp, gre", part(Protocol.TCP, 1500, 1500), ServicePart.all(47));
    };
  }

  private ServiceTerm ports() {
    return one(
        service("1500/tcp", part(Protocol.TCP, 1500, 1500)),
        service("1501/udp", part(Protocol.UDP, 1501, 1501)),
        service("1500-1502/tcp", part(Protocol.TCP, 1500, 1502)),
        service(
            "1501-1503/tcp+udp", part(Protocol.TCP, 1501, 1503), part(Protocol.UDP, 1501, 1503)));
  }

  private Pool pool() {
    String[] ends =
        one(
            new String[] {"198.51.100.132", "198.51.100.133"},
            new String[] {"198.51.100.133", "198.51.100.135"},
            new String[] {"198.51.100.140", "198.51.100.140"},
            new String[] {"198.51.100.139", "198.51.100.141"},
            new String[] {"192.0.2.65", "192.0.2.66"},
            new String[] {"10.2.0.9", "10.2.0.10"},
            new String[] {"198.51.100.142", "198.51.100.143"},
            new String[] {"198.51.100.135", "198.51.100.135"});
    AddressSet set = AddressSet.of(List.of(new AddressRange(a(ends[0]), a(ends[1]))));
    return new Pool(List.of(literal(ends[0] + "-" + ends[1], set)), set, HERE);
  }

  private @Nullable Hairpin hairpin(List<Interface> interfaces, boolean sure) {
    if (!sure && chance(70)) {
      return null;
    }
    return new Hairpin(way(interfaces), one(Hairpin.Source.values()), HERE);
  }

  private @Nullable Admission admit(List<Interface> interfaces) {
    return chance(75) ? null : new Admission(List.of(term(interfaces, false)), when(), false, HERE);
  }

  private @Nullable Schedule when() {
    return chance(85)
        ? null
        : new Schedule(
            "hours",
            List.of(
                new Schedule.Window(
                    EnumSet.of(DayOfWeek.MONDAY),
                    LocalTime.of(9, 0),
                    LocalTime.of(9, 20),
                    null,
                    null,
                    "mon 09:00-09:20")),
            HERE);
  }

  private TranslationRule translation(Kind kind, List<Interface> interfaces) {
    String name = one("a", "b");
    boolean disabled = chance(4);
    List<AddressTerm> from = List.of(term(interfaces, true));
    List<AddressTerm> to = chance(70) ? List.of() : List.of(term(interfaces, false));
    StateSettings state = chance(80) ? null : state();
    String inside = internal();
    return switch (kind) {
      case STATIC, STATIC_PORTS -> {
        External external = externalOf(interfaces);
        boolean byPort = kind == Kind.STATIC_PORTS;
        List<ServiceTerm> services = byPort ? List.of(ports()) : List.of();
        if (chance(10) && external.literal() != null) {
          inside = external.text(); // to itself
        }
        PortSet inner = byPort && chance(50) ? shifted(services.get(0), 10) : null;
        yield StaticRuleBuilder.builder()
            .name(name)
            .facing(way(interfaces))
            .external(external)
            .services(services)
            .internal(literal(inside, AddressSet.of(a(inside))))
            .internalBlock(Prefix.of(a(inside)))
            .internalPorts(inner)
            .hairpin(hairpin(interfaces, false))
            .admit(admit(interfaces))
            .disabled(disabled)
            .place(HERE)
            .build();
      }
      case STATIC_BLOCK -> {
        Prefix block = one(p("198.51.100.132/30"), p("192.0.2.64/30"));
        Prefix inner = one(p("10.1.0.4/30"), p("10.2.0.4/30"));
        yield StaticRuleBuilder.builder()
            .name(name)
            .facing(way(interfaces))
            .external(new External(block, null, block.toString()))
            .internal(literal(inner.toString(), AddressSet.ofPrefixes(List.of(inner))))
            .internalBlock(inner)
            .hairpin(hairpin(interfaces, false))
            .admit(admit(interfaces))
            .disabled(disabled)
            .place(HERE)
            .build();
      }
      case DYNAMIC ->
          DynamicRuleBuilder.builder()
              .name(name)
              .from(from)
              .to(to)
              .leaving(way(interfaces))
              .pool(pool())
              .state(state)
              .disabled(disabled)
              .place(HERE)
              .build();
      case SHARED ->
          SharedRuleBuilder.builder()
              .name(name)
              .from(from)
              .to(to)
              .leaving(way(interfaces))
              .state(state)
              .disabled(disabled)
              .place(HERE)
              .build();
      case SHARED_POOL ->
          SharedRuleBuilder.builder()
              .name(name)
              .from(from)
              .to(to)
              .leaving(way(interfaces))
              .pool(pool())
              .state(state)
              .disabled(disabled)
              .place(HERE)
              .build();
      case PREFIX -> {
        Prefix outside =
            Numbers.p(one("2001:db8:1::/48", "2001:db8:1::/48", "2001:db8:1:d550::/60"));
        Prefix internal =
            Numbers.p(
                one(
                    "fd01:203:405::/48",
                    "fd01:203:405::/48",
                    "fd01:203:405:1::/64",
                    "fd01:203::/36"));
        yield PrefixRuleBuilder.builder()
            .name(name)
            .facing(way(interfaces))
            .external(new External(outside, null, outside.toString()))
            .internal(literal(internal.toString(), AddressSet.ofPrefixes(List.of(internal))))
            .written(internal)
            .hairpin(
                chance(50)
                    ? null
                    : new Hairpin(
                        way(interfaces),
                        one(Hairpin.Source.EXTERNAL, Hairpin.Source.EXTERNAL, Hairpin.Source.KEPT),
                        HERE))
            .disabled(disabled)
            .place(HERE)
            .build();
      }
      case UNTOUCHED ->
          new UntouchedRule(
              name,
              List.of(term(interfaces, false)),
              List.of(term(interfaces, false)),
              disabled,
              null,
              HERE);
      default -> destination(kind, name, interfaces, disabled);
    };
  }

  private static PortSet shifted(ServiceTerm term, int by) {
    PortSet ports = term.service().parts().get(0).ports();
    return PortSet.range(ports.first() + by, ports.first() + by + ports.size() - 1);
  }

  private DestinationRule destination(
      Kind kind, String name, List<Interface> interfaces, boolean disabled) {
    List<ServiceTerm> services =
        kind == Kind.DESTINATION_WHOLE
            ? chance(60)
                ? List.of()
                : List.of(
                    one(service("udp", ServicePart.all(17)), new ServiceTerm(Service.ANY, HERE)))
            : List.of(ports());
    PortSet inner =
        services.isEmpty() || kind == Kind.DESTINATION_WHOLE || chance(50)
            ? null
            : chance(50) ? PortSet.of(1500) : shifted(services.get(0), 7);
    InterfaceTerm leaving = null;
    DestinationRule.Sources sources = null;
    if (kind == Kind.BOTH_SIDES) {
      Interface out = one(interfaces);
      leaving = chance(50) ? null : new InterfaceTerm(out.name(), List.of(out), HERE);
      sources = new DestinationRule.Sources(chance(50) ? null : pool(), HERE);
    }
    String inside = internal();
    return DestinationRuleBuilder.builder()
        .name(name)
        .facing(way(interfaces))
        .leaving(leaving)
        .sources(sources)
        .from(chance(80) ? List.of() : List.of(term(interfaces, false)))
        .external(externalOf(interfaces))
        .services(services)
        .internal(literal(inside, AddressSet.of(a(inside))))
        .internalBlock(Prefix.of(a(inside)))
        .internalPorts(inner)
        .hairpin(hairpin(interfaces, kind == Kind.HAIRPIN))
        .admit(admit(interfaces))
        .disabled(disabled)
        .place(HERE)
        .build();
  }

  private AccessList list(String name, List<Interface> interfaces) {
    List<AccessList.Guard> guards = new ArrayList<>();
    for (int i = 1 + random.nextInt(2); i > 0; i--) {
      InterfaceTerm arriving = chance(70) ? way(interfaces) : null;
      boolean toDevice = chance(25);
      InterfaceTerm leaving = toDevice || (arriving != null && chance(50)) ? null : way(interfaces);
      guards.add(new AccessList.Guard(arriving, leaving, toDevice, HERE));
    }
    List<AccessRule> rules = new ArrayList<>();
    for (int i = random.nextInt(4); i > 0; i--) {
      rules.add(rule(interfaces));
    }
    return AccessListBuilder.builder()
        .name(name)
        .guards(guards)
        .rules(rules)
        .otherwise(one(Action.ACCEPT, Action.DROP, Action.REJECT))
        .stateless(chance(25))
        .place(HERE)
        .build();
  }

  private AccessRule rule(List<Interface> interfaces) {
    boolean self = !interfaces.isEmpty();
    return AccessRuleBuilder.builder()
        .action(one(Action.ACCEPT, Action.ACCEPT, Action.DROP, Action.REJECT))
        .name("rule")
        .from(chance(40) ? List.of() : List.of(term(interfaces, self)))
        .to(chance(40) ? List.of() : List.of(term(interfaces, false)))
        .services(chance(30) ? List.of() : List.of(service()))
        .sourcePorts(chance(90) ? null : PortSet.range(1024, 1501))
        .flags(chance(88) ? null : flags())
        .when(when())
        .disabled(chance(5))
        .place(HERE)
        .build();
  }

  private Flags flags() {
    return one(
        new Flags(Packet.ACK | Packet.RST, 0, 0, HERE),
        new Flags(0, Packet.SYN, Packet.ACK, HERE),
        new Flags(0, 0, Packet.SYN, HERE),
        new Flags(Packet.SYN | Packet.FIN, Packet.ACK, 0, HERE));
  }

  /** An address that means something on these sites. */
  Address someAddress() {
    if (six && chance(40)) {
      return outside();
    }
    return a(
        one(
            "10.1.0.7",
            "10.1.0.8",
            "10.1.0.9",
            "10.1.0.1",
            "10.2.0.5",
            "10.2.0.7",
            "10.2.0.9",
            "10.2.0.1",
            "203.0.113.4",
            "203.0.113.5",
            "203.0.113.6",
            "198.51.100.129",
            "198.51.100.130",
            "198.51.100.132",
            "198.51.100.133",
            "198.51.100.134",
            "198.51.100.135",
            "198.51.100.140",
            "198.51.100.143",
            "192.0.2.65",
            "192.0.2.66"));
  }

  /** What an address inside is outside, by some rule; or one that has no counterpart. */
  private Address outside() {
    List<PrefixRule> rules = new ArrayList<>();
    for (Device device : devices.values()) {
      for (TranslationRule rule : device.translation()) {
        if (rule instanceof PrefixRule prefix) {
          rules.add(prefix);
        }
      }
    }
    if (rules.isEmpty() || chance(15)) {
      return Numbers.a(
          one(
              "2001:db8:1:ffff::7",
              "fd01:203:405:ffff::7",
              "2001:db8:1:d551:ffff:ffff:ffff:ffff",
              "2001:db8:1:d550:ffff:ffff:ffff:1",
              "2001:db8:1::9"));
    }
    Address inside = a(one("10.1.0.7", "10.1.0.8", "10.2.0.5", "10.1.0.1"));
    Address outside = PlainPrefix.external(one(rules), inside);
    return outside == null ? inside : outside;
  }
}
