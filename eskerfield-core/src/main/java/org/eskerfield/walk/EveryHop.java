// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Condition;
import org.eskerfield.program.Meaning;
import org.eskerfield.program.Row;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.jspecify.annotations.Nullable;

/**
 * Where every packet goes that is handed on: to the next device, to a host, or out of the site.
 *
 * <p>Idea: as in {@link EveryPacket}. It goes the way of {@link BetweenDevices} with all packets in
 * hand; where they answer otherwise, it goes on with those of one answer, and goes again from the
 * beginning with those of the next. The internet carries whatever it is given, since a proof cannot
 * lean on what carriers filter.
 *
 * <p>Not safe for use by several threads.
 */
public final class EveryHop extends BetweenDevices {
  /**
   * Packets that somebody gets.
   *
   * @param device the device; null for a host
   * @param own the interface by which the device gets them; null for a host
   * @param host the host; null for a device, and for somebody outside whom the file does not
   *     describe
   * @param packets the packets
   */
  public record Landing(
      @Nullable Device device, @Nullable Interface own, @Nullable Host host, PacketSet packets) {}

  private record Branch(int answer, PacketSet now) {}

  /** What goes in circles between carriers comes to nobody. */
  private static final int MOST_HOPS = 64;

  private final PacketSpace space;
  private final Meaning meaning;
  private final Forks<Branch> forks = new Forks<>(each -> each.now.isEmpty());
  private List<Landing> found = new ArrayList<>();
  private PacketSet now;

  /** A way between the devices of a site. */
  public EveryHop(SiteProgram program, PacketSpace space) {
    super(program);
    this.space = space;
    this.meaning = new Meaning(space);
    this.now = space.none();
    this.carriesAll = true;
  }

  /**
   * Where packets go that are handed on.
   *
   * @param network the network that they are on
   * @param via the next hop; null where each goes to its destination
   * @param from the device that hands them on; null for anybody else
   */
  public List<Landing> from(Network network, @Nullable Address via, @Nullable Device from) {
    return from(new Hop(network, via, from));
  }

  /** Where packets go that somebody on the internet sends. */
  public List<Landing> fromInternet() {
    return from(new Hop(null, null, null));
  }

  private List<Landing> from(Hop first) {
    found = new ArrayList<>();
    do {
      forks.begin();
      now = space.all();
      Hop hop = first;
      try {
        for (int hops = 0; hop != null && hops < MOST_HOPS; hops++) {
          Network network = hop.network();
          hop = network == null ? carry() : handOver(hop, network);
        }
      } catch (Forks.NoPacket e) {
        // Nobody goes this way.
      }
    } while (forks.goesAgain());
    return found;
  }

  private int go(List<Branch> branches) {
    Branch chosen = forks.go(() -> branches);
    now = chosen.now;
    return chosen.answer;
  }

  private boolean isIn(PacketSet yes) {
    return go(List.of(new Branch(1, now.intersection(yes)), new Branch(0, now.minus(yes)))) == 1;
  }

  @Override
  boolean is(Condition condition) {
    return isIn(meaning.of(condition));
  }

  @Override
  <E extends Condition> @Nullable E first(Row<E> row) {
    Meaning.Taken taken = meaning.taken(row);
    List<Branch> all = new ArrayList<>();
    for (int entry : taken.meeting(now)) {
      all.add(new Branch(entry, now.intersection(taken.decided(entry))));
    }
    all.add(new Branch(Row.NONE, now.minus(taken.any())));
    return row.get(go(all));
  }

  @Override
  boolean isFor(Host host) {
    return isIn(space.destinations(AddressSet.ofAddresses(host.addresses())));
  }

  @Override
  boolean takeHop() {
    return true;
  }

  @Override
  boolean fits(Network network) {
    return true;
  }

  @Override
  @Nullable Host asker(@Nullable Network network, @Nullable Address via) {
    return null; // these packets answer nobody
  }

  @Override
  @Nullable Host unnamedAsker(@Nullable Network network, @Nullable Address via) {
    return null;
  }

  @Override
  void comesToNetwork() {}

  @Override
  void comesToInternet() {}

  @Override
  @Nullable Hop arrive(Device device, Interface own) {
    found.add(new Landing(device, own, null, now));
    return null;
  }

  @Override
  @Nullable Hop receive(Host host) {
    if (comesIn(host)) {
      CompiledList filter = program.conduct(host).filter();
      if (filter == null || filtered(filter) == Action.ACCEPT) {
        found.add(new Landing(null, null, host, now));
      }
    }
    return null;
  }

  @Override
  @Nullable Hop takenToAnswer() {
    found.add(new Landing(null, null, null, now));
    return null;
  }

  @Override
  @Nullable Hop nobodyThere(Hop hop, Network network) {
    return null;
  }

  @Override
  void say(Ruling ruling, @Nullable Placed by) {}

  @Override
  void tellNearest(CompiledList filter) {}
}
