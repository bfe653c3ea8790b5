// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.Host;
import org.eskerfield.model.Named;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.outcome.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.SiteProgram;
import org.jspecify.annotations.Nullable;

/** Leads one conversation, packet by packet, and keeps its story. */
final class Dialogue {
  /** The port that resolvers listen on (RFC 1035 section 4.2). */
  private static final int DOMAIN = 53;

  /** A source port for lookups, apart from those of conversations. */
  private static final int LOOKUP_PORT = 53000;

  /** A port that data connections are announced on. */
  private static final int DATA_PORT = 40001;

  private final Site site;
  private final SiteProgram program;
  private final Attempt attempt;
  private final boolean toTheEnd;
  private final Exchange.Factory exchanges;
  private final Kept memory;
  private final List<Segment> story = new ArrayList<>();
  private final List<List<Leg>> paths = new ArrayList<>();
  private @Nullable Lookup lookup;
  private @Nullable Trace opening;
  private @Nullable FileTransfer transfer;
  private @Nullable Passed passed;

  Dialogue(
      SiteProgram program,
      Attempt attempt,
      boolean toTheEnd,
      Kept memory,
      Exchange.Factory exchanges) {
    this.memory = memory;
    this.site = program.site();
    this.program = program;
    this.attempt = attempt;
    this.toTheEnd = toTheEnd;
    this.exchanges = exchanges;
  }

  /** The way of each packet that opens something, and of its reply. */
  List<List<Leg>> paths() {
    return paths;
  }

  Conversation lead() {
    List<Address> candidates = attempt.addresses();
    if (attempt.name() != null) {
      Lookup asked = lookUp(attempt.name());
      lookup = asked;
      candidates = asked.addresses();
      if (candidates.isEmpty()) {
        Trace failed = asked.trace();
        Outcome outcome = failed == null ? Outcome.ANSWERED : failed.outcome();
        return ended(
            outcome == Outcome.ANSWERED ? Outcome.UNROUTABLE : outcome,
            "no address to send to: " + asked.reason());
      }
    }
    Address to = choose(candidates);
    Address source = to == null ? null : source(to);
    if (to == null || source == null) {
      return ended(
          Outcome.UNROUTABLE,
          attempt.sender().name() + " has no address of the family of " + candidates.get(0));
    }
    Probe probe = attempt.probe().on(to.family());
    Question question =
        new Question(attempt.sender(), source, to, probe, attempt.sourcePort(), attempt.at());
    Exchange exchange = exchanges.of(question);
    Trace first = exchange.run();
    opening = first;
    exchange.sizes.tooLarge.forEach(each -> add("", false, each, probe));
    add("", false, first, probe);
    passed = exchange.sizes.passed;
    if (first.outcome() != Outcome.ANSWERED) {
      return ended(first.outcome(), first.reason());
    }
    Talk talk = talk(first);
    String lost = exchange.goOn(talk, story);
    passed = exchange.sizes.passed;
    if (lost == null && talk.isTransfer()) {
      return transferred(exchange, first, talk);
    }
    lost = lost == null && probe.protocol() == Protocol.TCP ? finish(exchange) : lost;
    return lost == null
        ? ended(Outcome.ANSWERED, first.reason() + passedText())
        : ended(Outcome.UNANSWERED, "the connection opens, but " + lost);
  }

  /** What is spoken: hosts go by the service that the receiver runs on its own port. */
  private Talk talk(Trace first) {
    Endpoint by = first.deliveredTo();
    Talk usual = by == null ? Talk.TCP : Talk.of(Probe.of(by.protocol(), by.port()));
    return attempt.manner().talk() == null && usual.isTransfer() ? usual : attempt.talk();
  }

