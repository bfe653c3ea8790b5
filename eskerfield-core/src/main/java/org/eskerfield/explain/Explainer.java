// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.explain;

import java.util.AbstractList;
import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.DeviceMeaning.Ordered;
import org.eskerfield.program.Row;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.eskerfield.walk.EveryPacket;
import org.eskerfield.walk.EveryPacket.Approach;
import org.eskerfield.walk.EveryPacket.Passage;
import org.jspecify.annotations.Nullable;

/**
 * Explains the policy of a site in plain language.
 *
 * <p>Idea: each rule is put into a sentence, and the sets of the device ({@link EveryPacket}) are
 * asked for packets that come to be decided by it. A sample of them is traced, from a sender of the
 * file where there is one; it is an example only if the trace says that this very rule decided. So
 * no sentence stands beside a packet that it is not true of.
 */
public final class Explainer {
  /** How much room the sets of one device may take; a policy beyond has no examples. */
  private static final int MOST_INTERVALS = 8_000_000;

  private final Site site;
  private final Tracer tracer;
  private final Map<String, EveryPacket> sets;

  private final IdentityHashMap<Interface, Wanted> wanted = new IdentityHashMap<>();

  /** The places of the rules of each list. */
  private final IdentityHashMap<AccessList, IdentityHashMap<Placed, Integer>> rowsOf =
      new IdentityHashMap<>();

  private final boolean examples;

  private Explainer(Site site, boolean examples) {
    this.site = site;
    this.examples = examples;
    this.tracer = Tracer.of(site);
    this.sets = EveryPacket.of(tracer.program(), VirtualClock.start(site.timeZone()));
  }

  /** An explainer of a site. */
  public static Explainer of(Site site) {
    return new Explainer(site, true);
  }

  /**
   * An explainer that looks for no examples, which takes long where there are thousands of rules.
   */
  public static Explainer withoutExamples(Site site) {
    return new Explainer(site, false);
  }

  /** The policy of a device. */
  public Explanation explain(Device device) {
    Sentences sentences = new Sentences(site, device);
    List<Explanation.Section> sections = new ArrayList<>();
    sections.add(
        section(Explanation.Part.INTERFACES, "Interfaces", device, sentences, device.interfaces()));
    List<TranslationRule> inward =
        device.translation().stream().filter(rule -> rule.outward() == null).toList();
    sections.add(
        section(
            Explanation.Part.DESTINATION,
            "Destination translation (first match wins)",
            device,
            sentences,
            inward));
    sections.add(
        section(
            Explanation.Part.SERVICES,
            "Services of " + device.name() + " itself",
            device,
            sentences,
            device.services()));
    sections.add(
        section(
            Explanation.Part.ROUTES,
            "Routes (longest prefix match)",
            device,
            sentences,
            device.routes()));
    for (AccessList list : device.access()) {
      sections.add(access(list, device, sentences));
    }
    sections.add(
        section(
            Explanation.Part.STANCE,
            "Default for traffic that no list guards",
            device,
            sentences,
            List.of(device.stance())));
    List<TranslationRule> outward =
        device.translation().stream()
            .filter(rule -> rule.isBothWays() || rule.outward() != null)
            .toList();
    List<Statement> statements = new ArrayList<>();
    for (TranslationRule rule : outward) {
      statements.add(
          statement(statements.size() + 1, device, sentences, rule, decidesAtSource(device, rule)));
    }
    sections.add(
        new Explanation.Section(
            Explanation.Part.SOURCE, "Source translation (first match wins)", "", statements));
    return new Explanation(device, sections);
  }

  private Explanation.Section section(
      Explanation.Part part,
      String title,
      Device device,
      Sentences sentences,
      List<? extends Placed> things) {
    List<Statement> statements = new ArrayList<>();
    for (Placed thing : things) {
      statements.add(
          statement(statements.size() + 1, device, sentences, thing, decides(device, thing, null)));
    }
    return new Explanation.Section(part, title, "", statements);
  }

