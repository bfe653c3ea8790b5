// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.walk.EveryHop;
import org.eskerfield.walk.EveryPacket;
import org.jspecify.annotations.Nullable;

/**
 * All ways across a site, backwards: which packets, put in at an interface of a device, may come to
 * somebody.
 *
 * <p>Idea: what each device does with every packet in any state is known ({@link EveryPacket}), and
 * so is to whom it hands them ({@link EveryHop}). Whoever may come to a receiver by a device may do
 * so from there on; so sets are led back from the receiver, device by device, until none grows.
 * More may be in them than gets through, as who holds which port is left open; never less. Cost:
 * the passages of all devices, for each device that lies behind one another.
 *
 * <p>Not safe for use by several threads.
 */
final class Ways {
  /**
   * An interface by which packets come in.
   *
   * @param device its device
   * @param own the interface
   */
  record Entry(Device device, Interface own) {
    @Override
    public boolean equals(@Nullable Object other) { // to compare whole devices would cost more
      return other instanceof Entry that && key(device, own).equals(key(that.device, that.own));
    }

    @Override
    public int hashCode() {
      return key(device, own).hashCode();
    }
  }

  /** A passage with those who get its packets. */
  private record Step(EveryPacket.Passage passage, List<EveryHop.Landing> landings) {}

  /** Which packets count, and where: as they come to whoever gets them. */
  interface Goal {
    /** Of those that a device or host gets, or somebody outside: which count. */
    PacketSet among(EveryHop.Landing landing);

    /** Of those that leave a device by a passage: which count there and then. */
    default @Nullable PacketSet leaving(Entry by, EveryPacket.Passage passage) {
      return null;
    }

    /** Whether the way of a passage counts at all. */
    default boolean allows(Entry by, EveryPacket.Passage passage) {
      return true;
    }
  }

  private final PacketSpace space;
  private final Map<String, EveryPacket> devices;
  private final EveryHop hops;
  private final List<Entry> entries = new ArrayList<>();
  private final Map<String, Integer> numbers = new HashMap<>();
  private final List<BitSet> before = new ArrayList<>();
  private final Map<Integer, List<Step>> steps = new HashMap<>();
  private final Map<String, List<EveryHop.Landing>> landings = new HashMap<>();

  Ways(SiteProgram program, PacketSpace space) {
    this.space = space;
    this.devices = EveryPacket.inAnyState(program, space);
    this.hops = new EveryHop(program, space);
    for (Device device : program.site().devices().values()) {
      for (Interface own : device.interfaces()) {
        numbers.put(key(device, own), entries.size());
        entries.add(new Entry(device, own));
      }
    }
  }

  private static String key(Device device, Interface own) {
    return device.name() + "\n" + own.name();
  }

  /** All interfaces by which packets may come in. */
  List<Entry> entries() {
    return List.copyOf(entries);
  }

  EveryHop hops() {
    return hops;
  }

  EveryPacket device(String name) {
    return Objects.requireNonNull(devices.get(name), name);
  }

  private List<Step> steps(int number) {
    return steps.computeIfAbsent(
        number,
        n -> {
          Entry entry = entries.get(n);
          List<Step> all = new ArrayList<>();
          for (EveryPacket.Passage each : device(entry.device.name()).passages(entry.own)) {
            all.add(new Step(each, landings(entry.device, each)));
          }
          return all;
        });
  }

  /** Who gets what takes a passage. */
  List<EveryHop.Landing> landings(Device device, EveryPacket.Passage passage) {
    Interface leaving = passage.leaving();
    if (leaving == null) {
      return List.of(new EveryHop.Landing(device, null, null, space.all()));
    }
    return landings.computeIfAbsent(
        device.name() + "\n" + leaving.network().name() + "\n" + passage.via(),
        k -> hops.from(leaving.network(), passage.via(), device));
  }

  /** The packets that may come to a goal, as they are put in at each interface. */
  Map<Entry, PacketSet> to(Goal goal) {
    List<@Nullable PacketSet> reach = new ArrayList<>();
    List<Boolean> stale = new ArrayList<>();
    entries.forEach(each -> reach.add(space.none()));
    entries.forEach(each -> stale.add(true));
    boolean again = true;
    while (again) {
      again = false;
      for (int i = 0; i < entries.size(); i++) {
        if (!stale.get(i)) {
          continue;
        }
        stale.set(i, false);
        PacketSet now = arriving(i, goal, reach);
        if (!now.equals(reach.get(i))) {
          reach.set(i, now);
          again = true;
          before().get(i).stream().forEach(each -> stale.set(each, true));
        }
      }
    }
    Map<Entry, PacketSet> all = new LinkedHashMap<>();
    for (int i = 0; i < entries.size(); i++) {
      all.put(entries.get(i), Objects.requireNonNull(reach.get(i)));
    }
    return all;
  }

  /** The interfaces from which packets may come to each, by their numbers. */
  private List<BitSet> before() {
    if (before.isEmpty()) {
      entries.forEach(each -> before.add(new BitSet()));
      for (int i = 0; i < entries.size(); i++) {
        for (Step step : steps(i)) {
          for (EveryHop.Landing landing : step.landings) {
            if (landing.device() != null && landing.own() != null) {
              before.get(number(landing.device(), landing.own())).set(i);
            }
          }
        }
      }
    }
    return before;
  }

  private int number(Device device, Interface own) {
    return Objects.requireNonNull(numbers.get(key(device, own)));
  }

  private PacketSet arriving(int number, Goal goal, List<@Nullable PacketSet> reach) {
    Entry entry = entries.get(number);
    List<PacketSet> all = new ArrayList<>();
    for (Step step : steps(number)) {
      if (!goal.allows(entry, step.passage)) {
        continue;
      }
      List<PacketSet> ends = new ArrayList<>();
      PacketSet leaving = goal.leaving(entry, step.passage);
      if (leaving != null) {
        ends.add(leaving);
      }
      for (EveryHop.Landing landing : step.landings) {
        PacketSet counts = goal.among(landing);
        if (landing.device() != null && landing.own() != null) {
          int next = number(landing.device(), landing.own());
          counts = counts.union(Objects.requireNonNull(reach.get(next)));
        }
        ends.add(counts.intersection(landing.packets()));
      }
      PacketSet end = space.union(ends);
      if (!end.isEmpty() && end.meets(step.passage.left())) {
        all.add(step.passage.arrivedAs(end).without(Dimension.ARRIVING));
      }
    }
    return space.union(all);
  }
}
