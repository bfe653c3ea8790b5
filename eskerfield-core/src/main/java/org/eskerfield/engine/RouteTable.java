package org.eskerfield.engine;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * The routes of a device: its connected networks and the static routes of the file.
 *
 * <p>Idea: all of them in the order in which they are preferred (longest prefix, RFC 1812 section
 * 5.2.4, then preference, then the file), so that the first that holds the address is the one.
 * Cost: O(routes) a lookup.
 */
final class RouteTable {
  /**
   * One way on.
   *
   * @param to the destinations
   * @param leaving the interface; null where packets are thrown away
   * @param via the next hop; null where the destination itself is on the network
   * @param preference lower is better; 0 for connected networks
   * @param number its number among the ways that can be taken, from 0 on
   * @param by the route, or the interface of a connected network
   */
  record Entry(
      Prefix to,
      @Nullable Interface leaving,
      @Nullable Address via,
      int preference,
      Placed by,
      int number)
      implements Comparable<Entry> {
    /** The one that is preferred comes first; equals keep the order of the file. */
    @Override
    public int compareTo(Entry other) {
      int longer = Integer.compare(other.to.length(), to.length());
      return longer != 0 ? longer : Integer.compare(preference, other.preference);
    }
  }

  private final List<Entry> up = new ArrayList<>();
  private final List<Entry> down = new ArrayList<>();

  RouteTable(Device device) {
    List<Entry> all = new ArrayList<>();
    for (Interface own : device.interfaces()) {
      for (Prefix prefix : own.network().prefixes()) {
        if (own.address(prefix.first().family()) != null) {
          all.add(new Entry(prefix, own, null, 0, own, -1));
        }
      }
    }
    for (Route route : device.routes()) {
      all.add(new Entry(route.to(), route.leaving(), route.via(), route.preference(), route, -1));
    }
    Collections.sort(all);
    for (Entry entry : all) {
      List<Entry> list = entry.leaving() == null || entry.leaving().isUp() ? up : down;
      list.add(
          new Entry(
              entry.to(),
              entry.leaving(),
              entry.via(),
              entry.preference(),
              entry.by(),
              list.size()));
    }
  }

  /** The way to an address; null if none leads there. */
  @Nullable Entry to(Address address) {
    return firstHolding(up, address);
  }

  /** The way to an address by an interface; null if none leads there. */
  @Nullable Entry to(Address address, Interface by) {
    for (Entry entry : up) {
      Interface leaving = entry.leaving();
      if (leaving != null && leaving.name().equals(by.name()) && entry.to().contains(address)) {
        return entry;
      }
    }
    return null;
  }

  /** The ways that can be taken, the one that is preferred first. */
  List<Entry> ways() {
    return up;
  }

  /** The way with a number. */
  Entry way(int number) {
    return up.get(number);
  }

  /** The way that would lead to an address if its interface were up; null if there is none. */
  @Nullable Entry downTo(Address address) {
    return firstHolding(down, address);
  }

  private static @Nullable Entry firstHolding(List<Entry> entries, Address address) {
    for (Entry entry : entries) {
      if (entry.to().contains(address)) {
        return entry;
      }
    }
    return null;
  }
}
