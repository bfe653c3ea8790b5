// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Placed;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.state.TranslationEvent;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * The sessions that a real device has translated, beside those of the simulated one that was sent
 * the same traffic. Compared are the receiver, the rule (any port and any address that the rule may
 * give count as the same), and when the session ended. Cost: linear, all sessions in memory.
 *
 * <p>Not safe for use by several threads.
 */
public final class DeviceComparison {
  /** How the real device decided otherwise. */
  public enum Kind {
    /** The real device translated it; here no session was made. */
    NOT_HERE("translated by the device, not here"),
    /** Here it was translated; the real device has not recorded it. */
    ONLY_HERE("translated here, not by the device"),
    /** It went to another receiver. */
    OTHER_RECEIVER("sent to another receiver"),
    /** It left with a source that the rule which took it here cannot give. */
    OTHER_SOURCE("sent with another source"),
    /** The real session ended earlier. */
    ENDED_EARLIER("ended earlier by the device"),
    /** The real session ended later. */
    ENDED_LATER("ended later by the device");

    private final String text;

    Kind(String text) {
      this.text = text;
    }

    /** The kind in words that follow "sessions". */
    public String text() {
      return text;
    }
  }

  /**
   * A session of a translating device.
   *
   * @param start when it began
   * @param end when it ended; null if that is not known
   * @param before its first packet as it arrived
   * @param after its first packet as it left
   */
  public record Session(Instant start, @Nullable Instant end, Header before, Header after) {}

  /**
   * Sessions about which the real device decided otherwise, in the same way.
   *
   * @param kind how
   * @param sessions how many
   * @param first when the first one began
   * @param last when the last one began
   * @param rule the rule that took it here; null where none did
   * @param fitting a rule of the same device that gives the source which the real device gave; null
   *     if there is none, or where that does not differ
   * @param real the first one on the real device; null where it has none
   * @param here the first one here; null where there is none
   * @param instead what became of the first one here, where no session was made; null if nothing
   *     like it was sent
   */
  public record Difference(
      Kind kind,
      long sessions,
      Instant first,
      Instant last,
      @Nullable TranslationRule rule,
      @Nullable TranslationRule fitting,
      @Nullable Session real,
      @Nullable Session here,
      @Nullable Trace instead) {}

  private record Ends(Address from, int fromPort, Address to, int toPort, int protocol) {
    static Ends of(Header header) {
      boolean icmp = Protocol.isIcmp(header.protocol());
      return new Ends(
          header.source(),
          icmp ? 0 : header.sourcePort(),
          header.destination(),
          icmp ? 0 : header.destinationPort(),
          header.protocol());
    }
  }

  /** A session here. */
  private static final class Own {
    private final TranslationEvent began;
    private final Header after;
    private @Nullable Instant end;
    private boolean matched;

    Own(TranslationEvent began, Header after) {
      this.began = began;
      this.after = after;
    }

    Instant start() {
      return began.at().toInstant();
    }

    Session session() {
      return new Session(start(), end, began.before(), after);
    }

    /** The rule that says where it goes, or with which source. */
    @Nullable TranslationRule rule() {
      return began.sourceRule() != null ? began.sourceRule() : began.destinationRule();
    }
  }

  /** What sessions that are counted together have in common. */
  private record Alike(
      Kind kind, @Nullable Placed rule, @Nullable Placed fitting, String more, int protocol) {}

  private static final int ANY = -1;

  private final DeviceProgram program;
  private final Duration within;
  private final boolean whole;
  private final List<Session> real = new ArrayList<>();
  private final Map<Ends, List<Own>> own = new LinkedHashMap<>();
  private final Map<Ends, Trace> fates = new HashMap<>();
  private final Map<Alike, Difference> found = new LinkedHashMap<>();
  private long agreeing;
  private long endless;

  /**
   * Has compared nothing yet.
   *
   * @param program the device
   * @param within how far times may differ
   * @param whole whether the traffic is known from elsewhere than from the real sessions, so that
   *     one which is here only says something
   */
  @SuppressWarnings("exports") // of the house
  public DeviceComparison(DeviceProgram program, Duration within, boolean whole) {
    this.program = program;
    this.within = within;
    this.whole = whole;
  }

  /** Adds a session of the real device. */
  public void real(Session session) {
    real.add(session);
  }

  /** Adds what happened here; events of other devices, and those of bindings, do not count. */
  public void here(TranslationEvent event) {
    Header after = event.after();
    if (!event.device().equals(program.device.name()) || after == null) {
      return;
    }
    List<Own> same = own.computeIfAbsent(Ends.of(event.before()), key -> new ArrayList<>(1));
    if (event.kind() == TranslationEvent.Kind.SESSION_BEGINS) {
      same.add(new Own(event, after));
    } else if (event.kind() == TranslationEvent.Kind.SESSION_ENDS && !same.isEmpty()) {
      same.get(same.size() - 1).end = event.at().toInstant();
    }
  }

  /** Adds what became of a flow here. */
  public void here(Trace trace) {
    Header sent = trace.request().get(0).decisions().get(0).before();
    fates.putIfAbsent(Ends.of(sent), trace);
  }

  /** Compares. */
  public void finish() {
    real.sort(Comparator.comparing(Session::start));
    for (Session session : real) {
      Session seen = session;
      Own one = match(session);
      if (one == null) {
        Session turned = turned(session);
        one = match(turned);
        seen = one == null ? session : turned;
      }
      if (one == null) {
        Trace fate = fates.get(Ends.of(session.before()));
        String why = fate == null ? "" : fate.outcome() + " " + place(fate.decidedBy());
        note(
            new Alike(Kind.NOT_HERE, null, null, why, session.before().protocol()),
            session.start(),
            fitting(session.after()),
            session,
            null,
            fate);
      } else {
        compare(seen, one);
      }
    }
    if (whole) {
      for (List<Own> each : own.values()) {
        each.stream().filter(one -> !one.matched).forEach(this::onlyHere);
      }
    }
  }

