// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.reach.Fates;
import org.eskerfield.reach.Fates.Fate;
import org.eskerfield.reach.Origin;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * Guarantees by which every sender must be answered.
 *
 * <p>Idea: of the packets that may come to a receiver, one of each kind is traced there and back
 * ({@link Fates}). Every sender must have one that is answered, by whatever address he speaks to
 * the receiver; whoever has none breaks the guarantee.
 */
final class Assurance {
  private static final int MOST_KINDS = 4_000;
  private static final int MOST_PORTS = 64;
  private static final int LEAST_SOURCE_PORT = 1024;

  /** Who must be reached: a host, a device, or everybody outside where both are null. */
  private record Receiver(@Nullable Host host, @Nullable Device device, AddressSet addresses) {
    String name() {
      return host != null ? host.name() : device != null ? device.name() : "the internet";
    }
  }

  /** A sender that fails. */
  private record Failure(Trace trace, long senders) {}

  private final Proving on;
  private final PacketSpace space;
  private final Guarantee guarantee;
  private final Meant meant;
  private final Fates fates;
  private final AddressSet sources;
  private int kinds;

  /** What let through the packets that were answered. */
  private final Set<Evidence.Line> letting = new LinkedHashSet<>();

  /** Who sends by each rule that lends whole addresses. */
  private final Map<TranslationRule, PacketSet> borrowers = new LinkedHashMap<>();

  Assurance(Proving on, Guarantee guarantee) {
    this.on = on;
    this.space = on.space;
    this.guarantee = guarantee;
    this.meant = new Meant(on, guarantee);
    this.fates = on.fates();
    this.sources = on.site.matched(guarantee.sources());
  }

  Proof prove() {
    List<Origin> origins = origins();
    List<Receiver> receivers = receivers();
    List<ServicePart> services = services();
    if (origins.isEmpty() || receivers.isEmpty()) {
      String who = origins.isEmpty() ? "'from'" : "'to' that listens for " + what();
      return proof(Proof.Status.HOLDS_FOR_NOTHING, "nobody is meant by " + who, null);
    }
    if (services.size() > MOST_PORTS) {
      return proof(
          Proof.Status.UNDETERMINED,
          what() + " has more than " + MOST_PORTS + " ports; name those that are used",
          null);
    }
    for (Origin origin : origins) {
      for (Receiver receiver : receivers) {
        for (ServicePart service : services) {
          Failure failure = failure(origin, receiver, service);
          if (failure != null) {
            return broken(failure, receiver);
          }
        }
      }
    }
    Proof dry = dryPool();
    return dry != null
        ? dry
        : proof(
            Proof.Status.HOLDS,
            "every sender was followed there and back: "
                + (kinds == 1 ? "one kind of packet" : kinds + " kinds of packets"),
            null);
  }

  /** What lets every sender through, once it is proved that something does. */
  Evidence letting() {
    return new Evidence(List.copyOf(letting), true);
  }

  private String what() {
    return String.join(", ", guarantee.services().stream().map(ServiceTerm::text).toList());
  }

  private Proof proof(Proof.Status status, String reason, Proof.@Nullable Example example) {
    return new Proof(guarantee, status, reason, example, List.of(), Assumptions.OF_ALL);
  }

  private Proof broken(Failure failure, Receiver receiver) {
    Trace trace = failure.trace;
    List<Leg> legs = trace.request();
    String packet = BrokenWords.packet(on.site, legs.get(0).decisions().get(0).before());
    Endpoint to = trace.deliveredTo();
    String why =
        trace.outcome() == Outcome.ANSWERED && to != null && !isRight(trace, receiver)
            ? " is answered by " + to.name() + ", not by " + receiver.name()
            : trace.outcome() == Outcome.ANSWERED
                ? " is answered, but seen as " + seen(trace)
                : " is " + trace.outcome() + ": " + trace.reason();
    return proof(
        Proof.Status.BROKEN, packet + why, new Proof.Example(List.of(), trace, failure.senders));
  }

  private static String seen(Trace trace) {
    Endpoint seen = trace.seenAs();
    return seen == null ? "nobody" : seen.address().toString();
  }

  // Who, to whom, what.

