// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.reach.Fates;
import org.eskerfield.reach.Fates.Fate;
import org.eskerfield.reach.Origin;
import org.eskerfield.reach.Senders;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Times;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.EveryPacket;
import org.jspecify.annotations.Nullable;

/**
 * Every packet whose fate changes from one site to another.
 *
 * <p>Idea: of the packets that somebody can send, take one, find its fate on both sites ({@link
 * Fates}) and all packets that share both, and take these away; go on until none is left. So every
 * packet is covered once, by one whose way was traced. Cost: the number of different pairs of
 * fates, times two traces and some set operations; packets that no difference can touch ({@link
 * Focus}) are left out beforehand.
 *
 * @param changes packets whose fate changes, like ones grouped, the gravest first
 * @param kinds the number of different pairs of fates
 * @param uncovered what was not compared, in words: hosts of networks that only one site has or
 *     that are numbered differently, and established sessions where state settings differ; often
 *     empty
 * @param complete whether every packet was compared; false where there are too many kinds of
 *     packets
 */
public record ChangedFates(
    List<ChangedFate> changes, int kinds, List<String> uncovered, boolean complete) {
  private static final int MOST_KINDS = 20_000;
  private static final int MOST_INTERVALS = 40_000_000;

  /** Copies the list. */
  public ChangedFates {
    changes = List.copyOf(changes);
    uncovered = List.copyOf(uncovered);
  }

  /** The packets by which somebody loses what worked: not answered any more, or by another. */
  public List<ChangedFate> losses() {
    return changes.stream()
        .filter(each -> each.before().outcome() == Outcome.ANSWERED)
        .filter(
            each ->
                each.kind() == ChangedFate.Kind.SHUT
                    || each.kind() == ChangedFate.Kind.OTHER_RECEIVER)
        .toList();
  }

  /** Hears how far the work has come. */
  public interface Progress {
    /**
     * Some senders are begun with.
     *
     * @param who the sender that is compared now
     * @param done the number of senders done
     * @param of the number of senders in all
     */
    void begins(String who, int done, int of);
  }

  /**
   * Compares two sites. Senders are those of networks that both have, routers of carriers and the
   * devices themselves included, and those of the internet; first packets of TCP, UDP, pings, and
   * protocols without ports; flows that no device knows yet.
   */
  public static ChangedFates between(Site before, Site after, Progress progress) {
    return new Search(before, after).search(progress);
  }

  private static final class Search {
    private final Site before;
    private final Site after;
    private final PacketSpace space;
    private final Fates old;
    private final Fates now;
    private final Map<String, List<Piece>> found = new LinkedHashMap<>();
    private int kinds;

    private record Piece(
        PacketSet packets, Origin origin, PacketSet.Member sample, boolean answered) {}

    Search(Site before, Site after) {
      this.before = before;
      this.after = after;
      List<Schedule> schedules = new ArrayList<>(before.schedules().values());
      schedules.addAll(after.schedules().values());
      ZonedDateTime usual = VirtualClock.start(after.timeZone());
      int numbers = EveryPacket.numbers(before);
      this.space =
          new PacketSpace(numbers + EveryPacket.numbers(after), new Times(schedules, usual));
      this.old = new Fates(before, space, 0);
      this.now = new Fates(after, space, numbers);
    }

    ChangedFates search(Progress progress) {
      boolean complete = true;
      List<Origin> origins = origins();
      space.allow(MOST_INTERVALS);
      try {
        PacketSet focus = new Focus(before, after, old, now, space).packets();
        for (int i = 0; i < origins.size(); i++) {
          Origin origin = origins.get(i);
          progress.begins(origin.name(), i, origins.size());
          complete &= search(origin, focus);
        }
      } catch (UndeterminedException e) {
        complete = false;
      } finally {
        space.allow(Integer.MAX_VALUE);
      }
      List<ChangedFate> changes = new ArrayList<>();
      for (List<Piece> pieces : found.values()) {
        changes.add(change(pieces));
      }
      changes.sort(Comparator.comparing(ChangedFate::kind));
      return new ChangedFates(changes, kinds, uncovered(), complete);
    }

    private boolean search(Origin origin, PacketSet focus) {
      PacketSet rest =
          Senders.askable(space).intersection(space.sources(origin.sources())).intersection(focus);
      while (!rest.isEmpty()) {
        if (kinds >= MOST_KINDS) {
          return false;
        }
        kinds++;
        PacketSet.Member sample = Objects.requireNonNull(rest.sample());
        Fate was = old.of(origin, sample);
        Fate is = now.of(origin, sample);
        PacketSet cell = rest.intersection(was.like()).intersection(is.like());
        cell = evenly(cell, was, is);
        PacketSet here = space.only(sample).without(Dimension.ARRIVING);
        if (!cell.meets(here)) {
          throw new IllegalStateException(
              "a packet does not share its own fate: " + sample.packet().header());
        }
        rest = rest.minus(cell);
        if (!isSame(was, is)) {
          found
              .computeIfAbsent(key(was, is), k -> new ArrayList<>())
              .add(new Piece(cell, origin, sample, is.trace().outcome() == Outcome.ANSWERED));
        }
      }
      return true;
    }

    /**
     * The part of a cell in which both packets go to one end, or to two, as those of the sample do:
     * where only one of the sites leads to a fixed address or port, the other may happen to agree.
     */
    private PacketSet evenly(PacketSet cell, Fate was, Fate is) {
      Endpoint then = was.trace().deliveredTo();
      Endpoint there = is.trace().deliveredTo();
      if (then == null || there == null) {
        return cell;
      }
      PacketSet even = cell;
      if ((was.to() == null) != (is.to() == null)) {
        Address fixed = was.to() != null ? then.address() : there.address();
        even = evenly(even, was.to() != null ? is : was, space.destinations(AddressSet.of(fixed)));
      }
      if (Protocol.hasPorts(then.protocol()) && (was.toPort() == null) != (is.toPort() == null)) {
        int fixed = was.toPort() != null ? then.port() : there.port();
        PacketSet port = space.where(Dimension.DESTINATION_PORT, fixed, fixed);
        even = evenly(even, was.toPort() != null ? is : was, port);
      }
      return even;
    }

    /**
     * The part of a cell whose packets lie, on the other site, in a set as that of the fate does.
     */
    private PacketSet evenly(PacketSet cell, Fate other, PacketSet fixed) {
      PacketSet same = other.sentAs(fixed);
      PacketSet sample = space.only(member(other.trace())).without(Dimension.ARRIVING);
      return same.meets(sample) ? cell.intersection(same) : cell.minus(same);
    }

    private static PacketSet.Member member(Trace trace) {
      Header sent = trace.request().get(0).decisions().get(0).before();
      return new PacketSet.Member(Packet.of(sent), 0, 0, trace.question().at());
    }

    private static boolean isSame(Fate was, Fate is) {
      Trace a = was.trace();
      Trace b = is.trace();
      Endpoint seenThen = a.seenAs();
      Endpoint seenNow = b.seenAs();
      boolean seen =
          (was.seen() != null || is.seen() != null)
              ? Objects.equals(was.seen(), is.seen())
              : Objects.equals(at(seenThen), at(seenNow));
      return a.outcome() == b.outcome()
          && was.rules().equals(is.rules())
          && Objects.equals(at(a.deliveredTo()), at(b.deliveredTo()))
          && seen;
    }

    private static String at(@Nullable Endpoint end) {
      return end == null ? "" : end.address() + " " + end.port();
    }

    /**
     * Changes that are told as one: the same ends, for the same rules that come or go. Where only
     * the sender looks otherwise, or other rules decide, how it ends does not part them.
     */
    private static String key(Fate was, Fate is) {
      List<String> removed = new ArrayList<>(was.rules());
      removed.removeAll(is.rules());
      List<String> fresh = new ArrayList<>(is.rules());
      fresh.removeAll(was.rules());
      ChangedFate.Kind kind = ChangedFate.kind(was.trace(), is.trace());
      StringBuilder key = new StringBuilder();
      key.append(kind).append(' ').append(removed).append(' ').append(fresh);
      if (kind == ChangedFate.Kind.OTHER_LOOK && was.seen() != null && is.seen() != null) {
        return key.append(address(was.trace())).append(' ').append(address(is.trace())).toString();
      } else if (kind == ChangedFate.Kind.OTHER_LOOK || kind == ChangedFate.Kind.OTHER_WAY) {
        return key.toString();
      }
      key.append(' ').append(was.trace().outcome()).append(' ').append(is.trace().outcome());
      if (removed.isEmpty() && fresh.isEmpty()) {
        // No rule comes or goes: a host, a route or an address changes it.
        key.append(last(was.trace())).append(' ').append(last(is.trace()));
        key.append(name(was.trace())).append(' ').append(name(is.trace()));
      }
      return key.toString();
    }

    private static String address(Trace trace) {
      return Objects.requireNonNull(trace.seenAs()).address().toString();
    }

    private static String name(Trace trace) {
      Endpoint to = trace.deliveredTo();
      return to == null || to.name() == null ? "" : to.name();
    }

    private static String last(Trace trace) {
      List<Leg> legs = trace.reply().isEmpty() ? trace.request() : trace.reply();
      Leg leg = legs.get(legs.size() - 1);
      return leg.decisions().get(leg.decisions().size() - 1).ruling().code();
    }

    private ChangedFate change(List<Piece> pieces) {
      List<PacketSet> sets = new ArrayList<>();
      List<Piece> likely = new ArrayList<>(pieces);
      likely.sort(Comparator.comparing(piece -> !piece.answered)); // a sample is to succeed
      Piece chosen = likely.get(0);
      PacketSet.Member sample = chosen.sample;
      boolean named = false;
      for (Piece piece : likely) {
        sets.add(piece.packets);
        PacketSet.Member better = named ? null : named(piece);
        if (better != null) {
          chosen = piece;
          sample = better;
          named = true;
        }
      }
      Trace was = old.of(chosen.origin, sample).trace();
      Trace is = now.of(chosen.origin, sample).trace();
      return new ChangedFate(
          Senders.plain(space, space.union(sets)), was, is, Fates.rules(was), Fates.rules(is));
    }

    /** A packet from a sender that the file describes, if there is one. */
    private PacketSet.@Nullable Member named(Piece piece) {
      List<Address> described = new ArrayList<>();
      after.hosts().values().forEach(host -> described.addAll(host.addresses()));
      PacketSet senders = space.sources(AddressSet.ofAddresses(described));
      return piece.packets.intersection(senders).sample();
    }

    /** Networks of one site only, or of other addresses on each; other ways to keep sessions. */
    private List<String> uncovered() {
      List<String> uncovered = new ArrayList<>();
      for (Network network : before.networks().values()) {
        Network is = after.networks().get(network.name());
        if (is == null) {
          uncovered.add("what is sent from network '" + network.name() + "', which is gone");
        } else if (!network.prefixes().equals(is.prefixes())) {
          uncovered.add(
              "what is sent from network '"
                  + network.name()
                  + "' but for addresses that it has on both: "
                  + texts(network.prefixes())
                  + ", now "
                  + texts(is.prefixes()));
        }
      }
      for (Network network : after.networks().values()) {
        if (!before.networks().containsKey(network.name())) {
          uncovered.add("what is sent from network '" + network.name() + "', which is new");
        }
      }
      for (Device device : after.devices().values()) {
        Device was = before.devices().get(device.name());
        if (was != null) {
          Differences.sessions(was.state(), device.state())
              .forEach(
                  each ->
                      uncovered.add(
                          "later packets of sessions of "
                              + device.name()
                              + ": "
                              + each.name()
                              + " "
                              + each.before()
                              + ", now "
                              + each.after()));
        }
      }
      return uncovered;
    }

    private static String texts(List<Prefix> prefixes) {
      return String.join(", ", prefixes.stream().map(Prefix::toString).toList());
    }

    // Who sends.

    private List<Origin> origins() {
      List<Origin> origins = new ArrayList<>();
      AddressSet devices = Outside.ofDevices(before).union(Outside.ofDevices(after));
      Set<String> peculiar = new HashSet<>();
      for (Site site : List.of(before, after)) {
        site.hosts().values().stream()
            .filter(SiteProgram::isPeculiar)
            .forEach(host -> peculiar.add(host.name()));
      }
      AddressSet unusual = AddressSet.NONE;
      for (String name : peculiar) {
        unusual = unusual.union(addressesOf(before, name)).union(addressesOf(after, name));
      }
      for (Network network : after.networks().values()) {
        Network was = before.networks().get(network.name());
        if (was == null) {
          continue;
        }
        AddressSet members =
            members(network.prefixes())
                .intersection(members(was.prefixes()))
                .intersection(devices.complement())
                .intersection(unusual.complement());
        if (!members.isEmpty()) {
          origins.add(Origin.on(network.name(), members));
        }
      }
      for (String name : peculiar) {
        Origin origin = origin(name);
        if (origin != null) {
          origins.add(origin);
        }
      }
      AddressSet outside =
          Outside.beyondLinks(before)
              .intersection(Outside.beyondLinks(after))
              .intersection(unusual.complement());
      origins.add(Origin.on(null, outside));
      for (Device device : after.devices().values()) {
        Device was = before.devices().get(device.name());
        AddressSet own = AddressSet.ofAddresses(device.addresses());
        if (was != null) {
          own = own.intersection(AddressSet.ofAddresses(was.addresses()));
          origins.add(Origin.of(device, own));
        }
      }
      return origins;
    }

    private static AddressSet addressesOf(Site site, String host) {
      Host known = site.hosts().get(host);
      return known == null ? AddressSet.NONE : AddressSet.ofAddresses(known.addresses());
    }

    private static AddressSet members(List<Prefix> prefixes) {
      List<Address> ends = new ArrayList<>();
      for (Prefix prefix : prefixes) {
        if (prefix.isNetworkOrBroadcast(prefix.first())) {
          ends.addAll(List.of(prefix.first(), prefix.last()));
        } else if (prefix.isRouterAnycast(prefix.first())) {
          ends.add(prefix.first());
        }
      }
      return AddressSet.ofPrefixes(prefixes)
          .intersection(AddressSet.ofAddresses(ends).complement());
    }

    private @Nullable Origin origin(String name) {
      Host is = after.hosts().get(name);
      Host was = before.hosts().get(name);
      if (is == null || was == null) {
        return null; // who is not on both sites sends on one of them only
      }
      AddressSet both =
          AddressSet.ofAddresses(is.addresses())
              .intersection(AddressSet.ofAddresses(was.addresses()));
      String network = is.networks().isEmpty() ? null : is.networks().get(0).name();
      return both.isEmpty() ? null : new Origin(network, name, null, both);
    }
  }
}
