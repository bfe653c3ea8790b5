package org.eskerfield.compare;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.engine.CompiledList;
import org.eskerfield.engine.EveryPacket;
import org.eskerfield.engine.Likeness;
import org.eskerfield.engine.Meaning;
import org.eskerfield.engine.Ruling;
import org.eskerfield.engine.Step;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * The fates of first packets on a site: what becomes of a packet of a flow that nobody knows yet,
 * and of which others the same.
 *
 * <p>Idea: a packet is traced by the machines, there and back. Then its way is gone once more with
 * all packets: at each place where something was asked of it, those are kept that give the same
 * answer, led back through what was rewritten until there. What is left holds the packet and shares
 * its fate. The outcome is always that of the machines; sets only say how far it carries.
 */
final class Fates {
  /** How many boxes of a set of replies are turned round to find what they answer. */
  private static final int MOST_BOXES = 20_000;

  /** Protocols that are asked about in a way of their own. */
  private static final int[] TOLD_APART = {
    Protocol.TCP, Protocol.UDP, Protocol.ICMP, Protocol.ICMPV6
  };

  /**
   * A fate.
   *
   * @param trace the packet that was traced
   * @param like the packets, as they are sent, that share it
   * @param rules what decided on the way of the request, with the device
   * @param seen the addresses of which the receiver sees one, whatever the sender has; null where
   *     it is told by the sender's own
   * @param to the one address that it goes to, whatever was asked for; null where it is told by
   *     that
   * @param toPort the same for its port
   * @param chain how it is rewritten on its way
   */
  record Fate(
      Trace trace,
      PacketSet like,
      List<String> rules,
      @Nullable PacketSet seen,
      @Nullable PacketSet to,
      @Nullable PacketSet toPort,
      List<Rewrite> chain) {
    /** The packets, as they are sent, of which one of a set arrives. */
    PacketSet sentAs(PacketSet arriving) {
      PacketSet sent = arriving;
      for (int i = chain.size() - 1; i >= 0; i--) {
        sent = sent.preImage(chain.get(i));
      }
      return sent;
    }
  }

  private final Site site;
  private final Tracer tracer;
  private final PacketSpace space;
  private final Map<String, EveryPacket> sets;
  private final Map<PacketSet, PacketSet> turned = new HashMap<>();
  private final Map<AddressSet, PacketSet> destinations = new HashMap<>();

  Fates(Site site, PacketSpace space, int base) {
    this.site = site;
    this.tracer = Tracer.of(site);
    this.space = space;
    this.sets = EveryPacket.of(site, space, base);
  }

  /** The fate of a packet. */
  Fate of(Origin origin, PacketSet.Member member) {
    Packet packet = member.packet();
    boolean echo = Icmp.isEchoRequest(packet.icmpType);
    Address source = packet.source();
    Question question =
        new Question(
            origin.sender(site, source),
            source,
            packet.destination(),
            echo ? Probe.ping(packet.family) : Probe.of(packet.protocol, packet.destinationPort),
            packet.sourcePort,
            member.at());
    return new Walk(tracer.trace(question)).fate();
  }

  /** The sets of a device. */
  EveryPacket sets(Device device) {
    return Objects.requireNonNull(sets.get(device.name()), device.name());
  }

  /** What decided on the way of a request. */
  static List<String> rules(Trace trace) {
    List<String> rules = new ArrayList<>();
    for (Leg leg : trace.request()) {
      for (Decision decision : leg.decisions()) {
        Placed by = decision.by();
        Step step = decision.ruling().step();
        boolean decides =
            step == Step.DESTINATION
                || step == Step.DEVICE
                || step == Step.ACCESS
                || step == Step.SOURCE
                || decision.ruling() == Ruling.HOST_ACCEPTED_BY_RULE
                || decision.ruling() == Ruling.HOST_FILTERED
                || decision.ruling() == Ruling.HOST_REJECTED;
        if (by != null && decides && !(by instanceof Interface)) {
          rules.add(leg.where() + ": " + Labels.of(by));
        }
      }
    }
    return rules;
  }

  private PacketSet to(AddressSet addresses) {
    return destinations.computeIfAbsent(addresses, space::destinations);
  }

