// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.function.Function;
import org.eskerfield.model.Interface;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.Condition;
import org.eskerfield.program.DeviceMeaning;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.Meaning;
import org.eskerfield.program.Row;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.jspecify.annotations.Nullable;

/**
 * The packets that share the fate of one, as long as nothing is known of them anywhere.
 *
 * <p>Idea: it hears what is asked of the packet on its way, and keeps of all packets those that
 * give the same answer, led back through what was rewritten until there. A reply is led back to
 * what it answers: where a device knows its session, to the request as it passed there; else by
 * turning it round. So the packets hold the one that went, and each goes its way. They may be fewer
 * than they need be, never more: of what sets do not tell, only the packet itself is kept.
 */
public final class Alike implements Witness {
  /** How many boxes of a set of replies are turned round to find what they answer. */
  private static final int MOST_BOXES = 20_000;

  /** Protocols that are asked about in a way of their own. */
  private static final int[] TOLD_APART = {
    Protocol.TCP, Protocol.UDP, Protocol.ICMP, Protocol.ICMPV6
  };

  /** What the conditions of a site mean, for all that are traced there. */
  public static final class Ground {
    private final PacketSpace space;
    private final Meaning between;
    private final Map<String, EveryPacket> devices;
    private final Map<PacketSet, PacketSet> replied = new HashMap<>();

    /**
     * The ground of a site.
     *
     * @param devices its devices in one space
     */
    public Ground(PacketSpace space, Map<String, EveryPacket> devices) {
      this.space = space;
      this.between = new Meaning(space);
      this.devices = devices;
    }

    private DeviceMeaning meaning(String device) {
      return Objects.requireNonNull(devices.get(device), device).meaning();
    }
  }

  /** The request at a device. */
  private static final class Pass {
    final String device;

    /** How many times it was rewritten before it came, and then with its destination. */
    final int arrived;

    int inside;

    /** The destination that it came with. */
    final Address destination;

    final Set<Integer> sessions = new HashSet<>();

    Pass(String device, int arrived, Address destination) {
      this.device = device;
      this.arrived = arrived;
      this.inside = arrived;
      this.destination = destination;
    }
  }

  /**
   * How the packet in hand is told by the request as it was sent.
   *
   * @param depth how many times the request was rewritten
   * @param replied whether it answers that
   * @param after how the answer was rewritten since, by devices that do not know it
   */
  private record Position(int depth, boolean replied, List<Rewrite> after) {}

  private final Ground ground;
  private final PacketSpace space;
  private final PacketSet only;
  private PacketSet like;
  private final List<Rewrite> chain = new ArrayList<>();
  private final List<Pass> passes = new ArrayList<>();
  private Position position = new Position(0, false, List.of());

  /** The same with the destination as it was sent to the device. */
  private Position asSent = position;

  private @Nullable DeviceMeaning device;
  private boolean own;

  /** Whether only the packet itself is left, since sets do not tell what was found out about it. */
  private boolean alone;

  /** The packet in hand if it is a notice, and its source if that is not what was spoken to. */
  private @Nullable Packet notice;

  private @Nullable Address source;

  /** The flags of the reply; 0 where it is none of TCP. */
  private int replyFlags;

  /** Those that are like a packet, before anything is asked. */
  public Alike(Ground ground, PacketSet.Member member) {
    this.ground = ground;
    this.space = ground.space;
    this.only = space.only(member).without(Dimension.ARRIVING);
    DeviceMeaning some = ground.devices.values().iterator().next().meaning();
    // Nothing hangs on where packets arrive but whether a device sends them itself.
    Interface anywhere = some.program().device().interfaces().get(0);
    this.like =
        space.arriving(some.number(anywhere)).intersection(space.of(member.packet().family));
    for (int protocol : TOLD_APART) {
      PacketSet these = space.protocol(protocol);
      like = member.packet().protocol == protocol ? like.intersection(these) : like.minus(these);
    }
  }

  /** The packets, as they are sent. */
  public PacketSet packets() {
    return like.without(Dimension.ARRIVING);
  }

  /** How the request was rewritten, one after the other. */
  public List<Rewrite> rewrites() {
    return List.copyOf(chain);
  }

  @Override
  public void comesTo(@Nullable DeviceProgram program, Packet packet) {
    own = false;
    device = program == null ? null : ground.meaning(program.device.name());
    if (program != null) {
      asSent = position;
      if (!position.replied) {
        passes.add(new Pass(program.device.name(), chain.size(), packet.destination()));
      }
    }
  }

  @Override
  public void isOwn() {
    own = true;
  }

  @Override
  public void asked(Condition condition, Seen seen, boolean yes) {
    PacketSet set = set(condition);
    keep(yes ? set : set.complement(), seen);
  }

  private PacketSet set(Condition condition) {
    if (device == null) {
      return ground.between.of(condition);
    }
    return own ? condition.amongOwn(device) : device.of(condition);
  }

