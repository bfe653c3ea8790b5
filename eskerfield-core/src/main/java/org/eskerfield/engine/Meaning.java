package org.eskerfield.engine;

import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Pool;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.Overlaps;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.jspecify.annotations.Nullable;

/**
 * What the conditions of one device mean as sets of packets, each worked out once.
 *
 * <p>Not safe for use by several threads.
 */
public final class Meaning {
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

  private final IdentityHashMap<Condition, PacketSet> known = new IdentityHashMap<>();
  private final IdentityHashMap<Row<?>, Taken> taken = new IdentityHashMap<>();

  Meaning(DeviceProgram program, PacketSpace space, int base) {
    this.program = program;
    this.space = space;
    this.base = base;
  }

  /** The space that all its sets are of. */
  public PacketSpace space() {
    return space;
  }

  /** The device. */
  public DeviceProgram program() {
    return program;
  }

  /** The number that stands for an interface of the device in the sets. */
  public int number(Interface own) {
    return base + program.number(own);
  }

  /** The packets that the device itself sends. */
  PacketSet bySelf() {
    return space.arriving(base + program.device.interfaces().size());
  }

  /** The packets for which a condition holds. */
  public PacketSet of(Condition condition) {
    PacketSet set = known.get(condition);
    if (set == null) {
      set = condition.among(this);
      known.put(condition, set);
    }
    return set;
  }

  /** The rules of step 2 in their order. */
  public List<Ordered> inward() {
    List<Ordered> all = new ArrayList<>();
    for (Translations.Inbound entry : program.translations.inbound) {
      PacketSet from = space.all();
      if (entry.external() != null) {
        from = space.none();
        for (Interface own : program.device.interfaces()) {
          from = entry.takesFrom(own) ? from.union(space.arriving(number(own))) : from;
        }
      }
      all.add(new Ordered(entry.rule(), of(entry).intersection(from).minus(bySelf())));
    }
    return all;
  }

  /** The rules of step 6 in their order. */
  public List<Ordered> outward() {
    List<Ordered> all = new ArrayList<>();
    for (Translations.Outbound entry : program.translations.outbound) {
      all.add(new Ordered(entry.rule(), of(entry).intersection(leaving(entry.leaving()))));
    }
    return all;
  }

  private PacketSet leaving(InterfaceTerm term) {
    PacketSet set = space.none();
    for (Interface own : term.interfaces()) {
      set = set.union(space.leaving(number(own)));
    }
    return set;
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
    for (DeviceProgram.Own own : program.services.entries()) {
      if (own.service().equals(service)) {
        return of(own);
      }
    }
    return space.none();
  }

  /** The packets that a list accepts. */
  public PacketSet accepted(CompiledList list) {
    return taken(list.row()).passing();
  }

  // Rows.

  /** What the entries of a row take. */
  Taken taken(Row<?> row) {
    return taken.computeIfAbsent(row, Taken::new);
  }

  /**
   * What each entry of a row takes.
   *
   * <p>Idea: a tree of unions over the entries, so that packets meet only those that can take any
   * of them; and for an entry only the earlier ones are taken off that share a value with it in
   * every dimension. Each is worked out when it is asked for.
   */
  final class Taken {
    private final Row<?> row;
    private final List<PacketSet> matched = new ArrayList<>();
    private final PacketSet[] decided;
    private int @Nullable [][] earlier;
    private PacketSet[] union = new PacketSet[0];
    private @Nullable PacketSet passing;

    Taken(Row<?> row) {
      this.row = row;
      this.decided = new PacketSet[row.entries().size()];
      for (Condition entry : row.entries()) {
        space.workOn(entry.rule());
        matched.add(of(entry));
      }
    }

    /** The packets of which an entry is the first to hold; those of none for {@link Row#NONE}. */
    PacketSet decided(int number) {
      if (number == Row.NONE) {
        return any().complement();
      }
      if (decided[number] == null) {
        space.workOn(row.entries().get(number).rule());
        PacketSet set = matched.get(number);
        for (int before : earlier(number)) {
          set = set.minus(matched.get(before));
        }
        decided[number] = set;
      }
      return decided[number];
    }

    private int[] earlier(int number) {
      if (earlier == null) {
        earlier = Overlaps.of(matched.stream().map(PacketSet::bounds).toList());
      }
      return earlier[number];
    }

    /** The packets that some entry takes. */
    PacketSet any() {
      return matched.isEmpty() ? space.none() : union(1, 0, matched.size());
    }

