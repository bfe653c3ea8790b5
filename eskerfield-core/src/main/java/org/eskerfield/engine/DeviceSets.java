package org.eskerfield.engine;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.Action;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Pool;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.StaticRule;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.eskerfield.set.Times;
import org.jspecify.annotations.Nullable;

/**
 * What a device does with every packet that opens a flow, as sets: the program of {@link
 * DeviceMachine} read for all packets at once.
 *
 * <p>Idea: the set of packets that arrive is split at each step as a single packet would be: by the
 * rule that takes it, by the way it is routed, by the lists that guard this way. What is split off
 * is kept as it arrived and as it is now, so that a packet that got somewhere can be told as it was
 * sent. State is left out: these are packets of flows that the device does not know, and pools that
 * are not used up. A property test holds the sets against the machine.
 *
 * <p>Not safe for use by several threads.
 */
public final class DeviceSets {
  /**
   * Packets that pass the device, or reach it, by the same decisions.
   *
   * @param arriving by which interface they arrive
   * @param leaving by which interface they leave; null if the device itself takes them
   * @param via the next hop; null where the destination itself is on the network
   * @param destinationRule what rewrote their destination, or left both untouched; null for nothing
   * @param sourceRule what rewrote their source; null for nothing
   * @param arrived the packets as they arrive
   * @param inside the same as they pass the access rules
   * @param left the same as they leave, or as the device gets them
   * @param destination how {@code arrived} becomes {@code inside}
   * @param source how {@code inside} becomes {@code left}
   */
  public record Passage(
      Interface arriving,
      @Nullable Interface leaving,
      @Nullable Address via,
      @Nullable TranslationRule destinationRule,
      @Nullable TranslationRule sourceRule,
      PacketSet arrived,
      PacketSet inside,
      PacketSet left,
      Rewrite destination,
      Rewrite source) {
    /** The packets that arrive and become one of these. */
    public PacketSet arrivedAs(PacketSet some) {
      PacketSet through = left.intersection(some).preImage(source).intersection(inside);
      return through.preImage(destination).intersection(arrived);
    }
  }

  /**
   * Packets as they come to the rule lists, by the same way.
   *
   * @param arriving by which interface they arrive
   * @param leaving by which interface they would leave; null for the device itself
   * @param destinationRule what rewrote their destination, or left both untouched; null for nothing
   * @param arrived the packets as they arrive
   * @param seen the same as the lists see them
   * @param back how {@code arrived} becomes {@code seen}
   */
  public record Approach(
      Interface arriving,
      @Nullable Interface leaving,
      @Nullable TranslationRule destinationRule,
      PacketSet arrived,
      PacketSet seen,
      Rewrite back) {
    /** Whether a list guards this way. */
    public boolean isGuardedBy(CompiledList list) {
      return list.guards(arriving, leaving);
    }

    /** The packets that arrive and that the lists see as one of these. */
    public PacketSet arrivedAs(PacketSet some) {
      return seen.intersection(some).preImage(back).intersection(arrived);
    }
  }

  /**
   * A rule with what it matches, wherever it stands in its list.
   *
   * @param rule the rule
   * @param takes the packets that it matches
   */
  public record Ordered(TranslationRule rule, PacketSet takes) {}

  private final DeviceProgram program;
  private final PacketSpace space;

  /** The number of the device's first interface; the others follow, and then the device itself. */
  private final int base;

  private final int interfaces;
  private final IdentityHashMap<Match, PacketSet> matches = new IdentityHashMap<>();
  private final IdentityHashMap<CompiledList, PacketSet> accepted = new IdentityHashMap<>();
  private final Map<Long, PacketSet> ways = new HashMap<>();
  private final Map<String, List<Passage>> passages = new HashMap<>();
  private final Map<String, List<Approach>> approaches = new HashMap<>();
  private final Map<String, Map<TranslationRule, Led>> led = new HashMap<>();
  private final Map<String, Map<TranslationRule, List<Passage>>> byRule = new HashMap<>();
  private final Map<String, List<PacketSet>> routed = new HashMap<>();
  private @Nullable PacketSet answers;

