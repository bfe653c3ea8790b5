// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Route;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.jspecify.annotations.Nullable;

/**
 * What the enabled rules of a device say of external addresses, whatever packet comes: which they
 * name, which ports of them are claimed, which may be lent, and where each is at home.
 *
 * <p>An address that a rule names is the device's to answer for, but only where it is nobody
 * else's: a packet that no rule took is dropped if its destination is named and lies in a connected
 * network on which nobody has it, or in a block that somebody routes here and this device routes no
 * further. Every other address follows the routes.
 */
public final class Claims {
  /** A rule's or own service's claim: a service on a block of addresses, in a realm. */
  private record Claim(String realm, Prefix block, ServiceTerm service) {}

  /** A block that somebody routes to the device by an interface. */
  private record RoutedHere(Prefix block, Interface by) {}

  private final Site site;
  private final Device device;
  private final RouteTable routes;
  private final AddressSet own;
  private final List<Claim> claims = new ArrayList<>();
  private final List<InwardRule> toItself = new ArrayList<>();
  private final Map<String, AddressSet> named = new HashMap<>();

  /**
   * Found when it is asked for the first time: few packets need it, and many programs are short.
   */
  private volatile @Nullable Map<String, AddressSet> dropped;

  private final List<RoutedHere> routedHere = new ArrayList<>();
  private AddressSet outside;
  private final AddressSet held;
  private final AddressSet lendable;
  private final AddressSet hosts;