  private Explanation.Section access(AccessList list, Device device, Sentences sentences) {
    List<Statement> statements = new ArrayList<>();
    for (AccessRule rule : list.rules()) {
      statements.add(
          statement(statements.size() + 1, device, sentences, rule, decides(device, rule, list)));
    }
    statements.add(
        statement(statements.size() + 1, device, sentences, list, decides(device, list, list)));
    return new Explanation.Section(
        Explanation.Part.ACCESS, sentences.of(list), list.name(), statements);
  }

  private Statement statement(
      int number, Device device, Sentences sentences, Placed thing, Candidates candidates) {
    String name = thing instanceof Named named ? named.name() : "";
    String sentence =
        thing instanceof AccessList list
            ? "Default: " + list.otherwiseText() + "."
            : sentences.of(thing);
    return new Statement(number, thing, name, sentence, example(device, thing, candidates));
  }

  /**
   * A rule, list, own service or route of the site in depth.
   *
   * @param thing an object of the site
   * @param device the device that has it
   */
  public RuleDetail detail(Device device, Placed thing) {
    Sentences sentences = new Sentences(site, device);
    AccessList in = null;
    for (AccessList list : device.access()) {
      if (thing instanceof AccessRule rule && list.rules().contains(rule)) {
        in = list;
      }
    }
    List<? extends Placed> row =
        in != null
            ? in.rules()
            : thing instanceof TranslationRule
                ? device.translation()
                : thing instanceof Route ? device.routes() : List.of(thing);
    Statement statement =
        statement(row.indexOf(thing) + 1, device, sentences, thing, decides(device, thing, in));
    if (statement.example() == null && thing instanceof TranslationRule rule && rule.isBothWays()) {
      statement =
          statement(statement.number(), device, sentences, thing, decidesAtSource(device, rule));
    }
    return new RuleDetail(
        device,
        in == null ? null : in.name(),
        statement.number(),
        row.size(),
        statement,
        before(device, thing, in, sentences),
        letBy(device, statement.example()));
  }

  private static List<Decision> letBy(Device device, Statement.@Nullable Example example) {
    List<Decision> decisions = new ArrayList<>();
    if (example != null) {
      for (Leg leg : example.trace().request()) {
        if (leg.where().equals(device.name())) {
          for (Decision decision : leg.decisions()) {
            boolean access = decision.ruling().step() == Step.ACCESS;
            if (access && decision.by() != example.decision().by()) {
              decisions.add(decision);
            }
          }
        }
      }
    }
    return decisions;
  }

  private List<RuleDetail.Earlier> before(
      Device device, Placed thing, @Nullable AccessList in, Sentences sentences) {
    EveryPacket all = sets(device);
    List<RuleDetail.Earlier> earlier = new ArrayList<>();
    PacketSet mine = null;
    List<Ordered> row = new ArrayList<>(all.meaning().inward());
    if (thing instanceof TranslationRule rule) {
      row = rule.outward() == null ? row : all.meaning().outward();
      for (Ordered each : row) {
        mine = each.rule().equals(rule) ? each.takes() : mine;
      }
      for (Ordered each : row) {
        if (mine == null || each.rule().equals(rule)) {
          break;
        }
        RuleDetail.Earlier.add(earlier, each.rule(), each.takes(), mine, sentences);
      }
    } else if (in != null && thing instanceof AccessRule rule) {
      return RuleDetail.Earlier.than(rule, compiled(all, in), all.meaning(), sentences);
    }
    return earlier;
  }

  // Examples.

  /** The packets, as they arrive by an interface, among which an example may be. */
  private interface Candidates {
    List<PacketSet> by(Interface arriving);
  }

  private EveryPacket sets(Device device) {
    return Objects.requireNonNull(sets.get(device.name()), device.name());
  }

  private Candidates decidesAtSource(Device device, TranslationRule rule) {
    EveryPacket all = sets(device);
    return arriving -> {
      List<PacketSet> found = new ArrayList<>();
      all.passagesBy(arriving, rule).forEach(passage -> found.add(passage.arrived()));
      return found;
    };
  }

