// SPDX-License-Identifier: Apache-2.0
package org.eskerfield;

import static org.eskerfield.Numbers.a;
import static org.eskerfield.Numbers.p;

import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessListBuilder;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AccessRuleBuilder;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.DestinationRuleBuilder;
import org.eskerfield.model.Device;
import org.eskerfield.model.DeviceBuilder;
import org.eskerfield.model.DynamicRuleBuilder;
import org.eskerfield.model.External;
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
import org.eskerfield.model.PrefixRuleBuilder;
import org.eskerfield.model.Route;
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
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** Writes sites in code, shortly, for tests of the core on its own. */
public final class Draft {
  private static final Place HERE = Place.IN_CODE;

  private final Map<String, Network> networks = new LinkedHashMap<>();
  private final Map<String, Host> hosts = new LinkedHashMap<>();
  private final Map<String, Device> devices = new LinkedHashMap<>();

  /** A network in a zone of the same name, or a carrier's link in zone internet. */
  public Draft network(String name, String prefix, @Nullable String carrier) {
    networks.put(
        name,
        NetworkBuilder.builder()
            .name(name)
            .prefixes(List.of(p(prefix)))
            .zone(carrier == null ? name : Site.INTERNET)
            .carrier(carrier == null ? List.of() : List.of(a(carrier)))
            .leases(AddressSet.NONE)
            .place(HERE)
            .build());
    return this;
  }

  /** A network in an address space of its own. */
  public Draft network(String name, String prefix, @Nullable String carrier, String realm) {
    network(name, prefix, carrier);
    Network made = Objects.requireNonNull(networks.get(name));
    networks.put(
        name,
        NetworkBuilder.builder()
            .name(name)
            .prefixes(made.prefixes())
            .zone(made.zone())
            .realm(realm)
            .carrier(made.carrier())
            .leases(AddressSet.NONE)
            .place(HERE)
            .build());
    return this;
  }

  /** A host that listens on TCP and UDP ports; on the internet if the network is null. */
  public Draft host(String name, @Nullable String network, String address, int... ports) {
    return host(name, network, address, null, ports);
  }

  /** A host with a gateway of its own choice. */
  public Draft host(
      String name,
      @Nullable String network,
      String address,
      @Nullable String gateway,
      int... ports) {
    List<ServiceTerm> listens =
        Arrays.stream(ports).mapToObj(port -> new ServiceTerm(service(port), HERE)).toList();
    hosts.put(
        name,
        HostBuilder.builder()
            .name(name)
            .networks(
                network == null
                    ? List.of()
                    : List.of(Objects.requireNonNull(networks.get(network))))
            .addresses(List.of(a(address)))
            .assigned(Assignment.FIXED)
            .gateways(gateway == null ? List.of() : List.of(a(gateway)))
            .listens(listens)
            .answersPing(true)
            .place(HERE)
            .build());
    return this;
  }

  /** A port of TCP and UDP. */
  public static Service service(int port) {
    return new Service(
        Integer.toString(port),
        List.of(
            new ServicePart(6, PortSet.of(port), Icmp.NO_TYPE),
            new ServicePart(17, PortSet.of(port), Icmp.NO_TYPE)),
        HERE);
  }

  /** Begins a device. */
  public DeviceDraft device(String name, Action stance) {
    return new DeviceDraft(name, stance);
  }

  /** The site. */
  public Site site() {
    return site("draft", networks, hosts, devices);
  }

  /** A site of these parts, without names, groups and schedules, by universal time. */
  public static Site site(
      String name,
      Map<String, Network> networks,
      Map<String, Host> hosts,
      Map<String, Device> devices) {
    return new Site(
        name,
        ZoneOffset.UTC,
        networks,
        hosts,
        Map.of(),
        Map.of(),
        Map.of(),
        Map.of(),
        devices,
        null,
        HERE);
  }

