// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicReferenceArray;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.Network;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.set.PacketSet;
import org.jspecify.annotations.Nullable;

/**
 * The policy of one device, compiled: names resolved, disabled rules left out, lists in the order
 * in which they are asked. Immutable, so that any number of machines may run it.
 */
public final class DeviceProgram {
  /** A source that no packet has. */
  public static final Condition IMPOSSIBLE_SOURCE =
      new Condition.Source(SpecialAddresses.NEVER_A_SOURCE);

  /** An own service: who reaches it. */
  public record Own(OwnService service, Match match) implements Condition {
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return match.holds(packet, false, now);
    }

    @Override
    public PacketSet among(Meaning all) {
      return all.of(match);
    }
  }

  /** An own service, whoever speaks to it. */
  public record Offered(OwnService service) implements Condition {
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return service
          .service()
          .service()
          .covers(packet.protocol, packet.destinationPort, packet.icmpType, packet.icmpCode);
    }

    @Override
    public PacketSet among(Meaning all) {
      return all.space().services(List.of(service.service()));
    }
  }

  public final Device device;
  public final RouteTable routes;
  public final Claims claims;
  public final Translations translations;
  private final List<CompiledList> lists;
  public final Row<Own> services;

  /** The own services whoever speaks to them, the last one first. */
  public final Row<Offered> offered;

  /** A destination that is an address of the device's own. */
  public final Condition owned;

  /** A destination that is not forwarded to: multicast, or a connected network's own. */
  public final Condition unforwarded;

  /** An end that is an external endpoint of a rule. */
  public final Condition standing;

  /** A destination that shared rules use. */
  public final Condition shared;

  /** A source that is an address of the device's own in a realm, by the number of the realm. */
  private final List<Condition> ownSources = new ArrayList<>();

  /** A destination that goes no further if no rule takes it, by the number of the realm. */
  private final List<Condition> unmatched = new ArrayList<>();

  /** The routes by an interface that a rule names, by its name. */
  private final Map<String, Row<RouteTable.Entry>> byInterface = new ConcurrentHashMap<>();

  public final boolean keepsState;
  public final boolean hasStatelessLists;

  /** Whether a rule of a list asks for TCP flags or ICMP codes. */
  public final boolean asksHeaders;

  private final List<String> realms = new ArrayList<>();
  private final AddressSet[] ownByInterface;
  private final AddressSet own;
  private final AddressSet takable;

  /** The lists that guard each way, in the order in which they are asked, once asked for. */
  private final AtomicReferenceArray<@Nullable List<CompiledList>> guards;

  private DeviceProgram(Site site, Device device, List<CompiledList> known) {
    this.device = device;
    this.realms.add(""); // the common one
    for (Interface each : device.interfaces()) {
      String realm = each.network().realm();
      if (realm != null && !realms.contains(realm)) {
        realms.add(realm);
      }
    }
    this.routes = new RouteTable(device);
    this.own = AddressSet.ofAddresses(device.addresses());
    this.owned = new Condition.Destination(own.union(anycasts(device)));
    this.unforwarded =
        new Condition.Destination(
            SpecialAddresses.MULTICAST_OR_BROADCAST
                .union(SpecialAddresses.FOR_NEIGHBOURS_ONLY.intersection(own.complement()))
                .union(broadcasts(device)));
    this.shared = new Condition.Destination(sharedAddresses(device));
    this.claims = new Claims(site, device, routes, own);
    this.translations = new Translations(site, device, claims);
    this.takable = takableBy(translations);
    this.standing = translations.new Standing();
    this.lists = device.access().stream().map(list -> CompiledList.of(site, list, known)).toList();
    List<Own> served = new ArrayList<>();
    List<Offered> offers = new ArrayList<>();
    for (OwnService service : device.services()) {
      Match match = new Match(site, service.from(), List.of(), List.of(service.service()), null);
      served.add(new Own(service, match));
      offers.add(0, new Offered(service));
    }
    this.services = new Row<>(served, entry -> true, false);
    this.offered = new Row<>(offers);
    for (String realm : realms) {
      List<Address> here = new ArrayList<>();
      for (Interface each : device.interfaces()) {
        String of = each.network().realm();
        if ((of == null ? "" : of).equals(realm)) { // another realm may use the same address
          here.addAll(each.addresses());
        }
      }
      ownSources.add(new Condition.Source(AddressSet.ofAddresses(here)));
      unmatched.add(claims.unmatched(realm));
    }
    this.ownByInterface = new AddressSet[device.interfaces().size()];
    for (int i = 0; i < ownByInterface.length; i++) {
      Address address = device.interfaces().get(i).address(Family.IPV4);
      ownByInterface[i] = address == null ? AddressSet.NONE : AddressSet.of(address);
    }
    boolean stateless = false;
    for (CompiledList guard : lists) {
      stateless |= guard.list().stateless();
    }
    this.hasStatelessLists = stateless;
    this.asksHeaders = lists.stream().anyMatch(CompiledList::asksHeaders);
    this.keepsState = !device.stance().acceptsEverything();
    this.guards =
        new AtomicReferenceArray<>((ownByInterface.length + 1) * (ownByInterface.length + 1));
  }

  /** The first and last addresses of the networks of a device, which are nobody's. */
  private static AddressSet broadcasts(Device device) {
    List<Address> broadcasts = new ArrayList<>();
    for (Interface own : device.interfaces()) {
      for (Prefix prefix : own.network().prefixes()) {
        if (prefix.isNetworkOrBroadcast(prefix.first())) {
          broadcasts.add(prefix.first());
          broadcasts.add(prefix.last());
        }
      }
    }
    return AddressSet.ofAddresses(broadcasts);
  }

  /** The addresses by which a device is spoken to as one of the routers of a network. */
  private static AddressSet anycasts(Device device) {
    AddressSet all = AddressSet.NONE;
    for (Interface own : device.interfaces()) {
      all = all.union(anycasts(own.network()));
    }
    return all;
  }

  static AddressSet anycasts(Network network) {
    List<Address> all = new ArrayList<>();
    for (Prefix prefix : network.prefixes()) {
      if (prefix.isRouterAnycast(prefix.first())) {
        all.add(prefix.first());
      }
    }
    return AddressSet.ofAddresses(all);
  }

  /** Compiles the policy of a device of the site. */
  public static DeviceProgram compile(Site site, Device device) {
    return new DeviceProgram(site, device, List.of());
  }

  /** The same where every name means what it meant when another version was compiled. */
  static DeviceProgram compile(Site site, Device device, DeviceProgram before) {
    return new DeviceProgram(site, device, before.lists);
  }

  /** The rule lists; disabled rules are left out. */
  public List<CompiledList> lists() {
    return lists;
  }

  /** The device. */
  public Device device() {
    return device;
  }

  /**
   * The address that the device's own packets to another address bear: that of the interface by
   * which they leave.
   *
   * @return null if no route leads there, or the interface has no address in the family
   */
  public @Nullable Address sourceTowards(Address to) {
    RouteTable.Entry entry = routes.to(to);
    Interface leaving = entry == null ? null : entry.leaving();
    return leaving == null ? null : leaving.address(to.family());
  }

  /** The route, or the interface of a connected network, that leads to an address; null if none. */
  public @Nullable Placed leading(Address to) {
    RouteTable.Entry entry = routes.to(to);
    return entry == null ? null : entry.by();
  }

  /** By which interface packets to an address leave; null if none leads there. */
  public @Nullable Interface towards(Address to) {
    RouteTable.Entry entry = routes.to(to);
    return entry == null ? null : entry.leaving();
  }

  /** The number of an interface of the device, from 0 on. */
  public int number(Interface own) {
    for (int i = 0; i < device.interfaces().size(); i++) {
      if (device.interfaces().get(i).name().equals(own.name())) {
        return i;
      }
    }
    throw new IllegalArgumentException(own.name() + " is no interface of " + device.name());
  }

  /** The number of the address space on an interface, 0 to 15; 0 is the common one. */
  public int realm(@Nullable Interface own) {
    String realm = own == null ? null : own.network().realm();
    return realm == null ? 0 : realms.indexOf(realm);
  }

  /** The IPv4 address of an interface, as a set; empty if it has none. */
  public AddressSet ownOf(Interface own) {
    return ownByInterface[number(own)];
  }

  /** The addresses of all its interfaces. */
  public AddressSet own() {
    return own;
  }

  /** The addresses that the enabled shared rules of a device use. */
  private static AddressSet sharedAddresses(Device device) {
    AddressSet all = AddressSet.NONE;
    for (TranslationRule rule : device.translation()) {
      OutwardRule shared = rule.lends() || rule.disabled() ? null : rule.outward();
      all = shared == null ? all : all.union(shared.externals());
    }
    return all;
  }

  /** Whether the address is one of the device's interfaces. */
  public boolean owns(Address address) {
    return own.contains(address);
  }

  /** A source that is the device's own where a packet arrives. */
  public Condition ownSource(Interface arriving) {
    return ownSources.get(realm(arriving));
  }

  /** A destination that goes no further, if no rule took it, where a packet arrives. */
  public Condition unmatched(Interface arriving) {
    return unmatched.get(realm(arriving));
  }

  /** The routes that packets take; by an interface alone where a rule names one. */
  public Row<RouteTable.Entry> routesBy(@Nullable InterfaceTerm fixed) {
    if (fixed == null) {
      return routes.row();
    }
    Interface by = fixed.interfaces().get(0);
    return byInterface.computeIfAbsent(by.name(), name -> routes.by(by));
  }

  /** The claims on an address, asked of the source of packets. */
  public Condition claimedAt(Address address, int realm) {
    return claims.claimedAt(address, realmName(realm));
  }

  /**
   * Whether the device answers on a network for an address, as if it were its own: one that its
   * enabled translation rules name as external, and that is of the network or routed to it there.
   */
  public boolean answersOn(Network network, Address address) {
    return claims.answeredOn(network).contains(address);
  }

  /** Whether enabled translation rules name the address as external, pools included. */
  public boolean names(Address address, @Nullable String realm) {
    return claims.named(realm).contains(address);
  }

  /**
   * The lists that guard a way, in the order in which they are asked: those of the arriving
   * interface, those of both ends, those of the leaving interface; among these as in the file.
   *
   * @param arriving null for the device itself
   * @param leaving null for the device itself
   */
  public List<CompiledList> guards(@Nullable Interface arriving, @Nullable Interface leaving) {
    int last = ownByInterface.length;
    int from = arriving == null ? last : number(arriving);
    int at = from * (last + 1) + (leaving == null ? last : number(leaving));
    List<CompiledList> known = guards.get(at);
    if (known == null) {
      List<CompiledList> found = new ArrayList<>(lists);
      found.removeIf(list -> !list.guards(arriving, leaving));
      found.sort(Comparator.comparing(list -> list.position(arriving, leaving)));
      known = List.copyOf(found);
      guards.set(at, known);
    }
    return known;
  }

  /** Whether a term names the interface; no term names every one. */
  public static boolean covers(@Nullable InterfaceTerm term, @Nullable Interface own) {
    return term == null || (own != null && term.names(own));
  }

  /** The name of the realm with a number; null for the common one. */
  public @Nullable String realmName(int number) {
    return number == 0 ? null : realms.get(number);
  }

  /** The number of the address space of a name, "" for the common one; -1 if there is none. */
  public int realmNumber(String name) {
    return realms.indexOf(name);
  }

  /** The interface of a name; null if there is none. */
  public @Nullable Interface named(String name) {
    for (Interface own : device.interfaces()) {
      if (own.name().equals(name)) {
        return own;
      }
    }
    return null;
  }

  /** The ports of an external address that rules and own services claim, in a realm. */
  public BitSet claimedPorts(Address address, int protocol, int realm) {
    return claims.ports(address, protocol, realmName(realm));
  }

  /** The addresses on which temporary bindings may be made. */
  public AddressSet takable() {
    return takable;
  }

  private AddressSet takableBy(Translations rules) {
    AddressSet all = own;
    List<Prefix> announced = new ArrayList<>();
    for (Translations.Outbound rule : rules.outbound) {
      all = rule.pool() == null ? all : all.union(rule.pool());
    }
    for (Translations.Inbound rule : rules.inbound) {
      Pool pool = rule.rule().pool();
      all = pool == null ? all : all.union(pool.addresses());
      if (device.state().fileTransfer() && rule.external() != null) {
        announced.add(rule.external());
      }
    }
    return announced.isEmpty() ? all : all.union(AddressSet.ofPrefixes(announced));
  }
}
