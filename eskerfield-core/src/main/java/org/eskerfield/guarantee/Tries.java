// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Objects;
import java.util.concurrent.atomic.AtomicReference;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.EveryHop;
import org.eskerfield.walk.EveryPacket;
import org.jspecify.annotations.Nullable;

/**
 * Looks for a packet that breaks a guarantee, among those of which sets say that they may: each is
 * sent, by the machines that trace, after the traffic that it takes.
 */
final class Tries {
  /** How many kinds of packets are tried at one interface. */
  private static final int MOST_KINDS = 1_000;

  /** How many more once one was found, to tell which packets do so as well. */
  private static final int MOST_SHOWN = 200;

  /** How many packets are tried after other traffic. */
  private static final int MOST = 24;

  /** How many others may take addresses of a pool before. */
  private static final int MOST_BEFORE = 16;

  private static final int MOST_OWNERS = 4;

  /**
   * A packet against a guarantee.
   *
   * @param by where it comes in
   * @param sent the packet as it was sent
   * @param before what went before
   * @param trace what became of it
   */
  record Found(Ways.Entry by, PacketSet.Member sent, List<Trace> before, Trace trace) {}

  private final Proving on;
  private final PacketSpace space;
  private final Meant meant;

  private final Test test;
  private final boolean back;
  private final IdentityHashMap<Network, List<PacketSet>> choices = new IdentityHashMap<>();
  private PacketSet broken;
  private boolean whole = true;

  /** Tells whether a packet that went its way is against the guarantee. */
  interface Test {
    boolean breaks(Ways.Entry by, PacketSet.Member sent, Trace trace);
  }

  /** Looks for packets that come to somebody to whom they must not come. */
  Tries(Proving on, Meant meant) {
    this.on = on;
    this.space = on.space;
    this.meant = meant;
    this.test = this::arrives;
    this.back = false;
    this.broken = space.none();
  }

  /**
   * Looks for packets that are against the guarantee in some other way.
   *
   * @param back whether it hangs on the answer
   */
  Tries(Proving on, Meant meant, boolean back, Test test) {
    this.on = on;
    this.space = on.space;
    this.meant = meant;
    this.test = test;
    this.back = back;
    this.broken = space.none();
  }

  /**
   * Looks among the packets that come in by an interface.
   *
   * @param plain those that may break it without others' live bindings
   * @param all those that may break it with them, too
   */
  @Nullable Found find(Ways.Entry by, PacketSet plain, PacketSet all) {
    Found found = alone(by, plain);
    found = found == null ? search(by, plain, this::afterOthers) : found;
    PacketSet rest = all.minus(plain);
    return found == null ? search(by, rest, this::toBinding) : found;
  }

  /** Whether a packet that went its way is against the guarantee. */
  boolean breaks(Ways.Entry by, PacketSet.Member sent, Trace trace) {
    return test.breaks(by, sent, trace);
  }

  /** A way to try a packet. */
  private interface Way {
    @Nullable Found with(Ways.Entry by, PacketSet.Member sent);
  }

  /** Tries one packet of each kind, those of senders with a name first. */
  private @Nullable Found search(Ways.Entry by, PacketSet among, Way way) {
    if (among.isEmpty()) {
      return null;
    }
    PacketSet rest = among;
    for (int i = 0; i < MOST && !rest.isEmpty(); i++) {
      PacketSet.Member sent = Objects.requireNonNull(choice(by.own().network(), rest).sample());
      Found found = way.with(by, sent);
      if (found != null) {
        return found;
      }
      rest = rest.minus(similar(sent, i));
    }
    return null;
  }

  /** Packets that would fare as this one did, as a rule; less and less alike. */
  private PacketSet similar(PacketSet.Member sent, int round) {
    PacketSet only = space.only(sent).without(Dimension.ARRIVING).without(Dimension.SOURCE_PORT);
    if (round % 3 == 1) {
      return only.without(Dimension.DESTINATION_PORT).without(Dimension.TCP_FLAGS);
    }
    return round % 3 == 2
        ? only.without(Dimension.SOURCE).without(Dimension.SOURCE_HIGH)
        : only.without(Dimension.TCP_FLAGS).without(Dimension.ICMP_CODE);
  }

  /** Packets as people send them: those that open, from somebody whom the file names. */
  PacketSet choice(Network network, PacketSet among) {
    for (PacketSet choice : choices.computeIfAbsent(network, this::choices)) {
      PacketSet some = among.intersection(choice);
      if (!some.isEmpty()) {
        PacketSet carried = network.isOutside() ? some.intersection(on.onTheInternet) : some;
        return usual(carried.isEmpty() ? some : carried);
      }
    }
    return among;
  }

  /** Sets of packets of which one is sent rather than any other, the best first. */
  private List<PacketSet> choices(Network network) {
    AddressSet own = meant.own(network);
    PacketSet opening = on.opening();
    PacketSet unusual = opening.union(space.flags(Kinds.OPENING));
    return List.of(
        space.sources(on.described(network).intersection(own)).intersection(opening),
        space.sources(own).intersection(opening),
        space.sources(on.described()).intersection(opening),
        opening,
        space.sources(own).intersection(unusual),
        unusual);
  }