  private PacketSet to(List<Prefix> prefixes) {
    return to(AddressSet.ofPrefixes(prefixes));
  }

  /**
   * A device on the way of the request.
   *
   * @param arrived the request as it came
   * @param depth how many times it was rewritten before
   */
  private record Pass(String device, Header arrived, int depth) {
    /** Whether a packet that leaves the device answers the request as it came. */
    boolean isAnsweredBy(Header left) {
      boolean notice = left.inner() != null;
      return left.destination().equals(arrived.source())
          && (notice || left.destinationPort() == arrived.sourcePort())
          && (notice || left.source().equals(arrived.destination()));
    }
  }

  /** Goes the way of a trace again. */
  private final class Walk {
    private final Trace trace;
    private PacketSet like = space.all();
    private Header now;

    /** How the request was rewritten so far, and how much of that holds of the packet in hand. */
    private final List<Rewrite> chain = new ArrayList<>();

    private int depth;
    private final List<Pass> passes = new ArrayList<>();

    /** How the reply was rewritten by devices that do not know it. */
    private final List<Rewrite> turnedChain = new ArrayList<>();

    private boolean isReply;
    private boolean isNotice;

    Walk(Trace trace) {
      this.trace = trace;
      this.now = trace.request().get(0).decisions().get(0).before();
    }

    /** Keeps the packets that give the same answer as the one in hand. */
    private boolean asked(PacketSet question) {
      boolean yes = question.contains(Packet.of(now), 0, 0, trace.question().at());
      keep(yes ? question : question.complement());
      return yes;
    }

    /** Keeps the packets of which one of a set is in hand now. */
    private void keep(PacketSet some) {
      PacketSet sentAs = isReply && isNotice ? ofAnyPacket(some) : some;
      if (isReply) {
        for (int i = turnedChain.size() - 1; i >= 0; i--) {
          sentAs = sentAs.preImage(turnedChain.get(i));
        }
        sentAs = turned.computeIfAbsent(sentAs, set -> space.askedFor(set, MOST_BOXES));
      }
      for (int i = depth - 1; i >= 0; i--) {
        sentAs = sentAs.preImage(chain.get(i));
      }
      like = like.intersection(sentAs);
    }

    /**
     * The packets of which a notice such as the one in hand, between the same ends, is in a set.
     */
    private PacketSet ofAnyPacket(PacketSet notices) {
      return notices
          .intersection(space.protocol(now.protocol()))
          .intersection(space.where(Dimension.ICMP_TYPE, now.icmpType(), now.icmpType()))
          .intersection(space.where(Dimension.SOURCE_PORT, 0, 0))
          .intersection(space.where(Dimension.DESTINATION_PORT, 0, 0))
          .without(Dimension.PROTOCOL)
          .without(Dimension.ICMP_TYPE)
          .without(Dimension.SOURCE_PORT)
          .without(Dimension.DESTINATION_PORT);
    }

    Fate fate() {
      asked(space.of(Family.IPV4));
      for (int protocol : TOLD_APART) {
        asked(space.protocol(protocol));
      }
      go(trace.request());
      PacketSet seen = null;
      PacketSet to = null;
      PacketSet toPort = null;
      for (Rewrite rewrite : chain) {
        seen = last(seen, rewrite, Dimension.SOURCE);
        to = last(to, rewrite, Dimension.DESTINATION);
        toPort = last(toPort, rewrite, Dimension.DESTINATION_PORT);
      }
      if (trace.deliveredTo() != null && !trace.reply().isEmpty()) {
        isReply = true;
        isNotice = trace.reply().get(0).decisions().get(0).before().inner() != null;
        go(trace.reply());
      }
      boolean arrived = trace.deliveredTo() != null;
      return new Fate(
          trace,
          like,
          rules(trace),
          arrived ? seen : null,
          arrived ? to : null,
          arrived ? toPort : null,
          chain);
    }

    private static @Nullable PacketSet last(
        @Nullable PacketSet so, Rewrite rewrite, Dimension dimension) {
      PacketSet values = rewrite.values(dimension);
      return values == null ? so : values;
    }