  private DeviceSets(DeviceProgram program, PacketSpace space, int base) {
    this.program = program;
    this.interfaces = program.device.interfaces().size();
    this.space = space;
    this.base = base;
  }

  /**
   * The sets of all devices of a site, in one space, by the names of the devices.
   *
   * @param usual a moment of an ordinary day; samples are met then where that is possible
   */
  public static Map<String, DeviceSets> of(Site site, ZonedDateTime usual) {
    return of(site, new PacketSpace(numbers(site), new Times(site.schedules().values(), usual)));
  }

  /**
   * The sets of all devices of a site, in the space of another one, so that they can be compared.
   *
   * @param space of a site with the same devices, interfaces and schedules
   */
  public static Map<String, DeviceSets> of(Site site, PacketSpace space) {
    return of(site, space, 0);
  }

  /** How many numbers the interfaces of a site take, those for the devices themselves included. */
  public static int numbers(Site site) {
    int numbers = 0;
    for (Device device : site.devices().values()) {
      numbers += device.interfaces().size() + 1;
    }
    return numbers;
  }

  /**
   * The sets of all devices of a site, in a space that another site has a part in.
   *
   * @param base the number that the first interface gets
   */
  public static Map<String, DeviceSets> of(Site site, PacketSpace space, int base) {
    Map<String, DeviceSets> all = new LinkedHashMap<>();
    for (Device device : site.devices().values()) {
      all.put(device.name(), new DeviceSets(DeviceProgram.compile(site, device), space, base));
      base += device.interfaces().size() + 1;
    }
    return all;
  }

  /** The number that stands for an interface of the device in the sets. */
  public int number(Interface own) {
    return base + program.number(own);
  }

  /** The packets that one rule of the device may turn into one of a set, wherever they arrive. */
  public PacketSet before(PacketSet some) {
    List<PacketSet> all = new ArrayList<>();
    for (Translations.Inbound entry : program.translations.inbound) {
      PacketSet taken = takenBy(entry).without(Dimension.ARRIVING);
      PacketSet led = some;
      if (entry.hairpin() != null || entry.rule() instanceof DestinationRule) {
        for (Interface leaving : program.device.interfaces()) { // the source may be rewritten, too
          led = led.union(some.preImage(shares(program.ownOf(leaving))));
        }
        DestinationRule.Sources sources =
            entry.rule() instanceof DestinationRule to ? to.sources() : null;
        Pool pool = sources == null ? null : sources.pool();
        led = pool == null ? led : led.union(some.preImage(shares(pool.addresses())));
      }
      all.add(led.preImage(rewrite(entry)).intersection(taken));
    }
    for (Translations.Outbound entry : program.translations.outbound) {
      PacketSet taken = takenBy(entry).without(Dimension.ARRIVING).without(Dimension.LEAVING);
      for (Interface leaving : program.device.interfaces()) {
        all.add(some.preImage(rewrite(entry, leaving)).intersection(taken));
      }
    }
    return space.union(all);
  }

  /** The addresses that the device answers for on a network, besides its own. */
  public AddressSet answeredOn(Network network) {
    return program.claims.answeredOn(network);
  }

  /** The addresses that rules of the device name on an interface of the internet. */
  public AddressSet namedOutside() {
    return program.claims.namedOutside();
  }

  /** The packets that go no further if no rule takes them; see {@link Claims}. */
  PacketSet unmatched(Interface arriving) {
    PacketSet set = space.destinations(program.claims.dropped(arriving.network().realm()));
    for (InwardRule rule : program.claims.toItself()) {
      PacketSet same =
          space
              .destinations(AddressSet.ofPrefixes(List.of(rule.internalBlock())))
              .intersection(space.services(rule.services()));
      PortSet ports = rule.internalPorts();
      if (ports != null && ports.size() == 1) { // of several ports only the one that stays
        same = same.intersection(space.ports(Dimension.DESTINATION_PORT, ports));
      } else if (ports != null && !ports.equals(externalPorts(rule))) {
        continue;
      }
      set = set.minus(same);
    }
    return set;
  }

  private static PortSet externalPorts(InwardRule rule) {
    return rule.services().get(0).service().parts().get(0).ports();
  }