  /** Those from a port that somebody's system would choose; all if none is. */
  private PacketSet usual(PacketSet some) {
    PacketSet chosen = some.intersection(on.usualPort);
    return chosen.isEmpty() ? some : chosen;
  }

  // Alone.

  /** Tries one packet of each kind, until none is left: those of a kind go the same way. */
  private @Nullable Found alone(Ways.Entry by, PacketSet among) {
    AtomicReference<@Nullable Found> found = new AtomicReference<>();
    int[] shown = {0};
    boolean all =
        new Kinds(on, by, back)
            .of(
                among,
                rest -> choice(by.own().network(), rest),
                MOST_KINDS,
                kind -> {
                  boolean breaks = test.breaks(by, kind.sent(), kind.trace());
                  if (breaks) {
                    broken = broken.union(kind.packets());
                  }
                  if (breaks && found.get() == null) {
                    Trace trace = put(run(kind.sent()), by, kind.sent().packet().copy());
                    found.set(new Found(by, kind.sent(), List.of(), trace));
                  }
                  return found.get() == null || ++shown[0] < MOST_SHOWN;
                });
    whole &= found.get() == null || all;
    return found.get();
  }

  /** Hears of the kinds of packets that come to somebody who is meant. */
  interface Listener {
    void hears(Ways.Entry by, Kinds.Kind kind);
  }

  /**
   * Tells all kinds of packets that come to somebody who is meant, while nothing else goes on.
   *
   * @param among which packets count, as they are sent
   * @param most how many kinds are sent at each interface
   * @return whether these are all
   */
  boolean arriving(PacketSet among, int most, Listener listener) {
    boolean complete = true;
    for (Ways.Entry each : on.ways().entries()) {
      PacketSet possible = meant.breaking(each, false).intersection(among);
      complete &=
          new Kinds(on, each, back)
              .of(
                  possible,
                  rest -> choice(each.own().network(), rest),
                  most,
                  kind -> {
                    if (test.breaks(each, kind.sent(), kind.trace())) {
                      listener.hears(each, kind);
                    }
                    return true;
                  });
    }
    return complete;
  }

  /** The packets of which it was found that they break it while nothing else goes on. */
  PacketSet broken() {
    return broken;
  }

  /** Whether these are all. */
  boolean isWhole() {
    return whole;
  }

  private Run run(PacketSet.Member sent) {
    Run run = on.tracer.run(sent.at());
    run.carryAll();
    return run;
  }

  /** Puts a packet in where its sender would send it; else by the interface itself. */
  private Trace put(Run run, Ways.Entry by, Packet packet) {
    return run.arrive(by.device(), by.own(), packet);
  }

  /** Whether a packet came to somebody to whom it must not come. */
  private boolean arrives(Ways.Entry by, PacketSet.Member sent, Trace trace) {
    EveryHop.Landing who = receiver(trace);
    if (who == null || !isOnTheWay(trace)) {
      return false;
    }
    List<Leg> legs = trace.request();
    Header got = Leg.last(legs).after();
    return meant.counts(
        by.own().network(), sent, who, new PacketSet.Member(Packet.of(got), 0, 0, sent.at()));
  }

  /** Whether it went the way that the guarantee speaks of. */
  private boolean isOnTheWay(Trace trace) {
    String through = meant.guarantee.through();
    boolean passed =
        trace.request().stream()
            .anyMatch(leg -> leg.kind() == Leg.Kind.DEVICE && leg.where().equals(through));
    return switch (meant.guarantee.kind()) {
      case PASSES -> !passed;
      case LOGGED ->
          trace.request().stream()
              .noneMatch(leg -> leg.decisions().stream().anyMatch(Decision::logged));
      default -> through == null || passed;
    };
  }

  /** Who got a packet; null where nobody did. */
  private EveryHop.@Nullable Landing receiver(Trace trace) {
    List<Leg> legs = trace.request();
    Leg last = legs.get(legs.size() - 1);
    Ruling ruling = Leg.last(legs).ruling();
    boolean got =
        switch (ruling) {
          case HOST_ANSWERS, HOST_REFUSES, HOST_SILENT, RESET_RECEIVED, TAKEN_TO_ANSWER ->
              last.kind() == Leg.Kind.HOST;
          case DEVICE_ANSWERS, DEVICE_RECEIVES -> last.kind() == Leg.Kind.DEVICE;
          default -> false;
        };
    if (!got) {
      return null;
    }
    Device device = on.site.devices().get(last.where());
    Host host = device == null ? on.site.hosts().get(last.where()) : null;
    return new EveryHop.Landing(device, null, host, space.all());
  }

  // After other traffic.