    private void go(List<Leg> legs) {
      for (int i = 0; i < legs.size(); i++) {
        Leg leg = legs.get(i);
        now = leg.decisions().get(0).before();
        switch (leg.kind()) {
          case HOST -> {
            if (i == 0) {
              send(leg);
            } else if (!isReply) {
              receive(leg);
            }
          }
          case INTERNET -> carry();
          case DEVICE -> pass(leg);
        }
      }
    }

    // Hosts.

    private Host host(String name) {
      Host host = site.hosts().get(name);
      if (host != null) {
        return host;
      }
      if (trace.question().sender() instanceof Host sender && sender.name().equals(name)) {
        return sender;
      }
      Address at = now.source();
      return Host.unnamed(at, site.networkOf(at));
    }

    private void send(Leg leg) {
      Host host = host(leg.where());
      if (host.off()) {
        return;
      }
      if (!isReply && !host.blocked().isEmpty() && asked(space.services(host.blocked()))) {
        return;
      }
      if (host.isOutside()) {
        return;
      }
      host.ownPrefixes().forEach(prefix -> asked(to(List.of(prefix))));
      host.networks().forEach(network -> asked(to(network.prefixes())));
      Network network = host.networkTowards(now.destination());
      if (network != null) {
        hand(network);
      }
    }

    private void receive(Leg leg) {
      Host host = site.hosts().get(leg.where());
      AccessList filter = host == null ? null : host.filter();
      if (host == null || host.off()) {
        return;
      }
      if (filter != null) {
        for (CompiledList.Entry entry : CompiledList.of(site, filter).entries()) {
          if (asked(sets.values().iterator().next().meaning().of(entry.match()))) {
            break;
          }
        }
      }
      if (!host.listens().isEmpty()) {
        asked(space.services(host.listens()));
      }
      for (int type : new int[] {Icmp.ECHO_REQUEST, Icmp.ECHO_REQUEST_V6}) {
        asked(space.where(Dimension.ICMP_TYPE, type, type));
      }
    }

    // Networks and the internet.

    /** Who takes a packet that is handed to its destination on a network? */
    private void hand(Network network) {
      AddressSet devices = AddressSet.NONE;
      AddressSet odd = AddressSet.ofAddresses(network.carrier());
      List<AddressSet> owners = new ArrayList<>();
      for (Device device : site.devices().values()) {
        for (Interface own : device.interfaces()) {
          if (own.network().name().equals(network.name())) {
            owners.add(AddressSet.ofAddresses(own.addresses()));
            devices = devices.union(AddressSet.ofAddresses(own.addresses()));
          }
        }
      }
      for (Host host : site.hosts().values()) {
        if (host.isOn(network)) {
          owners.add(AddressSet.ofAddresses(host.addresses()));
          boolean plain = !Origin.isPeculiar(host);
          odd = plain ? odd : odd.union(AddressSet.ofAddresses(host.addresses()));
        }
      }
      owners.add(AddressSet.ofAddresses(network.carrier()));
      for (Device device : site.devices().values()) {
        for (Interface own : device.interfaces()) {
          if (own.network().name().equals(network.name()) && own.isUp()) {
            AddressSet claimed =
                Objects.requireNonNull(sets.get(device.name())).meaning().answeredOn(network);
            owners.add(claimed);
            odd = odd.union(claimed);
            break;
          }
        }
      }
      boolean home =
          isReply
              && now.destination().equals(trace.question().source())
              && trace.question().sender() instanceof Host sender
              && sender.isOn(network);
      if (home && !odd.contains(now.destination())) {
        // Whoever it is, the sender gets its own reply.
        asked(to(devices.union(odd)));
        asked(to(network.prefixes()));
        return;
      }
      for (AddressSet owner : owners) {
        if (asked(to(owner))) {
          return;
        }
      }
      network.prefixes().forEach(prefix -> asked(to(List.of(prefix))));
    }