  private List<Origin> origins() {
    List<Origin> all = new ArrayList<>();
    for (Ends.Senders each : meant.senders) {
      Network network = each.network();
      AddressSet plain = each.own();
      for (Host host : on.site.hosts().values()) {
        boolean here = network == null ? host.isOutside() : host.isOn(network);
        AddressSet own = AddressSet.ofAddresses(host.addresses()).intersection(each.own());
        if (here && !own.isEmpty() && SiteProgram.isPeculiar(host)) {
          plain = plain.intersection(own.complement());
          if (!host.off()) {
            all.add(new Origin(network == null ? null : network.name(), host.name(), null, own));
          }
        }
      }
      if (!plain.isEmpty()) {
        all.add(Origin.on(network == null ? null : network.name(), plain));
      }
    }
    for (AddressTerm term : guarantee.from()) {
      Device device = on.site.devices().get(term.text());
      if (term.kind() == AddressTerm.Kind.DEVICE && device != null) {
        all.add(Origin.of(device, AddressSet.ofAddresses(device.addresses())));
      }
    }
    return all;
  }

  private List<Receiver> receivers() {
    List<Receiver> all = new ArrayList<>();
    List<String> named = named(AddressTerm.Kind.HOST);
    meant
        .receivers
        .hosts()
        .forEach(
            (name, addresses) -> {
              Host host = Objects.requireNonNull(on.site.hosts().get(name));
              if (named.contains(name) || (!host.off() && listens(host))) {
                all.add(new Receiver(host, null, addresses));
              }
            });
    List<String> devices = named(AddressTerm.Kind.DEVICE);
    meant
        .receivers
        .devices()
        .forEach(
            (name, addresses) -> {
              if (devices.contains(name)) {
                Device device = Objects.requireNonNull(on.site.devices().get(name));
                all.add(new Receiver(null, device, addresses));
              }
            });
    AddressSet outside =
        meant
            .receivers
            .outside()
            .intersection(Outside.beyondLinks(on.site))
            .intersection(on.described().complement())
            .union(meant.receivers.asSent());
    if (!outside.isEmpty()) {
      all.add(new Receiver(null, null, outside));
    }
    return all;
  }

  private List<String> named(AddressTerm.Kind kind) {
    return guarantee.to().stream()
        .filter(term -> term.kind() == kind)
        .map(AddressTerm::text)
        .toList();
  }

  private boolean listens(Host host) {
    for (ServiceTerm term : guarantee.services()) {
      for (ServicePart part : term.service().parts()) {
        boolean ping = Icmp.isEchoRequest(part.icmpType());
        if (ping
            ? host.answersPing()
            : host.listensFor(
                part.protocol(), part.ports().first(), part.icmpType(), part.icmpCode())) {
          return true;
        }
      }
    }
    return false;
  }

  /** Each port on its own. */
  private List<ServicePart> services() {
    List<ServicePart> all = new ArrayList<>();
    for (ServiceTerm term : guarantee.services()) {
      for (ServicePart part : term.service().parts()) {
        if (!Protocol.hasPorts(part.protocol())) {
          all.add(part);
          continue;
        }
        BitSet ports = new BitSet();
        part.ports().addTo(ports);
        for (int port = ports.nextSetBit(0);
            port >= 0 && all.size() <= MOST_PORTS;
            port = ports.nextSetBit(port + 1)) {
          all.add(new ServicePart(part.protocol(), PortSet.of(port), part.icmpType()));
        }
      }
    }
    return all;
  }

  // Every sender.

  /** A sender that does not get an answer; null where each does. */
  private @Nullable Failure failure(Origin origin, Receiver receiver, ServicePart service) {
    PacketSet asked = space.service(service).intersection(on.askable());
    PacketSet sent =
        on.askable()
            .intersection(space.protocol(service.protocol()))
            .intersection(space.sources(origin.sources()))
            .intersection(space.during(guarantee.when()));
    for (Guarantee.Exempt each : guarantee.except()) {
      AddressSet from = on.site.matched(each.from());
      sent = sent.minus(space.sources(from).intersection(space.during(each.when())));
    }
    if (Protocol.hasPorts(service.protocol())) {
      sent =
          sent.intersection(space.where(Dimension.SOURCE_PORT, LEAST_SOURCE_PORT, PortSet.HIGHEST));
    }
    boolean everybody = receiver.host == null && receiver.device == null;
    PacketSet possible =
        everybody
            ? asked.intersection(space.destinations(receiver.addresses))
            : possible(origin, receiver, service);
    PacketSet good = good(origin, receiver, service, sent.intersection(possible));
    PacketSet missing;
    if (everybody) {
      missing = sent.intersection(possible).minus(good);
    } else {
      PacketSet heard =
          good.without(Dimension.DESTINATION)
              .without(Dimension.DESTINATION_HIGH)
              .without(Dimension.DESTINATION_PORT);
      missing = sent.intersection(families(receiver)).minus(heard);
    }
    if (missing.isEmpty()) {
      return null;
    }
    return new Failure(trace(origin, receiver, service, missing, possible), on.sources(missing));
  }