  private static AddressTerm term(String text) {
    if (text.equals("any")) {
      return new AddressTerm(AddressTerm.Kind.ANY, text, AddressSet.NONE, HERE);
    }
    if (text.equals("device")) {
      return new AddressTerm(AddressTerm.Kind.SELF, text, AddressSet.NONE, HERE);
    }
    AddressSet set =
        text.contains("/") ? AddressSet.ofPrefixes(List.of(p(text))) : AddressSet.of(a(text));
    return new AddressTerm(AddressTerm.Kind.LITERAL, text, set, HERE);
  }

  private static List<AddressTerm> terms(@Nullable String text) {
    return text == null ? List.of() : List.of(term(text));
  }

  /** A device under construction. */
  public final class DeviceDraft {
    private final String name;
    private final Stance stance;
    private StateSettings state = StateSettings.OF_THE_RFCS;
    private final List<Interface> interfaces = new ArrayList<>();
    private final List<Route> routes = new ArrayList<>();
    private final List<OwnService> services = new ArrayList<>();
    private final List<TranslationRule> translation = new ArrayList<>();
    private final List<AccessList> access = new ArrayList<>();

    private DeviceDraft(String name, Action stance) {
      this.name = name;
      this.stance = new Stance(stance, List.of(), HERE);
    }

    /** An interface with the name of its network. */
    public DeviceDraft on(String network, String address) {
      interfaces.add(
          InterfaceBuilder.builder()
              .name(network)
              .network(Objects.requireNonNull(networks.get(network)))
              .addresses(List.of(a(address)))
              .assigned(Assignment.FIXED)
              .state(Interface.State.UP)
              .place(HERE)
              .build());
      return this;
    }

    private InterfaceTerm way(String network) {
      return new InterfaceTerm(
          network, interfaces.stream().filter(i -> i.name().equals(network)).toList(), HERE);
    }

    /** Keeps state in another way. */
    public DeviceDraft keeping(StateSettings settings) {
      state = settings;
      return this;
    }

    /** A route; its way out is the interface whose network holds the next router. */
    public DeviceDraft route(String to, String via) {
      Address next = a(via);
      Interface leaving =
          interfaces.stream()
              .filter(i -> i.network().prefixOf(next) != null)
              .findFirst()
              .orElseThrow();
      routes.add(new Route(p(to), to, next, leaving, Route.DEFAULT_PREFERENCE, null, HERE));
      return this;
    }

    /** An own service for everybody. */
    public DeviceDraft runs(int port) {
      services.add(new OwnService(new ServiceTerm(service(port), HERE), List.of(), null, HERE));
      return this;
    }

    private static Pool pool(String range) {
      String[] ends = range.split("-");
      AddressSet addresses = AddressSet.of(List.of(new AddressRange(a(ends[0]), a(ends[1]))));
      AddressTerm written = new AddressTerm(AddressTerm.Kind.LITERAL, range, addresses, HERE);
      return new Pool(List.of(written), addresses, HERE);
    }

    /** A dynamic rule that lends a range of addresses. */
    public DeviceDraft dynamic(String from, String leaving, String range) {
      translation.add(
          DynamicRuleBuilder.builder()
              .name("lend")
              .from(terms(from))
              .leaving(way(leaving))
              .pool(pool(range))
              .place(HERE)
              .build());
      return this;
    }

    /** A shared rule on the address of the leaving interface. */
    public DeviceDraft shared(String from, String leaving) {
      return shared(from, leaving, null);
    }

    /** A shared rule on a pool. */
    public DeviceDraft sharedPool(String from, String leaving, String range) {
      return shared(from, leaving, pool(range));
    }

    private DeviceDraft shared(String from, String leaving, @Nullable Pool pool) {
      translation.add(
          SharedRuleBuilder.builder()
              .name("share")
              .from(terms(from))
              .leaving(way(leaving))
              .pool(pool)
              .place(HERE)
              .build());
      return this;
    }

    /** A static rule for whole addresses. */
    public DeviceDraft fixed(String facing, String external, String internal) {
      translation.add(
          StaticRuleBuilder.builder()
              .name("fix")
              .facing(way(facing))
              .external(new External(Prefix.of(a(external)), null, external))
              .internal(term(internal))
              .internalBlock(Prefix.of(a(internal)))
              .place(HERE)
              .build());
      return this;
    }

