// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.LocalDate;
import java.time.ZoneOffset;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.HashSet;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Size;
import org.eskerfield.set.PacketSet;
import org.jspecify.annotations.Nullable;

/**
 * A site, compiled: the programs of its devices, who takes a packet on each network, and where the
 * internet carries it. What is asked rarely is compiled when it is asked for.
 *
 * <p>Safe for use by several threads.
 */
public final class SiteProgram {
  /** Who takes a packet that is handed to an address on a network. */
  public enum Role {
    DEVICE,
    HOST,
    CARRIER,
    /** A device that answers for an external address as if it were its own. */
    STAND_IN
  }

  /**
   * Who has some addresses on a network.
   *
   * @param own the interface by which a device takes what it gets there
   * @param where the addresses
   */
  public record Taker(
      Role role,
      @Nullable Host host,
      @Nullable Device device,
      @Nullable Interface own,
      Condition.Destination where)
      implements Asking {}

  /**
   * Where the internet carries packets to some addresses.
   *
   * @param host the host outside; null for a way to the site
   * @param by the block that is routed to the site, the network that has the address, or the device
   *     whose rules name it though it leads nowhere; null for a host
   * @param network the network of the site that it is carried to; null for none
   */
  public record Carried(
      @Nullable Host host,
      @Nullable Placed by,
      @Nullable Network network,
      Condition.Destination where)
      implements Asking {}

  /** What a host takes to be on a network of its own. */
  public record Near(Host.Neighbours neighbours, Condition.Destination where) implements Asking {}

  /** A condition that asks for a destination. */
  public interface Asking extends Condition {
    /** The destinations. */
    Condition.Destination where();

    @Override
    default boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return where().holds(packet, own, now);
    }

    @Override
    default PacketSet among(Meaning all) {
      return all.of(where());
    }