  private PacketSet families(Receiver receiver) {
    PacketSet all = space.none();
    for (Family family : Family.values()) {
      all = receiver.addresses.lowest(family) == null ? all : all.union(space.of(family));
    }
    return all;
  }

  /** The packets that may come to a receiver from where somebody is. */
  private PacketSet possible(Origin origin, Receiver receiver, ServicePart service) {
    PacketSet counts = space.service(service).intersection(space.destinations(receiver.addresses));
    Map<Ways.Entry, PacketSet> reach =
        on.ways()
            .to(
                landing -> {
                  boolean here =
                      landing.own() == null
                          && (receiver.host != null
                              ? landing.host() != null
                                  && landing.host().name().equals(receiver.name())
                              : landing.device() != null
                                  && landing.device().name().equals(receiver.name()));
                  return here ? counts : space.none();
                });
    PacketSet all = counts; // on one network, and from devices, without any other device between
    for (Map.Entry<Ways.Entry, PacketSet> each : reach.entrySet()) {
      Network network = each.getKey().own().network();
      boolean begins =
          origin.device() != null
              || (isOutside(origin)
                  ? network.isOutside()
                  : network.name().equals(origin.network()));
      all = begins ? all.union(each.getValue()) : all;
    }
    return all;
  }

  private boolean isOutside(Origin origin) {
    Network network = on.site.networks().get(String.valueOf(origin.network()));
    return network == null || network.isOutside();
  }

  /** Those of some packets that are answered as they must be. */
  private PacketSet good(
      Origin origin, Receiver receiver, ServicePart service, PacketSet possible) {
    PacketSet good = space.none();
    PacketSet rest = possible;
    while (!rest.isEmpty()) {
      if (kinds++ >= MOST_KINDS) {
        throw new TooManyKinds();
      }
      PacketSet.Member sample = Objects.requireNonNull(rest.sample());
      Fate fate = fates.of(origin, sample);
      PacketSet cell =
          rest.intersection(fate.like())
              .union(rest.intersection(space.only(sample).without(Dimension.ARRIVING)));
      rest = rest.minus(cell);
      if (isGood(fate, receiver, service)) {
        PacketSet fine = seenRightly(fate, cell);
        good = good.union(fine);
        note(fate.trace(), fine);
        BrokenWords.deciding(fate.trace().request()).forEach(each -> letting.add(each.line()));
      }
    }
    return good;
  }

  private boolean isGood(Fate fate, Receiver receiver, ServicePart service) {
    Trace trace = fate.trace();
    Endpoint to = trace.deliveredTo();
    if (trace.outcome() != Outcome.ANSWERED || to == null || !isRight(trace, receiver)) {
      return false;
    }
    boolean port = !Protocol.hasPorts(to.protocol()) || service.ports().contains(to.port());
    boolean asSent = receiver.host == null && receiver.device == null;
    if ((!port && !asSent) || !passes(trace)) {
      return false;
    }
    Question asked = trace.question();
    Attempt attempt = Attempt.at(asked.sender(), asked.to(), asked.probe(), asked.at());
    Conversation whole = on.tracer.converse(attempt);
    return asked.sender() instanceof Device || whole.outcome() == Outcome.ANSWERED;
  }

  private boolean isRight(Trace trace, Receiver receiver) {
    Endpoint to = trace.deliveredTo();
    return to != null
        && ((receiver.host == null && receiver.device == null)
            || receiver.name().equals(to.name()));
  }

