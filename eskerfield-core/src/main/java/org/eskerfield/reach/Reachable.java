// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.reach;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.compare.ChangedFates;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.reach.Fates.Fate;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.PacketWords;
import org.eskerfield.set.Times;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.EveryPacket;

/**
 * Everything on a site that the internet reaches.
 *
 * <p>Idea: as in {@link ChangedFates}. Of the packets that somebody outside can send to addresses
 * of the site, take one, trace it, and take away all that share its fate; go on until none is left.
 * Cost: the number of different fates.
 *
 * @param entries who is reached; those that answer first, then in the order of their names
 * @param complete whether every packet was covered; false where there are too many kinds of them
 */
public record Reachable(List<Entry> entries, boolean complete) {
  private static final int MOST_KINDS = 4_000;
  private static final int MOST_INTERVALS = 20_000_000;

  /**
   * Somebody who is reached.
   *
   * @param receiver the host or device, or its address where the site does not name it
   * @param outcome what becomes of the packets: {@link Outcome#ANSWERED}, or that they arrive and
   *     are refused or left unanswered
   * @param packets which they are as they are sent, in words; at least one line
   * @param sample one of them, traced
   */
  public record Entry(String receiver, Outcome outcome, List<String> packets, Trace sample) {
    /** Copies the lines. */
    public Entry {
      packets = List.copyOf(packets);
    }
  }

  /** Copies the list. */
  public Reachable {
    entries = List.copyOf(entries);
  }

  /** What hosts of the internet reach that block nothing themselves. */
  public static Reachable fromOutside(Site site) {
    Times times =
        new Times(List.copyOf(site.schedules().values()), VirtualClock.start(site.timeZone()));
    PacketSpace space = new PacketSpace(EveryPacket.numbers(site), times);
    Fates fates = new Fates(site, space, 0);
    Origin outside = Origin.on(null, Outside.beyondLinks(site));
    Map<String, PacketSet> packets = new LinkedHashMap<>();
    Map<String, Trace> samples = new LinkedHashMap<>();
    boolean complete = true;
    space.allow(MOST_INTERVALS);
    try {
      PacketSet rest =
          Senders.askable(space)
              .intersection(space.sources(outside.sources()))
              .intersection(space.destinations(external(site)));
      for (int kinds = 0; !rest.isEmpty(); kinds++) {
        if (kinds >= MOST_KINDS) {
          complete = false;
          break;
        }
        PacketSet.Member member = Objects.requireNonNull(rest.sample());
        Fate fate = fates.of(outside, member);
        // The packet itself is always of its kind, so that this comes to an end.
        PacketSet cell =
            rest.intersection(fate.like())
                .union(rest.intersection(space.only(member).without(Dimension.ARRIVING)));
        rest = rest.minus(cell);
        Endpoint to = fate.trace().deliveredTo();
        if (to != null) {
          String name = to.name() == null ? to.address().toString() : to.name();
          String key = fate.trace().outcome().compareTo(Outcome.ANSWERED) + " " + name;
          packets.merge(key, cell, PacketSet::union);
          samples.putIfAbsent(key, fate.trace());
        }
      }
    } catch (UndeterminedException e) {
      complete = false;
    } finally {
      space.allow(Integer.MAX_VALUE);
    }
    PacketWords words = new PacketWords(site);
    List<Entry> entries = new ArrayList<>();
    packets.keySet().stream()
        .sorted()
        .forEach(
            key -> {
              Trace sample = Objects.requireNonNull(samples.get(key));
              entries.add(
                  new Entry(
                      key.substring(key.indexOf(' ') + 1),
                      sample.outcome(),
                      words.of(Senders.plain(space, Objects.requireNonNull(packets.get(key)))),
                      sample));
            });
    return new Reachable(entries, complete);
  }

  /**
   * The addresses of the site to which carriers may carry something; their own are not among them.
   */
  private static AddressSet external(Site site) {
    AddressSet all = Outside.routedHere(site);
    AddressSet carriers = AddressSet.NONE;
    for (Network network : site.networks().values()) {
      all = all.union(AddressSet.ofPrefixes(network.prefixes()));
      carriers = carriers.union(AddressSet.ofAddresses(network.carrier()));
    }
    return all.intersection(carriers.complement());
  }
}
