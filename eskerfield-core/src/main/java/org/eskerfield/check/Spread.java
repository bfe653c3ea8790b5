// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Set;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.walk.EveryPacket.Passage;
import org.jspecify.annotations.Nullable;

/**
 * How packets spread over the site, from device to device.
 *
 * <p>Idea: sets of packets are handed on as the passages of each device say, until none gets
 * anywhere where it was not before. A device on a network takes what its neighbours send to it, and
 * what hosts send, who may use any gateway there; so what is left out certainly never arrives.
 */
final class Spread {
  private final Inspection check;
  private final boolean beyond;
  private final Deque<Start> queue = new ArrayDeque<>();
  private final Map<String, PacketSet> arrived = new HashMap<>();
  private final Map<String, Start> reached = new LinkedHashMap<>();
  private final Set<String> inhabited = new HashSet<>();

  /**
   * Packets on their way.
   *
   * @param network where they are
   * @param via the device that gets them; null for all that are there
   * @param now what they look like there
   * @param sent the same as their senders sent them, by the first device that took them
   */
  record Start(Network network, @Nullable Address via, PacketSet now, PacketSet sent) {}

  /**
   * Nothing so far.
   *
   * @param beyond whether to follow packets across links to carriers as well
   */
  Spread(Inspection check, boolean beyond) {
    this.check = check;
    this.beyond = beyond;
    for (Host host : check.site.hosts().values()) {
      host.networks().forEach(own -> inhabited.add(own.name()));
    }
  }

  /** The inner networks with hosts that packets get to, and links to carriers beyond. */
  Map<String, Start> reached() {
    return reached;
  }

  /** What arrives at a device by an interface. */
  PacketSet arrived(Device device, Interface arriving) {
    return arrived.getOrDefault(key(device, arriving), check.space.none());
  }

  /** Packets that hosts on a network send. */
  void from(Network network, PacketSet sent) {
    queue.add(new Start(network, null, sent, sent));
    follow();
  }

  /** Packets that a device passes on. */
  void over(Device device, Passage passage, PacketSet in) {
    goOn(device, passage, new Start(passage.arriving().network(), null, in, in), in);
    follow();
  }

  private static String key(Device device, Interface arriving) {
    return device.name() + " " + arriving.name();
  }

  /** Goes on through all devices until nothing new gets anywhere. */
  private void follow() {
    while (!queue.isEmpty()) {
      Start start = queue.remove();
      for (Device device : check.site.devices().values()) {
        for (Interface arriving : device.interfaces()) {
          if (arriving.network().name().equals(start.network.name())
              && (start.via == null || arriving.addresses().contains(start.via))) {
            go(device, arriving, start);
          }
        }
      }
    }
  }

  private void go(Device device, Interface arriving, Start start) {
    PacketSet here =
        start
            .now
            .without(Dimension.ARRIVING)
            .intersection(check.space.arriving(check.sets(device).meaning().number(arriving)));
    PacketSet before = arrived(device, arriving);
    here = here.minus(before);
    if (here.isEmpty()) {
      return;
    }
    arrived.put(key(device, arriving), before.union(here));
    for (Passage passage : check.passages(device, arriving)) {
      goOn(device, passage, start, here);
    }
  }

  private void goOn(Device device, Passage passage, Start start, PacketSet here) {
    Interface leaving = passage.leaving();
    PacketSet taken = passage.arrived().intersection(here);
    if (leaving == null || taken.isEmpty() || (leaving.isOutside() && !beyond)) {
      return;
    }
    Network network = leaving.network();
    PacketSet left = taken.image(passage.destination()).image(passage.source());
    PacketSet sent = start.sent.equals(start.now) ? taken : start.sent;
    if (leaving.isOutside()) {
      reached.putIfAbsent(network.name(), new Start(network, null, left, sent));
    }
    if (passage.via() != null) {
      boolean known = isOfDevice(network, passage.via());
      queue.add(new Start(network, known ? passage.via() : null, left, sent));
      return;
    }
    PacketSet onward = left.intersection(check.space.destinations(ofDevices(network, device)));
    if (!onward.isEmpty()) {
      queue.add(new Start(network, null, onward, sent));
    }
    PacketSet toHosts = left.minus(onward);
    if (inhabited.contains(network.name()) && !leaving.isOutside() && !toHosts.isEmpty()) {
      reached.putIfAbsent(network.name(), new Start(network, null, toHosts, sent));
    }
  }

  private boolean isOfDevice(Network network, Address address) {
    for (Device device : check.site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (own.network().name().equals(network.name()) && own.addresses().contains(address)) {
          return true;
        }
      }
    }
    return false;
  }

  /** The addresses of a network for which other devices answer there. */
  private AddressSet ofDevices(Network network, Device but) {
    AddressSet all = AddressSet.NONE;
    for (Device device : check.site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (!device.name().equals(but.name()) && own.network().name().equals(network.name())) {
          all = all.union(AddressSet.ofAddresses(own.addresses()));
          all = all.union(check.sets(device).program().claims.answeredOn(network));
        }
      }
    }
    return all;
  }
}
