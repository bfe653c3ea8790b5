// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
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
  private static final String OTHERS = "other protocols";

  /** Lines that say the same but for one part are told as one. */
  private record Line(String from, String to, String what, String when) {}

  private final Site site;
  private final AddressSet outside;
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
    Set<Line> lines = new LinkedHashSet<>();
    sources.forEach(
        (rest, from) -> {
          Box box = new Box(rest);
          AddressSet to = addresses(box, Dimension.DESTINATION_HIGH, Dimension.DESTINATION);
          lines.add(
              new Line(
                  senders(from),
                  receivers(to),
                  service(box),
                  rest.containsKey(Dimension.TIME) ? "at some times" : ""));
        });
    List<Line> merged = merged(List.copyOf(lines), "what");
    merged = merged(merged, "to");
    merged = merged(merged, "from");
    List<String> texts = new ArrayList<>();
    for (Line line : merged.subList(0, Math.min(MOST_LINES, merged.size()))) {
      String when = line.when.isEmpty() ? "" : ", " + line.when;
      texts.add("from " + line.from + " to " + line.to + ", " + line.what + when);
    }
    if (cut || merged.size() > MOST_LINES) {
      texts.add(
          cut ? "and others" : "and others, in " + (merged.size() - MOST_LINES) + " more lines");
    }
    return texts;
  }

  /** Makes one of lines that differ in one part only. */
  private static List<Line> merged(List<Line> lines, String part) {
    Map<Line, Set<String>> groups = new LinkedHashMap<>();
    for (Line line : lines) {
      Line rest =
          switch (part) {
            case "what" -> new Line(line.from, line.to, "", line.when);
            case "to" -> new Line(line.from, "", line.what, line.when);
            default -> new Line("", line.to, line.what, line.when);
          };
      String value = part.equals("what") ? line.what : part.equals("to") ? line.to : line.from;
      groups.computeIfAbsent(rest, key -> new LinkedHashSet<>()).add(value);
    }
    List<Line> merged = new ArrayList<>();
    groups.forEach(
        (rest, values) -> {
          if (values.contains(OTHERS)) {
            values.removeIf(value -> value.startsWith("protocol "));
          }
          String all = Some.of(List.copyOf(values), MOST_NAMES);
          merged.add(
              switch (part) {
                case "what" -> new Line(rest.from, rest.to, all, rest.when);
                case "to" -> new Line(rest.from, all, rest.what, rest.when);
                default -> new Line(all, rest.to, rest.what, rest.when);
              });
        });
    return merged;
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
    AddressSet rest = all;
    for (Family family : Family.values()) {
      AddressSet whole = outside.intersection(AddressSet.all(family));
      AddressSet missing = whole.intersection(all.complement());
      boolean most = !whole.isEmpty() && missing.ranges().size() <= 2 && whole.intersects(all);
      if (most && !missing.equals(whole)) {
        names.add(
            (family == Family.IPV4 ? "the internet" : "the internet over IPv6")
                + (missing.isEmpty() ? "" : " but for " + named(missing)));
        rest = rest.intersection(whole.complement());
      }
    }
    for (Map.Entry<String, AddressSet> network : members.entrySet()) {
      AddressSet whole = network.getValue();
      if (!whole.isEmpty() && whole.intersection(rest.complement()).isEmpty()) {
        names.add(network.getKey());
        rest = rest.intersection(whole.complement());
      }
    }
    return Some.of(ranges(rest, names), MOST_NAMES);
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
    return every == null ? named(all) : every;
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