  public Claims(Site site, Device device, RouteTable routes, AddressSet own) {
    this.site = site;
    this.device = device;
    this.routes = routes;
    this.own = own;
    List<Prefix> inward = new ArrayList<>();
    List<Prefix> held = new ArrayList<>();
    Map<String, List<Prefix>> blocks = new HashMap<>();
    List<Prefix> outsideBlocks = new ArrayList<>();
    for (InwardRule rule : device.inward()) {
      if (rule.disabled()) {
        continue;
      }
      Prefix block = rule.block();
      if (block == null) {
        continue;
      }
      inward.add(block);
      for (Interface side : rule.facing().interfaces()) {
        add(blocks, realmOf(side), block);
        if (side.isOutside()) {
          outsideBlocks.add(block);
        }
      }
      claim(rule, block);
      if (rule.holdsAddress()) {
        held.add(block);
      }
      if (leadsToItself(rule, block)) {
        toItself.add(rule);
      }
    }
    for (Map.Entry<String, List<Prefix>> each : blocks.entrySet()) {
      named.put(each.getKey(), AddressSet.ofPrefixes(each.getValue()));
    }
    this.outside = AddressSet.ofPrefixes(outsideBlocks);
    this.held = AddressSet.ofPrefixes(held);
    for (TranslationRule rule : device.translation()) {
      Pool pool = rule.pool();
      InterfaceTerm side = rule.leaving();
      if (!rule.disabled() && pool != null && side != null) {
        name(side, pool.addresses());
      }
    }
    for (OwnService service : device.services()) {
      for (Interface each : device.interfaces()) {
        for (Address address : each.addresses()) {
          claims.add(new Claim(realmOf(each), Prefix.of(address), service.service()));
        }
      }
    }
    this.lendable =
        AddressSet.ofPrefixes(inward).intersection(own.complement()).union(this.held).complement();
    List<Address> described = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      described.addAll(host.addresses());
    }
    this.hosts = AddressSet.ofAddresses(described);
    routedHere(site);
  }

  /** Whether everything that the rule takes stays as it is. */
  private static boolean leadsToItself(InwardRule rule, Prefix block) {
    Prefix inside = rule.internalBlock();
    return block.length() == inside.length() && block.first().equals(inside.first());
  }

  private static String realmOf(Interface own) {
    return realm(own.network().realm());
  }

  private static String realm(@Nullable String realm) {
    return realm == null ? "" : realm;
  }

  private static void add(Map<String, List<Prefix>> blocks, String realm, Prefix block) {
    List<Prefix> known = blocks.get(realm);
    if (known == null) {
      known = new ArrayList<>();
      blocks.put(realm, known);
    }
    known.add(block);
  }

  private void name(InterfaceTerm side, AddressSet addresses) {
    for (Interface own : side.interfaces()) {
      String realm = realmOf(own);
      named.put(realm, named.getOrDefault(realm, AddressSet.NONE).union(addresses));
      if (own.isOutside()) {
        outside = outside.union(addresses);
      }
    }
  }

  private void claim(InwardRule rule, Prefix block) {
    Set<String> realms = new LinkedHashSet<>();
    for (Interface own : rule.facing().interfaces()) {
      realms.add(realmOf(own));
    }
    for (ServiceTerm service : rule.services()) {
      for (String realm : realms) {
        claims.add(new Claim(realm, block, service));
      }
    }
  }

  private void routedHere(Site site) {
    for (Interface own : device.interfaces()) {
      for (Network.Routed block : own.network().routed()) {
        if (own.addresses().contains(block.via())) {
          routedHere.add(new RoutedHere(block.to(), own));
        }
      }
      for (Device other : site.devices().values()) {
        for (Route route : other.routes()) {
          Interface leaving = route.leaving();
          if (!other.name().equals(device.name())
              && leaving != null
              && leaving.network().name().equals(own.network().name())
              && own.addresses().contains(route.via())) {
            routedHere.add(new RoutedHere(route.to(), own));
          }
        }
      }
    }
    if (routedHere.size() < 2) {
      return;
    }
    routedHere.sort((a, b) -> b.block.length() - a.block.length());
  }

  /** Finds what is dropped if no rule takes it, by the realm that it arrives from. */
  private Map<String, AddressSet> drop() {
    Map<String, AddressSet> dropped = new HashMap<>();
    AddressSet routed = AddressSet.NONE;
    for (RoutedHere here : routedHere) {
      List<Prefix> further = new ArrayList<>();
      for (RouteTable.Entry entry : routes.entries()) {
        if (entry.to().length() >= here.block.length() && here.block.contains(entry.to().first())) {
          further.add(entry.to());
        }
      }
      AddressSet block = AddressSet.ofPrefixes(List.of(here.block));
      routed = routed.union(block.intersection(AddressSet.ofPrefixes(further).complement()));
    }
    AddressSet stay = AddressSet.NONE;
    for (InwardRule rule : toItself) {
      if (rule.services().isEmpty()) {
        stay = stay.union(AddressSet.ofPrefixes(List.of(rule.internalBlock())));
      }
    }
    for (Map.Entry<String, AddressSet> entry : named.entrySet()) {
      AddressSet nobodys = routed;
      for (Interface each : device.interfaces()) {
        if (each.isUp() && realmOf(each).equals(entry.getKey())) {
          AddressSet here =
              AddressSet.ofPrefixes(each.network().prefixes()).intersection(entry.getValue());
          if (!here.isEmpty()) {
            nobodys = nobodys.union(here.intersection(owned(each.network()).complement()));
          }
        }
      }
      AddressSet set = entry.getValue().intersection(nobodys);
      set = set.intersection(own.union(stay).complement());
      dropped.put(entry.getKey(), set);
    }
    return dropped;
  }

  /** The addresses that others have on a connected network. */
  private AddressSet owned(Network network) {
    List<Address> others = new ArrayList<>(network.carrier());
    for (Host host : site.hosts().values()) {
      if (host.isOn(network)) {
        others.addAll(host.addresses());
      }
    }
    for (Device other : site.devices().values()) {
      for (Interface each : other.interfaces()) {
        if (!other.name().equals(device.name()) && each.network().name().equals(network.name())) {
          others.addAll(each.addresses());
        }
      }
    }
    return AddressSet.ofAddresses(others);
  }

  // Answers.

  /** The addresses that rules name as external in a realm, pools included; null: the common one. */
  public AddressSet named(@Nullable String realm) {
    return named.getOrDefault(realm(realm), AddressSet.NONE);
  }

  /** Whether no described host has the address. */
  public boolean isNobodys(Address address) {
    return !hosts.contains(address);
  }

  /** The addresses of all described hosts. */
  public AddressSet hosts() {
    return hosts;
  }

  /** The addresses that rules name on an interface of the internet. */
  public AddressSet namedOutside() {
    return outside;
  }

  /** The addresses that are dropped when no rule takes a packet for them; see {@link Unmatched}. */
  private AddressSet dropped(String realm) {
    Map<String, AddressSet> known = dropped;
    if (known == null) {
      known = drop();
      dropped = known;
    }
    return known.getOrDefault(realm, AddressSet.NONE);
  }

  /** A destination that goes no further if no rule takes it, in a realm; "" for the common one. */
  public Condition unmatched(String realm) {
    return new Unmatched(realm);
  }

  /** All but what a rule translates to itself, whole or some ports of it. */
  private final class Unmatched implements Condition {
    private final String realm;

    Unmatched(String realm) {
      this.realm = realm;
    }

    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return named(realm).contains(packet.family, packet.destinationHigh, packet.destinationLow)
          && dropped(realm).contains(packet.family, packet.destinationHigh, packet.destinationLow)
          && !isItself(packet);
    }

    private boolean isItself(Packet packet) {
      for (InwardRule rule : toItself) {
        if (rule.internalBlock().contains(packet.destination())
            && ServiceTerm.anyCovers(
                rule.services(),
                packet.protocol,
                packet.destinationPort,
                packet.icmpType,
                packet.icmpCode)
            && rule.internalPort(packet.destinationPort) == packet.destinationPort) {
          return true;
        }
      }
      return false;
    }

    @Override
    public PacketSet among(Meaning all) {
      PacketSpace space = all.space();
      PacketSet set = space.destinations(dropped(realm));
      for (InwardRule rule : toItself) {
        PacketSet same =
            space
                .destinations(AddressSet.ofPrefixes(List.of(rule.internalBlock())))
                .intersection(space.services(rule.services()));
        PortSet ports = rule.internalPorts();
        if (ports != null && ports.size() == 1) { // of several ports only the one that stays
          same = same.intersection(space.ports(Dimension.DESTINATION_PORT, ports));
        } else if (ports != null
            && !ports.equals(rule.services().get(0).service().parts().get(0).ports())) {
          continue;
        }
        set = set.minus(same);
      }
      return set;
    }
  }

  /**
   * The claims on an address, asked of the source port of packets that are to bear it.
   *
   * @param realm the realm of the address; null for the common one
   */
  public Condition claimedAt(Address address, @Nullable String realm) {
    return new ClaimedAt(address, realm);
  }

  private final class ClaimedAt implements Condition {
    private final Address address;
    private final @Nullable String realm;

    ClaimedAt(Address address, @Nullable String realm) {
      this.address = address;
      this.realm = realm;
    }

    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return isClaimed(address, packet.protocol, packet.sourcePort, realm);
    }

    @Override
    public PacketSet among(Meaning all) {
      PacketSpace space = all.space();
      PacketSet set = space.none();
      for (int protocol : new int[] {Protocol.TCP, Protocol.UDP}) {
        BitSet claimed = ports(address, protocol, realm);
        claimed.clear(0);
        for (int first = claimed.nextSetBit(0); first >= 0; ) {
          int end = claimed.nextClearBit(first);
          PacketSet ports = space.where(Dimension.SOURCE_PORT, first, end - 1);
          set = set.union(ports.intersection(space.protocol(protocol)));
          first = claimed.nextSetBit(end);
        }
      }
      return set;
    }
  }

  /** What a dynamic rule may lend at all: what no static or destination rule names. */
  public AddressSet lendable() {
    return lendable;
  }

  /** What no pool may share: the addresses that static rules hold. */
  public AddressSet held() {
    return held;
  }

  /**
   * The addresses for which a device answers on one of its networks, as if they were its own: those
   * of that network, or of a block that is routed to it there, that its rules name as external.
   */
  public AddressSet answeredOn(Network network) {
    List<Prefix> blocks = new ArrayList<>(network.prefixes());
    for (RoutedHere here : routedHere) {
      if (here.by.network().name().equals(network.name())) {
        blocks.add(here.block);
      }
    }
    return named(network.realm()).intersection(AddressSet.ofPrefixes(blocks));
  }

  /**
   * The interface on which an external block is at home: the one whose network holds it, or that
   * receives it as a routed block; null if there is none.
   */
  @Nullable Interface homeOf(Prefix block, InterfaceTerm facing) {
    List<String> realms = facing.interfaces().stream().map(Claims::realmOf).toList();
    for (Interface own : device.interfaces()) {
      if (realms.contains(realmOf(own))
          && own.network().prefixOf(block.first()) != null
          && own.network().prefixOf(block.last()) != null) {
        return own;
      }
    }
    for (RoutedHere here : routedHere) {
      if (here.block.length() > 0
          && realms.contains(realmOf(here.by))
          && here.block.contains(block.first())
          && here.block.contains(block.last())) {
        return here.by;
      }
    }
    return null;
  }

  /**
   * The ports of an external address that rules and own services claim, so that nobody else gets
   * them: whatever the rule asks for besides. A service that is every port of a protocol claims
   * none of them. Port 0 is nobody's (RFC 6335 section 6), and no identifier is claimed.
   *
   * @param realm the realm of the address; null for the common one
   */
  public BitSet ports(Address address, int protocol, @Nullable String realm) {
    BitSet ports = new BitSet();
    ports.set(0);
    if (Protocol.hasPorts(protocol)) {
      for (Claim claim : claims) {
        if (claim.realm.equals(realm(realm)) && claim.block.contains(address)) {
          PortSet claimed = claimed(claim.service, protocol);
          if (claimed != null) {
            claimed.addTo(ports);
          }
        }
      }
    }
    return ports;
  }

  /** How many ports of some addresses are claimed, port 0 of each not counted. */
  public long countPorts(AddressSet addresses, int protocol, @Nullable String realm) {
    List<Prefix> blocks = new ArrayList<>();
    for (Claim claim : claims) {
      if (claim.realm.equals(realm(realm)) && claimed(claim.service, protocol) != null) {
        blocks.add(claim.block);
      }
    }
    long count = 0;
    for (AddressRange range : AddressSet.ofPrefixes(blocks).intersection(addresses).ranges()) {
      for (Address at = range.first(); at != null; at = at.next()) {
        count += ports(at, protocol, realm).cardinality() - 1;
        if (at.equals(range.last())) {
          break;
        }
      }
    }
    return count;
  }

  /** Whether a rule or own service claims an endpoint. */
  public boolean isClaimed(Address address, int protocol, int port, @Nullable String realm) {
    if (!Protocol.hasPorts(protocol)) {
      return false;
    }
    for (Claim claim : claims) {
      if (claim.realm.equals(realm(realm)) && claim.block.contains(address)) {
        PortSet claimed = claimed(claim.service, protocol);
        if (claimed != null && claimed.contains(port)) {
          return true;
        }
      }
    }
    return false;
  }

  /** The ports of a protocol that a service is, if it is some of them and not all; else null. */
  public static @Nullable PortSet claimed(ServiceTerm term, int protocol) {
    PortSet all = null;
    for (ServicePart part : term.service().parts()) {
      if (part.protocol() == ServicePart.ANY_PROTOCOL) {
        return null;
      }
      if (part.protocol() == protocol) {
        all = all == null ? part.ports() : all.union(part.ports());
      }
    }
    PortSet every = PortSet.range(1, PortSet.HIGHEST);
    return all == null || all.union(every).equals(all) ? null : all;
  }
}
