// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Host;
import org.eskerfield.model.Noted;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.reach.Senders;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * A way from outside to somebody inside: who is reached and for what, by which rules, who asked for
 * it, and whether anything in the file says that it is meant.
 *
 * @param receiver the host or device
 * @param received what arrives, in words; at least one line
 * @param sent the same packets as they are sent, in words; at least one line
 * @param by the rules, lists, own services and defaults that let it through, in the order in which
 *     packets meet them; at least one
 * @param rules the same in words, with their devices and places
 * @param notes the notes of these rules; often empty
 * @param meantBy the expectations and guarantees that speak of it, with their places; empty if
 *     nothing does
 * @param sample one of the packets
 */
public record WayIn(
    String receiver,
    List<String> received,
    List<String> sent,
    List<Placed> by,
    List<String> rules,
    List<String> notes,
    List<String> meantBy,
    Trace sample) {
  private static final int MOST_KINDS = 1_000;

  /** Copies the lists. */
  public WayIn {
    received = List.copyOf(received);
    sent = List.copyOf(sent);
    by = List.copyOf(by);
    rules = List.copyOf(rules);
    notes = List.copyOf(notes);
    meantBy = List.copyOf(meantBy);
  }

  /** A sample conversation that the file expects. */
  public interface Expected {
    /** What is tried, from outside and from inside. */
    List<Attempt> attempts();

    /** What to call it, with its place. */
    String label();
  }

  /** Packets that the same rules let through to the same receiver. */
  private static final class Group {
    final Tries.Found sample;
    final List<PacketSet> received = new ArrayList<>();
    final List<PacketSet> sent = new ArrayList<>();

    Group(Tries.Found sample) {
      this.sample = sample;
    }
  }

  /**
   * The ways in from outside.
   *
   * @param ways the ways in, in the order of the zones of the file
   * @param complete whether these are all; false where there are too many kinds of packets
   */
  public record All(List<WayIn> ways, boolean complete) {
    /** Copies the list. */
    public All {
      ways = List.copyOf(ways);
    }
  }

  /**
   * All ways in.
   *
   * @param expected the expectations of the file
   * @param guarantees the guarantees of the file
   */
  public static All of(
      Tracer tracer, List<? extends Expected> expected, List<Guarantee> guarantees) {
    Proving on = new Proving(tracer, tracer.program());
    Map<String, Group> groups = new LinkedHashMap<>();
    boolean complete = true;
    for (String zone : Reach.zones(on.site)) {
      try {
        complete &= zone.equals(Site.INTERNET) || on.bounded(() -> find(on, zone, groups));
      } catch (UndeterminedException e) {
        complete = false;
      }
    }
    List<WayIn> ways = new ArrayList<>();
    for (Group group : groups.values()) {
      PacketSet received = on.space.union(group.received);
      List<Leg> legs = group.sample.trace().request();
      List<Placed> by =
          BrokenWords.deciding(legs).stream().map(BrokenWords.Deciding::by).distinct().toList();
      Set<String> notes = new LinkedHashSet<>();
      for (Placed each : by) {
        String note = each instanceof Noted noted ? noted.note() : null;
        if (note != null) {
          notes.add(note);
        }
      }
      String receiver = legs.get(legs.size() - 1).where();
      List<String> meant = new ArrayList<>();
      for (Expected each : expected) {
        if (speaksOf(on, each, receiver, received)) {
          meant.add(each.label());
        }
      }
      for (Guarantee each : guarantees) {
        if (speaksOf(on, each, receiver, received)) {
          meant.add("guarantee '" + each.name() + "' (" + each.place() + ")");
        }
      }
      ways.add(
          new WayIn(
              receiver,
              on.words.received(Senders.plain(on.space, received), Set.of(receiver)),
              on.words.of(Senders.plain(on.space, on.space.union(group.sent))),
              by,
              BrokenWords.rules(legs),
              List.copyOf(notes),
              meant,
              group.sample.trace()));
    }
    return new All(ways, complete);
  }

  /** Finds the ways into a zone; false if there may be more. */
  private static boolean find(Proving on, String zone, Map<String, Group> groups) {
    Guarantee never =
        Guarantee.called(Guarantee.Kind.NEVER, zone)
            .from(List.of(Reach.zone(Site.INTERNET)))
            .to(List.of(Reach.zone(zone)))
            .honest(true)
            .build();
    return new Tries(on, new Meant(on, never))
        .arriving(
            on.askable(),
            MOST_KINDS,
            (by, kind) -> {
              List<Leg> legs = kind.trace().request();
              String key = legs.get(legs.size() - 1).where() + BrokenWords.rules(legs);
              Tries.Found found = new Tries.Found(by, kind.sent(), List.of(), kind.trace());
              Group group = groups.computeIfAbsent(key, k -> new Group(found));
              group.received.add(kind.arrived(kind.packets()));
              group.sent.add(kind.packets());
            });
  }

  private static boolean speaksOf(
      Proving on, Expected expected, String receiver, PacketSet received) {
    for (Attempt attempt : expected.attempts()) {
      Trace trace =
          attempt.sender() instanceof Host host && host.isOutside() ? opening(on, attempt) : null;
      if (trace == null) {
        continue;
      }
      List<Leg> legs = trace.request();
      Header got = Leg.last(legs).after();
      if (legs.get(legs.size() - 1).where().equals(receiver)
          && received
              .withoutAllBut(
                  Dimension.FAMILY,
                  Dimension.PROTOCOL,
                  Dimension.DESTINATION,
                  Dimension.DESTINATION_PORT)
              .contains(Packet.of(got), 0, 0, attempt.at())) {
        return true;
      }
    }
    return false;
  }

  private static @Nullable Trace opening(Proving on, Attempt attempt) {
    return on.tracer.converse(attempt).opening();
  }

  private static boolean speaksOf(
      Proving on, Guarantee guarantee, String receiver, PacketSet received) {
    boolean names =
        guarantee.kind() == Guarantee.Kind.ALWAYS
            && covers(on, guarantee.to(), receiver)
            && received.meets(on.space.services(guarantee.services()));
    for (Guarantee.Exempt each : guarantee.except()) {
      names |=
          guarantee.kind() == Guarantee.Kind.ONLY
              && covers(on, each.to(), receiver)
              && received.meets(on.space.services(each.services()));
    }
    return names;
  }

  private static boolean covers(Proving on, List<AddressTerm> to, String receiver) {
    Ends.Receivers meant = on.ends.receivers(to);
    return meant.hosts().containsKey(receiver) || meant.devices().containsKey(receiver);
  }
}