  /** A packet of an open connection, after the one that opened it; or after others took a pool. */
  private @Nullable Found afterOthers(Ways.Entry by, PacketSet.Member sent) {
    Packet packet = sent.packet();
    if (packet.protocol == Protocol.TCP && packet.tcpFlags != Packet.SYN) {
      Run run = run(sent);
      Packet opening = packet.copy();
      opening.tcpFlags = Packet.SYN;
      Trace first = put(run, by, opening);
      Trace trace = put(run, by, packet.copy());
      if (test.breaks(by, sent, trace)) {
        return new Found(by, sent, List.of(first), trace);
      }
    }
    List<Address> others = others(by.own().network(), packet.source());
    for (int before = 1; before <= others.size(); before++) {
      Run run = run(sent);
      List<Trace> gone = new ArrayList<>();
      for (Address other : others.subList(0, before)) {
        Packet earlier = packet.copy();
        earlier.rewriteSource(other, packet.sourcePort);
        gone.add(put(run, by, earlier));
      }
      Trace trace = put(run, by, packet.copy());
      if (test.breaks(by, sent, trace)) {
        return new Found(by, sent, gone, trace);
      }
    }
    return null;
  }

  private List<Address> others(Network network, Address but) {
    List<Address> all = new ArrayList<>();
    AddressSet rest = meant.own(network).intersection(AddressSet.of(but).complement());
    Address next = rest.lowest(but.family());
    while (next != null && all.size() < MOST_BEFORE) {
      all.add(next);
      next = next.next();
      next = next != null && rest.contains(next) ? next : null;
    }
    return all;
  }

  /** A packet to the external endpoint of somebody who sent something before. */
  private @Nullable Found toBinding(Ways.Entry by, PacketSet.Member sent) {
    EveryPacket device = on.ways().device(by.device().name());
    PacketSet one = space.only(sent).without(Dimension.ARRIVING);
    for (EveryPacket.Passage passage : device.passages(by.own())) {
      if (passage.binding() == null || !passage.arrived().meets(one)) {
        continue;
      }
      PacketSet led =
          one.image(passage.destination())
              .intersection(passage.inside())
              .without(Dimension.ARRIVING);
      led = meant.likely(led);
      for (int i = 0; i < MOST_OWNERS && !led.isEmpty(); i++) {
        PacketSet.Member inside = Objects.requireNonNull(led.sample());
        Found found = afterOwner(by, sent, passage, inside.packet());
        if (found != null) {
          return found;
        }
        led = led.minus(space.destinations(AddressSet.of(inside.packet().destination())));
      }
    }
    return null;
  }

  /** Sends what makes the binding of an owner first, to the sender, and then the packet to it. */
  private @Nullable Found afterOwner(
      Ways.Entry by, PacketSet.Member sent, EveryPacket.Passage passage, Packet led) {
    EveryPacket device = on.ways().device(by.device().name());
    PacketSet from =
        space.sources(AddressSet.of(led.destination())).intersection(space.protocol(led.protocol));
    if (Protocol.hasPorts(led.protocol)) {
      from =
          from.intersection(
              space.where(Dimension.SOURCE_PORT, led.destinationPort, led.destinationPort));
    }
    PacketSet answering = space.where(Dimension.DESTINATION_PORT, led.sourcePort, led.sourcePort);
    for (Interface own : by.device().interfaces()) {
      for (EveryPacket.Passage made : device.passages(own)) {
        if (made.madeFor() == null
            || made.sourceRule() == null
            || !made.sourceRule().equals(passage.binding())) {
          continue;
        }
        PacketSet possible = made.arrived().intersection(from).without(Dimension.ARRIVING);
        PacketSet toSender =
            possible.intersection(space.destinations(AddressSet.of(sent.packet().source())));
        possible = toSender.isEmpty() ? possible : toSender;
        // To another port than the one that the sender uses: else it would be the owner's session.
        PacketSet.Member owner = usual(possible.minus(answering)).sample();
        Found found =
            owner == null
                ? null
                : after(by, sent, new Ways.Entry(by.device(), own), owner.packet());
        if (found != null) {
          return found;
        }
      }
    }
    return null;
  }

  private @Nullable Found after(
      Ways.Entry by, PacketSet.Member sent, Ways.Entry inside, Packet owner) {
    Run run = run(sent);
    Packet opening = owner.copy();
    if (opening.protocol == Protocol.TCP) {
      opening.tcpFlags = Packet.SYN;
    }
    Trace first = put(run, inside, opening);
    Header left = null;
    for (Leg leg : first.request()) {
      if (leg.kind() == Leg.Kind.DEVICE && leg.where().equals(by.device().name())) {
        left =
            leg.leaving() == null ? null : leg.decisions().get(leg.decisions().size() - 1).after();
      }
    }
    if (left == null) {
      return null;
    }
    Packet packet = sent.packet().copy();
    packet.rewriteDestination(
        left.source(), Protocol.hasPorts(packet.protocol) ? left.sourcePort() : 0);
    PacketSet.Member aimed = new PacketSet.Member(packet.copy(), 0, 0, sent.at());
    Trace trace = put(run, by, packet);
    boolean asked =
        trace.request().stream()
            .flatMap(leg -> leg.decisions().stream())
            .anyMatch(each -> each.ruling() == Ruling.SESSION_KNOWN);
    return !asked && test.breaks(by, aimed, trace)
        ? new Found(by, aimed, List.of(first), trace)
        : null;
  }
}