    /** One IPv6 prefix stands for another. */
    public DeviceDraft prefix(String facing, String external, String internal) {
      translation.add(
          PrefixRuleBuilder.builder()
              .name("renumber")
              .facing(way(facing))
              .external(new External(p(external), null, external))
              .internal(
                  new AddressTerm(
                      AddressTerm.Kind.LITERAL,
                      internal,
                      AddressSet.ofPrefixes(List.of(p(internal))),
                      HERE))
              .written(p(internal))
              .place(HERE)
              .build());
      return this;
    }

    /** A destination rule that fixes the way out and shares an address among the sources. */
    public DeviceDraft both(
        String arriving, String external, int port, String internal, String leaving, String as) {
      Pool pool = new Pool(List.of(term(as)), AddressSet.of(a(as)), HERE);
      DestinationRule.Sources sources = new DestinationRule.Sources(pool, HERE);
      return destination(arriving, external, port, internal, 0, way(leaving), sources, null);
    }

    /** A destination rule that insiders may use, too; their source becomes the device's. */
    public DeviceDraft hairpin(
        String arriving,
        String external,
        int port,
        String internal,
        int internalPort,
        String from) {
      Hairpin hairpin = new Hairpin(way(from), Hairpin.Source.DEVICE, HERE);
      return destination(arriving, external, port, internal, internalPort, null, null, hairpin);
    }

    /** An exception from translation. */
    public DeviceDraft untouched(String one, String other) {
      translation.add(new UntouchedRule("leave", terms(one), terms(other), false, null, HERE));
      return this;
    }

    /** A destination rule for one port; port 0 stands for every one. */
    public DeviceDraft destination(
        String arriving, String external, int port, String internal, int internalPort) {
      return destination(arriving, external, port, internal, internalPort, null, null, null);
    }

    private DeviceDraft destination(
        String arriving,
        String external,
        int port,
        String internal,
        int internalPort,
        @Nullable InterfaceTerm leaving,
        DestinationRule.@Nullable Sources sources,
        @Nullable Hairpin hairpin) {
      translation.add(
          DestinationRuleBuilder.builder()
              .name("lead")
              .facing(way(arriving))
              .leaving(leaving)
              .sources(sources)
              .external(new External(Prefix.of(a(external)), null, external))
              .services(port == 0 ? List.of() : List.of(new ServiceTerm(service(port), HERE)))
              .internal(term(internal))
              .internalBlock(Prefix.of(a(internal)))
              .internalPorts(internalPort == 0 ? null : PortSet.of(internalPort))
              .hairpin(hairpin)
              .place(HERE)
              .build());
      return this;
    }

    /** A list that guards a way, with one rule that accepts and drops the rest. */
    public DeviceDraft list(
        @Nullable String arriving,
        @Nullable String leaving,
        boolean stateless,
        @Nullable String from,
        @Nullable String to,
        int port) {
      AccessRule rule =
          AccessRuleBuilder.builder()
              .action(Action.ACCEPT)
              .name("pass")
              .from(terms(from))
              .to(terms(to))
              .services(port == 0 ? List.of() : List.of(new ServiceTerm(service(port), HERE)))
              .place(HERE)
              .build();
      access.add(
          AccessListBuilder.builder()
              .name("list")
              .guards(
                  List.of(
                      new AccessList.Guard(
                          arriving == null ? null : way(arriving),
                          leaving == null ? null : way(leaving),
                          false,
                          HERE)))
              .rules(List.of(rule))
              .otherwise(Action.DROP)
              .stateless(stateless)
              .place(HERE)
              .build());
      return this;
    }

    /** Ends the device. */
    public Draft done() {
      devices.put(
          name,
          DeviceBuilder.builder()
              .name(name)
              .stance(stance)
              .state(state)
              .interfaces(interfaces)
              .routes(routes)
              .services(services)
              .translation(translation)
              .access(access)
              .place(HERE)
              .build());
      return Draft.this;
    }
  }
}