  private Candidates decides(Device device, Placed thing, @Nullable AccessList in) {
    if (thing instanceof TranslationRule rule && rule.outward() != null) {
      return decidesAtSource(device, rule);
    }
    EveryPacket all = sets(device);
    return arriving -> {
      List<PacketSet> found = new ArrayList<>();
      if (thing instanceof TranslationRule rule) {
        all.passages(arriving, rule).forEach(passage -> found.add(passage.arrived()));
        found.add(all.takes(arriving, rule).arrived());
      } else if (thing instanceof OwnService || thing instanceof Route) {
        for (Passage passage : all.passages(arriving)) {
          found.add(through(all, passage, thing));
        }
      } else if (in != null) {
        CompiledList list = compiled(all, in);
        PacketSet decided = decided(all, list, thing);
        boolean comes =
            list.guardsFrom(arriving) && decided.meets(wanted(device, arriving).anybody());
        if (!comes) {
          return found;
        }
        List<Approach> approaches = new ArrayList<>(all.approaches(arriving, decided));
        approaches.removeIf(each -> !each.isGuardedBy(list));
        return new Arrived(approaches, decided);
      } else if (thing instanceof Stance) {
        for (Approach approach : all.approaches(arriving)) {
          if (approach.leaving() != null
              && all.program().lists().stream().noneMatch(approach::isGuardedBy)) {
            found.add(approach.arrived());
          }
        }
      }
      return found;
    };
  }

  /** What arrives to be seen as some packets, each way worked out when it is asked for. */
  private static final class Arrived extends AbstractList<PacketSet> {
    private final List<Approach> approaches;
    private final PacketSet seen;
    private final @Nullable PacketSet[] known;

    Arrived(List<Approach> approaches, PacketSet seen) {
      this.approaches = approaches;
      this.seen = seen;
      this.known = new @Nullable PacketSet[approaches.size()];
    }

    @Override
    public PacketSet get(int number) {
      PacketSet arrived = known[number];
      if (arrived == null) {
        arrived = approaches.get(number).arrivedAs(seen);
        known[number] = arrived;
      }
      return arrived;
    }

    @Override
    public int size() {
      return approaches.size();
    }

    /** Whether some of them may be among packets that only their senders tell apart. */
    boolean mayBeOf(PacketSet senders) {
      return seen.meets(senders); // the source is seen as it arrived
    }
  }

  private static PacketSet through(EveryPacket all, Passage passage, Placed thing) {
    if (thing instanceof OwnService own) {
      return passage.leaving() == null
          ? passage.arrivedAs(all.meaning().serving(own))
          : all.space().none();
    }
    Route route = (Route) thing;
    Interface by = route.leaving();
    boolean leads =
        by != null
            && passage.leaving() != null
            && by.name().equals(passage.leaving().name())
            && Objects.equals(route.via(), passage.via());
    AddressSet to = AddressSet.ofPrefixes(List.of(route.to()));
    return leads
        ? passage.arrivedAs(all.space().all()).intersection(destinations(all, to, passage))
        : all.space().none();
  }

  private static PacketSet destinations(EveryPacket all, AddressSet to, Passage passage) {
    PacketSet inside = passage.inside().intersection(all.space().destinations(to));
    return inside.preImage(passage.destination());
  }

  @SuppressWarnings("ReferenceEquality") // the lists of the device itself, which may be long
  private static CompiledList compiled(EveryPacket all, AccessList in) {
    for (CompiledList list : all.program().lists()) {
      if (list.list() == in) {
        return list;
      }
    }
    throw new IllegalArgumentException("no list of the device: " + in.name());
  }

  /** What a rule of a list decides, or what is left for its end. */
  private PacketSet decided(EveryPacket all, CompiledList list, Placed thing) {
    if (thing instanceof AccessList) {
      return all.meaning().decided(list, Row.NONE);
    }
    IdentityHashMap<Placed, Integer> numbers = rowsOf.get(list.list());
    if (numbers == null) {
      numbers = new IdentityHashMap<>();
      for (CompiledList.Entry entry : list.entries()) {
        numbers.put(entry.rule(), numbers.size());
      }
      rowsOf.put(list.list(), numbers);
    }
    Integer number = numbers.get(thing); // none has a rule that is switched off
    return number == null ? all.space().none() : all.meaning().decided(list, number);
  }