    private void carry() {
      if (asked(space.sources(SpecialAddresses.NOT_ON_THE_INTERNET))
          || asked(to(SpecialAddresses.NOT_ON_THE_INTERNET))
          || asked(to(SpecialAddresses.MULTICAST_OR_BROADCAST))) {
        return;
      }
      boolean home =
          isReply
              && now.destination().equals(trace.question().source())
              && trace.question().sender() instanceof Host sender
              && sender.isOutside();
      for (Host host : site.hosts().values()) {
        boolean plain = home && host.isOutside() && !Origin.isPeculiar(host);
        if (!plain && asked(to(AddressSet.ofAddresses(host.addresses()))) && host.isOutside()) {
          return;
        }
      }
      List<Network.Routed> blocks = new ArrayList<>();
      site.networks().values().forEach(link -> blocks.addAll(link.routed()));
      for (Network.Routed block : blocks) {
        if (asked(to(List.of(block.to())))) {
          return;
        }
      }
      for (Network network : site.networks().values()) {
        if (asked(to(network.prefixes()))) {
          if (!network.carrier().isEmpty()) {
            hand(network);
          }
          return;
        }
      }
      for (EveryPacket device : sets.values()) {
        asked(to(device.meaning().namedOutside()));
      }
    }

    // Devices.

    private void pass(Leg leg) {
      Meaning here = Objects.requireNonNull(sets.get(leg.where())).meaning();
      Interface arriving = leg.arriving();
      boolean known = arriving == null;
      for (Decision decision : leg.decisions()) {
        known |=
            decision.ruling() == Ruling.SESSION_KNOWN
                || decision.ruling() == Ruling.ERROR_KNOWN
                || decision.ruling() == Ruling.BINDING_KNOWN
                || decision.ruling() == Ruling.BINDING_KNOWN_INSIDE;
      }
      if (!known && arriving != null) {
        Likeness alike = Likeness.of(here, Packet.of(now), arriving, trace.question().at());
        keep(alike.arrived());
        List<Rewrite> rewritten = isReply ? turnedChain : chain;
        if (!isReply) {
          passes.add(new Pass(leg.where(), now, depth));
        }
        rewritten.add(alike.destination());
        rewritten.add(alike.source());
        depth = isReply ? depth : chain.size();
      } else {
        here.sourceWays().forEach(this::asked);
        Header left = leg.decisions().get(leg.decisions().size() - 1).after();
        Pass pass = isReply ? answered(leg.where(), left) : null;
        if (pass != null) {
          // The device knows the flow: the reply becomes what answers the request as it came here.
          turnedChain.clear();
          depth = pass.depth();
          Header arrived = now;
          now = left;
          here.destinationWays().forEach(this::asked);
          if (here.program().device().seesOriginal()) { // lists see the reply as it would leave
            now = withSource(pass.arrived().destination(), pass.arrived().destinationPort(), now);
          } else { // lists see the source before it is given back
            depth++;
            now = withSource(arrived.source(), arrived.sourcePort(), now);
          }
          here.stateless().forEach(this::asked);
          depth = pass.depth();
        } else {
          here.destinationWays().forEach(this::asked);
          here.stateless().forEach(this::asked);
        }
      }
      now = leg.decisions().get(leg.decisions().size() - 1).after();
      Ruling end = leg.decisions().get(leg.decisions().size() - 1).ruling();
      Interface direct = directly(leg);
      if (direct != null && (end.ends() == null || end == Ruling.NOBODY_THERE)) {
        hand(direct.network());
      }
    }

    private @Nullable Pass answered(String device, Header left) {
      for (int i = passes.size() - 1; i >= 0; i--) {
        if (passes.get(i).device().equals(device) && passes.get(i).isAnsweredBy(left)) {
          return passes.get(i);
        }
      }
      return null;
    }

    private static Header withSource(Address source, int port, Header rest) {
      return new Header(
          source,
          rest.inner() == null ? port : 0,
          rest.destination(),
          rest.destinationPort(),
          rest.protocol(),
          rest.icmpType(),
          rest.icmpCode(),
          rest.tcpFlags(),
          rest.ttl(),
          null,
          null);
    }

    /** The interface by which the packet left for its very destination; null if there is none. */
    private static @Nullable Interface directly(Leg leg) {
      for (Decision decision : leg.decisions()) {
        if (decision.ruling() == Ruling.ROUTED) {
          return decision.by() instanceof Interface own ? own : null;
        }
      }
      return null;
    }
  }
}
