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
  private static final int MOST_BOXES = 5_000;
  private static final int MOST_LINES = 8;
  private static final int MOST_NAMES = 8;

  /** How much of something wide may be missing that is told by its name. */
  private static final int MOST_MISSING = 6;

  private static final String OTHERS = "other protocols";

  /** From whom to whom, for which services; parts that agree but in one of these become one. */
  private record Line(AddressSet from, AddressSet to, Set<String> what, String when) {}

  private final Site site;
  private final AddressSet outside;

  /** What no carrier carries and no network of the site has. */
  private final AddressSet elsewhere;

  private final Map<String, AddressSet> members = new LinkedHashMap<>();

  /** Words for the packets that are sent on a site. */
  public PacketWords(Site site) {
    this.site = site;
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

  /** What a packet is for: {@code ping}, {@code 443/tcp}. */
  public static String service(Packet packet) {
    boolean ports = Protocol.hasPorts(packet.protocol);
    PortSet port = ports ? PortSet.of(packet.destinationPort) : PortSet.ALL;
    return new ServicePart(packet.protocol, port, packet.icmpType).toString();
  }

  /** A line for each part of a set; the last one says if there are more. */
  public List<String> of(PacketSet packets) {
    List<Box> boxes = packets.boxes(MOST_BOXES + 1);
    boolean cut = boxes.size() > MOST_BOXES;
    Map<Map<Dimension, Box.Interval>, AddressSet> sources = new LinkedHashMap<>();
    for (Box box : boxes) {
      Map<Dimension, Box.Interval> rest = new LinkedHashMap<>(box.intervals());
      rest.remove(Dimension.SOURCE);
      rest.remove(Dimension.SOURCE_HIGH);
      AddressSet from = addresses(box, Dimension.SOURCE_HIGH, Dimension.SOURCE);
      sources.merge(rest, from, AddressSet::union);
    }
    List<Line> lines = new ArrayList<>();
    sources.forEach(
        (rest, from) -> {
          Box box = new Box(rest);
          AddressSet to = addresses(box, Dimension.DESTINATION_HIGH, Dimension.DESTINATION);
          String when = rest.containsKey(Dimension.TIME) ? "at some times" : "";
          lines.add(new Line(from, to, Set.of(service(box)), when));
        });
    // Sets are joined before they are told, so that each is told as a whole.
    List<Line> told =
        joined(lines, line -> List.of(line.from, line.what, line.when), PacketWords::joined);
    told = joined(told, line -> List.of(line.from, line.to, line.when), PacketWords::joined);
    told = joined(told, line -> List.of(line.to, line.what, line.when), PacketWords::joined);
    List<String> texts = new ArrayList<>();
    for (Line line : told.subList(0, Math.min(MOST_LINES, told.size()))) {
      String when = line.when.isEmpty() ? "" : ", " + line.when;
      texts.add(
          "from "
              + senders(line.from)
              + " to "
              + receivers(line.to)
              + ", "
              + services(line)
              + when);
    }
    if (cut || told.size() > MOST_LINES) {
      texts.add(
          cut ? "and others" : "and others, in " + (told.size() - MOST_LINES) + " more lines");
    }
    return texts;
  }

  private static List<Line> joined(
      List<Line> lines, Function<Line, Object> alike, BinaryOperator<Line> both) {
    Map<Object, Line> all = new LinkedHashMap<>();
    lines.forEach(line -> all.merge(alike.apply(line), line, both));
    return List.copyOf(all.values());
  }

  private static Line joined(Line one, Line other) {
    Set<String> what = new LinkedHashSet<>(one.what);
    what.addAll(other.what);
    return new Line(one.from.union(other.from), one.to.union(other.to), what, one.when);
  }

  private static String services(Line line) {
    List<String> what = new ArrayList<>(line.what);
    if (what.contains(OTHERS)) {
      what.removeIf(value -> value.startsWith("protocol "));
    }
    return Some.of(what, MOST_NAMES);
  }

  private static AddressSet addresses(Box box, Dimension upper, Dimension lower) {
    boolean asked =
        box.intervals().containsKey(Dimension.FAMILY) || box.intervals().containsKey(lower);
    return asked ? AddressSet.of(List.of(range(box, upper, lower))) : AddressSet.ALL;
  }

  private static AddressRange range(Box box, Dimension upper, Dimension lower) {
    Box.Interval family = box.intervals().get(Dimension.FAMILY);
    boolean six = family != null && family.first() == 1;
    Box.Interval low = box.intervals().get(lower);
    Box.Interval high = box.intervals().get(upper);
    if (six) {
      return new AddressRange(
          new Address(Family.IPV6, high == null ? 0 : high.first(), low == null ? 0 : low.first()),
          new Address(Family.IPV6, high == null ? -1 : high.last(), low == null ? -1 : low.last()));
    }
    long top = low == null || low.last() == -1 ? 0xffff_ffffL : low.last();
    return new AddressRange(
        new Address(Family.IPV4, 0, low == null ? 0 : low.first()),
        new Address(Family.IPV4, 0, top));
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
              (carried ? "the internet" : "addresses that are not on the internet")
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
      names.add(name(range));
    }
    return names;
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

  /** An address, with whose it is: a host's, a device's own, or that of a carrier's router. */
  private String named(Address address, String text) {
    Host host = site.hostAt(address);
    Device device = site.deviceAt(address);
    String owner = host != null ? host.name() : device != null ? device.name() : null;
    for (Network network : site.networks().values()) {
      owner = network.carrier().contains(address) ? "the carrier of " + network.name() : owner;
    }
    return owner == null ? text : owner + " (" + text + ")";
  }

  private static String service(Box box) {
    Box.Interval protocol = box.intervals().get(Dimension.PROTOCOL);
    Box.Interval ports = box.intervals().get(Dimension.DESTINATION_PORT);
    String from = sourcePorts(box);
    if (protocol == null || protocol.first() != protocol.last()) {
      return (protocol == null ? "every service" : OTHERS) + from;
    }
    int number = (int) protocol.first();
    if (Protocol.isIcmp(number)) {
      return "ping" + from;
    }
    if (ports == null) {
      return Protocol.name(number) + from;
    }
    int last = ports.last() == -1 ? PortSet.HIGHEST : (int) ports.last();
    return PortSet.range((int) ports.first(), last) + "/" + Protocol.name(number) + from;
  }

  private static String sourcePorts(Box box) {
    Box.Interval ports = box.intervals().get(Dimension.SOURCE_PORT);
    if (ports == null) {
      return "";
    }
    int last = ports.last() == -1 ? PortSet.HIGHEST : (int) ports.last();
    return " from port " + PortSet.range((int) ports.first(), last);
  }
}
