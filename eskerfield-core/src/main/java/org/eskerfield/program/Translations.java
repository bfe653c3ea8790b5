// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicReferenceArray;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.Pool;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.StaticRule;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.outcome.MatchField;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.PrefixMapping;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.jspecify.annotations.Nullable;

/**
 * The enabled translation rules of a device, split into what they do at step 2 and at step 6, each
 * in the order of the file.
 */
public final class Translations {
  /** The addresses that an outward rule gives out, on whichever interface; none of other rules. */
  public AddressSet givenBy(TranslationRule rule, DeviceProgram program) {
    AddressSet all = AddressSet.NONE;
    for (Outbound each : outbound) {
      if (each.rule().equals(rule) && rule.outward() != null) {
        for (Interface side : each.leaving().interfaces()) {
          all = all.union(each.externals(program, side));
        }
      }
    }
    return all;
  }

  /**
   * What a rule does at step 2.
   *
   * @param rule the rule
   * @param external the block of destinations that it takes; null for {@code untouched}
   * @param match what else it asks for
   * @param back the other direction of {@code untouched}, else null
   * @param facing where packets arrive; null for anywhere
   * @param home the interface on which the external block is at home, or null
   * @param hairpin where insiders' packets arrive, or null
   * @param admission who is let in with it, or null
   * @param lost what it takes and cannot translate; null for nothing
   */
  public record Inbound(
      TranslationRule rule,
      @Nullable Prefix external,
      Match match,
      @Nullable Match back,
      @Nullable InterfaceTerm facing,
      @Nullable Interface home,
      @Nullable Hairpin hairpin,
      @Nullable Match admission,
      @Nullable Condition lost)
      implements Condition {
    public boolean faces(Interface arriving) {
      return DeviceProgram.covers(facing, arriving);
    }

    /** Whether packets that arrive here come from inside to the external address. */
    public boolean hairpins(Interface arriving) {
      return Hairpin.covers(hairpin, arriving)
          && (home == null || !home.name().equals(arriving.name()));
    }

    /** Whether packets that arrive here are taken, from outside or from inside. */
    public boolean takesFrom(Interface arriving) {
      return back != null || faces(arriving) || hairpins(arriving);
    }

    /** Whether it takes a packet that arrives where it {@link #takesFrom}. */
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return back != null
          ? match.holds(packet, own, now) || back.holds(packet, own, now)
          : external != null
              && external.contains(packet.family, packet.destinationHigh, packet.destinationLow)
              && match.holds(packet, own, now);
    }

    @Override
    public PacketSet among(Meaning all) {
      PacketSet matched = all.of(match);
      if (back != null) {
        matched = matched.union(all.of(back));
      } else if (external != null) {
        AddressSet block = AddressSet.ofPrefixes(List.of(external));
        matched = matched.intersection(all.space().destinations(block));
      }
      return matched;
    }

    @Override
    public Needs needs() {
      Needs asked = match.needs();
      return back != null || external == null
          ? Needs.NOTHING
          : new Needs(asked.sources(), AddressSet.ofPrefixes(List.of(external)), asked.services());
    }

    public boolean isFor(Address destination) {
      return external != null && external.contains(destination);
    }

    public void rewrite(Packet packet) {
      InwardRule inward = rule.inward();
      Address inside =
          inward == null || external == null
              ? null
              : inward.internalAddress(packet.destination(), external);
      if (inward != null && inside != null) {
        packet.rewriteDestination(
            inside,
            Protocol.hasPorts(packet.protocol)
                ? inward.internalPort(packet.destinationPort)
                : packet.destinationPort);
      }
    }

    /** The same for every packet. */
    public Rewrite rewrite(Meaning all) {
      InwardRule inward = rule.inward();
      return inward == null || external == null
          ? Rewrite.NONE
          : inward.by(
              fixed -> moves(fixed, external, all),
              to -> leads(to, all),
              prefix ->
                  PrefixMoves.of(all, false, new PrefixMapping(external, prefix.internalBlock())));
    }

    private static Rewrite moves(StaticRule rule, Prefix external, Meaning all) {
      Rewrite moves = all.addressesMove(Dimension.DESTINATION, external, rule.internalBlock());
      return all.portsMove(moves, Dimension.DESTINATION_PORT, rule.shift());
    }

