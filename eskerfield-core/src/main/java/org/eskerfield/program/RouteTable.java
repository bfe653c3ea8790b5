// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.set.PacketSet;
import org.jspecify.annotations.Nullable;

/**
 * The routes of a device: its connected networks and the static routes of the file.
 *
 * <p>Idea: all of them in the order in which they are preferred (longest prefix, RFC 1812 section
 * 5.2.4, then preference, then the file), so that the first that holds the address is the one.
 * Cost: O(routes) a lookup.
 */
public final class RouteTable {
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
  public record Entry(
      Prefix to,
      @Nullable Interface leaving,
      @Nullable Address via,
      int preference,
      Placed by,
      int number)
      implements Comparable<Entry>, Condition {
    /** Whether it leads to where a packet goes. */
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return to.contains(packet.family, packet.destinationHigh, packet.destinationLow);
    }

    @Override
    public PacketSet among(Meaning all) {
      return all.space().destinations(AddressSet.ofPrefixes(List.of(to)));
    }

    @Override
    public Needs needs() {
      return Needs.destinations(AddressSet.ofPrefixes(List.of(to)));
    }

    /** The one that is preferred comes first; equals keep the order of the file. */
    @Override
    public int compareTo(Entry other) {
      int longer = Integer.compare(other.to.length(), to.length());
      return longer != 0 ? longer : Integer.compare(preference, other.preference);
    }
  }

  /**
   * One route, asked of where packets come from.
   *
   * @param entry the route
   */
  public record Back(Entry entry) implements Condition {
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return entry.to.contains(packet.family, packet.sourceHigh, packet.sourceLow);
    }

    @Override
    public PacketSet among(Meaning all) {
      return all.space().sources(AddressSet.ofPrefixes(List.of(entry.to)));
    }
  }

  private final Row<Entry> up;
  private final Row<Entry> down;
  private final Row<Back> back;

  public RouteTable(Device device) {
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
    List<Entry> up = new ArrayList<>();
    List<Entry> down = new ArrayList<>();
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
    this.up = new Row<>(up);
    this.down = new Row<>(down);
    this.back = new Row<>(up.stream().map(Back::new).toList());
  }

  /** The way to an address; null if none leads there. */
  public @Nullable Entry to(Address address) {
    return firstHolding(up, address);
  }

  /** The routes that can be taken, the one that is preferred first. */
  public List<Entry> entries() {
    return up.entries();
  }

  /** The way with a number. */
  public Entry entry(int number) {
    return up.entries().get(number);
  }

  /** The routes that packets take. */
  public Row<Entry> row() {
    return up;
  }

  /** The routes by an interface that a rule names. */
  public Row<Entry> by(Interface leaving) {
    return new Row<>(
        up.entries().stream()
            .filter(
                entry -> entry.leaving() != null && entry.leaving().name().equals(leaving.name()))
            .toList());
  }

  /** The routes that would be taken if their interfaces were up. */
  public Row<Entry> down() {
    return down;
  }

  /** The routes by which replies would go back. */
  public Row<Back> back() {
    return back;
  }

  private static @Nullable Entry firstHolding(Row<Entry> row, Address address) {
    for (Entry entry : row.entries()) {
      if (entry.to().contains(address)) {
        return entry;
      }
    }
    return null;
  }
}
