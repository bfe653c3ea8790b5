// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Mends;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.CompiledList;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.EveryPacket;
import org.eskerfield.walk.EveryPacket.Approach;
import org.jspecify.annotations.Nullable;

/**
 * What the file says should work, tried.
 *
 * <p>Idea: a pair of zones that a stance accepts, an access rule that accepts, a rule for what
 * leaves, and an own service each say that some conversations are meant to succeed. Some of them
 * are led through the whole site and back. Where one is answered, the wish is met; where none is,
 * the first obstacle is what is wrong. That a list lets less through than a stance is how lists are
 * written, and no fault. Cost: a few traces for each rule and for each pair of networks.
 */
final class Wishes {
  private static final int MOST_TRIED = 12;
  private static final int MOST_HOSTS = 4;
  private static final Probe WEB = Probe.of(Protocol.TCP, 443);

  private final Inspection check;
  private final Map<String, Conversation> known = new HashMap<>();
  private final Map<String, List<Host>> hostsOn = new LinkedHashMap<>();
  private final Map<String, Spread> spreads = new HashMap<>();
  private final Map<Family, Optional<Address>> strangers = new EnumMap<>(Family.class);
  private final Map<String, PacketSet> toStrangers = new HashMap<>();
  private final List<PacketSet> sent;
  private @Nullable PacketSet listening;

  Wishes(Inspection check) {
    this.check = check;
    this.sent =
        List.of(
            check.space.sources(check.describedInside()),
            check.space.sources(check.describedOutside()),
            check.fromStrangers);
    for (Host host : check.site.hosts().values()) {
      if (!host.isOutside() && !host.off()) {
        for (Network network : host.networks()) {
          hostsOn.computeIfAbsent(network.name(), name -> new ArrayList<>()).add(host);
        }
      }
    }
  }