    private static Rewrite leads(DestinationRule to, Meaning all) {
      PacketSpace space = all.space();
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
      return all.portsMove(rewrite, Dimension.DESTINATION_PORT, to.shift());
    }
  }

  /**
   * What a rule does at step 6.
   *
   * @param rule the rule
   * @param match what it asks for
   * @param leaving where packets leave
   * @param external the block that sources move to for good, else null
   * @param pool the addresses that are lent or shared; null for the leaving interface's own
   * @param lost what it takes and cannot translate; null for nothing
   */
  public record Outbound(
      TranslationRule rule,
      Match match,
      InterfaceTerm leaving,
      @Nullable Prefix external,
      @Nullable AddressSet pool,
      @Nullable Condition lost)
      implements Condition {
    /** Whether it takes a packet that leaves by one of its interfaces. */
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return (external != null || packet.family == Family.IPV4)
          && (!own || match.namesSelf())
          && match.holds(packet, own, now)
          && portsFit(packet);
    }

    @Override
    public PacketSet among(Meaning all) {
      PacketSet matched = all.of(match);
      if (external == null) { // what is lent and shared is IPv4
        matched = matched.intersection(all.space().of(Family.IPV4));
      }
      if (!match.namesSelf()) {
        matched = matched.minus(all.bySelf());
      }
      InwardRule back = rule.inward();
      return back == null || rule.services().isEmpty()
          ? matched
          : matched.intersection(internalPorts(back, all));
    }

    @Override
    public Needs needs() {
      return match.needs();
    }

    /** The packets from the internal ports of a static rule for ports. */
    private static PacketSet internalPorts(InwardRule back, Meaning all) {
      PacketSpace space = all.space();
      PacketSet set = space.none();
      for (ServiceTerm term : back.services()) {
        for (ServicePart part : term.service().parts()) {
          if (Protocol.hasPorts(part.protocol())) {
            PacketSet ports = space.ports(Dimension.SOURCE_PORT, part.ports());
            PacketSet external = space.protocol(part.protocol()).intersection(ports);
            Rewrite shifted = all.portsMove(Rewrite.NONE, Dimension.SOURCE_PORT, back.shift());
            set = set.union(external.image(shifted));
          }
        }
      }
      return set;
    }

    /** Gives a packet the source that a rule for both ways says. */
    public void rewrite(Packet packet) {
      InwardRule back = rule.inward();
      Address outside = external(packet.source());
      if (back != null && outside != null) {
        int shift = Protocol.hasPorts(packet.protocol) ? back.shift() : 0;
        packet.rewriteSource(outside, packet.sourcePort - shift);
      }
    }

    /** The external address of one inside, by a rule for both ways; null if it has none. */
    public @Nullable Address external(Address internal) {
      InwardRule back = rule.inward();
      return back == null || external == null || !back.internalBlock().contains(internal)
          ? null
          : back.externalAddress(internal, external);
    }

    /** The addresses that the rule can give to what leaves by an interface. */
    public AddressSet externals(DeviceProgram program, Interface side) {
      return pool == null ? program.ownOf(side) : pool;
    }

    /** What the rule does to every packet that leaves by an interface. */
    public Rewrite rewrite(DeviceMeaning all, Interface side) {
      InwardRule back = rule.inward();
      if (back != null && external != null) {
        return back.by(
            fixed -> movesBack(fixed, external, all),
            to -> Rewrite.NONE,
            prefix ->
                PrefixMoves.of(all, true, new PrefixMapping(prefix.internalBlock(), external)));
      }
      AddressSet addresses = externals(all.program(), side);
      return rule.lends() ? all.lends(addresses) : all.shares(addresses);
    }

    private static Rewrite movesBack(StaticRule rule, Prefix external, Meaning all) {
      Rewrite moves = all.addressesMove(Dimension.SOURCE, rule.internalBlock(), external);
      return all.portsMove(moves, Dimension.SOURCE_PORT, -rule.shift());
    }

    /** A static rule for ports takes only packets from these ports. */
    private boolean portsFit(Packet packet) {
      InwardRule back = rule.inward();
      return back == null
          || back.services().isEmpty()
          || (Protocol.hasPorts(packet.protocol)
              && ServiceTerm.anyCovers(
                  back.services(),
                  packet.protocol,
                  packet.sourcePort - back.shift(),
                  Icmp.NO_TYPE,
                  Icmp.NO_CODE));
    }
  }

  public final List<Inbound> inbound;
  public final List<Outbound> outbound;

  /** The rules that take packets from each interface at step 2, and to each at step 6. */
  private final AtomicReferenceArray<@Nullable Row<Inbound>> from;

  private final AtomicReferenceArray<@Nullable Row<Outbound>> towards;

  private final Map<Integer, Row<Fixed>> fixed = new ConcurrentHashMap<>();

  /** The rules of step 2 with their numbers, by the external blocks that they name. */
  private final Map<Prefix, Map<Integer, Inbound>> byBlock = new HashMap<>();

  /** How long these blocks are. */
  private final Set<Integer> lengths = new TreeSet<>();

  private final Site site;
  private final Claims claims;

  public Translations(Site site, Device device, Claims claims) {
    this.site = site;
    this.claims = claims;
    this.from = new AtomicReferenceArray<>(device.interfaces().size());
    this.towards = new AtomicReferenceArray<>(device.interfaces().size());
    List<Inbound> in = new ArrayList<>();
    List<Outbound> out = new ArrayList<>();
    for (TranslationRule rule : device.translation()) {
      if (!rule.disabled()) {
        rule.choose(
            inward -> add(inward, in, out), outward -> add(outward, out), both -> add(both, in));
      }
    }
    this.inbound = List.copyOf(in);
    int number = 0;
    for (Inbound entry : inbound) {
      Prefix block = entry.external();
      if (block != null) {
        lengths.add(block.length());
        byBlock.computeIfAbsent(block, key -> new HashMap<>()).put(number++, entry);
      }
    }
    this.outbound = List.copyOf(out);
  }

  private void add(InwardRule rule, List<Inbound> in, List<Outbound> out) {
    Prefix block = rule.block();
    if (block == null) {
      return;
    }
    in.add(
        new Inbound(
            rule,
            block,
            match(rule.from(), List.of(), rule.services()),
            null,
            rule.facing(),
            claims.homeOf(block, rule.facing()),
            rule.hairpin(),
            admission(rule.admit()),
            lost(rule, block, false)));
    if (rule.isBothWays()) {
      AddressTerm inside =
          new AddressTerm(
              AddressTerm.Kind.LITERAL,
              rule.internal().text(),
              AddressSet.ofPrefixes(List.of(rule.internalBlock())),
              rule.internal().place());
      Match from = match(List.of(inside), List.of(), List.of());
      out.add(new Outbound(rule, from, rule.facing(), block, null, lost(rule, block, true)));
    }
  }

  private static @Nullable Condition lost(InwardRule rule, Prefix block, boolean source) {
    PrefixMapping inward =
        rule.by(
            fixed -> null, to -> null, prefix -> new PrefixMapping(block, prefix.internalBlock()));
    return inward == null
        ? null
        : new PrefixMoves.Lost(source ? inward.reversed() : inward, source);
  }

  private void add(OutwardRule rule, List<Outbound> out) {
    Pool pool = rule.pool();
    AddressSet addresses =
        pool == null
            ? null
            : rule.lends() ? pool.addresses().intersection(claims.lendable()) : sharable(pool);
    Match from = match(rule.from(), rule.to(), List.of());
    out.add(new Outbound(rule, from, rule.leaving(), null, addresses, null));
  }

  private void add(UntouchedRule rule, List<Inbound> in) {
    Match there = match(rule.from(), rule.to(), List.of());
    Match back = match(rule.to(), rule.from(), List.of());
    in.add(new Inbound(rule, null, there, back, null, null, null, null, null));
  }

  /** The addresses of a pool that may be shared: none that a static rule holds. */
  public AddressSet sharable(Pool pool) {
    return pool.addresses().intersection(claims.held().complement());
  }

  private Match match(List<AddressTerm> from, List<AddressTerm> to, List<ServiceTerm> services) {
    return new Match(site, from, to, services, null);
  }

  private @Nullable Match admission(@Nullable Admission admit) {
    return admit == null ? null : new Match(site, admit.from(), List.of(), List.of(), admit.when());
  }

  /** The rules that are asked at step 2 of what arrives by the interface with a number. */
  public Row<Inbound> from(Interface arriving, int number) {
    Row<Inbound> row = from.get(number);
    if (row == null) {
      row = new Row<>(inbound.stream().filter(entry -> entry.takesFrom(arriving)).toList());
      from.set(number, row);
    }
    return row;
  }

  /** The rules that are asked at step 6 of what leaves by the interface with a number. */
  public Row<Outbound> towards(Interface leaving, int number) {
    Row<Outbound> row = towards.get(number);
    if (row == null) {
      row = new Row<>(outbound.stream().filter(entry -> entry.leaving().names(leaving)).toList());
      towards.set(number, row);
    }
    return row;
  }

  /** The rule on a packet's destination that came nearest to taking it; null if there is none. */
  public @Nullable Nearest nearest(Packet packet, Interface arriving, ZonedDateTime now) {
    Nearest nearest = null;
    for (Inbound entry : at(packet.destination())) {
      Set<MatchField> misses = entry.match().misses(packet, false, now);
      if (!entry.takesFrom(arriving)) {
        misses.add(MatchField.ARRIVING);
      }
      nearest = Nearest.of(nearest, entry.rule(), misses);
    }
    return nearest;
  }

  /** The rules that name an address as external, in the order of the file. */
  private Collection<Inbound> at(Address external) {
    SortedMap<Integer, Inbound> found = new TreeMap<>();
    for (int length : lengths) {
      if (length <= external.family().bits()) {
        found.putAll(byBlock.getOrDefault(Prefix.around(external, length), Map.of()));
      }
    }
    return found.values();
  }

  /**
   * A static rule, asked whether packets to its external endpoint go in by it, whoever sends them.
   *
   * @param entry the rule at step 2
   */
  public record Fixed(Inbound entry) implements Condition {
    @Override
    public TranslationRule rule() {
      return entry.rule();
    }

    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return entry.isFor(packet.destination())
          && ServiceTerm.anyCovers(
              rule().services(),
              packet.protocol,
              packet.destinationPort,
              packet.icmpType,
              packet.icmpCode);
    }

    @Override
    public PacketSet among(Meaning all) {
      return standing(entry, all, Dimension.DESTINATION_PORT);
    }
  }

  /** The packets of which one end is the external endpoint of a rule. */
  private static PacketSet standing(Inbound entry, Meaning all, Dimension port) {
    PacketSpace space = all.space();
    boolean source = port == Dimension.SOURCE_PORT;
    TranslationRule rule = entry.rule();
    if (entry.external() == null) {
      return space.none();
    }
    AddressSet block = AddressSet.ofPrefixes(List.of(entry.external()));
    PacketSet there = source ? space.sources(block) : space.destinations(block);
    if (!source || rule.services().isEmpty()) {
      return there.intersection(space.services(rule.services()));
    }
    PacketSet served = space.none();
    for (ServiceTerm term : rule.services()) {
      for (ServicePart part : term.service().parts()) {
        if (part.protocol() == ServicePart.ANY_PROTOCOL) {
          return there;
        }
        PacketSet these = space.protocol(part.protocol());
        boolean ports = Protocol.hasPorts(part.protocol());
        served = served.union(ports ? these.intersection(space.ports(port, part.ports())) : these);
      }
    }
    return there.intersection(served);
  }

  /**
   * One of the ends is an external endpoint on which a rule stands, and no described host has it.
   */
  public final class Standing implements Condition {
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return (claims.isNobodys(packet.source())
              && standsOn(packet.source(), packet.sourcePort, packet.protocol))
          || (claims.isNobodys(packet.destination())
              && standsOn(packet.destination(), packet.destinationPort, packet.protocol));
    }

    @Override
    public PacketSet among(Meaning all) {
      PacketSpace space = all.space();
      PacketSet sources = space.none();
      PacketSet destinations = space.none();
      for (Inbound entry : inbound) {
        sources = sources.union(standing(entry, all, Dimension.SOURCE_PORT));
        destinations = destinations.union(standing(entry, all, Dimension.DESTINATION_PORT));
      }
      for (Outbound entry : outbound) {
        if (entry.pool() != null) {
          sources = sources.union(space.sources(entry.pool()));
          destinations = destinations.union(space.destinations(entry.pool()));
        }
      }
      AddressSet nobodys = claims.hosts().complement();
      return sources
          .intersection(space.sources(nobodys))
          .union(destinations.intersection(space.destinations(nobodys)));
    }
  }

  /** The static rules by which packets from an interface go in. */
  public Row<Fixed> fixedFrom(Interface arriving, int number) {
    return fixed.computeIfAbsent(
        number,
        n ->
            new Row<>(
                from(arriving, number).entries().stream()
                    .filter(entry -> entry.rule().isBothWays())
                    .map(Fixed::new)
                    .toList()));
  }

  /** Whether a rule stands on an external endpoint. */
  private boolean standsOn(Address address, int port, int protocol) {
    for (Inbound entry : at(address)) {
      if (ServiceTerm.anyCovers(
          entry.rule().services(), protocol, port, Icmp.NO_TYPE, Icmp.NO_CODE)) {
        return true;
      }
    }
    for (Outbound entry : outbound) {
      if (entry.pool() != null && entry.pool().contains(address)) {
        return true;
      }
    }
    return false;
  }
}
