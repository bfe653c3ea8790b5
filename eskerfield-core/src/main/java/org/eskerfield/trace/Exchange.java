package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.eskerfield.engine.DeviceMachine;
import org.eskerfield.engine.Outcome;
import org.eskerfield.engine.Ruling;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/**
 * One request and its reply on their way across the site.
 *
 * <p>Idea: a packet is handed from node to node; each hop is a network (or the internet) and the
 * address that the packet is handed to there, and the hop count ends what goes in circles. The
 * reply is a packet like any other: nothing but the state that the request left behind helps it.
 */
final class Exchange {
  private static final String INTERNET = "the internet";

  /** Where a packet goes next: to an address on a network, or with none, into the internet. */
  private record Hop(@Nullable Network network, Address to) {}

  private final Site site;
  private final Map<String, DeviceMachine> machines;
  private final Question question;
  private final Wording wording;

  // The packet under way.
  private Packet packet;
  private List<LegRecorder> legs = new ArrayList<>();
  private boolean isReply;
  private @Nullable Named receiver;
  private Ruling last = Ruling.FLOW_IS_NEW;

  Exchange(Site site, Map<String, DeviceMachine> machines, Question question, ZonedDateTime now) {
    this.site = site;
    this.machines = machines;
    this.question = question;
    this.wording = new Wording(site, now);
    this.packet = request(question.probe().protocol() == Protocol.TCP ? Packet.SYN : 0);
  }

  private Packet request(int tcpFlags) {
    Probe probe = question.probe();
    boolean hasSourcePort = probe.echo() || Protocol.hasPorts(probe.protocol());
    return new Packet(
        question.source(),
        hasSourcePort ? question.sourcePort() : 0,
        question.to(),
        probe.port(),
        probe.protocol(),
        probe.requestType(),
        tcpFlags);
  }

  /** Sends the segment that completes the handshake of an answered connection. */
  void acknowledge() {
    segment(Packet.ACK);
  }

  /** Sends the segments that close a connection, as far as they get. */
  void close() {
    segment(Packet.FIN | Packet.ACK);
    if (receiver != null) {
      Named server = receiver;
      packet = mirrored(packet.header(), Packet.FIN | Packet.ACK);
      isReply = true;
      walk(server);
      isReply = false;
      segment(Packet.ACK);
    }
  }

  private void segment(int tcpFlags) {
    packet = request(tcpFlags);
    walk(question.sender());
  }

  Trace run() {
    Header sent = packet.header();
    walk(question.sender());
    List<Leg> request = legs();
    Header seen = packet.header();
    Named server = receiver;
    Outcome refusal = last.ends();
    if (server == null) {
      return trace(required(refusal), sentence(request), request, null, null, List.of());
    }
    Endpoint deliveredTo =
        new Endpoint(server.name(), seen.destination(), seen.destinationPort(), seen.protocol());
    Endpoint seenAs =
        new Endpoint(nameAt(seen.source()), seen.source(), seen.sourcePort(), seen.protocol());
    // Only TCP refuses by a packet of its own flow; ICMP errors are not walked back yet.
    boolean resets = last == Ruling.HOST_REFUSES && seen.protocol() == Protocol.TCP;
    if (refusal != null && !resets) {
      return trace(refusal, sentence(request), request, deliveredTo, seenAs, List.of());
    }
    startReply(seen, refusal == null);
    walk(server);
    List<Leg> reply = legs();
    boolean accepted =
        mirrors(packet.header(), sent)
            && (last == Ruling.REPLY_ACCEPTED || last == Ruling.DEVICE_RECEIVES);
    if (!accepted) {
      String reason =
          server.name()
              + (refusal == null ? " answers" : " refuses it")
              + ", but the reply is lost: "
              + sentence(reply);
      return new Trace(
          question,
          Outcome.UNANSWERED,
          reason,
          decidedBy(reply),
          deliveredTo,
          seenAs,
          request,
          reply);
    }
    if (refusal != null) {
      return trace(refusal, sentence(request), request, deliveredTo, seenAs, reply);
    }
    String what = Protocol.hasPorts(seen.protocol()) ? "" : " " + question.probe();
    String reason = Wording.answered(deliveredTo, seenAs, what, request);
    return trace(Outcome.ANSWERED, reason, request, deliveredTo, seenAs, reply);
  }