  /** The packets from ports that somebody else claims on the address that a rule lends first. */
  PacketSet claimedOnLoan(Translations.Outbound rule, Interface side) {
    Address lowest = rule.pool() == null ? null : rule.pool().lowest(Family.IPV4);
    PacketSet set = space.none();
    if (!(rule.rule() instanceof DynamicRule) || lowest == null) {
      return set;
    }
    for (int protocol : new int[] {Protocol.TCP, Protocol.UDP}) {
      BitSet claimed = program.claimedPorts(lowest, protocol, program.realm(side));
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

  private PacketSet bySelf() {
    return space.arriving(base + interfaces);
  }

  /** The rules of step 2 in their order. */
  public List<Ordered> inward() {
    List<Ordered> all = new ArrayList<>();
    for (Translations.Inbound entry : program.translations.inbound) {
      all.add(new Ordered(entry.rule(), takenBy(entry)));
    }
    return all;
  }

  /** The rules of step 6 in their order. */
  public List<Ordered> outward() {
    List<Ordered> all = new ArrayList<>();
    for (Translations.Outbound entry : program.translations.outbound) {
      all.add(new Ordered(entry.rule(), takenBy(entry)));
    }
    return all;
  }

  /** The rule lists with what each rule matches; disabled rules are left out. */
  public List<CompiledList> lists() {
    return program.lists;
  }

  /** The addresses that a dynamic or shared rule can give; empty for the interface's own. */
  public AddressSet pool(TranslationRule rule) {
    for (Translations.Outbound entry : program.translations.outbound) {
      if (entry.rule().equals(rule) && entry.pool() != null) {
        return entry.pool();
      }
    }
    return AddressSet.NONE;
  }

  /** The packets that an own service answers. */
  public PacketSet serving(OwnService service) {
    for (DeviceProgram.Own own : program.services) {
      if (own.service().equals(service)) {
        return matching(own.match());
      }
    }
    return space.none();
  }

  /**
   * What a rule takes of the packets that arrive by an interface, after the rules before it and
   * before any list; empty for an interface that is down.
   *
   * @return the packets as they arrive, and as they go on
   */
  public Led led(Interface arriving, TranslationRule rule) {
    passages(arriving);
    Led known = led.getOrDefault(arriving.name(), Map.of()).get(rule);
    return known == null ? new Led(space.none(), space.none()) : known;
  }

  /**
   * What a rule takes and what it makes of it.
   *
   * @param arrived the packets as they arrive
   * @param inside the same with the destination rewritten
   */
  public record Led(PacketSet arrived, PacketSet inside) {}

  /** The space that all its sets are of. */
  public PacketSpace space() {
    return space;
  }

  /** The device. */
  public DeviceProgram program() {
    return program;
  }

  // What rules take.

  /** The packets that the conditions of a rule match. */
  public PacketSet matching(Match match) {
    PacketSet known = matches.get(match);
    if (known == null) {
      known =
          sources(match)
              .intersection(match.to() == null ? space.all() : space.destinations(match.to()))
              .intersection(space.services(match.services()))
              .intersection(space.sourcePorts(match.sourcePorts()))
              .intersection(space.during(match.when()));
      matches.put(match, known);
    }
    return known;
  }

  private PacketSet sources(Match match) {
    if (match.from() == null) {
      return space.all();
    }
    PacketSet sources = space.sources(match.from());
    return match.namesSelf() ? sources.union(bySelf()) : sources;
  }

  private PacketSet arrivingBy(@Nullable InterfaceTerm term) {
    return byInterfaces(term, /* leaving= */ false);
  }

  private PacketSet byInterfaces(@Nullable InterfaceTerm term, boolean leaving) {
    if (term == null) {
      return space.all();
    }
    PacketSet set = space.none();
    for (Interface own : term.interfaces()) {
      int number = number(own);
      set = set.union(leaving ? space.leaving(number) : space.arriving(number));
    }
    return set;
  }

  /** The packets that a rule takes at step 2. */
  PacketSet takenBy(Translations.Inbound entry) {
    space.workOn(entry.rule());
    PacketSet matched = matching(entry.match());
    if (entry.back() != null) {
      matched = matched.union(matching(entry.back()));
    } else if (entry.external() != null) {
      PacketSet facing = arrivingBy(entry.facing());
      Hairpin hairpin = entry.hairpin();
      if (hairpin != null) {
        PacketSet inside = arrivingBy(hairpin.from());
        Interface home = entry.home();
        inside = home == null ? inside : inside.minus(space.arriving(number(home)));
        facing = facing.union(inside);
      }
      matched =
          matched
              .intersection(space.destinations(AddressSet.ofPrefixes(List.of(entry.external()))))
              .intersection(facing);
    }
    return matched.intersection(space.of(Family.IPV4)).minus(bySelf());
  }

  /** The packets that a rule takes at step 6, with the interface by which they leave. */
  PacketSet takenBy(Translations.Outbound entry) {
    space.workOn(entry.rule());
    PacketSet matched = matching(entry.match()).intersection(space.of(Family.IPV4));
    if (!entry.match().namesSelf()) {
      matched = matched.minus(bySelf());
    }
    if (entry.rule() instanceof StaticRule fixed && !fixed.services().isEmpty()) {
      matched = matched.intersection(internalPorts(fixed));
    }
    return matched.intersection(byInterfaces(entry.leaving(), /* leaving= */ true));
  }

  /** The packets from the internal ports of a static rule for ports. */
  private PacketSet internalPorts(StaticRule fixed) {
    PacketSet set = space.none();
    for (ServiceTerm term : fixed.services()) {
      for (var part : term.service().parts()) {
        if (Protocol.hasPorts(part.protocol())) {
          PacketSet ports = space.ports(Dimension.SOURCE_PORT, part.ports());
          PacketSet external = space.protocol(part.protocol()).intersection(ports);
          set = set.union(external.image(portsMove(Dimension.SOURCE_PORT, fixed.shift())));
        }
      }
    }
    return set;
  }

  private Rewrite portsMove(Dimension dimension, int distance) {
    return portsMove(Rewrite.NONE, dimension, distance);
  }

  private Rewrite portsMove(Rewrite before, Dimension dimension, int distance) {
    if (distance == 0) {
      return before;
    }
    int first = Math.max(0, -distance);
    int last = PortSet.HIGHEST - Math.max(0, distance);
    return before.andMoves(dimension, first, last, distance, PortSet.HIGHEST, space.withPorts());
  }

  private Rewrite addressesMove(Dimension dimension, Prefix from, Prefix to) {
    long distance = to.first().low() - from.first().low();
    return distance == 0
        ? Rewrite.NONE
        : Rewrite.NONE.andMoves(
            dimension,
            from.first().low(),
            from.last().low(),
            distance,
            PacketSpace.HIGHEST_IPV4,
            space.of(Family.IPV4));
  }

  /** What a rule does at step 2. */
  Rewrite rewrite(Translations.Inbound entry) {
    if (entry.rule() instanceof StaticRule fixed && entry.external() != null) {
      Rewrite moves = addressesMove(Dimension.DESTINATION, entry.external(), fixed.internalBlock());
      return portsMove(moves, Dimension.DESTINATION_PORT, fixed.shift());
    }
    if (!(entry.rule() instanceof DestinationRule to)) {
      return Rewrite.NONE;
    }
    PacketSet host = space.destinations(AddressSet.ofPrefixes(List.of(to.internalBlock())));
    Rewrite rewrite = Rewrite.NONE.andBecomes(Dimension.DESTINATION, host, space.of(Family.IPV4));
    PortSet ports = to.internalPorts();
    if (ports == null) {
      return rewrite;
    }
    if (ports.size() == 1) {
      return rewrite.andBecomes(
          Dimension.DESTINATION_PORT,
          space.ports(Dimension.DESTINATION_PORT, ports),
          space.withPorts());
    }
    int external = to.services().get(0).service().parts().get(0).ports().first();
    return portsMove(rewrite, Dimension.DESTINATION_PORT, ports.first() - external);
  }

  /** What a rule does at step 6 to packets that leave by an interface. */
  Rewrite rewrite(Translations.Outbound entry, Interface leaving) {
    if (entry.rule() instanceof StaticRule fixed && entry.external() != null) {
      Rewrite moves = addressesMove(Dimension.SOURCE, fixed.internalBlock(), entry.external());
      return portsMove(moves, Dimension.SOURCE_PORT, -fixed.shift());
    }
    AddressSet pool = entry.pool() == null ? program.ownOf(leaving) : entry.pool();
    return entry.rule() instanceof DynamicRule
        ? Rewrite.NONE.andBecomes(Dimension.SOURCE, space.sources(pool), space.of(Family.IPV4))
        : shares(pool);
  }

  Rewrite shares(AddressSet pool) {
    PacketSet ports = space.ports(Dimension.SOURCE_PORT, PortSet.range(1, PortSet.HIGHEST));
    return Rewrite.NONE
        .andBecomes(Dimension.SOURCE, space.sources(pool), space.of(Family.IPV4))
        .andBecomes(Dimension.SOURCE_PORT, ports, shareable());
  }

  /** The packets that bear a port or an identifier to tell sharers apart by. */
  PacketSet shareable() {
    PacketSet echo = space.none();
    for (int type : new int[] {Icmp.ECHO_REQUEST, Icmp.ECHO_REQUEST_V6}) {
      echo = echo.union(space.where(Dimension.ICMP_TYPE, type, type));
    }
    PacketSet icmp = space.protocol(Protocol.ICMP).union(space.protocol(Protocol.ICMPV6));
    return space.withPorts().union(icmp.intersection(echo));
  }

  // What lists accept.

  /** The packets that a list accepts. */
  public PacketSet accepted(CompiledList list) {
    PacketSet known = accepted.get(list);
    if (known == null) {
      Judged judged = judged(list.entries());
      known =
          list.list().otherwise() == Action.ACCEPT
              ? judged.accepted.union(judged.matched.complement())
              : judged.accepted;
      accepted.put(list, known);
    }
    return known;
  }

  private record Judged(PacketSet matched, PacketSet accepted) {}

  /** What a run of rules matches and accepts: halves first, so that long lists are cheap. */
  private Judged judged(List<CompiledList.Entry> entries) {
    if (entries.isEmpty()) {
      return new Judged(space.none(), space.none());
    }
    if (entries.size() == 1) {
      space.workOn(entries.get(0).rule());
      PacketSet set = matching(entries.get(0).match());
      boolean accepts = entries.get(0).rule().action() == Action.ACCEPT;
      return new Judged(set, accepts ? set : space.none());
    }
    int middle = entries.size() / 2;
    Judged first = judged(entries.subList(0, middle));
    Judged rest = judged(entries.subList(middle, entries.size()));
    return new Judged(
        first.matched.union(rest.matched),
        first.accepted.union(rest.accepted.minus(first.matched)));
  }

  /** What may go from an interface to another, or to the device itself, by lists and stance. */
  private PacketSet let(Interface arriving, @Nullable Interface leaving, boolean settled) {
    long key =
        program.number(arriving) * 100_000L
            + (leaving == null ? 99_999 : program.number(leaving)) * 2L
            + (settled ? 1 : 0);
    PacketSet known = ways.get(key);
    if (known != null) {
      return known;
    }
    PacketSet let = space.all();
    boolean guarded = false;
    for (CompiledList list : program.lists) {
      if (list.guards(arriving, leaving)) {
        guarded = true;
        if (!settled || list.list().stateless()) {
          let = let.intersection(accepted(list));
        }
      }
    }
    if (!guarded && !settled && leaving != null) {
      Action action =
          program.device.stance().actionFor(arriving.network().zone(), leaving.network().zone());
      let = action == Action.ACCEPT ? let : space.none();
    }
    ways.put(key, let);
    return let;
  }

  // The way through the device.

  /** The passages of packets that arrive by an interface and whose destination a rule rewrites. */
  public List<Passage> passages(Interface arriving, TranslationRule rule) {
    passages(arriving);
    return List.copyOf(
        byRule.getOrDefault(arriving.name(), Map.of()).getOrDefault(rule, List.of()));
  }

  /** All that comes to the rule lists of what arrives by an interface. */
  public List<Approach> approaches(Interface arriving) {
    passages(arriving);
    return List.copyOf(approaches.getOrDefault(arriving.name(), List.of()));
  }

  private void approach(
      Interface arriving,
      @Nullable Interface leaving,
      @Nullable TranslationRule rule,
      PacketSet arrived,
      PacketSet inside,
      Rewrite to) {
    boolean original = program.device.seesOriginal();
    approaches
        .computeIfAbsent(arriving.name(), name -> new ArrayList<>())
        .add(
            new Approach(
                arriving,
                leaving,
                rule,
                arrived,
                original ? arrived : inside,
                original ? Rewrite.NONE : to));
  }

  /** All passages of packets that arrive by an interface, in the order of the rules. */
  public List<Passage> passages(Interface arriving) {
    List<Passage> known = passages.get(arriving.name());
    if (known == null) {
      known = arriving.isUp() ? findPassages(arriving) : List.of();
      passages.put(arriving.name(), known);
    }
    return known;
  }

  private List<Passage> findPassages(Interface arriving) {
    List<Passage> passages = new ArrayList<>();
    PacketSet rest = arrived(arriving);
    List<PacketSet> taken = new ArrayList<>();
    List<PacketSet.Bounds> bounds = new ArrayList<>();
    IdentityHashMap<TranslationRule, Led> ledByRule = new IdentityHashMap<>();
    for (Translations.Inbound entry : program.translations.inbound) {
      PacketSet takes = takenBy(entry).intersection(space.arriving(number(arriving)));
      if (takes.isEmpty()) {
        continue;
      }
      PacketSet mine = takes.intersection(rest);
      PacketSet.Bounds mineAt = takes.bounds();
      for (int i = 0; i < taken.size(); i++) {
        if (mineAt.mayMeet(bounds.get(i))) {
          mine = mine.minus(taken.get(i));
        }
      }
      taken.add(takes);
      bounds.add(mineAt);
      ledByRule.put(entry.rule(), new Led(mine, mine.image(rewrite(entry))));
      route(arriving, entry, mine, passages);
    }
    led.put(arriving.name(), ledByRule);
    route(arriving, null, rest.minus(space.union(taken)), passages);
    IdentityHashMap<TranslationRule, List<Passage>> some = new IdentityHashMap<>();
    for (Passage passage : passages) {
      if (passage.destinationRule() != null) {
        some.computeIfAbsent(passage.destinationRule(), rule -> new ArrayList<>()).add(passage);
      }
    }
    byRule.put(arriving.name(), some);
    return List.copyOf(passages);
  }

  /** Step 0: what is not dropped on arrival. */
  private PacketSet arrived(Interface arriving) {
    List<Address> own = new ArrayList<>();
    for (Interface each : program.device.interfaces()) {
      if (program.realm(each) == program.realm(arriving)) {
        own.addAll(each.addresses());
      }
    }
    PacketSet set =
        space
            .arriving(number(arriving))
            .minus(space.sources(AddressSet.ofAddresses(own)))
            .minus(space.sources(SpecialAddresses.NEVER_A_SOURCE))
            .minus(space.destinations(program.unforwarded()))
            .minus(answers());
    if (program.device.verifySource()) {
      PacketSet back = space.none();
      List<PacketSet> sources = routed(Dimension.SOURCE, null);
      for (int i = 0; i < sources.size(); i++) {
        Interface leaving = program.routes.way(i).leaving();
        if (leaving != null && leaving.name().equals(arriving.name())) {
          back = back.union(sources.get(i));
        }
      }
      set = set.intersection(back);
    }
    return set;
  }

  /** Messages of ICMP that open nothing: replies and errors. */
  private PacketSet answers() {
    if (answers == null) {
      PacketSet types = space.none();
      for (int type = 0; type <= HIGHEST_TYPE; type++) {
        types =
            Icmp.isQuery(type) ? types : types.union(space.where(Dimension.ICMP_TYPE, type, type));
      }
      PacketSet icmp = space.protocol(Protocol.ICMP).union(space.protocol(Protocol.ICMPV6));
      answers = types.intersection(icmp);
    }
    return answers;
  }

  private static final int HIGHEST_TYPE = 255;

  /** The packets that each way of the routing table takes, by destination or source. */
  private List<PacketSet> routed(Dimension by, @Nullable Interface only) {
    String key = by + " " + (only == null ? "" : only.name());
    List<PacketSet> known = routed.get(key);
    if (known == null) {
      known = new ArrayList<>();
      PacketSet rest = space.all();
      for (RouteTable.Entry way : program.routes.ways()) {
        Interface leaving = way.leaving();
        if (only != null && (leaving == null || !leaving.name().equals(only.name()))) {
          known.add(space.none());
          continue;
        }
        AddressSet to = AddressSet.ofPrefixes(List.of(way.to()));
        PacketSet set = by == Dimension.SOURCE ? space.sources(to) : space.destinations(to);
        known.add(rest.intersection(set));
        rest = rest.minus(set);
      }
      routed.put(key, known);
    }
    return known;
  }

  /** Steps 2 to 4 for the packets that a rule takes, or that none does. */
  private void route(
      Interface arriving,
      Translations.@Nullable Inbound entry,
      PacketSet arrived,
      List<Passage> passages) {
    Rewrite to = entry == null ? Rewrite.NONE : rewrite(entry);
    PacketSet inside = arrived.image(to);
    PacketSet own = space.destinations(program.own());
    if (entry == null) {
      inside = inside.minus(unmatched(arriving));
    }
    forDevice(arriving, entry, to, arrived, inside.intersection(own), passages);
    inside = inside.minus(own);
    InterfaceTerm fixed =
        entry != null && entry.rule() instanceof InwardRule inward ? inward.leaving() : null;
    List<PacketSet> ways =
        routed(Dimension.DESTINATION, fixed == null ? null : fixed.interfaces().get(0));
    for (int i = 0; i < ways.size() && !inside.isEmpty(); i++) {
      PacketSet here = inside.intersection(ways.get(i));
      Interface leaving = program.routes.way(i).leaving();
      if (!here.isEmpty() && leaving != null) {
        Address via = program.routes.way(i).via();
        PacketSet before = here.preImage(to).intersection(arrived);
        judge(new Way(arriving, leaving, via, entry, to), before, here, passages);
      }
    }
  }

  private record Way(
      Interface arriving,
      Interface leaving,
      @Nullable Address via,
      Translations.@Nullable Inbound entry,
      Rewrite to) {
    @Nullable TranslationRule rule() {
      return entry == null ? null : entry.rule();
    }
  }

  private void forDevice(
      Interface arriving,
      Translations.@Nullable Inbound entry,
      Rewrite to,
      PacketSet arrived,
      PacketSet own,
      List<Passage> passages) {
    if (own.isEmpty()) {
      return;
    }
    Match admission = entry == null ? null : entry.admission();
    boolean settled = admission != null;
    if (admission == null) {
      PacketSet before = own.preImage(to).intersection(arrived);
      approach(arriving, null, entry == null ? null : entry.rule(), before, own, to);
    } else {
      own = own.intersection(matching(admission));
    }
    PacketSet let = let(arriving, null, settled);
    PacketSet reaching = program.device.seesOriginal() ? own : own.intersection(let);
    PacketSet served = space.none();
    for (DeviceProgram.Own service : program.services) {
      served = served.union(matching(service.match()));
    }
    reaching = reaching.intersection(served);
    PacketSet before = reaching.preImage(to).intersection(arrived);
    if (program.device.seesOriginal()) {
      before = before.intersection(let);
      reaching = before.image(to).intersection(reaching);
    }
    if (!reaching.isEmpty()) {
      TranslationRule rule = entry == null ? null : entry.rule();
      passages.add(
          new Passage(
              arriving, null, null, rule, null, before, reaching, reaching, to, Rewrite.NONE));
    }
  }

  /** Step 5. */
  private void judge(Way way, PacketSet before, PacketSet routed, List<Passage> passages) {
    Translations.Inbound entry = way.entry;
    PacketSet inside = routed;
    PacketSet arrived = before;
    Match admission = entry == null ? null : entry.admission();
    if (admission == null) {
      approach(way.arriving, way.leaving, way.rule(), before, routed, way.to);
    }
    if (admission != null) {
      inside = inside.intersection(matching(admission));
    }
    PacketSet let = let(way.arriving, way.leaving, admission != null);
    if (program.device.seesOriginal()) {
      arrived = inside.preImage(way.to).intersection(before).intersection(let);
      inside = arrived.image(way.to).intersection(inside);
    } else {
      inside = inside.intersection(let);
      arrived = inside.preImage(way.to).intersection(before);
    }
    if (!inside.isEmpty()) {
      leave(way, arrived, inside, passages);
    }
  }

  /** Step 6. */
  private void leave(Way way, PacketSet arrived, PacketSet inside, List<Passage> passages) {
    Translations.Inbound entry = way.entry;
    boolean untouched = entry != null && entry.rule() instanceof UntouchedRule;
    Interface side = way.leaving;
    if (entry != null && entry.hairpins(way.arriving) && entry.hairpin() != null) {
      switch (entry.hairpin().source()) {
        case KEPT -> untouched = true;
        case DEVICE -> {
          share(way, entry.rule(), program.ownOf(side), arrived, inside, passages);
          return;
        }
        case EXTERNAL -> {
          leaveAsOutside(way, entry.home(), arrived, inside, passages);
          return;
        }
      }
    } else if (entry != null
        && entry.rule() instanceof DestinationRule both
        && both.sources() != null) {
      Pool pool = both.sources().pool();
      AddressSet addresses =
          pool == null ? program.ownOf(side) : program.translations.sharable(pool);
      share(way, both, addresses, arrived, inside, passages);
      return;
    }
    PacketSet rest = inside;
    if (!untouched) {
      PacketSet leaving = space.leaving(number(side));
      for (Translations.Outbound rule : program.translations.outbound) {
        PacketSet taken =
            rest.intersection(takenBy(rule).intersection(leaving).without(Dimension.LEAVING));
        if (taken.isEmpty()) {
          continue;
        }
        rest = rest.minus(taken);
        passage(
            way, rule.rule(), rewrite(rule, side), arrived, leaving(rule, side, taken), passages);
      }
    }
    passage(way, null, Rewrite.NONE, arrived, rest, passages);
  }

  /** Of packets that a rule takes at step 6 those that it lets leave. */
  private PacketSet leaving(Translations.Outbound rule, Interface side, PacketSet taken) {
    boolean shares = !(rule.rule() instanceof StaticRule || rule.rule() instanceof DynamicRule);
    return shares ? taken.intersection(shareable()) : taken.minus(claimedOnLoan(rule, side));
  }

  /** A hairpinned packet that gets the source that it would have if it left by an interface. */
  private void leaveAsOutside(
      Way way,
      @Nullable Interface side,
      PacketSet arrived,
      PacketSet inside,
      List<Passage> passages) {
    if (side == null) {
      passage(way, null, Rewrite.NONE, arrived, inside, passages);
      return;
    }
    PacketSet rest = arrived;
    for (Translations.Outbound rule : program.translations.outbound) {
      PacketSet taken = // the destination as it was sent counts
          rest.intersection(
              takenBy(rule).intersection(space.leaving(number(side))).without(Dimension.LEAVING));
      rest = rest.minus(taken);
      PacketSet gone = leaving(rule, side, taken.image(way.to).intersection(inside));
      passage(way, rule.rule(), rewrite(rule, side), taken, gone, passages);
    }
    passage(way, null, Rewrite.NONE, rest, rest.image(way.to).intersection(inside), passages);
  }

  private void share(
      Way way,
      TranslationRule rule,
      AddressSet pool,
      PacketSet arrived,
      PacketSet inside,
      List<Passage> passages) {
    passage(way, rule, shares(pool), arrived, inside.intersection(shareable()), passages);
  }

  private static void passage(
      Way way,
      @Nullable TranslationRule sourceRule,
      Rewrite source,
      PacketSet arrived,
      PacketSet inside,
      List<Passage> passages) {
    PacketSet left = inside.image(source);
    if (!left.isEmpty()) { // a pool may have no address that can be lent
      PacketSet before = inside.preImage(way.to).intersection(arrived);
      passages.add(
          new Passage(
              way.arriving,
              way.leaving,
              way.via,
              way.rule(),
              sourceRule,
              before,
              inside,
              left,
              way.to,
              source));
    }
  }
}
