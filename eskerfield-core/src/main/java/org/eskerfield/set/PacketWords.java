// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.BinaryOperator;
import java.util.function.Function;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.set.PacketSet.Box;
import org.eskerfield.set.ServiceWords.Part;
import org.eskerfield.words.Some;
import org.jspecify.annotations.Nullable;

/**
 * Sets of packets in words: from whom, to whom, for what.
 *
 * <p>Idea: a set is taken apart into boxes; those that differ in their sources only become one,
 * then those that differ in their service only, then those that differ in their destination only.
 * What is left is a short list of lines, each true of all its packets.
 */
public final class PacketWords {
  private static final Box.Interval ALL = new Box.Interval(0, -1);

  private static final int MOST_BOXES = 5_000;

  /** Over how many /64 a part of each is told one by one. */
  private static final int MOST_TEETH = 1_024;

  private static final int MOST_LINES = 8;
  private static final int MOST_NAMES = 8;

  /** How many hosts whose addresses follow on one another are told by their names. */
  private static final int MOST_NEIGHBOURS = 3;

  /** How much of something wide may be missing that is told by its name. */
  private static final int MOST_MISSING = 6;

  /** From whom to whom, for which services; parts that agree but in one of these become one. */
  private record Line(AddressSet from, AddressSet to, Set<Part> what, String when) {}

  /** A box but for its sources, and what is to be said of all of it. */
  private record Rest(Map<Dimension, Box.Interval> intervals, String when) {}

  private final Site site;
  private final AddressSet outside;

  /** What no carrier carries and no network of the site has. */
  private final AddressSet elsewhere;

  private final Map<String, AddressSet> members = new LinkedHashMap<>();

  /** The hosts that are named rather than others with the same address in another realm. */
  private final Set<String> getting;

  /** Words for the packets that are sent on a site. */
  public PacketWords(Site site) {
    this(site, Set.of());
  }

  private PacketWords(Site site, Set<String> getting) {
    this.site = site;
    this.getting = Set.copyOf(getting);
    AddressSet owned = Outside.ofDevices(site);
    for (Network network : site.networks().values()) {
      List<Address> unusual = new ArrayList<>(network.carrier());
      for (Prefix prefix : network.prefixes()) {
        if (prefix.isNetworkOrBroadcast(prefix.first())) {
          unusual.addAll(List.of(prefix.first(), prefix.last()));
        }
      }
      members.put(
          network.name(),
          AddressSet.ofPrefixes(network.prefixes())
              .intersection(owned.complement())
              .intersection(AddressSet.ofAddresses(unusual).complement()));
    }
    this.outside = Outside.beyondLinks(site);
    List<Prefix> here = new ArrayList<>();
    site.networks().values().forEach(network -> here.addAll(network.prefixes()));
    this.elsewhere =
        SpecialAddresses.NOT_ON_THE_INTERNET.intersection(AddressSet.ofPrefixes(here).complement());
  }

  /** Addresses as people write them: prefixes where they make up a range, else ranges. */
  public static String addresses(AddressSet set) {
    List<String> texts = new ArrayList<>();
    for (AddressRange range : set.ranges()) {
      Prefix same = range.first().equals(range.last()) ? null : range.prefix();
      texts.add(same == null ? range.toString() : same.toString());
    }
    return String.join(", ", texts);
  }

  /** The service of a packet: {@code ping}, {@code 443/tcp}. */
  public static String service(Packet packet) {
    boolean ports = Protocol.hasPorts(packet.protocol);
    PortSet port = ports ? PortSet.of(packet.destinationPort) : PortSet.ALL;
    return new ServicePart(packet.protocol, port, packet.icmpType).toString();
  }

  /** A line for each part of a set; the last one says if there are more. */
  public List<String> of(PacketSet packets) {
    return cut(
        line -> "from " + senders(line.from) + " to " + receivers(line.to) + ", ",
        packets.boxes(MOST_BOXES + 1));
  }

  /**
   * Who gets the packets of a set, and for which services: a line each, whoever sends them.
   *
   * @param hosts the hosts that may be among those who get them
   */
  public List<String> received(PacketSet packets, Set<String> hosts) {
    return new PacketWords(site, hosts).received(packets);
  }

  private List<String> received(PacketSet packets) {
    PacketSet got =
        packets
            .without(Dimension.SOURCE)
            .without(Dimension.SOURCE_HIGH)
            .without(Dimension.SOURCE_PORT);
    return cut(line -> receivers(line.to) + ": ", got.boxes(MOST_BOXES + 1));
  }