  /** A trace whose outcome was decided on the way of the request. */
  private Trace trace(
      Outcome outcome,
      String reason,
      List<Leg> request,
      @Nullable Endpoint deliveredTo,
      @Nullable Endpoint seenAs,
      List<Leg> reply) {
    return new Trace(
        question, outcome, reason, decidedBy(request), deliveredTo, seenAs, request, reply);
  }

  private void startReply(Header seen, boolean answers) {
    int flags =
        seen.protocol() != Protocol.TCP ? 0 : Packet.ACK | (answers ? Packet.SYN : Packet.RST);
    packet = mirrored(seen, flags);
    isReply = true;
  }

  private Packet mirrored(Header seen, int tcpFlags) {
    return new Packet(
        /* source= */ seen.destination(),
        /* sourcePort= */ seen.destinationPort(),
        /* destination= */ seen.source(),
        /* destinationPort= */ seen.sourcePort(),
        seen.protocol(),
        question.probe().replyType(),
        tcpFlags);
  }

  /** Whether a reply comes from where the request went, and goes to where that came from. */
  private static boolean mirrors(Header reply, Header request) {
    return reply.source().equals(request.destination())
        && reply.sourcePort() == request.destinationPort()
        && reply.destination().equals(request.source())
        && reply.destinationPort() == request.sourcePort();
  }

  private List<Leg> legs() {
    return legs.stream().map(LegRecorder::leg).toList();
  }

  private static Decision lastDecision(List<Leg> way) {
    List<Decision> decisions = way.get(way.size() - 1).decisions();
    return decisions.get(decisions.size() - 1);
  }

  private static String sentence(List<Leg> way) {
    return way.get(way.size() - 1).where() + " " + lastDecision(way).text();
  }

  /** What decided: the last decision if it ended the packet, else the rule that let it in. */
  private static @Nullable Placed decidedBy(List<Leg> way) {
    if (lastDecision(way).ruling().ends() != null) {
      return lastDecision(way).by();
    }
    Placed by = null;
    for (Leg leg : way) {
      for (Decision decision : leg.decisions()) {
        switch (decision.ruling()) {
          case DESTINATION_TRANSLATED, SOURCE_TRANSLATED, ADMITTED, ACCEPTED_BY_RULE ->
              by = decision.by();
          default -> {}
        }
      }
    }
    return by;
  }

  private static Outcome required(@Nullable Outcome outcome) {
    if (outcome == null) {
      throw new IllegalStateException("a packet that nobody received was ended by a decision");
    }
    return outcome;
  }

  private @Nullable String nameAt(Address address) {
    Host host = site.hostAt(address);
    Device device = site.deviceAt(address);
    return host != null ? host.name() : device != null ? device.name() : null;
  }

  // The way.

  private void walk(Named sender) {
    legs = new ArrayList<>();
    receiver = null;
    Hop hop = sender instanceof Device device ? originate(device) : send((Host) sender);
    while (hop != null) {
      hop = hop.network() == null ? carry() : handOver(hop.network(), hop.to());
    }
  }

  private LegRecorder leg(String where, Leg.Kind kind, @Nullable Interface arriving) {
    LegRecorder leg = new LegRecorder(where, kind, wording, arriving, packet);
    legs.add(leg);
    return leg;
  }

  /** Says a decision of the node that has the packet. */
  private void say(Ruling ruling, @Nullable Placed by, String text) {
    legs.get(legs.size() - 1).say(ruling, by, packet, text);
    last = ruling;
  }