  private Conversation transferred(Exchange exchange, Trace first, Talk talk) {
    Attempt.Manner manner = attempt.manner();
    boolean encrypted = talk == Talk.ENCRYPTED_FILE_TRANSFER;
    FileTransfer made =
        new ControlConnection(exchange)
            .transfer(manner.mode(), manner.dataTo(), encrypted, DATA_PORT, exchanges);
    transfer = made;
    Trace data = made.data();
    if (data != null) {
      add("data ", !attempt.manner().mode().isPassive(), data, data.question().probe());
    }
    String lost = finish(exchange);
    if (data == null) {
      return ended(
          Outcome.UNANSWERED,
          "the control connection opens, but no data connection: nobody is told where ("
              + made.said()
              + ")");
    }
    if (data.outcome() != Outcome.ANSWERED) {
      return ended(
          data.outcome(),
          "the control connection opens, but the data connection does not ("
              + attempt.manner().mode()
              + ", to "
              + Header.endpoint(data.question().to(), data.question().probe().port(), Protocol.TCP)
              + "): "
              + data.reason());
    }
    return lost == null
        ? ended(
            Outcome.ANSWERED,
            first.reason()
                + "; the data connection opens as well ("
                + attempt.manner().mode()
                + ")"
                + passedText())
        : ended(Outcome.UNANSWERED, "both connections open, but " + lost);
  }

  /** How large packets get through, as the end of a sentence; empty where no size matters. */
  private String passedText() {
    if (passed == null) {
      return "";
    }
    String back =
        passed.back() == 0 || passed.back() == passed.there()
            ? ""
            : " there, and of " + passed.back() + " back";
    return "; packets of " + passed.there() + " bytes get through" + back;
  }

  private @Nullable String finish(Exchange exchange) {
    return toTheEnd ? exchange.finish(story) : null;
  }

  /**
   * Adds the first packet of something and its reply to the story.
   *
   * @param back whether the first packet goes back to who began the conversation
   */
  private void add(String of, boolean back, Trace trace, Probe probe) {
    boolean isTcp = probe.protocol() == Protocol.TCP;
    Header reply =
        trace.reply().isEmpty() ? null : trace.reply().get(0).decisions().get(0).before();
    boolean reset = reply != null && (reply.tcpFlags() & Packet.RST) != 0;
    story.add(
        new Segment(
            of + (probe.echo() ? "echo request" : isTcp ? "SYN" : "request"),
            back,
            trace.deliveredTo() != null || isRefusedByDevice(trace),
            trace.request()));
    paths.add(trace.request());
    if (reply != null) {
      String name =
          reset
              ? "RST"
              : reply.inner() != null
                  ? "notice"
                  : probe.echo() ? "echo reply" : isTcp ? "SYN ACK" : "reply";
      Ruling end = Leg.last(trace.reply()).ruling();
      boolean heard =
          reply.inner() == null
              ? trace.outcome() == Outcome.ANSWERED || trace.outcome() == Outcome.REFUSED
              : end == Ruling.NOTICE_RECEIVED || end == Ruling.DEVICE_RECEIVES;
      story.add(new Segment(of + name, !back, heard, trace.reply()));
      paths.add(trace.reply());
    }
  }

  /** Whether a packet reached a device that it is for, and which does not serve it. */
  private static boolean isRefusedByDevice(Trace trace) {
    List<Decision> last = trace.request().get(trace.request().size() - 1).decisions();
    Ruling end = last.get(last.size() - 1).ruling();
    return end.step() == Step.DEVICE && end.ends() != Outcome.DROPPED;
  }

  private Conversation ended(Outcome outcome, String reason) {
    Set<String> passed = new LinkedHashSet<>();
    for (Segment segment : story) {
      for (Leg leg : segment.legs()) {
        passed.add(leg.where());
      }
    }
    List<String> notThere = new ArrayList<>();
    for (String device : site.devices().keySet()) {
      if (!passed.contains(device) && opening != null) {
        notThere.add(device);
      }
    }
    return new Conversation(
        attempt,
        lookup,
        opening,
        story,
        transfer,
        this.passed,
        outcome,
        reason,
        notThere,
        memory.holding(passed),
        hints(outcome, passed));
  }

