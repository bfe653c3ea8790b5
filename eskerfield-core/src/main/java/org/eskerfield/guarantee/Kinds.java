// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.List;
import java.util.function.UnaryOperator;
import org.eskerfield.model.Flags;
import org.eskerfield.model.Place;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.Alike;

/**
 * Packets that come in by an interface, kind by kind: one of each is sent while nothing else goes
 * on, and those that go the same way are taken off.
 */
final class Kinds {
  /** What opens a connection with whatever other flags. */
  static final Flags OPENING =
      new Flags(0, Packet.SYN, Packet.FIN | Packet.RST | Packet.ACK, Place.IN_CODE);

  /**
   * A kind.
   *
   * @param sent the packet that was sent
   * @param trace what became of it
   * @param packets those of its kind
   * @param rewrites how they were rewritten on their way
   */
  record Kind(PacketSet.Member sent, Trace trace, PacketSet packets, List<Rewrite> rewrites) {
    /** As what some of them arrive. */
    PacketSet arrived(PacketSet some) {
      PacketSet now = some;
      for (Rewrite each : rewrites) {
        now = now.image(each);
      }
      return now;
    }
  }

  /** Hears of each kind. */
  interface Listener {
    /** Whether more kinds are wanted. */
    boolean wants(Kind kind);
  }

  private final Proving on;
  private final PacketSpace space;
  private final Ways.Entry by;
  private final boolean back;

  /**
   * The kinds at an interface.
   *
   * @param back whether packets are answered
   */
  Kinds(Proving on, Ways.Entry by, boolean back) {
    this.on = on;
    this.space = on.space;
    this.by = by;
    this.back = back;
  }

  /**
   * Sends one packet of each kind.
   *
   * @param choose narrows a set to the packets of which one is sent next; never to none
   * @return whether no packet is left
   */
  boolean of(PacketSet packets, UnaryOperator<PacketSet> choose, int most, Listener listener) {
    PacketSet rest = packets;
    for (int i = 0; i < most && !rest.isEmpty(); i++) {
      PacketSet.Member sent = choose.apply(rest).sample();
      if (sent == null) {
        throw new IllegalStateException("nothing is chosen");
      }
      Alike alike = new Alike(on.ground(), sent);
      Run run = on.tracer.run(sent.at());
      run.carryAll();
      Trace way = run.follow(by.device(), by.own(), sent.packet().copy(), back, alike);
      PacketSet same = alike.packets();
      if (sent.packet().protocol == Protocol.TCP) {
        same = same.intersection(flagsLike(sent.packet()));
      }
      same = same.union(space.only(sent).without(Dimension.ARRIVING)).intersection(rest);
      rest = rest.minus(same);
      if (!listener.wants(new Kind(sent, way, same, alike.rewrites()))) {
        break;
      }
    }
    return rest.isEmpty();
  }

  /** The flags that do the same where no rule asks for them. */
  private PacketSet flagsLike(Packet packet) {
    if (back) {
      return space.flags(packet.tcpFlags);
    }
    PacketSet opening = space.flags(OPENING);
    PacketSet resets = space.flags(new Flags(0, Packet.RST, 0, Place.IN_CODE));
    PacketSet one = space.flags(packet.tcpFlags).intersection(space.protocol(Protocol.TCP));
    return opening.covers(one)
        ? opening
        : (resets.covers(one) ? resets : opening.union(resets).complement());
  }
}