  private @Nullable Hop send(Host host) {
    leg(host.name(), Leg.Kind.HOST, null);
    Address to = packet.destination();
    Network network = host.network();
    if (network == null) {
      say(Ruling.SENT_TO_CARRIER, host, "sends it into the internet");
      return new Hop(null, to);
    }
    if (network.prefixOf(to) != null) {
      say(
          Ruling.SENT_TO_NEIGHBOUR,
          host,
          "hands it straight to " + wording.who(to) + " on its own network " + network.name());
      return new Hop(network, to);
    }
    Address gateway = site.gateway(host, packet.family);
    if (gateway == null) {
      say(
          Ruling.NO_GATEWAY,
          host,
          "has no gateway to " + to + ", which is not on its network " + network.name());
      return null;
    }
    say(Ruling.SENT_TO_GATEWAY, host, "hands it to its gateway " + wording.who(gateway));
    return new Hop(network, gateway);
  }

  private @Nullable Hop originate(Device device) {
    LegRecorder leg = leg(device.name(), Leg.Kind.DEVICE, null);
    DeviceMachine machine = machine(device);
    last = machine.originate(packet, leg);
    return onward(machine);
  }

  private @Nullable Hop arrive(Device device, Interface own) {
    LegRecorder leg = leg(device.name(), Leg.Kind.DEVICE, own);
    DeviceMachine machine = machine(device);
    last = machine.arrive(packet, own, leg);
    Hop hop = onward(machine);
    if (hop == null && last.ends() == null) {
      receiver = device;
    }
    return hop;
  }

  private static @Nullable Hop onward(DeviceMachine machine) {
    Interface leaving = machine.leaving();
    return leaving == null ? null : new Hop(leaving.network(), machine.nextHop());
  }

  private DeviceMachine machine(Device device) {
    DeviceMachine machine = machines.get(device.name());
    if (machine == null) {
      throw new IllegalStateException(device.name() + " is not of this site");
    }
    return machine;
  }