  /** Interfaces that nobody has switched off and that carry nothing all the same. */
  void links() {
    for (Device device : check.site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (own.state() == Interface.State.NO_LINK) {
          int hosts = hostsOn.getOrDefault(own.network().name(), List.of()).size();
          check.add(
              Code.INTERFACE_DOWN,
              own,
              Labels.of(own)
                  + " of "
                  + device.name()
                  + " has no link: nothing reaches network "
                  + own.network().name()
                  + " by it"
                  + (hosts == 0 ? "" : ", with " + hosts + (hosts == 1 ? " host" : " hosts")),
              null,
              Mends.broughtUp(own));
        }
      }
    }
  }

  void inspect() {
    resolvers();
    for (Device device : check.site.devices().values()) {
      for (Interface arriving : device.interfaces()) {
        for (Interface leaving : device.interfaces()) {
          between(device, arriving, leaving);
        }
      }
      for (TranslationRule rule : device.translation()) {
        OutwardRule outward = OutwardRule.of(rule);
        if (outward != null && !rule.disabled()) {
          outward(device, outward);
        }
      }
      device.services().forEach(own -> service(device, own));
      for (CompiledList list : check.sets(device).program().lists()) {
        for (CompiledList.Entry entry : list.entries()) {
          if (entry.rule().action() == Action.ACCEPT && !list.list().guards().isEmpty()) {
            access(device, list, entry);
          }
        }
      }
    }
  }

  /** Resolvers that do not answer those who are told to ask them. */
  private void resolvers() {
    Map<Address, List<Attempt>> asking = new LinkedHashMap<>();
    for (List<Host> hosts : hostsOn.values()) {
      for (Host host : hosts) {
        Address asked = check.site.resolver(host);
        if (asked != null && !host.addresses().contains(asked)) {
          asking
              .computeIfAbsent(asked, address -> new ArrayList<>())
              .add(check.attempt(host, asked, Probe.of(Protocol.UDP, 53)));
        }
      }
    }
    asking.forEach(
        (address, attempts) -> {
          Conversation sample = converse(attempts.get(0));
          boolean answered =
              first(MOST_TRIED, attempts).stream()
                  .anyMatch(each -> converse(each).outcome() == Outcome.ANSWERED);
          Host resolver = check.site.hostAt(address);
          boolean inside = resolver != null && !resolver.isOutside();
          Decision end = Offers.lastOf(sample);
          boolean kept = end != null && end.ruling().step() == Step.ACCESS;
          Trace asked = sample.opening();
          boolean silent = asked != null && asked.deliveredTo() != null && asked.reply().isEmpty();
          if (!answered
              && (inside || kept || silent)
              && !check.endsAlike(sample)
              && !isAstray(sample, kept)) {
            String asker = attempts.get(0).sender().name();
            check.add(
                Code.RESOLVER_FAILS,
                resolver == null ? attempts.get(0).sender() : resolver,
                (resolver == null ? address.toString() : resolver.name())
                    + " is the resolver of "
                    + asker
                    + ", and does not answer: "
                    + sample.reason(),
                sample,
                Cure.byHand("let it run and be reached on 53/udp, or name another resolver"));
          }
        });
  }

  // Wishes.

  /** What a stance accepts: from the hosts behind one interface to those behind another. */
  private void between(Device device, Interface arriving, Interface leaving) {
    if (arriving.equals(leaving) || arriving.isOutside()) {
      return;
    }
    Stance stance = device.stance();
    String from = arriving.network().zone();
    String to = leaving.network().zone();
    if (stance.actionFor(from, to) != Action.ACCEPT) {
      return;
    }
    Stance.Pair pair = stance.pairFor(from, to);
    // That a device accepts whatever comes says only that it leads on what it is asked to.
    boolean said = pair != null && !pair.from().equals(Site.ANY);
    Placed wish = pair == null ? stance : pair;
    Map<String, List<Network>> targets =
        said
            ? named(device, leaving)
            : Map.of(leaving.network().name(), List.of(leaving.network()));
    for (Network source : said ? all(named(device, arriving)) : List.of(arriving.network())) {
      targets.forEach(
          (target, networks) -> {
            List<Attempt> attempts = new ArrayList<>();
            for (Network each : networks) {
              attempts.addAll(
                  each.isOutside()
                      ? toStrangers(device, source, leaving, said)
                      : each.name().equals(source.name()) ? List.of() : toHosts(source, each));
            }
            // Whoever may go everywhere need not get everywhere.
            boolean meant =
                (pair != null && !pair.to().equals(Site.ANY))
                    || networks.stream().anyMatch(Network::isOutside);
            if (!met(wish, device, source.name() + " to " + target, attempts) && meant) {
              kept(wish, device, source, networks, attempts);
            }
          });
      if (!said) {
        List<Attempt> out = toStrangers(device, source, leaving, /* said= */ false);
        met(wish, device, source.name() + " to the internet", out);
      }
    }
  }

  /**
   * What the zone of an interface stands for: each of its networks where there are hosts; where it
   * only leads on, all that lies beyond, as one.
   */
  private Map<String, List<Network>> named(Device device, Interface own) {
    Map<String, List<Network>> named = new LinkedHashMap<>();
    List<Network> beyond = new ArrayList<>(check.behind(device, own));
    if (own.isOutside()) {
      return Map.of("the internet", List.of(own.network()));
    }
    for (Network network : beyond) {
      if (network.zone().equals(own.network().zone()) && hostsOn.containsKey(network.name())) {
        named.put(network.name(), List.of(network));
      }
    }
    if (named.isEmpty()) {
      beyond.removeIf(network -> !hostsOn.containsKey(network.name()));
      check.site.networks().values().stream().filter(Network::isOutside).forEach(beyond::add);
      named.put(own.network().name() + " and beyond", beyond);
    }
    return named;
  }

  private static List<Network> all(Map<String, List<Network>> named) {
    List<Network> all = new ArrayList<>();
    named.values().forEach(all::addAll);
    all.removeIf(Network::isOutside);
    return all;
  }

  private List<Attempt> toHosts(Network source, Network target) {
    List<Attempt> attempts = new ArrayList<>();
    for (Host sender : some(source)) {
      for (Host receiver : some(target)) {
        for (Family family : Family.values()) {
          Address to = receiver.address(family);
          if (to != null && sender.address(family) != null) {
            Rehearsals.probes(receiver, family)
                .forEach(probe -> attempts.add(check.attempt(sender, to, probe)));
          }
        }
      }
    }
    return attempts;
  }

  private List<Attempt> toStrangers(
      Device device, Network source, Interface leaving, boolean said) {
    List<Attempt> attempts = new ArrayList<>();
    for (Family family : Family.values()) {
      Address to = stranger(family);
      Interface towards = to == null ? null : check.sets(device).program().towards(to);
      boolean here =
          towards == null
              ? said && leaving.isOutside() && leaving.address(family) != null
              : towards.name().equals(leaving.name());
      for (Host sender : some(source)) {
        if (here && to != null && sender.address(family) != null) {
          attempts.add(check.attempt(sender, to, WEB));
        }
      }
    }
    return attempts;
  }

  private List<Host> some(Network network) {
    return first(MOST_HOSTS, hostsOn.getOrDefault(network.name(), List.of()));
  }

  private static <T> List<T> first(int most, List<T> all) {
    return all.subList(0, Math.min(most, all.size()));
  }

  /** A rule for what leaves: its sources want to get out. */
  private void outward(Device device, OutwardRule rule) {
    if (!rule.to().isEmpty()) {
      return; // for one partner; whether he answers, the file may well not say
    }
    AddressSet sources = check.addresses(rule.from());
    for (List<Host> hosts : hostsOn.values()) {
      List<Attempt> attempts = new ArrayList<>();
      for (Host host : hosts) {
        Address own = host.address(Family.IPV4);
        Address to = stranger(Family.IPV4);
        if (own != null && to != null && sources.contains(own)) {
          attempts.add(check.attempt(host, to, WEB));
        }
      }
      met(rule, device, Labels.of(rule), attempts);
    }
  }

  /** An own service: those whom it is for want to reach it. */
  private void service(Device device, OwnService own) {
    AddressSet senders = check.matched(own.from());
    ServicePart part = own.service().service().parts().get(0);
    List<Attempt> attempts = new ArrayList<>();
    for (List<Host> hosts : hostsOn.values()) {
      for (Host host : first(MOST_HOSTS, hosts)) {
        for (Address address : host.addresses()) {
          Address to = nearest(device, address);
          if (to != null && senders.contains(address)) {
            attempts.add(check.attempt(host, to, Probe.of(part, address.family())));
          }
        }
      }
    }
    met(own, device, own.service().text() + " of " + device.name() + " itself", attempts);
  }

  /** The address of a device on the side where a host is. */
  private @Nullable Address nearest(Device device, Address host) {
    Interface towards = check.sets(device).program().towards(host);
    return towards == null ? null : towards.address(host.family());
  }

  /** An access rule: what it accepts is meant to be answered. */
  private void access(Device device, CompiledList list, CompiledList.Entry entry) {
    AccessRule rule = entry.rule();
    EveryPacket sets = check.sets(device);
    PacketSet takes = check.decided(entry, sets.meaning().of(entry.match()));
    List<Attempt> attempts = new ArrayList<>();
    for (Interface arriving : device.interfaces()) {
      check.passages(device, arriving);
      for (Approach approach : sets.approaches(arriving, takes)) {
        if (approach.isGuardedBy(list)) {
          for (PacketSet answering : List.of(listening(), strangers(device))) {
            add(attempts, approach.arrivedAs(takes.intersection(answering)));
          }
          if (attempts.isEmpty()) {
            add(attempts, approach.arrivedAs(takes));
          }
        }
      }
    }
    List<Attempt> deciding = new ArrayList<>();
    for (Attempt each : attempts) {
      Conversation conversation = converse(each);
      if (decides(rule, conversation)) {
        deciding.add(each);
        if (conversation.outcome() == Outcome.ANSWERED) {
          return; // the wish is met
        }
      }
    }
    met(rule, device, Labels.of(rule), deciding);
  }

  /** One from insiders, one from described hosts outside, and one from anybody else outside. */
  private void add(List<Attempt> attempts, PacketSet arriving) {
    for (PacketSet senders : sent) {
      Attempt one = check.attempt(arriving.intersection(senders).sample());
      if (one != null) {
        attempts.add(one);
      }
    }
  }

  /** What is sent to the internet, where a device has a route to it. */
  private PacketSet strangers(Device device) {
    return toStrangers.computeIfAbsent(device.name(), name -> sentToStrangers(device));
  }

  private PacketSet sentToStrangers(Device device) {
    PacketSet all = check.space.none();
    AddressSet unknown = check.strangers().intersection(check.describedOutside().complement());
    for (Family family : Family.values()) {
      Address stranger = stranger(family);
      if (stranger != null && check.sets(device).program().towards(stranger) != null) {
        all = all.union(check.space.destinations(unknown).intersection(check.space.of(family)));
      }
    }
    return all.intersection(check.space.withPorts());
  }

  /** Somebody on the internet; null where no network leads there. */
  private @Nullable Address stranger(Family family) {
    boolean reached = check.site.networks().values().stream().anyMatch(Network::isOutside);
    return reached
        ? strangers
            .computeIfAbsent(
                family, each -> Optional.ofNullable(Outside.stranger(check.site, each)))
            .orElse(null)
        : null;
  }

  /** What is sent to somebody who listens there. */
  private PacketSet listening() {
    if (listening == null) {
      List<PacketSet> all = new ArrayList<>();
      for (Host host : check.site.hosts().values()) {
        PacketSet to = check.space.destinations(AddressSet.ofAddresses(host.addresses()));
        if (!host.off() && !host.listens().isEmpty()) {
          all.add(to.intersection(check.space.services(host.listens())));
        }
      }
      listening = check.space.union(all);
    }
    return listening;
  }

  private static boolean decides(AccessRule rule, Conversation conversation) {
    if (conversation.opening() == null) {
      return false;
    }
    for (Leg leg : conversation.opening().request()) {
      for (Decision decision : leg.decisions()) {
        if (rule.equals(decision.by())) {
          return true;
        }
      }
    }
    return false;
  }

  // Trying.

  private Conversation converse(Attempt attempt) {
    String key =
        attempt.sender().name()
            + " "
            + attempt.source()
            + " "
            + attempt.to()
            + " "
            + attempt.probe()
            + " "
            + attempt.at();
    return known.computeIfAbsent(key, k -> check.tracer.converse(attempt));
  }

  /**
   * Says what stands in the way where none of some attempts is answered.
   *
   * @return false if it is a list or stance, and the wish is none of a rule
   */
  private boolean met(Placed wish, Device device, String what, List<Attempt> attempts) {
    Conversation first = null;
    for (Attempt each : first(MOST_TRIED, attempts)) {
      Conversation conversation = converse(each);
      if (conversation.outcome() == Outcome.ANSWERED) {
        return true;
      }
      boolean nearer = first != null && !passes(device, first) && passes(device, conversation);
      first = first == null || nearer ? conversation : first;
    }
    Decision end = first == null ? null : Offers.lastOf(first);
    boolean atLists = end != null && end.ruling().step() == Step.ACCESS;
    boolean narrowed = atLists && !(wish instanceof AccessRule);
    if (first == null || end == null || narrowed) {
      return !narrowed;
    }
    Diagnosis why = check.diagnosed(first);
    Obstacle obstacle = why == null || why.obstacles().isEmpty() ? null : why.obstacles().get(0);
    Code code = obstacle == null ? null : Rehearsals.codeOf(obstacle);
    if (obstacle == null || code == null || isSaid(obstacle, first)) {
      return true;
    }
    Host receiver = obstacle.place() instanceof Host host ? host : null;
    if (code == Code.NOTHING_LISTENS && receiver != null && receiver.listens().isEmpty()) {
      return true; // what it runs, the file does not say
    }
    boolean toDevice = check.site.deviceAt(first.attempt().addresses().get(0)) != null;
    if (code == Code.NOTHING_LISTENS
        && toDevice
        && wish instanceof AccessRule rule
        && rule.to().isEmpty()) {
      return true; // a rule for whatever comes by is not for what a device itself does not offer
    }
    if (Rehearsals.isAstray(check, obstacle, first)) {
      return true;
    }
    if (code == Code.TRANSLATION_WITHOUT_ACCESS) {
      code = Code.ACCEPTED_THEN_DROPPED;
    }
    Placed place =
        obstacle.place() != null
            ? obstacle.place()
            : Objects.requireNonNullElse(where(first), wish);
    check.add(code, place, what + ": " + Rehearsals.told(obstacle), first, obstacle.cure());
    return true;
  }

  /** Says so where nothing at all gets from one network to another that a stance accepts. */
  private void kept(
      Placed wish, Device device, Network source, List<Network> targets, List<Attempt> attempts) {
    Spread spread = spreads.computeIfAbsent(source.name(), name -> spread(source));
    Conversation sample = attempts.isEmpty() ? null : converse(attempts.get(0));
    Decision end = sample == null ? null : Offers.lastOf(sample);
    boolean some = targets.stream().anyMatch(target -> spread.reached().containsKey(target.name()));
    if (some
        || sample == null
        || end == null
        || check.endsAlike(sample)
        || isAstray(sample, end.ruling().step() == Step.ACCESS)) {
      return;
    }
    String to = String.join(", ", targets.stream().map(Network::name).toList());
    check.add(
        Code.ACCEPTED_THEN_DROPPED,
        Objects.requireNonNullElse(end.by(), wish),
        device.name() + " " + source.name() + " to " + to,
        Labels.of(wish)
            + " of "
            + device.name()
            + " accepts traffic from "
            + source.name()
            + " to "
            + to
            + ", but none of it gets there: "
            + sample.reason(),
        sample,
        Cure.byHand("accept there what is meant to pass, or let the stance drop it as well"));
  }

  /** Says so where a list that guards the wrong way keeps a packet. */
  private boolean isAstray(Conversation sample, boolean kept) {
    Diagnosis why = kept ? check.diagnosed(sample) : null;
    return why != null
        && !why.obstacles().isEmpty()
        && Rehearsals.isAstray(check, why.obstacles().get(0), sample);
  }

  private Spread spread(Network source) {
    Spread spread = new Spread(check, /* beyond= */ true);
    spread.from(source, check.space.sources(AddressSet.ofPrefixes(source.prefixes())));
    return spread;
  }

  /** Whether an error was found already at something that the conversation meets. */
  private boolean isSaid(Obstacle obstacle, Conversation conversation) {
    Placed at = obstacle.place();
    if ((at != null && check.isWrong(at)) || check.endsAlike(conversation)) {
      return true;
    }
    Trace trace = Objects.requireNonNull(conversation.deciding());
    for (Leg leg : trace.legs()) {
      Host host = check.site.hosts().get(leg.where());
      Device device = check.site.devices().get(leg.where());
      boolean said =
          isWrong(host)
              || isWrong(device)
              || isWrong(leg.arriving())
              || isWrong(leg.leaving())
              || leg.decisions().stream().anyMatch(decision -> isWrong(decision.by()));
      if (said) {
        return true;
      }
    }
    return false;
  }

  private boolean isWrong(@Nullable Placed thing) {
    return thing != null && check.isWrong(thing);
  }

  private static boolean passes(Device device, Conversation conversation) {
    return conversation.opening() != null
        && conversation.opening().request().stream()
            .anyMatch(leg -> leg.where().equals(device.name()));
  }

  private @Nullable Device where(Conversation conversation) {
    List<Leg> legs = Objects.requireNonNull(conversation.opening()).request();
    return check.site.devices().get(legs.get(legs.size() - 1).where());
  }
}