    @Override
    default Needs needs() {
      return where().needs();
    }
  }

  /**
   * What is asked of a host's packets.
   *
   * @param near what it takes to be near
   * @param blocked what its network does not let out; null for nothing
   * @param listens the services that it runs; null for none
   * @param filter its own rule list; null for none
   */
  public record Conduct(
      Row<Near> near,
      @Nullable Condition blocked,
      @Nullable Condition listens,
      @Nullable CompiledList filter) {}

  /**
   * A network.
   *
   * @param takers who takes what is handed over on it, the first that has the address
   * @param peculiar the addresses whose packets go to somebody of their own, and not to a host that
   *     is like all others
   * @param here its prefixes
   */
  private record Ground(
      List<Taker> takers, Condition peculiar, Condition here, Set<String> standIns) {}

  /** A moment, for conditions that do not depend on it. */
  private static final ZonedDateTime WHENEVER = LocalDate.EPOCH.atStartOfDay(ZoneOffset.UTC);

  private final Site site;
  private final boolean sizes;
  private final Map<String, DeviceProgram> devices = new LinkedHashMap<>();
  private final Map<String, Ground> grounds = new ConcurrentHashMap<>();
  private final Map<String, Row<Taker>> takers = new ConcurrentHashMap<>();
  private final Map<String, Conduct> conducts = new ConcurrentHashMap<>();
  private volatile @Nullable Row<Carried> carried;
  private volatile @Nullable Condition peculiarOutside;

  private SiteProgram(Site site) {
    this.site = site;
    this.sizes = saysSizes(site);
  }

  /** Compiles a site. */
  public static SiteProgram compile(Site site) {
    SiteProgram program = new SiteProgram(site);
    for (Device device : site.devices().values()) {
      program.devices.put(device.name(), DeviceProgram.compile(site, device));
    }
    return program;
  }

  /**
   * Compiles a site that differs little from this one, such as one with another rule: what means
   * the same on both is taken over, and not compiled again.
   */
  @SuppressWarnings("ReferenceEquality") // the same object was compiled already
  public SiteProgram on(Site changed) {
    if (changed == site) {
      return this;
    }
    if (!namesMeanTheSame(site, changed)) {
      return compile(changed);
    }
    SiteProgram program = new SiteProgram(changed);
    for (Device device : changed.devices().values()) {
      DeviceProgram before = device(device.name());
      program.devices.put(
          device.name(),
          before.device() == device ? before : DeviceProgram.compile(changed, device, before));
    }
    return program;
  }

  private static boolean namesMeanTheSame(Site one, Site other) {
    boolean same =
        one.timeZone().equals(other.timeZone())
            && areSame(one.networks().values(), other.networks().values())
            && areSame(one.hosts().values(), other.hosts().values())
            && areSame(one.groups().values(), other.groups().values())
            && areSame(one.services().values(), other.services().values())
            && areSame(one.schedules().values(), other.schedules().values())
            && one.devices().keySet().equals(other.devices().keySet());
    for (Device device : same ? one.devices().values() : List.<Device>of()) {
      Device also = other.devices().get(device.name());
      same &=
          also != null
              && areSame(device.interfaces(), also.interfaces())
              && areSame(device.routes(), also.routes());
    }
    return same;
  }

  @SuppressWarnings("ReferenceEquality") // to compare what is in them would cost more than it saves
  private static boolean areSame(Collection<?> some, Collection<?> others) {
    Iterator<?> each = some.iterator();
    Iterator<?> other = others.iterator();
    while (each.hasNext() && other.hasNext()) {
      if (each.next() != other.next()) {
        return false;
      }
    }
    return !each.hasNext() && !other.hasNext();
  }

  /** The same devices, among the hosts of another description of the site. */
  public SiteProgram withHostsOf(Site other) {
    SiteProgram program = new SiteProgram(other);
    program.devices.putAll(devices);
    return program;
  }

  /** Whether the file says anything about sizes; if not, nobody need ask for them. */
  public boolean hasSizes() {
    return sizes;
  }

  /** The largest packet that somebody can put on the way to an address, in bytes. */
  public int linkMtu(Named sender, Address to) {
    if (sender instanceof Device device) {
      Interface leaving = device(device.name()).towards(to);
      return leaving == null ? Size.USUAL_MTU : leaving.linkMtu();
    }
    Host host = (Host) sender;
    Network near = host.networkTowards(to);
    Address gateway = near != null ? null : site.gateway(host, to.family());
    Network network = gateway == null ? near : host.networkHolding(gateway);
    return network == null ? Size.USUAL_MTU : network.linkMtu();
  }

  /** Whether the networks or interfaces of a site say anything about sizes. */
  public static boolean saysSizes(Site site) {
    boolean says = site.networks().values().stream().anyMatch(each -> each.mtu() != null);
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        says |= own.mtu() != null || own.largestSegment() != null;
      }
    }
    return says;
  }

  /** The site. */
  public Site site() {
    return site;
  }

  /** The programs of its devices by their names, in the order of the file. */
  public Map<String, DeviceProgram> devices() {
    return Collections.unmodifiableMap(devices);
  }

  /** The program of a device of the site. */
  public DeviceProgram device(String name) {
    return Objects.requireNonNull(devices.get(name), name);
  }

  private static Condition.Destination to(AddressSet addresses) {
    return new Condition.Destination(addresses);
  }

  // Networks.

  private Ground ground(Network network) {
    return grounds.computeIfAbsent(network.name(), name -> survey(network));
  }

  private Ground survey(Network network) {
    List<Taker> found = new ArrayList<>();
    Set<Address> plain = new HashSet<>();
    List<Address> peculiar = new ArrayList<>(network.carrier());
    AddressSet rest = AddressSet.NONE;
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (own.network().name().equals(network.name())) {
          peculiar.addAll(own.addresses());
          AddressSet anycasts = DeviceProgram.anycasts(network);
          AddressSet addresses = AddressSet.ofAddresses(own.addresses()).union(anycasts);
          rest = rest.union(anycasts);
          found.add(new Taker(Role.DEVICE, null, device, own, to(addresses)));
        }
      }
    }
    for (Host host : site.hosts().values()) {
      if (host.isOn(network)) {
        AddressSet addresses = AddressSet.ofAddresses(host.addresses());
        found.add(new Taker(Role.HOST, host, null, null, to(addresses)));
        for (Address address : host.addresses()) {
          if (isPeculiar(host) || !plain.add(address)) { // or two have it
            peculiar.add(address);
          }
        }
      }
    }
    for (Address carrier : network.carrier()) {
      found.add(new Taker(Role.CARRIER, null, null, null, to(AddressSet.of(carrier))));
    }
    Set<String> standIns = new HashSet<>();
    for (DeviceProgram program : devices.values()) {
      AddressSet answered = program.claims.answeredOn(network);
      for (Interface own : program.device.interfaces()) {
        if (own.network().name().equals(network.name()) && own.isUp() && !answered.isEmpty()) {
          found.add(new Taker(Role.STAND_IN, null, program.device, own, to(answered)));
          standIns.add(program.device.name());
          rest = rest.union(answered);
          break;
        }
      }
    }
    return new Ground(
        found,
        to(rest.union(AddressSet.ofAddresses(peculiar))),
        to(AddressSet.ofPrefixes(network.prefixes())),
        standIns);
  }

  /**
   * Who takes what is handed over on a network.
   *
   * @param from the device that hands it over, which does not hear itself; null for anybody else
   */
  public Row<Taker> takers(Network network, @Nullable Device from) {
    Ground ground = ground(network);
    String deaf = from != null && ground.standIns.contains(from.name()) ? from.name() : "";
    return takers.computeIfAbsent(
        network.name() + "\n" + deaf,
        key ->
            new Row<>(
                ground.takers.stream()
                    .filter(
                        taker ->
                            taker.role != Role.STAND_IN
                                || taker.device == null
                                || !taker.device.name().equals(deaf))
                    .toList()));
  }

  /** Who has an address on a network, whatever packet comes; null if nobody has. */
  public @Nullable Taker takerOf(Address address, Network network, @Nullable Device from) {
    Packet packet = new Packet(address, 0, address, 0, 0, Icmp.NO_TYPE, 0);
    Row<Taker> row = takers(network, from);
    return row.get(row.first(packet, false, WHENEVER));
  }

  /** A destination on a network whose packets do not go to a host that is like all others. */
  public Condition peculiar(Network network) {
    return ground(network).peculiar;
  }

  /** A destination within the prefixes of a network. */
  public Condition here(Network network) {
    return ground(network).here;
  }

  // Hosts.

  /** Whether a host sends in a way of its own. */
  public static boolean isPeculiar(Host host) {
    return host.off()
        || host.networks().size() > 1
        || !host.ownPrefixes().isEmpty()
        || !host.gateways().isEmpty()
        || isToldGateway(host)
        || !host.blocked().isEmpty();
  }

  /** Whether a lease names its gateway, which others on the network may not have. */
  private static boolean isToldGateway(Host host) {
    boolean told = false;
    for (Network network : host.isTold() ? host.networks() : List.<Network>of()) {
      told |= network.lease() != null && !network.lease().gateways().isEmpty();
    }
    return told;
  }

  /** What is asked of a host's packets. */
  public Conduct conduct(Host host) {
    // One that the site does not describe is like all others on its network.
    boolean described = Objects.equals(site.hosts().get(host.name()), host);
    String key =
        described ? host.name() : "\n" + (host.isOutside() ? "" : host.networks().get(0).name());
    return conducts.computeIfAbsent(key, k -> conductOf(host));
  }

  private Conduct conductOf(Host host) {
    List<Near> near = new ArrayList<>();
    for (Host.Neighbours each : host.neighbours()) {
      near.add(new Near(each, to(AddressSet.ofPrefixes(List.of(each.prefix())))));
    }
    AccessList filter = host.filter();
    return new Conduct(
        new Row<>(near),
        host.blocked().isEmpty() ? null : new Condition.Service(host.blocked()),
        host.listens().isEmpty() ? null : new Condition.Service(host.listens()),
        filter == null ? null : CompiledList.of(site, filter));
  }

  // The internet.

  /** Where the internet carries packets; those that none of these takes are somewhere out there. */
  public Row<Carried> carried() {
    Row<Carried> known = carried;
    if (known == null) {
      known = new Row<>(destinations());
      carried = known;
    }
    return known;
  }

  private List<Carried> destinations() {
    List<Carried> all = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      List<Address> own = new ArrayList<>(host.addresses());
      own.removeIf(address -> !isOf(host, address));
      if (host.isOutside() && !own.isEmpty()) {
        all.add(new Carried(host, null, null, to(AddressSet.ofAddresses(own))));
      }
    }
    for (Network link : site.networks().values()) {
      for (Network.Routed block : link.routed()) {
        all.add(new Carried(null, block, link, to(AddressSet.ofPrefixes(List.of(block.to())))));
      }
    }
    for (Network network : site.networks().values()) {
      AddressSet here = AddressSet.ofPrefixes(network.prefixes());
      all.add(new Carried(null, network, network, to(here)));
    }
    for (DeviceProgram program : devices.values()) {
      AddressSet named = program.claims.namedOutside();
      if (!named.isEmpty()) {
        all.add(new Carried(null, program.device, null, to(named)));
      }
    }
    return all;
  }

  /** Whether packets for an address reach a host: of several that have it, they reach the first. */
  private boolean isOf(Host host, Address address) {
    Host first = site.hostAt(address);
    return first != null && first.name().equals(host.name());
  }

  /** A destination that a host has which sends in a way of its own, or is inside. */
  public Condition peculiarOutside() {
    Condition known = peculiarOutside;
    if (known == null) {
      List<Address> all = new ArrayList<>();
      Set<Address> plain = new HashSet<>();
      for (Host host : site.hosts().values()) {
        for (Address address : host.addresses()) {
          if (!host.isOutside() || isPeculiar(host) || !plain.add(address)) {
            all.add(address);
          }
        }
      }
      known = to(AddressSet.ofAddresses(all));
      peculiarOutside = known;
    }
    return known;
  }
}