  private Wanted wanted(Device device, Interface arriving) {
    return wanted.computeIfAbsent(
        arriving, own -> Wanted.of(site, sets(device).space(), comingBy(device, own)));
  }

  /** The sets among which to look, without those that have nothing of some packets. */
  private static List<PacketSet> among(Wanted wanted, List<PacketSet> found) {
    boolean known = !(found instanceof Arrived arrived) || arrived.mayBeOf(wanted.described());
    return known ? wanted.best() : List.of(wanted.anybody());
  }

  /** Whether what it decides is not let through. */
  private static boolean refuses(Placed thing) {
    return (thing instanceof AccessRule rule && rule.action() != Action.ACCEPT)
        || (thing instanceof AccessList list && list.otherwise() != Action.ACCEPT)
        || (thing instanceof Route route && route.via() == null);
  }

  private static int rank(Statement.Example example) {
    Trace trace = example.trace();
    return trace.outcome() == Outcome.ANSWERED ? 0 : trace.deliveredTo() != null ? 1 : 2;
  }

  /** A packet that is answered, where there is one and the thing lets anything through. */
  private Statement.@Nullable Example example(Device device, Placed thing, Candidates candidates) {
    if (!examples || thing instanceof Interface) {
      return null;
    }
    Statement.Example first = null;
    PacketSpace space = sets(device).space();
    try {
      space.allow(MOST_INTERVALS);
      for (Interface arriving : device.interfaces()) {
        List<PacketSet> found = candidates.by(arriving);
        if (found.isEmpty()) {
          continue;
        }
        for (PacketSet wanted : among(wanted(device, arriving), found)) {
          for (PacketSet some : found) {
            Statement.Example example = traced(device, thing, some.intersection(wanted));
            if (example != null && (refuses(thing) || rank(example) == 0)) {
              return example;
            }
            boolean better = example != null && (first == null || rank(example) < rank(first));
            first = better ? example : first;
          }
        }
        if (first != null && thing instanceof TranslationRule) {
          return first; // where a rule faces, it says more than what insiders use it for
        }
      }
    } catch (UndeterminedException e) {
      return first;
    } finally {
      space.allow(Integer.MAX_VALUE);
    }
    return first;
  }

  /** The addresses of those who are where an interface leads. */
  private AddressSet comingBy(Device device, Interface arriving) {
    if (arriving.isOutside()) {
      return Outside.senders(site);
    }
    AddressSet all = AddressSet.NONE;
    for (Network network : site.networks().values()) {
      Address first = network.prefixes().get(0).first();
      Address some = first.next();
      Interface towards = sets(device).program().towards(some == null ? first : some);
      if (network.name().equals(arriving.network().name())
          || (towards != null && towards.name().equals(arriving.name()))) {
        all = all.union(AddressSet.ofPrefixes(network.prefixes()));
      }
    }
    return all;
  }

  private Statement.@Nullable Example traced(Device device, Placed thing, PacketSet some) {
    PacketSet.Member member = some.sample();
    Attempt attempt = member == null ? null : Attempt.sending(site, member);
    Address source = attempt == null ? null : attempt.source();
    if (attempt == null || source == null) {
      return null;
    }
    Trace trace =
        tracer.trace(
            new Question(
                attempt.sender(),
                source,
                attempt.addresses().get(0),
                attempt.probe(),
                attempt.sourcePort(),
                attempt.at()));
    for (Leg leg : trace.request()) {
      for (Decision decision : leg.decisions()) {
        if (leg.where().equals(device.name()) && isBy(decision, thing)) {
          return new Statement.Example(trace, decision);
        }
      }
    }
    return null;
  }

  private static boolean isBy(Decision decision, Placed thing) {
    Placed by = decision.by();
    return by != null
        && (by.equals(thing) || (thing instanceof Stance stance && stance.pairs().contains(by)));
  }
}
