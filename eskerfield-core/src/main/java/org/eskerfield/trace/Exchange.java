// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.function.Function;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.walk.Alike;
import org.eskerfield.walk.DeviceMachine;
import org.eskerfield.walk.Narrator;
import org.eskerfield.walk.SiteWalk;
import org.jspecify.annotations.Nullable;

/**
 * One request and its reply on their way across the site.
 *
 * <p>Idea: the reply is a packet like any other: nothing but the state that the request left behind
 * helps it.
 */
final class Exchange {
  private static final String INTERNET = "the internet";

  private final Site site;
  private final SiteProgram program;
  final SiteWalk siteWalk;
  final Question question;
  private final Wording wording;
  private final boolean terse;
  private final @Nullable Map<String, Tally> tallies;
  private final @Nullable Watch watch;

  // The packet under way.
  Packet packet;
  private List<LegRecorder> legs = new ArrayList<>();
  private boolean isReply;
  private Header sent;

  /** Whether the first packet was seen somewhere, so that its sender will do what he does. */
  private boolean isGiven;

  /** Who answers, and how its last packet looked to it; after the first one that arrived. */
  private Named answerer;

  private Header atAnswerer;

  /** How large packets are, and what is learnt of that. */
  final Sizes sizes;

  /**
   * Who hears of what happens.
   *
   * @param terse whether only what belongs into a log is put into words
   * @param tallies who counts the decisions of each device, or null
   * @param watch who watches, or null; whoever is watched cannot be terse
   * @param witness hears all that is asked of the packets, or null
   */
  record Listeners(
      boolean terse,
      @Nullable Map<String, Tally> tallies,
      @Nullable Watch watch,
      @Nullable Alike witness) {}

  /** An exchange that is to be walked. */
  Exchange(
      SiteProgram program,
      Function<String, DeviceMachine> machines,
      Question question,
      ZonedDateTime now,
      Listeners listeners) {
    this.terse = listeners.terse && listeners.watch == null;
    this.tallies = listeners.tallies;
    this.watch = listeners.watch;
    this.site = program.site();
    this.program = program;
    this.question = question;
    this.wording = new Wording(site, question, now);
    SiteWalk.Flow flow =
        new SiteWalk.Flow(
            question.sender(), question.source(), question.to(), question.probe().port());
    this.siteWalk = new SiteWalk(program, machines, flow, now, this::comesTo, listeners.witness);
    this.sizes = new Sizes(program, question);
    this.packet = first(question.probe().length());
    this.answerer = question.sender();
    this.atAnswerer = packet.header();
    this.sent = atAnswerer;
  }

  /** Says which endpoint, the source of this header, listens besides those of the site. */
  void open(Header endpoint) {
    siteWalk.open(endpoint);
  }