  @Override
  public void asked(Row<?> row, Seen seen, int first) {
    if (!own) {
      Meaning meaning = device == null ? ground.between : device;
      keep(meaning.taken(row).decided(first), seen);
      return;
    }
    for (int i = 0; i < (first == Row.NONE ? row.entries().size() : first); i++) {
      keep(set(row.entries().get(i)).complement(), seen);
    }
    if (first != Row.NONE) {
      keep(set(row.entries().get(first)), seen);
    }
  }

  /** Keeps the packets of which one of a set is in hand, as it is seen. */
  private void keep(PacketSet some, Seen seen) {
    if (alone) {
      return;
    }
    Position at = seen == Seen.AS_SENT ? asSent : position;
    PacketSet set = some;
    if (at.replied) {
      // Those that are like this one are replied to in the same way.
      set = set.intersection(space.flags(replyFlags)).without(Dimension.TCP_FLAGS);
      boolean ofNotice = notice != null && seen != Seen.INNER_ANSWERED;
      set = ofNotice ? ofAnyPacket(set, Objects.requireNonNull(notice)) : set;
      for (int i = at.after.size() - 1; i >= 0; i--) {
        set = set.preImage(at.after.get(i));
      }
      set = ground.replied.computeIfAbsent(set, each -> space.askedFor(each, MOST_BOXES));
    }
    for (int i = at.depth - 1; i >= 0; i--) {
      set = set.preImage(chain.get(i));
    }
    like = like.intersection(set);
  }

  /** The packets of which a notice such as this one, between the same ends, is in a set. */
  private PacketSet ofAnyPacket(PacketSet notices, Packet notice) {
    PacketSet set =
        notices
            .intersection(space.protocol(notice.protocol))
            .intersection(space.where(Dimension.ICMP_TYPE, notice.icmpType, notice.icmpType))
            .intersection(space.where(Dimension.ICMP_CODE, notice.icmpCode, notice.icmpCode))
            .intersection(space.where(Dimension.SOURCE_PORT, 0, 0))
            .intersection(space.where(Dimension.DESTINATION_PORT, 0, 0))
            .without(Dimension.PROTOCOL)
            .without(Dimension.ICMP_TYPE)
            .without(Dimension.ICMP_CODE)
            .without(Dimension.SOURCE_PORT)
            .without(Dimension.DESTINATION_PORT);
    return source == null
        ? set
        : set.intersection(space.sources(AddressSet.of(source)))
            .without(Dimension.SOURCE)
            .without(Dimension.SOURCE_HIGH);
  }

  @Override
  public void rewrittenDestination(Function<DeviceMeaning, Rewrite> how) {
    rewritten(how);
    if (!position.replied) {
      passes.get(passes.size() - 1).inside = chain.size();
    }
  }

  @Override
  public void rewrittenSource(Function<DeviceMeaning, Rewrite> how) {
    rewritten(how);
  }

  private void rewritten(Function<DeviceMeaning, Rewrite> how) {
    Rewrite rewrite = how.apply(Objects.requireNonNull(device));
    List<Rewrite> after = new ArrayList<>(position.after);
    if (position.replied) {
      after.add(rewrite);
    } else {
      chain.add(rewrite);
    }
    position =
        new Position(position.replied ? position.depth : chain.size(), position.replied, after);
  }

  @Override
  public void recorded(int session) {
    if (!position.replied && !passes.isEmpty()) {
      passes.get(passes.size() - 1).sessions.add(session);
    }
  }

  @Override
  public void restoredDestination(int session) {
    Pass pass = passOf(session);
    if (pass != null && !position.replied && chain.size() == pass.arrived) {
      return; // it goes round, unchanged, and so do all that are like it: each meets its own
      // session
    }
    if (pass == null || !position.replied) {
      isPeculiar();
      return;
    }
    position = new Position(pass.inside, true, List.of());
    asSent = new Position(pass.arrived, true, List.of());
  }

  @Override
  public void restoredSource(int session, Packet left) {
    Pass pass = passOf(session);
    if (pass != null && position.replied) {
      position = new Position(pass.arrived, true, List.of());
      boolean spokenTo = left.source().equals(pass.destination);
      source = notice == null || spokenTo ? null : left.source();
    }
  }

  private @Nullable Pass passOf(int session) {
    for (int i = passes.size() - 1; i >= 0 && device != null; i--) {
      Pass pass = passes.get(i);
      if (pass.device.equals(device.program().device.name()) && pass.sessions.contains(session)) {
        return pass;
      }
    }
    return null;
  }

  @Override
  public void isPeculiar() {
    like = like.intersection(only);
    alone = true;
  }

  @Override
  public void replied(Packet reply, Packet arrived, boolean notDelivered) {
    notice = reply.inner == null ? null : reply;
    replyFlags = reply.tcpFlags;
    boolean spokenTo = !notDelivered || reply.source().equals(arrived.destination());
    source = spokenTo ? null : reply.source();
    Pass last = passes.isEmpty() ? null : passes.get(passes.size() - 1);
    position =
        new Position(notDelivered && last != null ? last.arrived : chain.size(), true, List.of());
  }
}