    /** The union of a run of entries, at its place in the tree; halves are at twice that place. */
    private PacketSet union(int place, int from, int to) {
      if (to - from == 1) {
        return matched.get(from);
      }
      if (union.length == 0) {
        union = new PacketSet[4 * matched.size()];
      }
      if (union[place] == null) {
        int middle = (from + to) >>> 1;
        union[place] = union(2 * place, from, middle).union(union(2 * place + 1, middle, to));
      }
      return union[place];
    }

    /** The entries that take some of a set, in their order. */
    List<Integer> meeting(PacketSet some) {
      List<Integer> found = new ArrayList<>();
      if (!matched.isEmpty()) {
        meet(some, 1, 0, matched.size(), found);
      }
      return found;
    }

    private void meet(PacketSet some, int place, int from, int to, List<Integer> found) {
      if (!some.meets(union(place, from, to))) {
        return;
      }
      if (to - from == 1) {
        found.add(from);
        return;
      }
      int middle = (from + to) >>> 1;
      meet(some, 2 * place, from, middle, found);
      meet(some, 2 * place + 1, middle, to, found);
    }

    /** The packets that pass the row, whichever entry lets them. */
    PacketSet passing() {
      if (passing == null) {
        Passing all = passing(0, matched.size());
        passing = row.otherwise() ? all.passing.union(all.matched.complement()) : all.passing;
      }
      return passing;
    }

    /** What a run of entries matches and lets pass: halves first, so that long rows are cheap. */
    private Passing passing(int from, int to) {
      if (to == from) {
        return new Passing(space.none(), space.none());
      }
      if (to - from == 1) {
        space.workOn(row.entries().get(from).rule());
        PacketSet set = matched.get(from);
        return new Passing(set, row.passes(from) ? set : space.none());
      }
      int middle = (from + to) >>> 1;
      Passing first = passing(from, middle);
      Passing rest = passing(middle, to);
      return new Passing(
          first.matched.union(rest.matched),
          first.passing.union(rest.passing.minus(first.matched)));
    }

    private record Passing(PacketSet matched, PacketSet passing) {}
  }

  /** The routes that packets take by their source, as far as they tell sources apart. */
  public List<PacketSet> sourceWays() {
    List<PacketSet> all = new ArrayList<>();
    program.routes.back().entries().forEach(way -> all.add(of(way)));
    return all;
  }

  /** The same by their destination. */
  public List<PacketSet> destinationWays() {
    List<PacketSet> all = new ArrayList<>();
    program.routes.ways().forEach(way -> all.add(of(way)));
    return all;
  }

  /** What rules of lists that keep no state match of packets that come from elsewhere. */
  public List<PacketSet> stateless() {
    List<PacketSet> all = new ArrayList<>();
    for (CompiledList list : program.lists) {
      if (list.list().stateless()) {
        for (CompiledList.Entry entry : list.entries()) {
          int some = number(program.device.interfaces().get(0));
          all.add(of(entry.match()).intersection(space.arriving(some)).without(Dimension.ARRIVING));
        }
      }
    }
    return all;
  }

  // Rewriting.

  /** A source out of some addresses, and any port or identifier. */
  Rewrite shares(AddressSet pool) {
    PacketSet ports = space.ports(Dimension.SOURCE_PORT, PortSet.range(1, PortSet.HIGHEST));
    return lends(pool).andBecomes(Dimension.SOURCE_PORT, ports, of(Condition.Kind.SHAREABLE));
  }

  /** A source out of some addresses, the port as it is. */
  Rewrite lends(AddressSet pool) {
    return Rewrite.NONE.andBecomes(Dimension.SOURCE, space.sources(pool), space.of(Family.IPV4));
  }

  /** Ports a distance further up or down, after another rewriting. */
  Rewrite portsMove(Rewrite before, Dimension dimension, int distance) {
    if (distance == 0) {
      return before;
    }
    int first = Math.max(0, -distance);
    int last = PortSet.HIGHEST - Math.max(0, distance);
    return before.andMoves(dimension, first, last, distance, PortSet.HIGHEST, space.withPorts());
  }

  /** Addresses of a block at the same position of another one. */
  Rewrite addressesMove(Dimension dimension, Prefix from, Prefix to) {
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

  /** The packets that one rule of the device may turn into one of a set, wherever they arrive. */
  public PacketSet before(PacketSet some) {
    List<PacketSet> all = new ArrayList<>();
    for (Translations.Inbound entry : program.translations.inbound) {
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
      all.add(led.preImage(entry.rewrite(this)).intersection(of(entry)));
    }
    for (Translations.Outbound entry : program.translations.outbound) {
      for (Interface leaving : program.device.interfaces()) {
        all.add(some.preImage(entry.rewrite(this, leaving)).intersection(of(entry)));
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
}