  private static String place(@Nullable Placed by) {
    return by == null ? "" : by.place().toString();
  }

  private void onlyHere(Own one) {
    int protocol = one.after.protocol();
    note(
        new Alike(Kind.ONLY_HERE, one.rule(), null, "", protocol),
        one.start(),
        null,
        null,
        one,
        null);
  }

  /** The same session, told by a device that puts the inner end first whoever opened it. */
  private static Session turned(Session session) {
    return new Session(
        session.start(), session.end(), mirrored(session.after()), mirrored(session.before()));
  }

  private static Header mirrored(Header header) {
    return new Packet(
            /* source= */ header.destination(),
            /* sourcePort= */ header.destinationPort(),
            /* destination= */ header.source(),
            /* destinationPort= */ header.sourcePort(),
            header.protocol(),
            header.icmpType(),
            0)
        .header();
  }

  /** The session here that began at about the same time, between the same ends. */
  private @Nullable Own match(Session session) {
    Own best = null;
    for (Own one : own.getOrDefault(Ends.of(session.before()), List.of())) {
      if (!one.matched
          && apart(one, session).compareTo(within) <= 0
          && (best == null || apart(one, session).compareTo(apart(best, session)) < 0)) {
        best = one;
      }
    }
    if (best != null) {
      best.matched = true;
    }
    return best;
  }

  private static Duration apart(Own one, Session session) {
    return Duration.between(one.start(), session.start()).abs();
  }

  private void compare(Session session, Own one) {
    Ends there = Ends.of(session.after());
    Ends here = Ends.of(one.after);
    int protocol = there.protocol();
    if (!there.to().equals(here.to()) || there.toPort() != here.toPort()) {
      note(
          new Alike(
              Kind.OTHER_RECEIVER,
              one.began.destinationRule(),
              null,
              there.to() + " " + there.toPort(),
              protocol),
          session.start(),
          null,
          session,
          one,
          null);
      return;
    }
    if (!mayGive(one, there, here)) {
      TranslationRule fitting = fitting(session.after());
      note(
          new Alike(Kind.OTHER_SOURCE, one.rule(), fitting, "", ANY),
          session.start(),
          fitting,
          session,
          one,
          null);
      return;
    }
    Instant end = session.end();
    if (end == null) {
      endless++;
    } else if (one.end == null
        || one.end.isAfter(end.plus(within))
        || one.end.isBefore(end.minus(within))) {
      boolean earlier = one.end == null || one.end.isAfter(end);
      Kind kind = earlier ? Kind.ENDED_EARLIER : Kind.ENDED_LATER;
      note(
          new Alike(kind, one.rule(), null, "", protocol),
          session.start(),
          null,
          session,
          one,
          null);
      return;
    }
    agreeing++;
  }

  /** Whether the rule that gave a session its source here may have given another one. */
  private boolean mayGive(Own one, Ends there, Ends here) {
    TranslationRule rule = one.began.sourceRule();
    if (there.from().equals(here.from()) && there.fromPort() == here.fromPort()) {
      return true;
    }
    if (rule == null) {
      return false;
    }
    boolean chosen = rule.outward() != null || Objects.equals(rule, one.began.destinationRule());
    boolean anyPort = chosen && !rule.lends();
    return (anyPort || there.fromPort() == here.fromPort())
        && (there.from().equals(here.from()) || (chosen && externals(rule).contains(there.from())));
  }

  private AddressSet externals(TranslationRule rule) {
    return program.translations.givenBy(rule, program);
  }

  /** The first rule that gives a packet its source, or that has it as an external address. */
  private @Nullable TranslationRule fitting(Header after) {
    for (TranslationRule rule : program.device.translation()) {
      InwardRule inward = rule.inward();
      Prefix block = inward == null ? null : inward.block();
      if (!rule.disabled()
          && ((block != null && block.contains(after.source()))
              || externals(rule).contains(after.source()))) {
        return rule;
      }
    }
    return null;
  }

  private void note(
      Alike alike,
      Instant at,
      @Nullable TranslationRule fitting,
      @Nullable Session session,
      @Nullable Own one,
      @Nullable Trace instead) {
    Difference before = found.get(alike);
    found.put(
        alike,
        before == null
            ? new Difference(
                alike.kind(),
                1,
                at,
                at,
                alike.rule() instanceof TranslationRule rule ? rule : null,
                fitting,
                session,
                one == null ? null : one.session(),
                instead)
            : new Difference(
                before.kind(),
                before.sessions() + 1,
                before.first(),
                at.isAfter(before.last()) ? at : before.last(),
                before.rule(),
                before.fitting(),
                before.real(),
                before.here(),
                before.instead()));
  }

  /** The number of sessions of the real device. */
  public long sessions() {
    return real.size();
  }

  /** How many of them the simulated device decided alike. */
  public long agreeing() {
    return agreeing;
  }

  /** Of how many of these the end is not known, and so not compared. */
  public long endless() {
    return endless;
  }

  /** The differences by kind, of one kind those with most sessions first. */
  public List<Difference> differences() {
    List<Difference> all = new ArrayList<>(found.values());
    all.sort(
        Comparator.comparing(Difference::kind)
            .thenComparing(Comparator.comparing(Difference::sessions).reversed())
            .thenComparing(Difference::first));
    return all;
  }
}