  private boolean passes(Trace trace) {
    String through = guarantee.through();
    return through == null
        || trace.request().stream()
            .anyMatch(leg -> leg.kind() == Leg.Kind.DEVICE && leg.where().equals(through));
  }

  /** Those of a kind that the receiver sees as it must. */
  private PacketSet seenRightly(Fate fate, PacketSet cell) {
    if (guarantee.sources().isEmpty()) {
      return cell;
    }
    PacketSet allowed = space.sources(sources);
    PacketSet seen = fate.seen();
    if (seen != null) {
      return allowed.covers(seen) ? cell : space.none();
    }
    return cell.intersection(fate.sentAs(allowed));
  }

  /** A packet of a sender who fails. */
  private Trace trace(
      Origin origin,
      Receiver receiver,
      ServicePart service,
      PacketSet missing,
      PacketSet possible) {
    PacketSet whenever = possible.without(Dimension.TIME);
    PacketSet whoever = whenever.without(Dimension.SOURCE).without(Dimension.SOURCE_HIGH);
    PacketSet elsewhere = space.destinations(receiver.addresses).complement();
    for (PacketSet to :
        List.of(elsewhere, space.all())) { // by an external address, if there is one
      for (PacketSet speaking : List.of(possible, whenever, whoever)) {
        PacketSet likely = missing.intersection(speaking).intersection(to);
        if (!likely.isEmpty()) {
          return fates.of(origin, Objects.requireNonNull(named(likely).sample())).trace();
        }
      }
    }
    PacketSet.Member sample = Objects.requireNonNull(named(missing).sample());
    Family family = sample.packet().family;
    Address to = Objects.requireNonNull(receiver.addresses.lowest(family));
    Packet packet = sample.packet().copy();
    packet.rewriteDestination(
        to, Protocol.hasPorts(service.protocol()) ? service.ports().first() : 0);
    return fates.of(origin, new PacketSet.Member(packet, 0, 0, sample.at())).trace();
  }

  /** Those of some packets whose senders have a name; all if none has. */
  private PacketSet named(PacketSet packets) {
    PacketSet some = packets.intersection(space.sources(on.described()));
    return some.isEmpty() ? packets : some;
  }

  // Pools that lend.

  private void note(Trace trace, PacketSet cell) {
    for (Leg leg : trace.request()) {
      for (Decision decision : leg.decisions()) {
        Placed by = decision.by();
        if (decision.ruling() == Ruling.SOURCE_TRANSLATED
            && by instanceof TranslationRule rule
            && rule.lends()) {
          borrowers.merge(rule, cell, PacketSet::union);
        }
      }
    }
  }

  /** A pool that has fewer addresses than there are senders; null where each is large enough. */
  private @Nullable Proof dryPool() {
    for (Map.Entry<TranslationRule, PacketSet> each : borrowers.entrySet()) {
      PacketSet rest = each.getValue();
      PacketSet.Member first = rest.sample();
      if (first == null) {
        continue;
      }
      Run run = on.tracer.run(first.at());
      List<Trace> before = new ArrayList<>();
      while (!rest.isEmpty() && before.size() <= MOST_KINDS) {
        PacketSet.Member sample = Objects.requireNonNull(named(rest).sample());
        Address source = sample.packet().source();
        rest = rest.minus(space.sources(AddressSet.of(source)));
        Trace trace = run.open(Question.of(on.site, sample.packet(), sample.at()));
        if (trace.outcome() == Outcome.EXHAUSTED) {
          return proof(
              Proof.Status.BROKEN,
              "pool of '"
                  + each.getKey().name()
                  + "' (line "
                  + each.getKey().place().line()
                  + ") is used up by "
                  + before.size()
                  + " senders; the next one, "
                  + BrokenWords.packet(on.site, trace.request().get(0).decisions().get(0).before())
                  + ", gets no address",
              new Proof.Example(before, trace, 1));
        }
        before.add(trace);
      }
      if (!rest.isEmpty()) {
        throw new TooManyKinds(); // more senders than are tried
      }
    }
    return null;
  }

  /** Says that there are too many kinds of packets. */
  static final class TooManyKinds extends RuntimeException {
    private static final long serialVersionUID = 1;

    TooManyKinds() {
      super("more than " + MOST_KINDS + " kinds of packets or senders", null, false, false);
    }
  }
}
