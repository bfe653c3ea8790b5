// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.function.Supplier;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Condition;
import org.eskerfield.program.DeviceMeaning;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.Meaning;
import org.eskerfield.program.Row;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.program.Translations;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.eskerfield.set.Times;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.set.Unions;
import org.jspecify.annotations.Nullable;

/**
 * What a device does with every packet that opens a flow.
 *
 * <p>Idea: it goes the steps of {@link DeviceWalk} with all packets in hand. Where something is
 * asked that some of them answer otherwise than others, it goes on with those of the first answer,
 * and notes where that was; at the end it goes again from the beginning, gives the answers that it
 * gave before, and at the last of those places the next one, until none is left. What it had in
 * hand at each place is kept, so that nothing is worked out twice: going again costs no more than
 * the calls. Packets are kept as they arrived and as they are now, so that one that got somewhere
 * can be told as it was sent. State is left out: these are packets of flows that the device does
 * not know, and pools that are not used up.
 *
 * <p>Not safe for use by several threads.
 */
public final class EveryPacket {
  /** How many bindings one after the other may let in who has the next one. */
  private static final int MOST_ROUNDS = 8;

  /**
   * Packets that pass the device, or reach it, by the same decisions.
   *
   * @param arriving by which interface they arrive
   * @param leaving by which interface they leave; null if the device itself takes them
   * @param via the next hop; null where the destination itself is on the network
   * @param destinationRule what rewrote their destination, or left both untouched; null for nothing
   * @param sourceRule what rewrote their source; null for nothing
   * @param binding what stands between them and who takes them, where they go to a live binding of
   *     somebody else: the rule that made it; else null
   * @param madeFor the interface for which a binding of their own is made; null where none is
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
      @Nullable TranslationRule binding,
      @Nullable Interface madeFor,
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
      PacketSet these = seen.intersection(some);
      return back.equals(Rewrite.NONE) ? these : these.preImage(back).intersection(arrived);
    }
  }

  /**
   * What a rule takes and what it makes of it.
   *
   * @param arrived the packets as they arrive
   * @param inside the same with the destination rewritten
   */
  public record Takes(PacketSet arrived, PacketSet inside) {
    private Takes and(Takes other) {
      return new Takes(arrived.union(other.arrived), inside.union(other.inside));
    }
  }

  /** What becomes of all that arrives by one interface. */
  private static final class Found {
    final List<Passage> passages = new ArrayList<>();
    final List<Approach> approaches = new ArrayList<>();
    final IdentityHashMap<TranslationRule, List<Passage>> bySource = new IdentityHashMap<>();
    @Nullable Unions seen;
    final IdentityHashMap<TranslationRule, Takes> takes = new IdentityHashMap<>();
    final IdentityHashMap<TranslationRule, List<Passage>> byRule = new IdentityHashMap<>();
  }

  private final DeviceProgram program;
  private final PacketSpace space;
  private final DeviceMeaning meaning;
  private final Map<String, Found> found = new HashMap<>();

  /** The bindings that may be live; null where only openings of flows are asked about. */
  private @Nullable List<LiveBindings> live;

  private EveryPacket(DeviceProgram program, PacketSpace space, int base) {
    this.program = program;
    this.space = space;
    this.meaning = new DeviceMeaning(program, space, base);
  }

  /**
   * All devices of a site, in one space, by their names.
   *
   * @param usual a moment of an ordinary day; samples are met then where that is possible
   */
  public static Map<String, EveryPacket> of(SiteProgram program, ZonedDateTime usual) {
    Site site = program.site();
    Times times = new Times(site.schedules().values(), usual);
    return of(program, new PacketSpace(numbers(site), times), 0);
  }