  private List<String> cut(Function<Line, String> begin, List<Box> boxes) {
    List<Line> told = lines(boxes);
    List<String> texts = new ArrayList<>();
    for (Line line : told.subList(0, Math.min(MOST_LINES, told.size()))) {
      String when = line.when.isEmpty() ? "" : ", " + line.when;
      texts.add(begin.apply(line) + ServiceWords.of(line.what) + when);
    }
    boolean cut = boxes.size() > MOST_BOXES;
    if (cut || told.size() > MOST_LINES) {
      texts.add(
          cut ? "and others" : "and others, in " + (told.size() - MOST_LINES) + " more lines");
    }
    return texts;
  }

  private static List<Line> lines(List<Box> boxes) {
    Map<Rest, AddressSet> sources = new LinkedHashMap<>();
    for (Box box : boxes) {
      Map<Dimension, Box.Interval> rest = new LinkedHashMap<>(box.intervals());
      rest.remove(Dimension.SOURCE);
      rest.remove(Dimension.SOURCE_HIGH);
      AddressSet from = addresses(box, Dimension.SOURCE_HIGH, Dimension.SOURCE);
      sources.merge(new Rest(rest, restriction(box)), from, AddressSet::union);
    }
    List<Line> lines = new ArrayList<>();
    sources.forEach(
        (rest, from) -> {
          Box box = new Box(rest.intervals);
          AddressSet to = addresses(box, Dimension.DESTINATION_HIGH, Dimension.DESTINATION);
          lines.add(new Line(from, to, Set.of(Part.of(box)), rest.when));
        });
    // Sets are joined before they are told, so that each is told as a whole.
    List<Line> told =
        joined(lines, line -> List.of(line.from, line.what, line.when), PacketWords::joined);
    told = joined(told, line -> List.of(line.from, line.to, line.when), PacketWords::joined);
    return joined(told, line -> List.of(line.to, line.what, line.when), PacketWords::joined);
  }

  private static List<Line> joined(
      List<Line> lines, Function<Line, Object> alike, BinaryOperator<Line> both) {
    Map<Object, Line> all = new LinkedHashMap<>();
    lines.forEach(line -> all.merge(alike.apply(line), line, both));
    return List.copyOf(all.values());
  }

  private static Line joined(Line one, Line other) {
    Set<Part> what = new LinkedHashSet<>(one.what);
    what.addAll(other.what);
    return new Line(one.from.union(other.from), one.to.union(other.to), what, one.when);
  }

  private static AddressSet addresses(Box box, Dimension upper, Dimension lower) {
    boolean asked =
        box.intervals().containsKey(Dimension.FAMILY) || box.intervals().containsKey(lower);
    return asked ? AddressSet.of(ranges(box, upper, lower)) : AddressSet.ALL;
  }

  /** The addresses of a box; of a wide comb of them, from its first to its last. */
  private static List<AddressRange> ranges(Box box, Dimension upper, Dimension lower) {
    Box.Interval low = box.intervals().getOrDefault(lower, ALL);
    if (!isSix(box)) {
      long top = low.last() == -1 ? 0xffff_ffffL : low.last();
      return List.of(
          new AddressRange(
              new Address(Family.IPV4, 0, low.first()), new Address(Family.IPV4, 0, top)));
    }
    Box.Interval high = box.intervals().getOrDefault(upper, ALL);
    if (!isComb(box, upper, lower) || isWideComb(box, upper, lower)) {
      return List.of(
          new AddressRange(
              new Address(Family.IPV6, high.first(), low.first()),
              new Address(Family.IPV6, high.last(), low.last())));
    }
    List<AddressRange> teeth = new ArrayList<>();
    for (long i = 0; i <= high.last() - high.first(); i++) {
      teeth.add(
          new AddressRange(
              new Address(Family.IPV6, high.first() + i, low.first()),
              new Address(Family.IPV6, high.first() + i, low.last())));
    }
    return teeth;
  }

  /** Whether the IPv6 addresses of a box are parts of several /64, not one after the other. */
  private static boolean isComb(Box box, Dimension upper, Dimension lower) {
    Box.Interval high = box.intervals().getOrDefault(upper, ALL);
    return isSix(box) && box.intervals().containsKey(lower) && high.first() != high.last();
  }

  private static boolean isSix(Box box) {
    Box.Interval family = box.intervals().get(Dimension.FAMILY);
    return family != null && family.first() == 1;
  }

  private static boolean isWideComb(Box box, Dimension upper, Dimension lower) {
    Box.Interval high = box.intervals().getOrDefault(upper, ALL);
    return isComb(box, upper, lower)
        && Long.compareUnsigned(high.last() - high.first(), MOST_TEETH) >= 0;
  }