  /** The first packet, or another one of the one who began that has no size. */
  Packet request(int tcpFlags) {
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

  /**
   * The packet that opens it, of some length where it is no TCP; 0 for one that fits everywhere.
   */
  private Packet first(int length) {
    Packet first = request(isTcp() ? Packet.SYN : 0);
    sizes.give(first, question.sender(), length);
    return first;
  }

  /** How long a full segment is. */
  int fullSegment(boolean asReply) {
    return asReply
        ? sizes.fullSegment(answerer, atAnswerer.source(), true)
        : sizes.fullSegment(question.sender(), question.to(), false);
  }

  /** Says by which interface of a device the packets of the one who begins come into the site. */
  void enterBy(Device device, Interface own) {
    siteWalk.enterBy(device, own);
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
    if (lost == null && sizes.matter()) {
      lost = new FullSegments(this, story).send();
    }
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
    return tell(what, tcpFlags, asReply, null, story);
  }

  /**
   * Sends a packet of the connection, and notes it.
   *
   * @param size how large it is; null where nobody asks
   * @return null if it arrived; else why not
   */
  @Nullable String tell(
      String what, int tcpFlags, boolean asReply, @Nullable Size size, List<Segment> story) {
    boolean arrived;
    if (asReply) {
      packet = mirrored(atAnswerer, tcpFlags);
      packet.size = size;
      sent = packet.header();
      isReply = true;
      walk(answerer, what);
      isReply = false;
      arrived = isAccepted();
    } else {
      isReply = false;
      packet = request(tcpFlags);
      packet.size = size;
      sent = packet.header();
      walk(question.sender(), what);
      arrived = siteWalk.receiver() != null && last().ends() == null;
      Named server = siteWalk.receiver();
      if (server != null) {
        answerer = server;
        atAnswerer = packet.header();
      }
    }
    List<Leg> way = legs();
    story.add(new Segment(what, asReply, arrived, way));
    String of = size == null ? "" : " of " + size.length() + " bytes";
    return arrived ? null : "the " + what + of + " is lost: " + sentence(way);
  }

  /** Tells the sender of the last packet that it was too large, and notes each notice. */
  void tellTooLarge(boolean asReply, List<Segment> story) {
    Named speaker = asReply ? answerer : question.sender();
    Named from = siteWalk.endedAt();
    Packet about = from instanceof Device ? siteWalk.asItArrived() : packet;
    sizes.told = 0;
    if (from != null && from.name().equals(speaker.name())) {
      sizes.told = siteWalk.unfit(); // its own link: it knows anyhow
      return;
    }
    Notice notice = from == null ? null : Notice.of(last(), about);
    Address source = from == null ? null : noticeSource(from, about);
    if (from != null && notice != null && source != null) {
      boolean heard = walkNotice(from, source, notice, about, sent, !asReply);
      story.add(new Segment("notice", !asReply, heard, legs()));
    }
  }

  /** Sends the segments that close a connection, as far as they get. */
  void close() {
    List<Segment> untold = new ArrayList<>();
    tell("FIN", Packet.FIN | Packet.ACK, false, untold);
    if (siteWalk.receiver() != null) {
      tell("FIN", Packet.FIN | Packet.ACK, true, untold);
      tell("ACK", Packet.ACK, false, untold);
    }
  }

  /** Sends a packet of one end to the other. */
  void send(Named sender, Packet packet, boolean asReply, String what) {
    this.packet = packet;
    isReply = asReply;
    walk(sender, what);
  }

  /** Who received the last packet; null for nobody. */
  @Nullable Named receiver() {
    return siteWalk.receiver();
  }

  /** Whether somebody watches the packets. */
  boolean isWatched() {
    return watch != null;
  }

  /** Makes further exchanges of the same run. */
  interface Factory {
    /** An exchange about a question. */
    Exchange of(Question question);
  }

  void segment(String what, int tcpFlags) {
    isReply = false;
    packet = request(tcpFlags);
    walk(question.sender(), what);
  }

  /** As {@link #run()}, with this first packet. */
  Trace run(Packet given) {
    packet = given;
    isGiven = true;
    return run();
  }

  /** Sends a packet that opens nothing; nobody answers it. */
  Trace pass(Packet given) {
    packet = given;
    walk(question.sender(), given.header().kind());
    List<Leg> passed = legs();
    Outcome outcome = last().ends() == null ? Outcome.ANSWERED : last().ends();
    return trace(outcome, sentence(passed), passed, null, null, List.of());
  }

  /**
   * Sends the first packet, and the reply. Who is watched sends again what nobody answers, as TCP
   * does (RFC 6298 section 5), if the watcher has the time.
   */
  Trace run() {
    Trace trace = open();
    while (!isGiven && trace.outcome() == Outcome.UNROUTABLE && sizes.isToBeSmaller(sent.size())) {
      sizes.tooLarge.add(trace);
      packet = first(sizes.told);
      isReply = false;
      trace = open();
    }
    if (watch != null && watch.waits() && isTcp()) {
      Trace latest = trace;
      for (Duration time : Run.RETRIES) {
        if (latest.isUnheard()) {
          watch.wait(time);
          packet = first(0);
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
    sent = packet.header();
    sizes.told = 0;
    walk(question.sender(), question.probe().echo() ? "echo request" : isTcp() ? "SYN" : "request");
    List<Leg> request = legs();
    Header seen = packet.header();
    Named server = siteWalk.receiver();
    Outcome refusal = last().ends();
    if (server == null) {
      return undelivered(Objects.requireNonNull(refusal), request, sent);
    }
    Endpoint deliveredTo =
        new Endpoint(server.name(), seen.destination(), seen.destinationPort(), seen.protocol());
    Endpoint seenAs =
        new Endpoint(nameAt(seen.source()), seen.source(), seen.sourcePort(), seen.protocol());
    // TCP refuses by a packet of its own flow, everything else by an ICMP error.
    if (isRefusedAtHost(last())
        && (seen.protocol() != Protocol.TCP || last() == Ruling.HOST_REJECTED)) {
      String reason = sentence(request);
      Notice notice = Notice.of(last(), packet);
      if (notice != null && walkNotice(server, seen.destination(), notice, packet, sent, true)) {
        return trace(Outcome.REFUSED, reason, request, deliveredTo, seenAs, legs());
      }
      return lost(server.name() + " refuses it, but the notice", request, deliveredTo, seenAs);
    }
    if (refusal != null && !isRefusedAtHost(last())) {
      return trace(refusal, sentence(request), request, deliveredTo, seenAs, List.of());
    }
    startReply(server, seen, refusal == null);
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
    sizes.accepted(seen, packet);
    String what = Protocol.hasPorts(seen.protocol()) ? "" : " " + question.probe();
    String reason = terse ? "" : Wording.answered(deliveredTo, seenAs, what, request);
    return trace(Outcome.ANSWERED, reason, request, deliveredTo, seenAs, reply);
  }

  /** The trace of a packet that nobody received, and of what its sender hears of that. */
  private Trace undelivered(Outcome outcome, List<Leg> request, Header sent) {
    String reason = sentence(request);
    Ruling ruling = last();
    Named from = siteWalk.endedAt();
    Packet arrived = from instanceof Device ? siteWalk.asItArrived() : packet;
    boolean toItself = from != null && from.name().equals(question.sender().name());
    if (toItself && request.size() == 1) { // it never left, and the sender knows anyhow
      sizes.told = siteWalk.unfit();
      return trace(outcome, reason, request, null, null, List.of());
    }
    Notice notice = from == null ? null : Notice.of(ruling, arrived);
    boolean later = ruling == Ruling.DEVICE_REFUSES_LATER;
    boolean resets = later || (ruling == Ruling.DEVICE_REFUSES && isTcp());
    if (later && from instanceof Device device && watch != null && watch.waits()) {
      watch.wait(device.state().synWait());
    }
    if (from == null || (notice == null && !resets)) {
      return trace(outcome, reason, request, null, null, List.of());
    }
    boolean heard;
    if (resets) { // as an end system does, from the address that was spoken to
      packet = mirrored(arrived.header(), Packet.RST | Packet.ACK);
      isReply = true;
      walk(from, "RST");
      heard = mirrors(packet.header(), sent) && isAccepted();
    } else {
      // An end system answers from the address that was spoken to, a router from its own.
      Address source =
          ruling == Ruling.DEVICE_REFUSES ? arrived.destination() : noticeSource(from, arrived);
      heard = notice != null && walkNotice(from, source, notice, arrived, sent, true);
    }
    List<Leg> back = legs();
    if (heard || outcome != Outcome.REFUSED) {
      return trace(outcome, reason, request, null, null, back);
    }
    String what = resets ? "; its reset is lost" : "; its notice of that is lost";
    String why = back.isEmpty() ? "" : ": " + sentence(back);
    return trace(Outcome.UNANSWERED, reason + what + why, request, null, null, back);
  }

  boolean isAccepted() {
    return last() == Ruling.REPLY_ACCEPTED || last() == Ruling.DEVICE_RECEIVES;
  }

  /**
   * Where somebody watches: a host that gets a segment of a connection that it does not know of
   * resets it (RFC 9293 section 3.10.7).
   */
  private void reset(Header discarded) {
    Named host = siteWalk.receiver();
    if (watch == null
        || last() != Ruling.REPLY_DISCARDED
        || host == null
        || !isTcp()
        || (discarded.tcpFlags() & Packet.RST) != 0) {
      return;
    }
    List<LegRecorder> decisive = legs;
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
    walk(host, "RST");
    legs = decisive;
  }

  private static boolean isRefusedAtHost(Ruling ruling) {
    return ruling == Ruling.HOST_REFUSES || ruling == Ruling.HOST_REJECTED;
  }

  /** The address that a notice about the packet in hand bears; null for none. */
  private @Nullable Address noticeSource(Named from, Packet about) {
    return from instanceof Host host
        ? host.address(about.family)
        : program.device(from.name()).sourceTowards(about.source());
  }

  /** Sends a notice about the packet as it arrived; tells whether its sender gets it. */
  private boolean walkNotice(
      Named from,
      @Nullable Address source,
      Notice notice,
      Packet about,
      Header sent,
      boolean asReply) {
    legs = new ArrayList<>();
    if (source == null) {
      return false;
    }
    packet = Packet.error(source, about, notice.type(), notice.code(), siteWalk.unfit());
    isReply = asReply;
    walk(from, "notice");
    boolean received = last() == Ruling.NOTICE_RECEIVED || last() == Ruling.DEVICE_RECEIVES;
    boolean heard = received && packet.inner != null && isSame(packet.inner, sent);
    sizes.told = heard && packet.size != null ? packet.size.nextMtu() : 0;
    return heard;
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
        terse ? null : Leg.decidedBy(back),
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
        question,
        outcome,
        reason,
        terse ? null : Leg.decidedBy(request),
        deliveredTo,
        seenAs,
        request,
        reply);
  }

  private void startReply(Named server, Header seen, boolean answers) {
    int flags =
        seen.protocol() != Protocol.TCP ? 0 : Packet.ACK | (answers ? Packet.SYN : Packet.RST);
    packet = mirrored(seen, flags);
    sizes.give(packet, server, seen);
    isReply = true;
  }

  Packet mirrored(Header seen, int tcpFlags) {
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
    List<Leg> passed = new ArrayList<>(legs.size());
    for (LegRecorder leg : legs) {
      passed.add(leg.leg());
    }
    return passed;
  }

  String sentence(List<Leg> passed) {
    return terse ? "" : passed.get(passed.size() - 1).where() + " " + Leg.last(passed).text();
  }

  private @Nullable String nameAt(Address address) {
    Named owner = site.ownerOf(address);
    return owner == null ? null : owner.name();
  }

  // The way.

  private void walk(Named sender, String what) {
    legs = new ArrayList<>();
    wording.setsOut(packet.ttl);
    siteWalk.go(sender, packet, isReply);
    if (watch != null) {
      boolean arrived =
          isReply ? isAccepted() || last() == Ruling.NOTICE_RECEIVED : siteWalk.receiver() != null;
      watch.saw(question, what, isReply, arrived, legs());
    }
  }

  Ruling last() {
    return siteWalk.last();
  }

  private Narrator comesTo(
      String where, SiteWalk.Place place, @Nullable Interface arriving, Packet packet) {
    Leg.Kind kind =
        switch (place) {
          case HOST -> Leg.Kind.HOST;
          case DEVICE -> Leg.Kind.DEVICE;
          case INTERNET -> Leg.Kind.INTERNET;
        };
    Tally tally = tallies == null ? null : tallies.get(where);
    LegRecorder leg =
        new LegRecorder(
            place == SiteWalk.Place.INTERNET ? INTERNET : where,
            kind,
            wording,
            arriving,
            packet,
            terse,
            tally);
    legs.add(leg);
    return leg;
  }
}
