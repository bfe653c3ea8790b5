// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Place;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.reach.Senders;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * Who reaches whom on a site, and for what: packets that open something, from senders who write
 * their own address, while nothing else goes on. What arrives counts, whether or not anything
 * listens there.
 *
 * <p>Idea: as in {@link Prohibition}, sets tell what may arrive; one packet of each kind is sent,
 * and those that arrive are told.
 */
public final class Reach {
  private static final int MOST_KINDS = 400;

  /**
   * The traffic from one place to another.
   *
   * @param from who sends: a zone, or what was asked for
   * @param to who receives it
   * @param received the packets as they arrive, in words; empty if none do
   * @param sent the same packets as they are sent
   * @param sample one of the packets; null if there is none
   * @param rules the rules that let the sample through, in words with their places; empty if there
   *     are none
   * @param complete whether these are all
   * @param near whether some of both are on one network, where no device decides
   */
  public record Cell(
      String from,
      String to,
      List<String> received,
      List<String> sent,
      @Nullable Trace sample,
      List<String> rules,
      boolean complete,
      boolean near) {
    /** Copies the lists. */
    public Cell {
      received = List.copyOf(received);
      sent = List.copyOf(sent);
      rules = List.copyOf(rules);
    }
  }

  /**
   * The question: from whom, to whom, for which service, at what time.
   *
   * @param from who sends; empty for every zone, each on its own
   * @param to who gets it; empty for every zone, each on its own
   * @param services for which services, as they arrive; empty for every one
   * @param at when; null for whenever
   */
  public record Asked(
      List<AddressTerm> from,
      List<AddressTerm> to,
      List<ServiceTerm> services,
      @Nullable ZonedDateTime at) {
    /** Every zone, every service, whenever. */
    public static final Asked EVERYTHING = new Asked(List.of(), List.of(), List.of(), null);

    /** Copies the lists. */
    public Asked {
      from = List.copyOf(from);
      to = List.copyOf(to);
      services = List.copyOf(services);
    }
  }

  private final Proving on;
  private final @Nullable Proving before;
  private final Asked asked;

  private Reach(Proving on, @Nullable Proving before, Asked asked) {
    this.on = on;
    this.before = before;
    this.asked = asked;
  }

  /** Who reaches whom: a cell for each pair that is asked about, in the order of the file. */
  public static List<Cell> of(Tracer tracer, Asked asked) {
    return new Reach(new Proving(tracer, tracer.program()), null, asked).cells();
  }

  /**
   * Who else reaches whom where a device, list or rule fails open, so that it lets through whatever
   * comes to it: only what gets through then and does not now.
   *
   * @param failing what fails, see {@link FailedOpen#names}
   * @throws IllegalArgumentException if nothing has this name
   */
  public static List<Cell> ifOpen(Tracer tracer, Asked asked, String failing) {
    Proving before = new Proving(tracer, tracer.program());
    Tracer open = tracer.on(FailedOpen.of(tracer.site(), failing));
    return new Reach(new Proving(open, open.program(), before.space), before, asked).cells();
  }

  private List<Cell> cells() {
    List<Cell> cells = new ArrayList<>();
    for (List<AddressTerm> to : each(asked.to)) {
      cells.addAll(cells(to));
    }
    List<String> order = each(asked.from).stream().map(Reach::name).toList();
    cells.sort((a, b) -> Integer.compare(order.indexOf(a.from), order.indexOf(b.from)));
    return cells;
  }

  private List<List<AddressTerm>> each(List<AddressTerm> terms) {
    if (!terms.isEmpty()) {
      return List.of(terms);
    }
    List<List<AddressTerm>> zones = new ArrayList<>();
    for (String zone : zones(on.site)) {
      zones.add(List.of(zone(zone)));
    }
    return zones;
  }

  /** A zone as a term. */
  static AddressTerm zone(String name) {
    return new AddressTerm(AddressTerm.Kind.ZONE, name, AddressSet.NONE, Place.IN_CODE);
  }

  /** The zones of a site that somebody is in, the internet first. */
  public static List<String> zones(Site site) {
    Set<String> zones = new LinkedHashSet<>(List.of(Site.INTERNET));
    site.networks().values().stream().map(Network::zone).forEach(zones::add);
    return List.copyOf(zones);
  }

  private static String name(List<AddressTerm> terms) {
    return String.join(", ", terms.stream().map(AddressTerm::text).toList());
  }

  private List<Cell> cells(List<AddressTerm> to) {
    List<Cell> cells = new ArrayList<>();
    for (List<AddressTerm> from : each(asked.from)) {
      Guarantee never =
          Guarantee.called(Guarantee.Kind.NEVER, name(from) + " to " + name(to))
              .from(from)
              .to(to)
              .services(asked.services)
              .honest(true)
              .build();
      try {
        cells.add(on.bounded(() -> cell(name(from), name(to), never)));
      } catch (UndeterminedException e) {
        cells.add(
            new Cell(name(from), name(to), List.of(), List.of(), null, List.of(), false, false));
      }
    }
    return cells;
  }

  private Cell cell(String from, String to, Guarantee never) {
    PacketSpace space = on.space;
    Meant meant = new Meant(on, never);
    Map<Ways.Entry, PacketSet> known = new HashMap<>();
    boolean complete =
        before == null
            || new Tries(before, new Meant(before, never))
                .arriving(
                    before.askable(),
                    MOST_KINDS,
                    (by, kind) -> known.merge(by, kind.packets(), PacketSet::union));
    ZonedDateTime at = asked.at;
    PacketSet when = at == null ? space.all() : space.at(at);
    List<PacketSet> sent = new ArrayList<>();
    List<PacketSet> received = new ArrayList<>();
    List<Trace> samples = new ArrayList<>();
    complete &=
        new Tries(on, meant)
            .arriving(
                on.askable().intersection(when),
                MOST_KINDS,
                (by, kind) -> {
                  PacketSet fresh = kind.packets().minus(known.getOrDefault(by, space.none()));
                  PacketSet got = kind.arrived(fresh).intersection(told(by, kind));
                  if (!got.isEmpty()) {
                    sent.add(fresh);
                    received.add(got);
                    samples.add(kind.trace());
                  }
                });
    Trace sample = samples.isEmpty() ? null : samples.get(0);
    PacketSet all = Senders.plain(space, space.union(sent));
    return new Cell(
        from,
        to,
        received.isEmpty()
            ? List.of()
            : on.words.received(
                Senders.plain(space, space.union(received)), meant.receivers.hosts().keySet()),
        sent.isEmpty() ? List.of() : on.words.of(all),
        sample,
        sample == null ? List.of() : BrokenWords.rules(sample.request()),
        complete,
        isNear(meant));
  }

  /**
   * Which packets of a kind are told: not those of one network, between whom no device need stand,
   * and of those to nobody whom the file describes only what carriers carry.
   */
  private PacketSet told(Ways.Entry by, Kinds.Kind kind) {
    List<Leg> legs = kind.trace().request();
    String where = legs.get(legs.size() - 1).where();
    Host host = on.site.hosts().get(where);
    if (host != null) {
      return host.isOn(by.own().network()) ? on.space.none() : on.space.all();
    }
    return on.site.devices().containsKey(where)
        ? on.space.all()
        : on.space.destinations(Outside.beyondLinks(on.site));
  }

  private boolean isNear(Meant meant) {
    for (Network network : on.site.networks().values()) {
      PacketSet sent = meant.sent(network);
      if (!sent.isEmpty() && meant.direct(network, sent) != null) {
        return true;
      }
    }
    return false;
  }
}
