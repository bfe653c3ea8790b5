package org.eskerfield.check;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.engine.DeviceSets;
import org.eskerfield.engine.DeviceSets.Passage;
import org.eskerfield.engine.VirtualClock;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.UndeterminedException;
import org.jspecify.annotations.Nullable;

/**
 * Packets that a changed site lets through a device and the old one did not.
 *
 * <p>Idea: the sets that pass a device, of the old and the new site in one space, taken from each
 * other. What is left is exact, whatever the change was.
 *
 * @param device the name of the device
 * @param arriving the interface by which they arrive
 * @param packets they, as they arrive
 */
public record Opening(String device, String arriving, PacketSet packets) {
  /** How many lines are said of one opening. */
  private static final int MOST_LINES = 6;

  private static final int MOST_INTERVALS = 4_000_000;

  /**
   * What a change opens, by device and interface; empty if nothing.
   *
   * @return null if that would take too long to work out, or the devices are not the same
   */
  public static @Nullable List<Opening> between(Site before, Site after) {
    if (!before.devices().keySet().equals(after.devices().keySet())) {
      return null;
    }
    Map<String, DeviceSets> old = DeviceSets.of(before, VirtualClock.start(before.timeZone()));
    Map<String, DeviceSets> now = DeviceSets.of(after, old.values().iterator().next().space());
    List<Opening> openings = new ArrayList<>();
    try {
      for (Device device : after.devices().values()) {
        Device was = Objects.requireNonNull(before.devices().get(device.name()));
        for (Interface arriving : device.interfaces()) {
          PacketSet opened =
              through(Objects.requireNonNull(now.get(device.name())), arriving)
                  .minus(
                      through(Objects.requireNonNull(old.get(device.name())), same(was, arriving)));
          if (!opened.isEmpty()) {
            openings.add(
                new Opening(device.name(), arriving.name(), opened.without(Dimension.ARRIVING)));
          }
        }
      }
    } catch (UndeterminedException e) {
      return null;
    }
    return openings;
  }

  private static Interface same(Device device, Interface own) {
    for (Interface each : device.interfaces()) {
      if (each.name().equals(own.name())) {
        return each;
      }
    }
    throw new IllegalArgumentException(device.name() + " has no interface " + own.name());
  }

  private static PacketSet through(DeviceSets sets, Interface arriving) {
    sets.space().allow(MOST_INTERVALS);
    List<PacketSet> all = new ArrayList<>();
    for (Passage passage : sets.passages(arriving)) {
      all.add(passage.arrived());
    }
    return sets.space().union(all);
  }

  /**
   * In words, a line for each part: from whom, to whom, for what.
   *
   * @param site the site, for names
   */
  public List<String> lines(Site site) {
    List<String> lines = new ArrayList<>();
    List<PacketSet.Box> boxes = packets.boxes(MOST_LINES + 1);
    if (boxes.size() > MOST_LINES) {
      // Too many pieces to read: all sources, all destinations, all services, told apart.
      lines.add("from " + all(site, Dimension.SOURCE_HIGH, Dimension.SOURCE));
      lines.add("to " + all(site, Dimension.DESTINATION_HIGH, Dimension.DESTINATION));
      lines.add("for several services, not each of them from all to all");
      return lines;
    }
    for (PacketSet.Box box : boxes) {
      lines.add(
          "from "
              + addresses(site, box, Dimension.SOURCE_HIGH, Dimension.SOURCE)
              + " to "
              + addresses(site, box, Dimension.DESTINATION_HIGH, Dimension.DESTINATION)
              + ", "
              + service(box)
              + (box.intervals().containsKey(Dimension.TIME) ? ", at some times" : ""));
    }
    return lines;
  }

  /** All values of a side that occur, as ranges. */
  private String all(Site site, Dimension upper, Dimension lower) {
    PacketSet side = packets;
    for (Dimension each : Dimension.values()) {
      boolean kept = each == Dimension.FAMILY || each == upper || each == lower;
      side = kept ? side : side.without(each);
    }
    List<String> texts = new ArrayList<>();
    for (PacketSet.Box box : side.boxes(MOST_LINES)) {
      texts.add(addresses(site, box, upper, lower));
    }
    return String.join(", ", texts) + (texts.size() == MOST_LINES ? " and others" : "");
  }

  private static String addresses(Site site, PacketSet.Box box, Dimension upper, Dimension lower) {
    PacketSet.Box.Interval family = box.intervals().get(Dimension.FAMILY);
    boolean six = family != null && family.first() == 1;
    PacketSet.Box.Interval low = box.intervals().get(lower);
    PacketSet.Box.Interval high = box.intervals().get(upper);
    if (low == null && high == null) {
      return family == null ? "anywhere" : six ? "anywhere over IPv6" : "anywhere over IPv4";
    }
    Address first;
    Address last;
    if (six) {
      long bottom = low == null ? 0 : low.first();
      long top = low == null ? -1 : low.last();
      first = new Address(Family.IPV6, high == null ? 0 : high.first(), bottom);
      last = new Address(Family.IPV6, high == null ? -1 : high.last(), top);
    } else {
      long top = Objects.requireNonNull(low).last() == -1 ? 0xffff_ffffL : low.last();
      first = new Address(Family.IPV4, 0, low.first());
      last = new Address(Family.IPV4, 0, top);
    }
    return name(site, first, last);
  }

  private static String name(Site site, Address first, Address last) {
    if (first.equals(last)) {
      Host host = site.hostAt(first);
      return host == null ? first.toString() : host.name() + " (" + first + ")";
    }
    for (Network network : site.networks().values()) {
      for (Prefix prefix : network.prefixes()) {
        if (prefix.first().equals(first) && prefix.last().equals(last)) {
          return network.name();
        }
      }
    }
    for (int length = 0; length <= first.family().bits(); length++) {
      Prefix around = Prefix.around(first, length);
      if (around.first().equals(first) && around.last().equals(last)) {
        return around.toString();
      }
    }
    return new AddressRange(first, last).toString();
  }

  private static String service(PacketSet.Box box) {
    PacketSet.Box.Interval protocol = box.intervals().get(Dimension.PROTOCOL);
    PacketSet.Box.Interval ports = box.intervals().get(Dimension.DESTINATION_PORT);
    String sources = box.intervals().containsKey(Dimension.SOURCE_PORT) ? " from some ports" : "";
    if (protocol == null) {
      return "every service" + sources;
    }
    if (protocol.first() != protocol.last()) {
      return "other protocols";
    }
    int number = (int) protocol.first();
    if (ports == null) {
      boolean some = box.intervals().containsKey(Dimension.ICMP_TYPE);
      String name = Protocol.name(number);
      return (some ? "some of " + name : name) + sources;
    }
    int last = ports.last() == -1 ? PortSet.HIGHEST : (int) ports.last();
    return PortSet.range((int) ports.first(), last) + "/" + Protocol.name(number) + sources;
  }
}
