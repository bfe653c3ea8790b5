// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketWords;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.walk.EveryPacket;
import org.eskerfield.walk.EveryPacket.Passage;
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
    Map<String, EveryPacket> old =
        EveryPacket.of(SiteProgram.compile(before), VirtualClock.start(before.timeZone()));
    Map<String, EveryPacket> now =
        EveryPacket.of(SiteProgram.compile(after), old.values().iterator().next().space());
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

  private static PacketSet through(EveryPacket sets, Interface arriving) {
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
    return new PacketWords(site).of(packets);
  }
}
