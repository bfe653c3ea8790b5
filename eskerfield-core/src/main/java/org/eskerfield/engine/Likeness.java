package org.eskerfield.engine;

import java.time.ZonedDateTime;
import java.util.function.Function;
import org.eskerfield.model.Interface;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.Rewrite;

/**
 * The packets that a device, knowing no flow yet, treats as it treats a given one.
 *
 * <p>Idea: the packet goes through the device, and of all packets those are kept that give the same
 * answers to all that is asked of it. So they hold the packet, and each is decided by the same
 * rules. They may be fewer than they need be, never more.
 */
public final class Likeness implements Witness {
  private final Meaning meaning;
  private PacketSet like;
  private Rewrite destination = Rewrite.NONE;
  private Rewrite source = Rewrite.NONE;

  private Likeness(Meaning meaning, PacketSet like) {
    this.meaning = meaning;
    this.like = like;
  }

  /** What is like a packet that arrives by an interface. */
  public static Likeness of(Meaning meaning, Packet packet, Interface arriving, ZonedDateTime at) {
    PacketSet tcp = meaning.space().protocol(Protocol.TCP);
    Likeness likeness =
        new Likeness(
            meaning,
            meaning
                .space()
                .arriving(meaning.number(arriving))
                .intersection(packet.protocol == Protocol.TCP ? tcp : tcp.complement()));
    DeviceMachine machine = new DeviceMachine(meaning.program(), new VirtualClock(at));
    machine.tell(likeness);
    machine.arrive(packet.copy(), arriving, null);
    return likeness;
  }

  /** The packets as they arrive. */
  public PacketSet arrived() {
    return like.without(Dimension.ARRIVING);
  }

  /** How their destination is rewritten. */
  public Rewrite destination() {
    return destination;
  }

  /** How their source is rewritten after that. */
  public Rewrite source() {
    return source;
  }

  @Override
  public void asked(Condition condition, boolean asSent, boolean yes) {
    PacketSet holding = meaning.of(condition);
    keep(yes ? holding : holding.complement(), asSent);
  }

  @Override
  public void asked(Row<?> row, boolean asSent, int first) {
    keep(meaning.taken(row).decided(first), asSent);
  }

  private void keep(PacketSet some, boolean asSent) {
    like = like.intersection(asSent ? some : some.preImage(source).preImage(destination));
  }

  @Override
  public void rewrittenDestination(Function<Meaning, Rewrite> how) {
    destination = how.apply(meaning);
  }

  @Override
  public void rewrittenSource(Function<Meaning, Rewrite> how) {
    source = how.apply(meaning);
  }
}
