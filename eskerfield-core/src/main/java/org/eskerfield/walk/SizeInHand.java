// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.List;
import org.eskerfield.model.Interface;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Size;
import org.eskerfield.state.DeviceState;
import org.eskerfield.state.Fragments;
import org.jspecify.annotations.Nullable;

/**
 * What a device does about the size of the packet in hand. A fragment that comes on its own goes
 * the way of its packet, for which the first one must be known (RFC 4787 REQ-14).
 */
final class SizeInHand {
  private final DeviceMachine machine;

  /** The fragment in hand as it arrived; null for a whole packet. */
  private @Nullable Packet arrived;

  private List<Packet> released = List.of();

  SizeInHand(DeviceMachine machine) {
    this.machine = machine;
  }

  /** Begins with another packet; the ruling by which a fragment stays here, or null. */
  @Nullable Ruling begin(Packet packet, @Nullable Interface arriving) {
    arrived = null;
    released = List.of();
    Size size = packet.size;
    if (size == null || !size.isPart() || arriving == null) {
      return null;
    }
    Fragments all = machine.tables.fragments();
    arrived = packet.copy();
    if (size.hasFirst()) {
      all.begins(packet, size, machine.realm);
      released = all.released(packet, size, machine.realm, arriving.name());
      return null;
    }
    if (all.follows(packet, size, machine.realm)) {
      return null;
    }
    boolean waits = all.waits(packet, size, machine.realm, arriving.name());
    return machine.end(waits ? Ruling.FRAGMENT_WAITS : Ruling.FRAGMENT_NOT_KEPT, arriving);
  }

  /** The fragments that waited for the one in hand, to arrive after it. */
  List<Packet> released() {
    return released;
  }

  /** Whether it, or a fragment of it, has more bytes than this. */
  boolean isLonger(int mtu) {
    Size size = machine.packet.size;
    return size != null && size.longest() > mtu;
  }

  /** Whether a device may cut it. */
  boolean mayBeCut() {
    Size size = machine.packet.size;
    return size != null && size.mayFragment();
  }

  /** Lets it go on in fragments of at most some bytes. */
  void cut(int mtu) {
    Size size = machine.packet.size;
    machine.packet.size = size == null ? null : size.cut(mtu);
  }

  /** Lets a SYN offer no larger segments than an interface lets pass; whether that was needed. */
  boolean limitSegment(Interface by) {
    Integer most = by.largestSegment();
    Size size = machine.packet.size;
    if (most == null || size == null || size.largestSegment() <= most) {
      return false;
    }
    machine.packet.size = size.limited(most);
    return true;
  }

  /** Gives what leaves by a shared address an identification of the device's. */
  void identify() {
    Packet packet = machine.packet;
    Size size = packet.size;
    Fragments all = machine.tables.fragments();
    boolean shares =
        machine.session != DeviceState.NONE
            ? all.sharesSource(machine.session)
            : machine.binding != DeviceState.NONE && all.isShared(machine.binding);
    if (size != null && size.mayFragment() && shares) {
      all.identify(packet, size, arrived, machine.realm);
    }
  }
}