  /** What is true of some of the packets of a box only, as it is told. */
  private static String restriction(Box box) {
    boolean part =
        isWideComb(box, Dimension.SOURCE_HIGH, Dimension.SOURCE)
            || isWideComb(box, Dimension.DESTINATION_HIGH, Dimension.DESTINATION);
    boolean times = box.intervals().containsKey(Dimension.TIME);
    return times ? "at some times" : part ? "in part" : "";
  }

  // Names.

  private String senders(AddressSet all) {
    String every = every(all);
    if (every != null) {
      return every;
    }
    List<String> names = new ArrayList<>();
    AddressSet rest = wide(all, names);
    for (Map.Entry<String, AddressSet> network : members.entrySet()) {
      AddressSet whole = network.getValue();
      if (!whole.isEmpty() && whole.intersection(rest.complement()).isEmpty()) {
        names.add(network.getKey());
        rest = rest.intersection(whole.complement());
      }
    }
    return Some.of(ranges(rest, names), MOST_NAMES);
  }

  /** Adds the names of what is wide and mostly among some addresses, and gives the rest. */
  private AddressSet wide(AddressSet all, List<String> names) {
    AddressSet rest = all;
    for (Family family : Family.values()) {
      String over = family == Family.IPV4 ? "" : " over IPv6";
      for (boolean carried : new boolean[] {true, false}) {
        AddressSet whole = (carried ? outside : elsewhere).intersection(AddressSet.all(family));
        AddressSet missing = whole.intersection(all.complement());
        int there = whole.intersection(all).ranges().size();
        int not = missing.ranges().size();
        if (not <= MOST_MISSING && not < there) {
          names.add(
              (carried ? "the internet" : "private and special addresses of no network here")
                  + over
                  + (missing.isEmpty() ? "" : " (but for " + named(missing) + ")"));
          rest = rest.intersection(whole.complement());
        }
      }
    }
    return rest;
  }

  /** Adds the names of devices that are whole among some addresses, and then the rest. */
  private List<String> ranges(AddressSet all, List<String> names) {
    AddressSet rest = all;
    for (Device device : site.devices().values()) {
      AddressSet own = AddressSet.ofAddresses(device.addresses());
      if (own.ranges().size() > 1 && own.intersection(rest.complement()).isEmpty()) {
        names.add(device.name() + " itself");
        rest = rest.intersection(own.complement());
      }
    }
    for (AddressRange range : rest.ranges()) {
      List<String> each = each(range);
      if (each.isEmpty()) {
        names.add(name(range));
      }
      names.addAll(each);
    }
    return names;
  }

  /** The names of all addresses of a short range; empty where one has none, or it is longer. */
  private List<String> each(AddressRange range) {
    List<String> names = new ArrayList<>();
    Address next = range.first();
    for (int i = 0; i < MOST_NEIGHBOURS && next != null; i++) {
      String named = named(next, next.toString());
      if (named.equals(next.toString())) {
        return List.of();
      }
      names.add(named);
      if (next.equals(range.last())) {
        return names;
      }
      next = next.next();
    }
    return List.of();
  }

  private String receivers(AddressSet all) {
    String every = every(all);
    if (every != null) {
      return every;
    }
    List<String> names = new ArrayList<>();
    return Some.of(ranges(wide(all, names), names), MOST_NAMES);
  }

  /** The word for every address, or every one of a family; null for fewer. */
  private static @Nullable String every(AddressSet all) {
    for (Family family : Family.values()) {
      if (all.equals(AddressSet.all(family))) {
        return "anywhere over " + family;
      }
    }
    return all.equals(AddressSet.ALL) ? "anywhere" : null;
  }

  private String named(AddressSet all) {
    return Some.of(ranges(all, new ArrayList<>()), MOST_NAMES);
  }

  private String name(AddressRange range) {
    if (range.first().equals(range.last())) {
      return named(range.first(), range.toString());
    }
    Prefix same = range.prefix();
    if (same == null) {
      return range.toString();
    }
    for (Network network : site.networks().values()) {
      if (network.prefixes().contains(same)) {
        return network.name() + " (" + same + ")";
      }
    }
    return same.toString();
  }

  private @Nullable Host hostAt(Address address) {
    for (String each : getting) {
      Host host = site.hosts().get(each);
      if (host != null && host.addresses().contains(address)) {
        return host;
      }
    }
    return site.hostAt(address);
  }

  /** An address, with whose it is: a host's, a device's own, or that of a carrier's router. */
  private String named(Address address, String text) {
    Host host = hostAt(address);
    Device device = site.deviceAt(address);
    String owner = host != null ? host.name() : device != null ? device.name() : null;
    for (Network network : site.networks().values()) {
      owner = network.carrier().contains(address) ? "the carrier of " + network.name() : owner;
    }
    return owner == null ? text : owner + " (" + text + ")";
  }
}
