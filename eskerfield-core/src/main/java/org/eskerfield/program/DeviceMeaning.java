// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.Flags;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Pool;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;

/** What the conditions of one device mean as sets of packets. */
public final class DeviceMeaning extends Meaning {
  /**
   * A rule with what it matches, wherever it stands in its list.
   *
   * @param rule the rule
   * @param takes the packets that it matches
   */
  public record Ordered(TranslationRule rule, PacketSet takes) {}

  private final DeviceProgram program;

  /** The number of the device's first interface; the others follow, and then the device itself. */
  private final int base;

  public DeviceMeaning(DeviceProgram program, PacketSpace space, int base) {
    super(space);
    this.program = program;
    this.base = base;
  }

  /** The device. */
  public DeviceProgram program() {
    return program;
  }

  /** The number that stands for an interface of the device in the sets. */
  public int number(Interface own) {
    return base + program.number(own);
  }

  @Override
  public PacketSet bySelf() {
    return space.arriving(base + program.device.interfaces().size());
  }

  /**
   * The packets that open something: queries of ICMP, and a SYN without ACK, RST and FIN where the
   * device does not meet connections in their middle. Flags and codes are left open where no rule
   * of the device asks for them.
   */
  public PacketSet opening() {
    PacketSet icmp = of(Condition.Kind.ICMP);
    PacketSet opening = space.all().minus(icmp.minus(of(Condition.Kind.QUERY)));
    if (!program.asksHeaders) {
      return opening;
    }
    opening = opening.minus(icmp.minus(space.where(Dimension.ICMP_CODE, 0, 0)));
    return program.device.state().midStream()
        ? opening
        : opening.minus(space.protocol(Protocol.TCP).minus(space.flags(OPENING)));
  }

  /**
   * The packets of every kind that may open a session, as to the flags of TCP and the ICMP type.
   */
  public PacketSet opens() {
    PacketSet icmp = of(Condition.Kind.ICMP);
    PacketSet opens = space.all().minus(icmp.minus(of(Condition.Kind.QUERY)));
    return program.device.state().midStream()
        ? opens
        : opens.minus(space.protocol(Protocol.TCP).minus(space.flags(OPENING)));
  }

  private static final Flags OPENING =
      new Flags(0, Packet.SYN, Packet.FIN | Packet.RST | Packet.ACK, Place.IN_CODE);

  /** The rules of step 2 in their order. */
  public List<Ordered> inward() {
    List<Ordered> all = new ArrayList<>();
    for (Translations.Inbound entry : program.translations.inbound) {
      PacketSet from = space.all();
      if (entry.external() != null) {
        from = space.none();
        for (Interface own : program.device.interfaces()) {
          from = entry.takesFrom(own) ? from.union(space.arriving(number(own))) : from;
        }
      }
      all.add(new Ordered(entry.rule(), of(entry).intersection(from).minus(bySelf())));
    }
    return all;
  }

  /** The rules of step 6 in their order. */
  public List<Ordered> outward() {
    List<Ordered> all = new ArrayList<>();
    for (Translations.Outbound entry : program.translations.outbound) {
      all.add(new Ordered(entry.rule(), of(entry).intersection(leaving(entry.leaving()))));
    }
    return all;
  }

  private PacketSet leaving(InterfaceTerm term) {
    PacketSet set = space.none();
    for (Interface own : term.interfaces()) {
      set = set.union(space.leaving(number(own)));
    }
    return set;
  }

  /** The addresses that a dynamic or shared rule can give; empty for the interface's own. */
  public AddressSet pool(TranslationRule rule) {
    for (Translations.Outbound entry : program.translations.outbound) {
      if (entry.rule().equals(rule) && entry.pool() != null) {
        return entry.pool();
      }
    }
    return AddressSet.NONE;
  }

  /**
   * What the rule of a list with a number decides; for {@link Row#NONE} what is left for its end.
   */
  public PacketSet decided(CompiledList list, int number) {
    return taken(list.row()).decided(number);
  }

  /** The packets that an own service answers. */
  public PacketSet serving(OwnService service) {
    for (DeviceProgram.Own own : program.services.entries()) {
      if (own.service().equals(service)) {
        return of(own);
      }
    }
    return space.none();
  }

  /** The packets that a list accepts. */
  public PacketSet accepted(CompiledList list) {
    return taken(list.row()).passing();
  }

  /** The packets that one rule of the device may turn into one of a set, wherever they arrive. */
  public PacketSet before(PacketSet some) {
    List<PacketSet> all = new ArrayList<>();
    for (Translations.Inbound entry : program.translations.inbound) {
      PacketSet before = some;
      if (entry.hairpin() != null || entry.rule().rewritesSources()) {
        for (Interface leaving : program.device.interfaces()) { // the source may be rewritten, too
          before = before.union(some.preImage(shares(program.ownOf(leaving))));
        }
        Pool pool = entry.rule().pool();
        before = pool == null ? before : before.union(some.preImage(shares(pool.addresses())));
      }
      all.add(before.preImage(entry.rewrite(this)).intersection(of(entry)));
    }
    for (Translations.Outbound entry : program.translations.outbound) {
      for (Interface leaving : program.device.interfaces()) {
        all.add(some.preImage(entry.rewrite(this, leaving)).intersection(of(entry)));
      }
    }
    return space.union(all);
  }
}
