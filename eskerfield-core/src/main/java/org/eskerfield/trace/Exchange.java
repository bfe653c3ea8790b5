package org.eskerfield.trace;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.eskerfield.engine.CompiledList;
import org.eskerfield.engine.DeviceMachine;
import org.eskerfield.engine.FileTransferGateway;
import org.eskerfield.engine.Outcome;
import org.eskerfield.engine.Ruling;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
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

  /**
   * Where a packet goes next: to an address on a network, or with none, into the internet.
   *
   * @param from the device that hands it on; null for a host or the internet
   */
  private record Hop(@Nullable Network network, Address to, @Nullable Device from) {}

  private final Site site;
  private final Map<String, DeviceMachine> machines;
  private final Question question;
  private final Wording wording;
  private final boolean terse;
  private final @Nullable Map<String, Tally> tallies;
  private final @Nullable Watch watch;

  // The packet under way.
  private Packet packet;
  private List<LegRecorder> legs = new ArrayList<>();
  private boolean isReply;
  private @Nullable Named receiver;
  private Ruling last = Ruling.FLOW_IS_NEW;

  /** Where a device that ended the packet sends its notice from, and the packet as it got it. */
  private @Nullable Device endedAt;

  private Packet asItArrived;

  /** Who answers, and how its last packet looked to it; after the first one that arrived. */
  private Named answerer;

  private Header atAnswerer;

  /** An endpoint that listens for this exchange only, such as that of a data connection. */
  private @Nullable Header opened;

  /**
   * Where packets come in that were seen there and not sent by somebody; null for no such place.
   */
  private @Nullable Device entered;

  private @Nullable Interface entry;

  /**
   * An exchange that is to be walked.
   *
   * @param terse whether only what belongs into a log is put into words
   * @param tallies who counts the decisions of each device, or null
   * @param watch who watches, or null; whoever is watched cannot be terse
   */
  Exchange(
      Site site,
      Map<String, DeviceMachine> machines,
      Question question,
      ZonedDateTime now,
      boolean terse,
      @Nullable Map<String, Tally> tallies,
      @Nullable Watch watch) {
    this.terse = terse && watch == null;
    this.tallies = tallies;
    this.watch = watch;
    this.site = site;
    this.machines = machines;
    this.question = question;
    this.wording = new Wording(site, now);
    this.packet = request(question.probe().protocol() == Protocol.TCP ? Packet.SYN : 0);
    this.asItArrived = packet;
    this.answerer = question.sender();
    this.atAnswerer = packet.header();
  }

  /** Says which endpoint, the source of this header, listens besides those of the site. */
  void open(Header endpoint) {
    opened = endpoint;
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

  /** Says by which interface of a device the packets of the one who begins come into the site. */
  void enterBy(Device device, Interface own) {
    entered = device;
    entry = own;
  }

  /** Sends the segment that completes the handshake of an answered connection. */
  void acknowledge() {
    segment("ACK", Packet.ACK);
  }

  /**
   * Sends the packets that follow on an answered opening, and their replies, and notes each.
   *
   * @param talk what is spoken
   * @param story where each packet is added
   * @return null if each arrived; else why one did not
   */
  @Nullable String goOn(Talk talk, List<Segment> story) {
    if (question.probe().protocol() != Protocol.TCP) {
      return null;
    }
    String lost = tell("ACK", Packet.ACK, false, story);
    // A connection that nobody uses opens as well; who watches wants to see it used.
    if (lost == null && (talk == Talk.WEB || (talk == Talk.TCP && watch != null))) {
      lost = tell("request", Packet.ACK, false, story);
      lost = lost == null ? tell("response", Packet.ACK, true, story) : lost;
    }
    return lost;
  }

  /** Closes an answered connection, and notes each packet. */
  @Nullable String finish(List<Segment> story) {
    String lost = tell("FIN", Packet.FIN | Packet.ACK, false, story);
    lost = lost == null ? tell("FIN", Packet.FIN | Packet.ACK, true, story) : lost;
    return lost == null ? tell("ACK", Packet.ACK, false, story) : lost;
  }

  private @Nullable String tell(String what, int tcpFlags, boolean asReply, List<Segment> story) {
    boolean arrived;
    if (asReply) {
      packet = mirrored(atAnswerer, tcpFlags);
      isReply = true;
      walk(answerer, what);
      isReply = false;
      arrived = isAccepted();
    } else {
      segment(what, tcpFlags);
      arrived = receiver != null && last.ends() == null;
      if (receiver != null) {
        answerer = receiver;
        atAnswerer = packet.header();
      }
    }
    List<Leg> way = legs();
    story.add(new Segment(what, asReply, arrived, way));
    return arrived ? null : "the " + what + " is lost: " + sentence(way);
  }

  /** Sends the segments that close a connection, as far as they get. */
  void close() {
    List<Segment> untold = new ArrayList<>();
    tell("FIN", Packet.FIN | Packet.ACK, false, untold);
    if (receiver != null) {
      tell("FIN", Packet.FIN | Packet.ACK, true, untold);
      tell("ACK", Packet.ACK, false, untold);
    }
  }

  /**
   * Announces an endpoint on the control connection, and opens the data connection to it as far as
   * it gets.
   *
   * @param dataTo where a passive client opens it to
   * @param encrypted whether nobody on the way can read what is said
   * @param port the port that is announced
   */
  FileTransfer transfer(
      FileTransfer.Mode mode,
      FileTransfer.DataTo dataTo,
      boolean encrypted,
      int port,
      Exchange.Factory factory) {
    isReply = false;
    packet = request(Packet.ACK);
    String said =
        mode.isPassive()
            ? mode == FileTransfer.Mode.PASSIVE ? "PASV" : "EPSV"
            : mode.announcement(question.source(), port);
    packet.payload = encrypted ? null : said + LINE_END;
    walk(question.sender(), "announcement");
    Named server = receiver;
    Header atServer = packet.header();
    String heard = heard(said, encrypted);
    if (server == null || heard == null) {
      return new FileTransfer(mode, encrypted, said, null, null);
    }
    if (mode.isPassive()) {
      said = mode.announcement(atServer.destination(), port);
      packet = mirrored(atServer, Packet.ACK);
      packet.payload = encrypted ? null : said + LINE_END;
      isReply = true;
      walk(server, "announcement");
      heard = heard(said, encrypted);
      if (heard == null || !isAccepted()) {
        return new FileTransfer(mode, encrypted, said, null, null);
      }
    }
    FileTransferGateway.Announced announced = FileTransferGateway.read(heard);
    Address listener = mode.isPassive() ? atServer.destination() : question.source();
    Address to =
        announced == null
            ? null
            : mode.isPassive() && dataTo == FileTransfer.DataTo.CONTROL
                ? question.to()
                : announcedBy(announced, listener);
    if (announced == null || to == null) {
      return new FileTransfer(mode, encrypted, said, heard, null);
    }
    Question data =
        new Question(
            mode.isPassive() ? question.sender() : server,
            mode.isPassive() ? question.source() : atServer.destination(),
            to,
            Probe.of(Protocol.TCP, announced.port()),
            mode.isPassive() ? question.sourcePort() + 1 : FTP_DATA_PORT,
            question.at());
    Exchange connection = factory.of(data);
    connection.open(listening(listener, port));
    Trace trace = connection.run();
    if (trace.outcome() == Outcome.ANSWERED) {
      if (watch == null) {
        factory.of(data).acknowledge();
      } else {
        connection.goOn(Talk.TCP, new ArrayList<>());
        connection.finish(new ArrayList<>());
      }
    }
    return new FileTransfer(mode, encrypted, said, heard, trace);
  }

  /** What the other end hears of what was said; null for nothing. */
  private @Nullable String heard(String said, boolean encrypted) {
    return encrypted ? said : packet.payload == null ? null : packet.payload.strip();
  }

  /**
   * Lets the server of a control connection announce a port, as it answers {@code PASV}.
   *
   * @param port the port, 1 to 65535
   * @return where it waits, as the source of a header; null if no server is reached
   */
  @Nullable Header announce(FileTransfer.Mode mode, int port) {
    segment("ACK", Packet.ACK);
    if (receiver == null) {
      return null;
    }
    Named server = receiver;
    Header atServer = packet.header();
    packet = mirrored(atServer, Packet.ACK);
    packet.payload = mode.announcement(atServer.destination(), port) + LINE_END;
    isReply = true;
    walk(server, "announcement");
    return listening(atServer.destination(), port);
  }

  private static Header listening(Address listener, int port) {
    return new Header(listener, port, listener, 0, Protocol.TCP, Icmp.NO_TYPE, 0, 0, 0, null, null);
  }

  /** Where the other end opens the data connection to; null if that cannot be. */
  private @Nullable Address announcedBy(FileTransferGateway.Announced announced, Address listener) {
    if (announced.address() == null) {
      return question.to(); // the address that the control connection is open to
    }
    return announced.address().equals(listener.toString()) ? listener : announced.ipv4();
  }

  /** How lines of control connections end (RFC 959 section 5.3). */
  private static final String LINE_END = "\r\n";

  /** The port that servers open data connections from (RFC 959 section 3.2). */
  private static final int FTP_DATA_PORT = 20;

  /** Makes further exchanges of the same run. */
  interface Factory {
    /** An exchange about a question. */
    Exchange of(Question question);
  }

  private void segment(String what, int tcpFlags) {
    isReply = false;
    packet = request(tcpFlags);
    walk(question.sender(), what);
  }

  /** As {@link #run()}, with this first packet. */
  Trace run(Packet given) {
    packet = given;
    return run();
  }

  /** Sends a packet that opens nothing; nobody answers it. */
  Trace pass(Packet given) {
    packet = given;
    walk(question.sender(), given.header().kind());
    List<Leg> way = legs();
    Outcome outcome = last.ends() == null ? Outcome.ANSWERED : last.ends();
    return trace(outcome, sentence(way), way, null, null, List.of());
  }

  /**
   * Sends the first packet, and the reply. Who is watched sends again what nobody answers, as TCP
   * does (RFC 6298 section 5), if the watcher has the time.
   */
  Trace run() {
    Trace trace = open();
    if (watch != null && watch.waits() && isTcp()) {
      Trace latest = trace;
      for (Duration time : Run.RETRIES) {
        if (latest.isUnheard()) {
          watch.wait(time);
          packet = request(Packet.SYN);
          isReply = false;
          latest = open();
        }
      }
    }
    return trace;
  }

  private boolean isTcp() {
    return question.probe().protocol() == Protocol.TCP;
  }

  private Trace open() {
    Header sent = packet.header();
    walk(question.sender(), question.probe().echo() ? "echo request" : isTcp() ? "SYN" : "request");
    List<Leg> request = legs();
    Header seen = packet.header();
    Named server = receiver;
    Outcome refusal = last.ends();
    if (server == null) {
      return undelivered(required(refusal), request, sent);
    }
    Endpoint deliveredTo =
        new Endpoint(server.name(), seen.destination(), seen.destinationPort(), seen.protocol());
    Endpoint seenAs =
        new Endpoint(nameAt(seen.source()), seen.source(), seen.sourcePort(), seen.protocol());
    // TCP refuses by a packet of its own flow, everything else by an ICMP error.
    if (isRefusedAtHost(last)
        && (seen.protocol() != Protocol.TCP || last == Ruling.HOST_REJECTED)) {
      String reason = sentence(request);
      asItArrived = packet;
      Notice notice = Notice.of(last, packet);
      if (notice != null && walkNotice(server, seen.destination(), notice, sent)) {
        return trace(Outcome.REFUSED, reason, request, deliveredTo, seenAs, legs());
      }
      return lost(server.name() + " refuses it, but the notice", request, deliveredTo, seenAs);
    }
    if (refusal != null && !isRefusedAtHost(last)) {
      return trace(refusal, sentence(request), request, deliveredTo, seenAs, List.of());
    }
    startReply(seen, refusal == null);
    walk(
        server,
        isTcp()
            ? refusal == null ? "SYN ACK" : "RST"
            : question.probe().echo() ? "echo reply" : "reply");
    List<Leg> reply = legs();
    boolean accepted = mirrors(packet.header(), sent) && isAccepted();
    if (!accepted) {
      reset(packet.header());
      String what = refusal == null ? " answers" : " refuses it";
      return lost(server.name() + what + ", but the reply", request, deliveredTo, seenAs);
    }
    if (refusal != null) {
      return trace(refusal, sentence(request), request, deliveredTo, seenAs, reply);
    }
    String what = Protocol.hasPorts(seen.protocol()) ? "" : " " + question.probe();
    String reason = terse ? "" : Wording.answered(deliveredTo, seenAs, what, request);
    return trace(Outcome.ANSWERED, reason, request, deliveredTo, seenAs, reply);
  }

  /** The trace of a packet that nobody received, and of what its sender hears of that. */
  private Trace undelivered(Outcome outcome, List<Leg> request, Header sent) {
    String reason = sentence(request);
    Ruling ruling = last;
    Device from = endedAt;
    boolean toItself = from != null && from.name().equals(question.sender().name());
    if (toItself && request.size() == 1) { // it never left, and the device knows anyhow
      return trace(outcome, reason, request, null, null, List.of());
    }
    Notice notice = from == null ? null : Notice.of(ruling, asItArrived);
    boolean later = ruling == Ruling.DEVICE_REFUSES_LATER;
    boolean resets = later || (ruling == Ruling.DEVICE_REFUSES && isTcp());
    if (later && from != null && watch != null && watch.waits()) {
      watch.wait(from.state().synWait());
    }
    if (from == null || (notice == null && !resets)) {
      return trace(outcome, reason, request, null, null, List.of());
    }
    boolean heard;
    if (resets) { // as an end system does, from the address that was spoken to
      packet = mirrored(asItArrived.header(), Packet.RST | Packet.ACK);
      isReply = true;
      walk(from, "RST");
      heard = mirrors(packet.header(), sent) && isAccepted();
    } else {
      // An end system answers from the address that was spoken to, a router from its own.
      Address source =
          ruling == Ruling.DEVICE_REFUSES ? asItArrived.destination() : noticeSource(from);
      heard = notice != null && walkNotice(from, source, notice, sent);
    }
    List<Leg> back = legs();
    if (heard || outcome != Outcome.REFUSED) {
      return trace(outcome, reason, request, null, null, back);
    }
    String what = resets ? "; its reset is lost" : "; its notice of that is lost";
    String why = back.isEmpty() ? "" : ": " + sentence(back);
    return trace(Outcome.UNANSWERED, reason + what + why, request, null, null, back);
  }

  private boolean isAccepted() {
    return last == Ruling.REPLY_ACCEPTED || last == Ruling.DEVICE_RECEIVES;
  }

  /**
   * Where somebody watches: a host that gets a segment of a connection that it does not know of
   * resets it (RFC 9293 section 3.10.7).
   */
  private void reset(Header discarded) {
    if (watch == null
        || last != Ruling.REPLY_DISCARDED
        || receiver == null
        || !isTcp()
        || (discarded.tcpFlags() & Packet.RST) != 0) {
      return;
    }
    List<LegRecorder> decisive = legs;
    Ruling decided = last;
    packet =
        new Packet(
            /* source= */ discarded.destination(),
            /* sourcePort= */ discarded.destinationPort(),
            /* destination= */ discarded.source(),
            /* destinationPort= */ discarded.sourcePort(),
            Protocol.TCP,
            Icmp.NO_TYPE,
            Packet.RST);
    isReply = false;
    walk(receiver, "RST");
    legs = decisive;
    last = decided;
  }

  private static boolean isRefusedAtHost(Ruling ruling) {
    return ruling == Ruling.HOST_REFUSES || ruling == Ruling.HOST_REJECTED;
  }

  /** The address that a device's notice about the packet in hand bears; null for none. */
  private @Nullable Address noticeSource(Device device) {
    return machine(device).program().sourceTowards(asItArrived.source());
  }

  /** Sends a notice about the packet as it arrived; tells whether its sender gets it. */
  private boolean walkNotice(Named from, @Nullable Address source, Notice notice, Header sent) {
    legs = new ArrayList<>();
    if (source == null) {
      return false;
    }
    packet = Packet.error(source, asItArrived, notice.type(), notice.code());
    isReply = true;
    walk(from, "notice");
    boolean received = last == Ruling.NOTICE_RECEIVED || last == Ruling.DEVICE_RECEIVES;
    return received && packet.inner != null && isSame(packet.inner, sent);
  }

  private static boolean isSame(Packet inner, Header sent) {
    Header told = inner.header();
    return told.sourceText().equals(sent.sourceText())
        && told.destinationText().equals(sent.destinationText());
  }

  /** A trace whose outcome was decided on the way back, which the legs in hand are. */
  private Trace lost(String what, List<Leg> request, Endpoint deliveredTo, Endpoint seenAs) {
    List<Leg> back = legs();
    return new Trace(
        question,
        Outcome.UNANSWERED,
        what + " is lost: " + sentence(back),
        decidedBy(back),
        deliveredTo,
        seenAs,
        request,
        back);
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
    List<Leg> way = new ArrayList<>(legs.size());
    for (LegRecorder leg : legs) {
      way.add(leg.leg());
    }
    return way;
  }

  private static Decision lastDecision(List<Leg> way) {
    List<Decision> decisions = way.get(way.size() - 1).decisions();
    return decisions.get(decisions.size() - 1);
  }

  private String sentence(List<Leg> way) {
    return terse ? "" : way.get(way.size() - 1).where() + " " + lastDecision(way).text();
  }

  /** What decided: the last decision if it ended the packet, else the rule that let it in. */
  private @Nullable Placed decidedBy(List<Leg> way) {
    if (terse) {
      return null;
    }
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
    Named owner = site.ownerOf(address);
    return owner == null ? null : owner.name();
  }

  // The way.

  private void walk(Named sender, String what) {
    legs = new ArrayList<>();
    receiver = null;
    endedAt = null;
    wording.setsOut(packet.ttl);
    Hop hop;
    if (entered != null && entry != null && !isReply) {
      hop = arrive(entered, entry);
    } else {
      hop = sender instanceof Device device ? originate(device) : send((Host) sender);
    }
    while (hop != null) {
      hop = hop.network() == null ? carry() : handOver(hop.network(), hop.to(), hop.from());
    }
    if (watch != null) {
      boolean arrived = isReply ? isAccepted() || last == Ruling.NOTICE_RECEIVED : receiver != null;
      watch.saw(question, what, isReply, arrived, legs());
    }
  }

  private LegRecorder leg(String where, Leg.Kind kind, @Nullable Interface arriving) {
    Tally tally = tallies == null ? null : tallies.get(where);
    LegRecorder leg = new LegRecorder(where, kind, wording, arriving, packet, terse, tally);
    legs.add(leg);
    return leg;
  }

  /** Says a decision of the node that has the packet. */
  private void say(Ruling ruling, @Nullable Placed by, String text) {
    if (!terse) {
      legs.get(legs.size() - 1).say(ruling, by, packet, text);
    }
    last = ruling;
  }

  private @Nullable Hop send(Host host) {
    leg(host.name(), Leg.Kind.HOST, null);
    Address to = packet.destination();
    if (host.off()) {
      say(Ruling.SENDER_OFF, host, "is switched off");
      return null;
    }
    if (!isReply && !host.blocked().isEmpty() && covers(host.blocked())) {
      say(
          Ruling.BLOCKED_AT_SENDER,
          host,
          terse
              ? ""
              : "sends it, but the network that it is on lets no "
                  + Wording.service(packet.header())
                  + " out");
      return null;
    }
    if (host.isOutside()) {
      say(Ruling.SENT_TO_CARRIER, host, "sends it into the internet");
      return new Hop(null, to, null);
    }
    Network network = host.networkTowards(to);
    if (network != null) {
      say(
          Ruling.SENT_TO_NEIGHBOUR,
          host,
          terse
              ? ""
              : "hands it straight to "
                  + who(network, to)
                  + (network.prefixOf(to) == null
                      ? ", which it takes to be on its own network " + network.name()
                      : " on its own network " + network.name()));
      return new Hop(network, to, null);
    }
    Address gateway = site.gateway(host, packet.family);
    if (gateway == null) {
      say(
          Ruling.NO_GATEWAY,
          host,
          terse
              ? ""
              : "has no gateway to "
                  + to
                  + ", which is not on its network "
                  + host.networks().get(0).name());
      return null;
    }
    network = gatewayNetwork(host, gateway);
    say(
        Ruling.SENT_TO_GATEWAY,
        host,
        terse ? "" : "hands it to its gateway " + who(network, gateway));
    return new Hop(network, gateway, null);
  }

  private static Network gatewayNetwork(Host host, Address gateway) {
    Network network = host.networkHolding(gateway);
    if (network == null) {
      throw new IllegalStateException(host.name() + " is outside and needs no gateway");
    }
    return network;
  }

  private boolean covers(List<ServiceTerm> services) {
    return ServiceTerm.anyCovers(
        services, packet.protocol, packet.destinationPort, packet.icmpType);
  }

  /** Name and address of who has an address on a network; another realm may use it, too. */
  private String who(Network network, Address address) {
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (isSame(own.network(), network) && own.addresses().contains(address)) {
          return device.name() + " (" + address + ")";
        }
      }
    }
    for (Host host : site.hosts().values()) {
      if (host.isOn(network) && host.addresses().contains(address)) {
        return host.name() + " (" + address + ")";
      }
    }
    return wording.who(address);
  }

  private @Nullable Hop originate(Device device) {
    LegRecorder leg = leg(device.name(), Leg.Kind.DEVICE, null);
    DeviceMachine machine = machine(device);
    if (!isReply) {
      asItArrived = packet.copy();
    }
    last = machine.originate(packet, leg);
    return onward(device, machine);
  }

  private @Nullable Hop arrive(Device device, Interface own) {
    LegRecorder leg = leg(device.name(), Leg.Kind.DEVICE, own);
    DeviceMachine machine = machine(device);
    if (!isReply) {
      asItArrived = packet.copy();
    }
    last = machine.arrive(packet, own, leg);
    return onward(device, machine);
  }

  private @Nullable Hop onward(Device device, DeviceMachine machine) {
    Interface leaving = machine.leaving();
    if (leaving == null && last.ends() == null) {
      receiver = device;
    }
    endedAt = leaving == null ? device : null;
    return leaving == null
        ? null
        : new Hop(leaving.network(), machine.nextHop(), machine.program().device());
  }

  private DeviceMachine machine(Device device) {
    DeviceMachine machine = machines.get(device.name());
    if (machine == null) {
      throw new IllegalStateException(device.name() + " is not of this site");
    }
    return machine;
  }

  /**
   * The packet is handed to an address on a network: who takes it?
   *
   * @param from the device that hands it over, which does not hear itself; null for anybody else
   */
  private @Nullable Hop handOver(Network network, Address to, @Nullable Device from) {
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (isSame(own.network(), network) && own.addresses().contains(to)) {
          return arrive(device, own);
        }
      }
    }
    for (Host host : site.hosts().values()) {
      if (host.isOn(network) && host.addresses().contains(to)) {
        receive(host);
        return null;
      }
    }
    if (question.sender() instanceof Host sender
        && sender.isOn(network)
        && to.equals(question.source())
        && to.equals(packet.destination())) { // the carrier's router may send: it is no host
      receive(sender);
      return null;
    }
    if (network.carrier().contains(to)) {
      if (!packet.destination().equals(to)) {
        return new Hop(null, to, null);
      }
      takenToAnswer("the carrier's router at " + to);
      return null;
    }
    // A device answers on a network for the external addresses that its rules use there.
    for (DeviceMachine machine : machines.values()) {
      Device device = machine.program().device();
      for (Interface own : device.interfaces()) {
        if (isSame(own.network(), network)
            && own.isUp()
            && (from == null || !from.name().equals(device.name()))
            && machine.program().answersOn(network, to)) {
          return arrive(device, own);
        }
      }
    }
    endedAt = from != null && from.name().equals(question.sender().name()) ? null : from;
    Prefix prefix = network.prefixOf(to);
    say(
        Ruling.NOBODY_THERE,
        network,
        terse
            ? ""
            : (prefix != null && prefix.isNetworkOrBroadcast(to)
                ? "cannot hand it over: "
                    + to
                    + " is the network or broadcast address of "
                    + prefix
                    + ", not that of a host"
                : "cannot hand it over: nobody on network " + network.name() + " has " + to));
    return null;
  }

  private static boolean isSame(@Nullable Network one, Network other) {
    return one != null && one.name().equals(other.name());
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
          terse
              ? ""
              : "discards it: its source "
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
          terse
              ? ""
              : "discards it: "
                  + to
                  + " is "
                  + SpecialAddresses.kind(to)
                  + ", which no carrier carries");
      return null;
    }
    if (packet.ttl <= 1) {
      say(Ruling.HOPS_USED_UP, null, wording.hopsUsedUp());
      return null;
    }
    packet.ttl--;
    Host host = site.hostAt(to);
    if (host == null
        && to.equals(question.source())
        && question.sender() instanceof Host unnamed
        && unnamed.isOutside()) {
      host = unnamed;
    }
    if (host != null && host.isOutside()) {
      say(Ruling.CARRIED, host, terse ? "" : "carries it to " + wording.who(to));
      receive(host);
      return null;
    }
    for (Network link : site.networks().values()) {
      for (Network.Routed block : link.routed()) {
        if (block.to().contains(to)) {
          say(
              Ruling.CARRIED,
              block,
              terse
                  ? ""
                  : "carries it to "
                      + link.name()
                      + ", where "
                      + block.to()
                      + " is routed to "
                      + block.via());
          return new Hop(link, block.via(), null);
        }
      }
    }
    Network network = site.networkOf(to);
    for (DeviceMachine machine : machines.values()) {
      if (network == null && machine.program().isNamedOutside(to)) {
        String device = machine.program().device().name();
        say(
            Ruling.NO_CARRIER_LINK,
            machine.program().device(),
            terse
                ? ""
                : "has no way to "
                    + to
                    + ": rules of "
                    + device
                    + " use it, but no carrier link holds it or has it routed here");
        return null;
      }
    }
    if (network == null) {
      say(Ruling.CARRIED, null, terse ? "" : "carries it to " + to);
      takenToAnswer("a host of the internet at " + to);
      return null;
    }
    if (network.carrier().isEmpty()) {
      say(
          Ruling.NO_CARRIER_LINK,
          network,
          terse
              ? ""
              : "has no way to " + to + ": network " + network.name() + " is no link to a carrier");
      return null;
    }
    say(
        Ruling.CARRIED,
        network,
        terse ? "" : "carries it to " + network.name() + ", which holds " + to);
    return new Hop(network, to, null);
  }

  /** Somebody outside whom the file does not describe: taken to be there and to answer. */
  private void takenToAnswer(String whom) {
    Address at = packet.destination();
    receiver = Host.unnamed(at, site.networkOf(at));
    leg(at.toString(), Leg.Kind.HOST, null);
    say(
        Ruling.TAKEN_TO_ANSWER,
        null,
        terse ? "" : "is taken to answer: the site file does not describe " + whom);
  }

  private void receive(Host host) {
    leg(host.name(), Leg.Kind.HOST, null);
    if (host.off()) {
      say(Ruling.HOST_OFF, host, "gets nothing: it is switched off");
      return;
    }
    if (!host.addresses().contains(packet.destination())) {
      say(
          Ruling.NOT_FOR_HOST,
          host,
          terse
              ? ""
              : "discards it: "
                  + packet.destination()
                  + " is not its address, and a host passes nothing on");
      return;
    }
    receiver = host;
    if (packet.inner != null) {
      boolean mine = host.name().equals(question.sender().name());
      say(
          mine ? Ruling.NOTICE_RECEIVED : Ruling.REPLY_DISCARDED,
          host,
          mine
              ? "is told that its packet was not delivered"
              : "discards it: it has sent no such packet");
      return;
    }
    if (isReply) {
      receiveReply(host);
      return;
    }
    if ((packet.tcpFlags & Packet.RST) != 0) {
      say(Ruling.RESET_RECEIVED, host, "is told that there is no such connection");
      return;
    }
    if (host.filter() != null && !isOpened() && !passes(host.filter())) {
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
    } else if (isOpened() || listens(host)) {
      say(Ruling.HOST_ANSWERS, host, terse ? "" : "answers on " + what);
    } else {
      say(Ruling.HOST_REFUSES, host, terse ? "" : "refuses it: nothing there listens on " + what);
    }
  }

  private boolean listens(Host host) {
    return !host.listens().isEmpty() && covers(host.listens());
  }

  /** Whether the host's own filter lets a packet in that it has not asked for. */
  private boolean passes(AccessList filter) {
    CompiledList rules = CompiledList.of(site, filter);
    AccessRule rule = rules.firstMatch(packet, false, wording.now());
    Action action = rule == null ? filter.otherwise() : rule.action();
    Ruling ruling =
        switch (action) {
          case ACCEPT ->
              rule == null ? Ruling.HOST_ACCEPTED_OTHERWISE : Ruling.HOST_ACCEPTED_BY_RULE;
          case DROP -> Ruling.HOST_FILTERED;
          case REJECT -> Ruling.HOST_REJECTED;
        };
    if (!terse) {
      LegRecorder leg = legs.get(legs.size() - 1);
      if (rule == null && action != Action.ACCEPT) {
        rules.tellNearest(leg, packet, false, wording.now());
      }
      leg.sayByFilter(ruling, rule == null ? filter : rule, packet);
    }
    last = ruling;
    if (action == Action.DROP) {
      receiver = null;
    }
    return action == Action.ACCEPT;
  }

  private boolean isOpened() {
    return opened != null
        && opened.source().equals(packet.destination())
        && opened.sourcePort() == packet.destinationPort;
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
          terse
              ? ""
              : (mine
                  ? "discards it: it spoke to "
                      + Header.endpoint(question.to(), question.probe().port(), reply.protocol())
                      + ", and this comes from "
                      + reply.sourceText()
                  : "discards it: it has not asked for a reply"));
    }
  }
}