  /** What may mislead who reads the outcome only. */
  private List<String> hints(Outcome outcome, Set<String> passed) {
    List<String> hints = new ArrayList<>();
    if (attempt.manner().remark() != null) {
      hints.add(attempt.manner().remark());
    }
    Trace trace = opening;
    Endpoint by = trace == null ? null : trace.deliveredTo();
    if (outcome != Outcome.ANSWERED || trace == null || by == null) {
      return hints;
    }
    if (by.name() != null && site.devices().containsKey(by.name())) {
      hints.add(
          by.name()
              + " itself answers, not a host behind it: this says nothing about what it passes on");
    }
    boolean crossed = false;
    for (String device : site.devices().keySet()) {
      crossed |= passed.contains(device);
    }
    if (!crossed) {
      hints.add(
          "it crosses no device of the site: this says nothing about translation or access rules");
    }
    for (Leg leg : trace.request()) {
      for (Decision decision : leg.decisions()) {
        if (decision.ruling() == Ruling.TAKEN_TO_ANSWER) {
          hints.add(
              "the site file does not describe "
                  + trace.question().to()
                  + ": it is assumed to answer");
        }
      }
    }
    return hints;
  }

  // Names.

  private Lookup lookUp(String name) {
    Named sender = attempt.sender();
    Snapshot.Answer old = memory.remembered(sender.name(), name);
    if (old != null) {
      return remembered(old);
    }
    Address resolver = sender instanceof Host host ? site.resolver(host) : null;
    Address source = resolver == null ? null : source(resolver);
    if (resolver == null || source == null) {
      return new Lookup(
          name,
          null,
          null,
          null,
          /* remembered= */ false,
          sender.name()
              + " has no resolver to ask for "
              + name
              + (sender instanceof Device ? ": devices ask nobody" : ""));
    }
    Trace trace =
        exchanges
            .of(
                new Question(
                    sender,
                    source,
                    resolver,
                    Probe.of(Protocol.UDP, DOMAIN),
                    LOOKUP_PORT,
                    attempt.at()))
            .run();
    paths.add(trace.request());
    paths.add(trace.reply());
    Endpoint by = trace.deliveredTo();
    if (trace.outcome() != Outcome.ANSWERED || by == null) {
      return new Lookup(
          name,
          trace,
          null,
          null,
          /* remembered= */ false,
          "the question for " + name + " to " + resolver + " is not answered: " + trace.reason());
    }
    String who = Objects.requireNonNullElse(by.name(), by.address().toString());
    DomainName known = site.names().get(name);
    DomainName.Answer answer = known == null ? null : known.by(who);
    if (answer == null || answer.addresses().isEmpty()) {
      return new Lookup(name, trace, who, answer, false, who + " knows no address of " + name);
    }
    if (known != null && known.ttl() != null) {
      memory.hears(sender.name(), name, who, answer.addresses(), known.ttl().toMillis());
    }
    return new Lookup(
        name,
        trace,
        who,
        answer,
        /* remembered= */ false,
        who + " says that " + name + " is " + joined(answer.addresses()));
  }

  private Lookup remembered(Snapshot.Answer old) {
    List<String> texts = old.addresses().stream().map(Address::toString).toList();
    return new Lookup(
        old.name(),
        null,
        old.answeredBy(),
        new DomainName.Answer(old.answeredBy(), old.addresses(), null, texts, Place.IN_CODE),
        /* remembered= */ true,
        old.host()
            + " remembers that "
            + old.name()
            + " is "
            + joined(old.addresses())
            + ", as "
            + old.answeredBy()
            + " said, for another "
            + Moments.text(Duration.ofMillis(memory.left(old))));
  }

  private static String joined(List<Address> addresses) {
    StringBuilder text = new StringBuilder();
    for (Address address : addresses) {
      text.append(text.length() == 0 ? "" : ", ").append(address);
    }
    return text.toString();
  }

  // Addresses.

  private @Nullable Address choose(List<Address> candidates) {
    for (Address candidate : candidates) {
      boolean asChosen =
          attempt.source() == null || attempt.source().family() == candidate.family();
      if (asChosen && source(candidate) != null) {
        return candidate;
      }
    }
    return null;
  }

  /** The address that the sender sends from. */
  private @Nullable Address source(Address to) {
    if (attempt.source() != null) {
      return attempt.source();
    }
    if (attempt.sender() instanceof Host host) {
      return site.source(host, to);
    }
    Address towards = program.device(attempt.sender().name()).sourceTowards(to);
    return towards != null ? towards : ((Device) attempt.sender()).address(to.family());
  }
}