  /**
   * All devices of a site, in the space of another one, so that they can be compared.
   *
   * @param space of a site with the same devices, interfaces and schedules
   */
  public static Map<String, EveryPacket> of(SiteProgram site, PacketSpace space) {
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
   * All devices of a site, in a space that another site has a part in.
   *
   * @param base the number that the first interface gets
   */
  public static Map<String, EveryPacket> of(SiteProgram site, PacketSpace space, int base) {
    Map<String, EveryPacket> all = new LinkedHashMap<>();
    for (DeviceProgram device : site.devices().values()) {
      all.put(device.device().name(), new EveryPacket(device, space, base));
      base += device.device().interfaces().size() + 1;
    }
    return all;
  }

  /**
   * All devices of a site, with every packet there is, in every state that traffic may lead to.
   *
   * @throws UndeterminedException if there is no end to what live bindings let in
   */
  public static Map<String, EveryPacket> inAnyState(SiteProgram site, PacketSpace space) {
    Map<String, EveryPacket> all = of(site, space, 0);
    all.values().forEach(EveryPacket::takeInState);
    return all;
  }

  /** Finds the bindings that may be live: those of packets that come in by others among them. */
  private void takeInState() {
    live = List.of();
    for (int round = 0; ; round++) {
      found.clear();
      List<Passage> all = new ArrayList<>();
      program.device.interfaces().forEach(each -> all.addAll(passages(each)));
      List<LiveBindings> now = LiveBindings.of(all, this);
      if (now.equals(live)) {
        return;
      }
      if (round == MOST_ROUNDS) {
        throw new UndeterminedException(round, program.device);
      }
      live = now;
    }
  }

  /** The space that all its sets are of. */
  public PacketSpace space() {
    return space;
  }

  /** The device. */
  public DeviceProgram program() {
    return program;
  }

  /** What the conditions of its rules mean. */
  public DeviceMeaning meaning() {
    return meaning;
  }

  /** All passages of packets that arrive by an interface, in the order of the rules. */
  public List<Passage> passages(Interface arriving) {
    return List.copyOf(found(arriving).passages);
  }

  /** The passages of packets that arrive by an interface and whose destination a rule rewrites. */
  public List<Passage> passages(Interface arriving, TranslationRule rule) {
    return List.copyOf(found(arriving).byRule.getOrDefault(rule, List.of()));
  }

  /** The passages of packets that arrive by an interface and whose source a rule rewrites. */
  public List<Passage> passagesBy(Interface arriving, TranslationRule rule) {
    return List.copyOf(found(arriving).bySource.getOrDefault(rule, List.of()));
  }

  /** What comes to the rule lists of what arrives by an interface, and is seen as one of a set. */
  public List<Approach> approaches(Interface arriving, PacketSet seen) {
    Found here = found(arriving);
    if (here.seen == null) {
      here.seen = new Unions(space, here.approaches.stream().map(Approach::seen).toList());
    }
    return here.seen.meeting(seen).stream().map(here.approaches::get).toList();
  }

  /** All that comes to the rule lists of what arrives by an interface. */
  public List<Approach> approaches(Interface arriving) {
    return List.copyOf(found(arriving).approaches);
  }

  /**
   * What a rule takes of the packets that arrive by an interface, after the rules before it and
   * before any list; empty for an interface that is down.
   */
  public Takes takes(Interface arriving, TranslationRule rule) {
    Takes known = found(arriving).takes.get(rule);
    return known == null ? new Takes(space.none(), space.none()) : known;
  }

  private Found found(Interface arriving) {
    Found known = found.get(arriving.name());
    if (known == null) {
      known = new Walk(arriving).found();
      found.put(arriving.name(), known);
    }
    return known;
  }

  /**
   * What is in hand after an answer.
   *
   * @param answer the answer
   * @param arrived the packets as they arrived, with some more that are not {@code now}
   * @param now the packets as they are now
   * @param how how they were rewritten here
   */
  private record InHand(int answer, PacketSet arrived, PacketSet now, Rewrite how) {}

  /** Goes every way of the packets that arrive by one interface. */
  private final class Walk extends DeviceWalk {
    private static final int NO = 0;
    private static final int YES = 1;

    private final Interface entry;
    private final Found found = new Found();
    private final Forks<InHand> forks =
        new Forks<>(each -> each.now.isEmpty() || each.arrived.isEmpty());
    private PacketSet arrived = space.none();

    /** The packets after step 2, and then after step 6. */
    private PacketSet now = space.none();

    private PacketSet inside = space.none();
    private Rewrite to = Rewrite.NONE;
    private Rewrite source = Rewrite.NONE;

    /** The live binding to which the packets go; null for none. */
    private @Nullable LiveBindings reached;

    private @Nullable Interface madeFor;

    Walk(Interface entry) {
      super(EveryPacket.this.program);
      this.entry = entry;
    }

    Found found() {
      do {
        forks.begin();
        begin(entry);
        to = Rewrite.NONE;
        source = Rewrite.NONE;
        session = NONE;
        reached = null;
        madeFor = null;
        try {
          go(() -> List.of(new InHand(YES, opening(), opening(), Rewrite.NONE)));
          Ruling end = arrive(entry);
          if (end.ends() == null) {
            note();
          }
        } catch (Forks.NoPacket e) {
          // Nobody goes this way.
        }
      } while (forks.goesAgain());
      return found;
    }

    /** What arrives and opens something; in any state, whatever arrives. */
    private PacketSet opening() {
      PacketSet all = space.arriving(meaning.number(entry));
      return live == null ? all.intersection(meaning.opening()) : all;
    }

    private InHand go(Supplier<List<InHand>> answers) {
      InHand chosen = forks.go(answers);
      arrived = chosen.arrived;
      now = chosen.now;
      return chosen;
    }

    /** What is in hand of those that are seen as a set, or as none of it. */
    private InHand of(int answer, PacketSet some, boolean inside, Seen seen) {
      PacketSet all = seen(seen);
      PacketSet these = inside ? all.intersection(some) : all.minus(some);
      return seen == Seen.NOW
          ? new InHand(answer, arrived, these, Rewrite.NONE)
          : new InHand(answer, these, these.image(to).intersection(now), Rewrite.NONE);
    }

    private PacketSet seen(Seen seen) {
      return seen == Seen.NOW ? now : now.preImage(to).intersection(arrived);
    }

    @Override
    boolean is(Condition condition, Seen seen) {
      InHand given =
          go(
              () -> {
                PacketSet yes = meaning.of(condition);
                return List.of(of(YES, yes, true, seen), of(NO, yes, false, seen));
              });
      return given.answer == YES;
    }

    @Override
    int first(Row<?> row, Seen seen) {
      return go(() -> !row.isGate() ? entries(row, seen) : passing(row, seen)).answer;
    }

    /** Only those that pass: with the others it is over, whoever stops them. */
    private List<InHand> passing(Row<?> row, Seen seen) {
      return List.of(of(row.example(), meaning.taken(row).passing(), true, seen));
    }

    private List<InHand> entries(Row<?> row, Seen seen) {
      Meaning.Taken taken = meaning.taken(row);
      List<InHand> all = new ArrayList<>();
      for (int entry : taken.meeting(seen(seen))) {
        all.add(of(entry, taken.decided(entry), true, seen));
      }
      all.add(of(Row.NONE, taken.any(), false, seen));
      return all;
    }

    @Override
    boolean canOpen() {
      if (live == null) {
        return true;
      }
      PacketSet opens = meaning.opens();
      return go(() -> List.of(of(YES, opens, true, Seen.NOW), of(NO, opens, false, Seen.NOW)))
              .answer
          == YES;
    }

    @Override
    boolean opensTcp() {
      return true; // nothing hangs on it but when a refusal comes
    }

    @Override
    boolean isReset() {
      return false;
    }

    @Override
    boolean isError() {
      return false;
    }

    @Override
    boolean takeHop() {
      return true;
    }

    @Override
    @Nullable Ruling stepState() {
      List<LiveBindings> bindings = live == null ? List.of() : live;
      if (bindings.isEmpty()) {
        return null;
      }
      InHand known =
          go(
              () -> {
                List<InHand> all = new ArrayList<>();
                all.add(new InHand(NONE, arrived, now, Rewrite.NONE));
                for (int i = 0; i < bindings.size(); i++) {
                  LiveBindings each = bindings.get(i);
                  PacketSet reaching = now.intersection(each.reaching());
                  PacketSet led = reaching.image(each.lead()).intersection(each.admitted(entry));
                  all.add(new InHand(i, reaching, led, each.lead()));
                }
                return all;
              });
      if (known.answer == NONE) {
        return null;
      }
      reached = bindings.get(known.answer);
      to = known.how;
      destinationBinding = known.answer;
      outside = reached.isOutside(entry) ? null : reached.outside();
      return null;
    }

    @Override
    boolean restoredDestination() {
      return destinationBinding != NONE;
    }

    @Override
    @Nullable Ruling restoreSource() {
      Interface side = Objects.requireNonNull(outside);
      if (!canOpen()) {
        return end(Ruling.NOT_AN_OPENING, null);
      }
      stateful = true;
      Translations.Outbound rule = outbound(side, Seen.AS_SENT);
      if (rule != null) {
        return translateSource(rule, side, Seen.AS_SENT);
      }
      // He looks outside as he does here, and so the owner must have spoken to him.
      PacketSet known = Objects.requireNonNull(reached).fromOutside();
      go(() -> List.of(of(YES, known, true, Seen.NOW)));
      return say(Ruling.SOURCE_KEPT, null);
    }

    @Override
    void translateDestination(Translations.Inbound rule) {
      InHand takes =
          go(
              () -> {
                Rewrite how = rule.rewrite(meaning);
                return List.of(new InHand(YES, now, now.image(how), how));
              });
      to = takes.how;
      found.takes.merge(rule.rule(), new Takes(takes.arrived, takes.now), Takes::and);
    }

    @Override
    void translateSource(Translations.Outbound rule, Interface side) {
      source(() -> rule.rewrite(meaning, side));
    }

    private void source(Supplier<Rewrite> rewrite) {
      inside = now;
      InHand rewritten =
          go(
              () -> {
                Rewrite how = rewrite.get();
                return List.of(new InHand(YES, arrived, now.image(how), how));
              });
      source = rewritten.how;
    }

    @Override
    int bind(TranslationRule rule, Interface side, AddressSet externals, boolean whole, Seen seen) {
      if (externals.isEmpty()) { // a pool may have no address that can be lent
        return NONE;
      }
      madeFor = side;
      source(() -> whole ? meaning.lends(externals) : meaning.shares(externals));
      return YES;
    }

    @Override
    @Nullable Address external(int binding, AddressSet externals) {
      return externals.lowest(Family.IPV4);
    }

    @Override
    Ruling say(Ruling ruling, @Nullable Placed by) {
      if (ruling == Ruling.SOURCE_KEPT) {
        inside = now;
      } else if (ruling == Ruling.UNTOUCHED && by instanceof TranslationRule rule) {
        found.takes.merge(rule, new Takes(now, now), Takes::and);
      }
      return ruling;
    }

    @Override
    void comesToLists(@Nullable Interface leaving) {
      go(
          () -> {
            PacketSet before = now.preImage(to).intersection(arrived);
            boolean original = program.device.seesOriginal();
            found.approaches.add(
                new Approach(
                    entry,
                    leaving,
                    translated == null ? null : translated.rule(),
                    before,
                    original ? before : now,
                    original ? Rewrite.NONE : to));
            return List.of(new InHand(YES, before, now, Rewrite.NONE));
          });
    }

    /** Notes those that got somewhere. */
    private void note() {
      if (forDevice) {
        inside = now;
      }
      PacketSet through = now.preImage(source).intersection(inside);
      PacketSet sent = through.preImage(to).intersection(arrived);
      if (live != null && (stateful || forDevice)) {
        // What follows on an opening passes with it.
        through = through.without(Dimension.TCP_FLAGS);
        sent = sent.without(Dimension.TCP_FLAGS);
        now = now.without(Dimension.TCP_FLAGS);
      }
      TranslationRule rule = translated == null ? null : translated.rule();
      Passage passage =
          new Passage(
              entry,
              leaving(),
              routeNumber == NONE ? null : program.routes.entry(routeNumber).via(),
              rule,
              sourceRule,
              reached == null ? null : reached.rule(),
              madeFor,
              sent,
              through,
              now,
              to,
              source);
      found.passages.add(passage);
      if (sourceRule != null) {
        found.bySource.computeIfAbsent(sourceRule, r -> new ArrayList<>()).add(passage);
      }
      if (rule != null) {
        found.byRule.computeIfAbsent(rule, r -> new ArrayList<>()).add(passage);
      }
    }
  }
}
