// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.replay;

import java.io.IOException;
import java.time.Duration;
import java.time.Instant;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.eskerfield.formats.flow.FlowHeader;
import org.eskerfield.formats.flow.FlowRecord;
import org.eskerfield.formats.flow.FlowRecords;
import org.eskerfield.formats.flow.Volume;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * Recorded flows as traffic; the clock starts when the first one did. A flow is opened by whoever
 * has its source address, lives until its last packet, and is refreshed on the way as often as it
 * had packets, at most every {@value #CLOSEST} seconds. A TCP connection is closed at its end
 * unless the record says that it was not.
 *
 * <p>One flow is often cut into several records: by a time-out of the exporter, and into one for
 * each direction. Records of the same ends that begin at most 60 seconds after those before belong
 * to one flow, unless a connection was closed and opened anew.
 */
public final class RecordTraffic implements Traffic {
  /** Seconds between two packets that refresh a flow, at least. */
  private static final int CLOSEST = 10;

  /** The time after which records of exporters are no longer of the same flow. */
  static final Duration JOINS = Duration.ofSeconds(60);

  private final Site site;

  /** The addresses of devices, and those that rules use outside: sources of what was translated. */
  private final AddressSet ours;

  private final FlowRecords records;
  private final Duration joins;
  private final boolean told;
  private final Instant first;
  private final ZonedDateTime start;
  private @Nullable FlowRecord ahead;

  /** When the last thing happened. */
  private Instant latest;

  private final Map<FlowHeader, Live> live = new HashMap<>();

  /** What packets that answer look like at any place of their way. */
  private final Map<FlowHeader, Live> answers = new HashMap<>();

  /** Flows by when something happens to them next. */
  private final TreeSet<Live> due =
      new TreeSet<>(
          Comparator.<Live, Instant>comparing(each -> each.due).thenComparing(each -> each.number));

  private long flows;
  private long icmp;
  private long translated;
  private long begun;
  private long lost;

  /**
   * The traffic of some records.
   *
   * @param records in the order of their start
   * @param joins how long after a record another one may belong to the same flow
   * @param told whether each flow is reported
   */
  RecordTraffic(Site site, FlowRecords records, Duration joins, boolean told)
      throws IOException, UnreadableCaptureException {
    this.site = site;
    this.joins = joins;
    this.ours = ours(site);
    this.records = records;
    this.told = told;
    this.ahead = records.next();
    this.start =
        ahead == null ? VirtualClock.start(site.timeZone()) : ahead.start().atZone(site.timeZone());
    this.first = start.toInstant();
    this.latest = first;
  }

  private static AddressSet ours(Site site) {
    AddressSet ours = AddressSet.NONE;
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        ours = ours.union(AddressSet.ofAddresses(own.addresses()));
      }
      for (TranslationRule rule : device.translation()) {
        Pool pool = rule.pool();
        InwardRule inward = rule.inward();
        Prefix block = inward == null ? null : inward.block();
        ours = pool == null ? ours : ours.union(pool.addresses());
        ours = block == null ? ours : ours.union(AddressSet.ofPrefixes(List.of(block)));
      }
    }
    return ours;
  }

  @Override
  public ZonedDateTime start() {
    return start;
  }

  @Override
  public @Nullable Duration ahead() {
    Live waits = waits();
    return waits != null ? since(waits.happens()) : ahead == null ? null : since(ahead.start());
  }

  /** The flow to which something happens before the next record begins; null if there is none. */
  private @Nullable Live waits() {
    Live next = due.isEmpty() ? null : due.first();
    return next != null && (ahead == null || next.due.isBefore(ahead.start())) ? next : null;
  }

  private Duration since(Instant at) {
    return Duration.between(first, at);
  }

  @Override
  public @Nullable Event next() throws IOException, UnreadableCaptureException {
    Live waits = waits();
    FlowRecord record = ahead;
    if (waits != null) {
      due.remove(waits);
      latest = waits.happens();
      return later(waits);
    }
    if (record == null) {
      return null;
    }
    ahead = records.next();
    latest = record.start();
    Live same = live.get(record.key());
    if (same == null || same.isReopenedBy(record)) {
      Live answered = answers.get(record.key());
      if (answered == null || answered.isReopenedBy(record)) {
        return opening(record);
      }
      same = answered;
    }
    boolean isThere = record.key().equals(same.key);
    same.goesOn(record);
    reschedule(same, same.following(record.start()));
    return new More(same, record, isThere);
  }

  private Event opening(FlowRecord record) {
    FlowHeader key = record.key();
    boolean isOurs = ours.contains(key.source()) && site.hostAt(key.source()) == null;
    if (isOurs) {
      translated++;
      return new Opening(record, null);
    }
    if (!key.mayOpen()) {
      icmp++;
      return new Opening(record, null);
    }
    Live flow = new Live(record);
    Live before = live.put(key, flow);
    if (before != null) {
      due.remove(before);
      before.keys.forEach(each -> answers.remove(each, before));
    }
    due.add(flow);
    return new Opening(record, flow);
  }

  private void reschedule(Live flow, Instant at) {
    due.remove(flow);
    flow.due = at;
    due.add(flow);
  }

  /** The next packet of a flow, its end, or the time after which nothing more can come of it. */
  private Event later(Live flow) {
    Instant now = flow.due;
    if (now.isAfter(flow.last)) {
      flow.forget();
      return new Later(flow, since(latest), false, true);
    }
    boolean over = !now.isBefore(flow.last);
    flow.closed |= over && flow.closes();
    flow.due = over ? flow.last.plus(joins).plusNanos(1) : flow.following(now);
    due.add(flow);
    return new Later(flow, since(now), over && flow.closes(), false);
  }

  @Override
  public String afterwards() {
    List<String> lines = new ArrayList<>();
    count(
        lines,
        lost,
        "packet within a TCP connection got nowhere",
        "packets within TCP connections got nowhere");
    count(
        lines,
        icmp,
        "record of ICMP that opens nothing, not sent",
        "records of ICMP that opens nothing, not sent");
    count(
        lines,
        translated,
        "record from an address of a device or a rule, which no host has: not sent, since what leaves"
            + " a device is no new flow",
        "records from addresses of devices or rules, which no host has: not sent, since what leaves a"
            + " device is no new flow");
    count(
        lines,
        begun,
        "TCP connection had begun before its first record: sent as if it opened then",
        "TCP connections had begun before their first records: sent as if they opened then");
    lines.addAll(records.remarks());
    return String.join("\n", lines);
  }

  private static void count(List<String> lines, long number, String one, String several) {
    if (number > 0) {
      lines.add(String.format("%,d %s", number, number == 1 ? one : several));
    }
  }

  @Override
  public void close() throws IOException {
    records.close();
  }

  /** A flow of which records may still come. */
  private final class Live {
    private final long number;
    private final FlowHeader key;
    private final Packet sent;
    private final Question question;
    private final Set<FlowHeader> keys = new LinkedHashSet<>();
    private final Duration began;
    private final Duration gap;

    /** Where it was answered, so that there may be more packets. */
    private final Set<Run> answeredIn = Collections.newSetFromMap(new IdentityHashMap<>(2));

    private Instant last;
    private Instant due;
    private final boolean lacksOpening;
    private int flags;
    private boolean closed;

    Live(FlowRecord record) {
      this.number = ++flows;
      this.key = record.key();
      this.sent = key.packet();
      this.question = Question.of(site, sent, record.start().atZone(site.timeZone()));
      this.began = since(record.start());
      this.last = record.end();
      this.flags = record.tcpFlags();
      this.lacksOpening = flags >= 0 && (flags & Packet.SYN) == 0;
      long packets = record.there().packets();
      Duration lasted = Duration.between(record.start(), record.end());
      Duration each = packets > 1 ? lasted.dividedBy(packets - 1) : Duration.ZERO;
      Duration closest = Duration.ofSeconds(CLOSEST);
      this.gap = each.compareTo(closest) > 0 ? each : closest;
      this.due = following(record.start());
    }

    private Instant following(Instant now) {
      Instant next = now.plus(gap);
      return next.isBefore(last) ? next : last;
    }

    /** When that happens to it which is due; that nothing more comes of it takes no time. */
    Instant happens() {
      return due.isAfter(last) ? latest : due;
    }

    /** Adds what a further record says. */
    void goesOn(FlowRecord record) {
      closed = false;
      if (record.tcpFlags() >= 0) {
        flags = Math.max(flags, 0) | record.tcpFlags();
      }
      if (record.end().isAfter(last)) {
        last = record.end();
      }
    }

    /** Whether a record of the same ends is of another connection. */
    boolean isReopenedBy(FlowRecord record) {
      if (record.start().isAfter(last.plus(joins))) {
        return true;
      }
      boolean opens = record.tcpFlags() >= 0 && (record.tcpFlags() & Packet.SYN) != 0;
      return closed
          && sent.protocol == Protocol.TCP
          && opens
          && record.start().isAfter(last)
          && record.key().equals(key);
    }

    /** Whether its end closes it: a FIN or reset was seen, or nobody looked at the flags. */
    boolean closes() {
      return sent.protocol == Protocol.TCP
          && (flags < 0 || (flags & (Packet.FIN | Packet.RST)) != 0);
    }

    void forget() {
      live.remove(key, this);
      keys.forEach(each -> answers.remove(each, this));
    }
  }

  /** A packet within a flow: of TCP a segment, of other protocols one more and what answers it. */
  private void refresh(Live flow, Run run) {
    if (flow.sent.protocol != Protocol.TCP) {
      run.send(flow.question);
      return;
    }
    if (!flow.answeredIn.contains(run)) {
      return;
    }
    Packet segment = flow.sent.copy();
    segment.tcpFlags = Packet.ACK;
    if (run.send(segment).outcome() != Outcome.ANSWERED) {
      lost++;
    }
  }

  private static Volume both(FlowRecord record) {
    Volume there = record.there();
    Volume back = record.back();
    return new Volume(sum(there.packets(), back.packets()), sum(there.bytes(), back.bytes()));
  }

  private static long sum(long some, long more) {
    return some < 0 ? more : more < 0 ? some : some + more;
  }

  /** A record opens a flow, or nothing. */
  private final class Opening implements Event {
    private final FlowRecord record;
    private final @Nullable Live flow;

    Opening(FlowRecord record, @Nullable Live flow) {
      this.record = record;
      this.flow = flow;
      if (flow != null && flow.sent.protocol == Protocol.TCP && flow.lacksOpening) {
        begun++;
      }
    }

    @Override
    public Duration at() {
      return since(record.start());
    }

    @Override
    public @Nullable Happened happen(Run run, Map<Outcome, Long> outcomes) {
      if (flow == null) {
        return null;
      }
      Trace trace = run.open(flow.question);
      if (trace.outcome() == Outcome.ANSWERED) {
        flow.answeredIn.add(run);
      }
      outcomes.merge(trace.outcome(), 1L, Long::sum);
      for (Leg leg : trace.request()) {
        for (Decision decision : leg.decisions()) {
          FlowHeader back = FlowHeader.of(decision.after()).mirrored();
          if (flow.keys.add(back)) {
            answers.put(back, flow);
          }
        }
      }
      return told
          ? Happened.of(at(), trace, FlowTraffic.what(flow.question) + ": " + trace.reason())
              .with(new FlowPart(flow.number, both(record), true, false))
          : null;
    }
  }

  /** A further record of a flow. */
  private final class More implements Event {
    private final Live flow;
    private final FlowRecord record;
    private final boolean isThere;

    More(Live flow, FlowRecord record, boolean isThere) {
      this.flow = flow;
      this.record = record;
      this.isThere = isThere;
    }

    @Override
    public Duration at() {
      return since(record.start());
    }

    @Override
    public @Nullable Happened happen(Run run, Map<Outcome, Long> outcomes) {
      if (isThere) {
        refresh(flow, run);
      }
      return told
          ? new Happened(at(), null, "more", FlowTraffic.what(flow.question))
              .with(new FlowPart(flow.number, both(record), false, false))
          : null;
    }
  }

  private final class Later implements Event {
    private final Live flow;
    private final Duration at;
    private final boolean closes;
    private final boolean ends;

    Later(Live flow, Duration at, boolean closes, boolean ends) {
      this.flow = flow;
      this.at = at;
      this.closes = closes;
      this.ends = ends;
    }

    @Override
    public Duration at() {
      return at;
    }

    @Override
    public @Nullable Happened happen(Run run, Map<Outcome, Long> outcomes) {
      if (ends) {
        return told
            ? new Happened(at, null, "ended", FlowTraffic.what(flow.question))
                .with(new FlowPart(flow.number, Volume.UNKNOWN, false, true))
            : null;
      }
      if (!at.equals(flow.began)) {
        refresh(flow, run);
      }
      if (closes && flow.answeredIn.contains(run)) {
        run.close(flow.question);
      }
      return null;
    }
  }
}