  /** The packet is handed to an address on a network: who takes it? */
  private @Nullable Hop handOver(Network network, Address to) {
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (isSame(own.network(), network) && own.addresses().contains(to)) {
          return arrive(device, own);
        }
      }
    }
    for (Host host : site.hosts().values()) {
      if (isSame(host.network(), network) && host.addresses().contains(to)) {
        receive(host);
        return null;
      }
    }
    if (isSame(hostNetwork(question.sender()), network) && to.equals(question.source())) {
      receive((Host) question.sender());
      return null;
    }
    if (network.carrier().contains(to)) {
      if (!packet.destination().equals(to)) {
        return new Hop(null, to);
      }
      takenToAnswer("the carrier's router at " + to);
      return null;
    }
    // A device answers on a network for the external addresses that its rules use there.
    for (DeviceMachine machine : machines.values()) {
      for (Interface own : machine.program().device().interfaces()) {
        if (isSame(own.network(), network) && own.isUp() && machine.program().claims(to)) {
          return arrive(machine.program().device(), own);
        }
      }
    }
    Prefix prefix = network.prefixOf(to);
    say(
        Ruling.NOBODY_THERE,
        network,
        prefix != null && prefix.isNetworkOrBroadcast(to)
            ? "cannot hand it over: "
                + to
                + " is the network or broadcast address of "
                + prefix
                + ", not that of a host"
            : "cannot hand it over: nobody on network " + network.name() + " has " + to);
    return null;
  }

  private static boolean isSame(@Nullable Network one, Network other) {
    return one != null && one.name().equals(other.name());
  }

  private static @Nullable Network hostNetwork(Named sender) {
    return sender instanceof Host host ? host.network() : null;
  }

  /** The internet: from a host or carrier link to a host or carrier link. */
  private @Nullable Hop carry() {
    leg(INTERNET, Leg.Kind.INTERNET, null);
    Address from = packet.source();
    Address to = packet.destination();
    if (SpecialAddresses.NOT_ON_THE_INTERNET.contains(from)) {
      say(
          Ruling.SOURCE_NOT_CARRIED,
          null,
          "discards it: its source "
              + from
              + " is "
              + SpecialAddresses.kind(from)
              + ", which no carrier carries");
      return null;
    }
    if (SpecialAddresses.NOT_ON_THE_INTERNET.contains(to)
        || SpecialAddresses.MULTICAST_OR_BROADCAST.contains(to)) {
      say(
          Ruling.DESTINATION_NOT_CARRIED,
          null,
          "discards it: " + to + " is " + SpecialAddresses.kind(to) + ", which no carrier carries");
      return null;
    }
    if (packet.ttl <= 1) {
      say(Ruling.HOPS_USED_UP, null, "drops it: its hop count is used up, it was going in circles");
      return null;
    }
    packet.ttl--;
    Host host = site.hostAt(to);
    if (host == null && to.equals(question.source()) && hostNetwork(question.sender()) == null) {
      host = question.sender() instanceof Host unnamed ? unnamed : null;
    }
    if (host != null && host.network() == null) {
      say(Ruling.CARRIED, host, "carries it to " + wording.who(to));
      receive(host);
      return null;
    }
    for (Network link : site.networks().values()) {
      for (Network.Routed block : link.routed()) {
        if (block.to().contains(to)) {
          say(
              Ruling.CARRIED,
              block,
              "carries it to "
                  + link.name()
                  + ", where "
                  + block.to()
                  + " is routed to "
                  + block.via());
          return new Hop(link, block.via());
        }
      }
    }
    Network network = site.networkOf(to);
    for (DeviceMachine machine : machines.values()) {
      if (network == null && machine.program().claims(to)) {
        String device = machine.program().device().name();
        say(
            Ruling.NO_CARRIER_LINK,
            machine.program().device(),
            "has no way to "
                + to
                + ": rules of "
                + device
                + " use it, but no carrier link holds it or has it routed here");
        return null;
      }
    }
    if (network == null) {
      say(Ruling.CARRIED, null, "carries it to " + to);
      takenToAnswer("a host of the internet at " + to);
      return null;
    }
    if (network.carrier().isEmpty()) {
      say(
          Ruling.NO_CARRIER_LINK,
          network,
          "has no way to " + to + ": network " + network.name() + " is no link to a carrier");
      return null;
    }
    say(Ruling.CARRIED, network, "carries it to " + network.name() + ", which holds " + to);
    return new Hop(network, to);
  }

  /** Somebody outside whom the file does not describe: taken to be there and to answer. */
  private void takenToAnswer(String whom) {
    Address at = packet.destination();
    receiver =
        new Host(
            at.toString(),
            site.networkOf(at),
            List.of(at),
            Assignment.FIXED,
            List.of(),
            List.of(),
            true,
            null,
            Place.IN_CODE);
    leg(at.toString(), Leg.Kind.HOST, null);
    say(
        Ruling.TAKEN_TO_ANSWER,
        null,
        "is taken to answer: the site file does not describe " + whom);
  }

  private void receive(Host host) {
    receiver = host;
    leg(host.name(), Leg.Kind.HOST, null);
    if (isReply) {
      receiveReply(host);
      return;
    }
    Probe probe = question.probe();
    String what =
        probe.echo() ? "ping" : Probe.of(packet.protocol, packet.destinationPort).toString();
    if (probe.echo()) {
      if (host.answersPing()) {
        say(Ruling.HOST_ANSWERS, host, "answers the ping");
      } else {
        say(Ruling.HOST_SILENT, host, "gets the ping, but does not answer pings");
      }
    } else if (!host.listens().isEmpty()
        && ServiceTerm.anyCovers(
            host.listens(), packet.protocol, packet.destinationPort, packet.icmpType)) {
      say(Ruling.HOST_ANSWERS, host, "answers on " + what);
    } else {
      say(Ruling.HOST_REFUSES, host, "refuses it: nothing there listens on " + what);
    }
  }

  private void receiveReply(Host host) {
    Header reply = packet.header();
    boolean mine = host.name().equals(question.sender().name());
    if (mine
        && reply.source().equals(question.to())
        && reply.sourcePort() == question.probe().port()) {
      say(Ruling.REPLY_ACCEPTED, host, "gets the reply from the address that it spoke to");
    } else {
      say(
          Ruling.REPLY_DISCARDED,
          host,
          mine
              ? "discards it: it spoke to "
                  + Header.endpoint(question.to(), question.probe().port(), reply.protocol())
                  + ", and this comes from "
                  + reply.sourceText()
              : "discards it: it has not asked for a reply");
    }
  }
}
