// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.function.Function;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Condition;
import org.eskerfield.program.Nearest;
import org.eskerfield.program.Row;
import org.eskerfield.program.SiteProgram;
import org.jspecify.annotations.Nullable;

/**
 * The way of packets across a site: who hands what to whom.
 *
 * <p>Idea: a packet is handed from node to node; each hop is a network (or the internet) and the
 * address that the packet is handed to there, and the hop count ends what goes in circles. A reply
 * is a packet like any other: nothing but the state that the request left behind helps it. All that
 * is asked of a packet is asked through {@link #is} and {@link #first}, so that a {@link Witness}
 * can tell which others go the same way.
 *
 * <p>Not safe for use by several threads.
 */
public final class SiteWalk extends BetweenDevices {
  /** Where a packet is. */
  public enum Place {
    HOST,
    DEVICE,
    INTERNET
  }

  /** Hears of the nodes that a packet comes to. */
  public interface Listener {
    /**
     * A packet comes to a node.
     *
     * @param where the name of the host or device; "" for the internet
     * @param arriving the interface of a device by which it comes in; null for any other
     * @return who hears the decisions that are made there
     */
    Narrator comesTo(String where, Place place, @Nullable Interface arriving, Packet packet);
  }

  /**
   * The flow whose packets go their ways.
   *
   * @param sender who began it
   * @param source the address that it sends from
   * @param to the address that it speaks to
   * @param port the port that it speaks to
   */
  public record Flow(Named sender, Address source, Address to, int port) {}

  private final Function<String, DeviceMachine> machines;
  private final Flow flow;
  private final ZonedDateTime now;
  private final Listener listener;
  private final @Nullable Witness witness;

  // The packet under way.
  private Packet packet;
  private Narrator narrator;
  private boolean isReply;
  private @Nullable Named receiver;
  private Ruling last = Ruling.FLOW_IS_NEW;
  private @Nullable Named endedAt;
  private Packet asItArrived;

  /** The MTU that the packet did not fit; 0 where it did. */
  private int unfit;

  /** Who sent the last packet that is no error: whoever hears of an error about it. */
  private Named speaker;

  /** An endpoint that listens for this flow only, such as that of a data connection. */
  private @Nullable Header opened;

  private final List<Late> late = new ArrayList<>();

  /**
   * Where packets come in that were seen there and not sent by somebody; null for no such place.
   */
  private @Nullable Device entered;

  private @Nullable Interface entry;

  /**
   * A walk.
   *
   * @param machines the machine of each device, with its state
   * @param now the moment, which the filters of hosts ask for
   * @param listener hears of each node
   * @param witness hears all that is asked, or null
   */
  public SiteWalk(
      SiteProgram program,
      Function<String, DeviceMachine> machines,
      Flow flow,
      ZonedDateTime now,
      Listener listener,
      @Nullable Witness witness) {
    super(program);
    this.machines = machines;
    this.flow = flow;
    this.now = now;
    this.listener = listener;
    this.witness = witness;
    this.packet = new Packet(flow.source(), 0, flow.to(), 0, 0, 0, 0);
    this.asItArrived = packet;
    this.speaker = flow.sender();
    this.narrator = (ruling, by, about) -> {};
  }

  /**
   * A fragment that waited for the first one of its packet, and arrives now.
   *
   * @param at where it waited
   * @param own by which interface it had come
   */
  public record Late(Device at, Interface own, Packet packet) {}

  /**
   * The fragments that waited for packets which this walk brought, in the order of their coming.
   */
  public List<Late> late() {
    return late;
  }

  /** Lets the internet carry private and other addresses that carriers should discard. */
  public void carryAll() {
    carriesAll = true;
  }

  /** Says which endpoint, the source of this header, listens besides those of the site. */
  public void open(Header endpoint) {
    opened = endpoint;
  }

  /** Says by which interface of a device the packets of the one who begins come into the site. */
  public void enterBy(Device device, Interface own) {
    entered = device;
    entry = own;
  }

  /** Who received the last packet; null if nobody did. */
  public @Nullable Named receiver() {
    return receiver;
  }

  /** The last decision about it. */
  public Ruling last() {
    return last;
  }

  /**
   * Who ended it, and may tell its sender: a device, the carrier's router, or the sender itself
   * where the packet is too large for its own network; null for nobody.
   */
  public @Nullable Named endedAt() {
    return endedAt;
  }

  /** The MTU that it did not fit, in bytes; 0 where that is not what ended it. */
  public int unfit() {
    return unfit;
  }

  /** The last request, or other packet of some size, as it came to the last device. */
  public Packet asItArrived() {
    return asItArrived;
  }

  /**
   * Sends a packet on its way, to its end.
   *
   * @param sender the host or device that sends it
   * @param given the packet; changed in place
   * @param reply whether it answers the one who began
   */
  public void go(Named sender, Packet given, boolean reply) {
    packet = given;
    isReply = reply;
    if (reply && witness != null) {
      witness.replied(packet, asItArrived, receiver == null);
    }
    receiver = null;
    Hop hop;
    endedAt = null;
    unfit = 0;
    if (packet.inner == null) {
      speaker = sender;
    }
    if (entered != null && entry != null && !isReply) {
      hop = arrive(entered, entry);
    } else {
      hop = sender instanceof Device device ? originate(device) : send((Host) sender);
    }
    while (hop != null) {
      hop = hop.network() == null ? carry() : handOver(hop, hop.network());
    }
  }

  private void comesTo(String where, Place place, @Nullable Interface arriving) {
    narrator = listener.comesTo(where, place, arriving, packet);
    if (witness != null) {
      witness.comesTo(null, packet);
    }
  }

  @Override
  void say(Ruling ruling, @Nullable Placed by) {
    narrator.decided(ruling, by, packet);
    last = ruling;
  }

  @Override
  boolean is(Condition condition) {
    boolean yes = condition.holds(packet, false, now);
    if (witness != null) {
      witness.asked(condition, Seen.NOW, yes);
    }
    return yes;
  }

  @Override
  <E extends Condition> @Nullable E first(Row<E> row) {
    int first = row.first(packet, false, now);
    if (witness != null) {
      witness.asked(row, Seen.NOW, first);
    }
    return row.get(first);
  }

  // Hosts send.

  private @Nullable Hop send(Host host) {
    comesTo(host.name(), Place.HOST, null);
    if (host.off()) {
      say(Ruling.SENDER_OFF, host);
      return null;
    }
    SiteProgram.Conduct conduct = program.conduct(host);
    if (!isReply && conduct.blocked() != null && is(conduct.blocked())) {
      say(Ruling.BLOCKED_AT_SENDER, host);
      return null;
    }
    if (host.isOutside()) {
      say(Ruling.SENT_TO_CARRIER, host);
      return new Hop(null, null, null);
    }
    SiteProgram.Near near = first(conduct.near());
    Network network = near == null ? null : near.neighbours().network();
    if (network != null) {
      say(Ruling.SENT_TO_NEIGHBOUR, host);
      return fits(network, host) ? new Hop(network, null, null) : null;
    }
    Address gateway = program.site().gateway(host, packet.family);
    if (gateway == null) {
      say(Ruling.NO_GATEWAY, host);
      return null;
    }
    say(Ruling.SENT_TO_GATEWAY, host);
    Network own = Objects.requireNonNull(host.networkHolding(gateway));
    return fits(own, host) ? new Hop(own, gateway, null) : null;
  }

  /**
   * Whether a network takes the packet from somebody who is no device, whole or in fragments; what
   * a device puts on a network is for its own steps.
   *
   * @param from who hears of it if it does not; null for nobody
   */
  private boolean fits(Network network, @Nullable Named from) {
    int mtu = network.linkMtu();
    if (packet.size == null || packet.size.longest() <= mtu) {
      return true;
    }
    if (packet.size.mayFragment()) {
      packet.size = packet.size.cut(mtu);
      say(Ruling.FRAGMENTED, network);
      return true;
    }
    unfit = mtu;
    endedAt = from;
    say(Ruling.TOO_LARGE, network);
    return false;
  }

  // Devices.

  private @Nullable Hop originate(Device device) {
    DeviceMachine machine = take(device, null);
    last = machine.originate(packet, narrator);
    return onward(device, machine);
  }

  @Override
  @Nullable Hop arrive(Device device, Interface own) {
    DeviceMachine machine = take(device, own);
    last = machine.arrive(packet, own, narrator);
    machine.released().forEach(each -> late.add(new Late(device, own, each)));
    return onward(device, machine);
  }

  private DeviceMachine take(Device device, @Nullable Interface own) {
    DeviceMachine machine = machines.apply(device.name());
    narrator = listener.comesTo(device.name(), Place.DEVICE, own, packet);
    if (witness != null) {
      witness.comesTo(machine.program(), packet);
    }
    machine.tell(witness);
    if (!isReply || packet.size != null) {
      asItArrived = packet.copy();
    }
    return machine;
  }

  private @Nullable Hop onward(Device device, DeviceMachine machine) {
    Interface leaving = machine.leaving();
    if (leaving == null && last.ends() == null) {
      receiver = device;
    }
    endedAt = leaving == null ? device : null;
    unfit = machine.unfit;
    return leaving == null
        ? null
        : new Hop(leaving.network(), machine.gateway(), machine.program().device());
  }

  // Networks and the internet.

  @Override
  void comesToNetwork() {
    if (witness != null) {
      witness.comesTo(null, packet);
    }
  }

  @Override
  @Nullable Host asker(@Nullable Network network, @Nullable Address via) {
    if (via != null || !goesHome() || !(flow.sender() instanceof Host sender)) {
      return null;
    }
    boolean here = network == null ? sender.isOutside() : sender.isOn(network);
    Condition peculiar = network == null ? program.peculiarOutside() : program.peculiar(network);
    return here && !is(peculiar) ? sender : null;
  }

  @Override
  @Nullable Host unnamedAsker(@Nullable Network network, @Nullable Address via) {
    boolean his =
        (via == null || packet.destination().equals(via))
            && packet.destination().equals(flow.source());
    if (!his || !(flow.sender() instanceof Host sender)) {
      return null;
    }
    return (network == null ? sender.isOutside() : sender.isOn(network)) ? sender : null;
  }

  @Override
  @Nullable Hop nobodyThere(Hop hop, Network network) {
    Device from = hop.from();
    Address to = hop.via();
    endedAt = from != null && from.name().equals(flow.sender().name()) ? null : from;
    last = Ruling.NOBODY_THERE;
    narrator.nobodyThere(network, to == null ? packet.destination() : to, packet);
    return null;
  }

  /** Whether it answers the one who began, who is told by no more than that. */
  private boolean goesHome() {
    return isReply && packet.destination().equals(flow.source());
  }

  @Override
  void comesToInternet() {
    comesTo("", Place.INTERNET, null);
  }

  @Override
  boolean takeHop() {
    if (packet.ttl <= 1) {
      return false;
    }
    packet.ttl--;
    return true;
  }

  @Override
  boolean fits(Network network) {
    return fits(network, carrier(network));
  }

  /**
   * The carrier's router on a link, as it sends into the internet; null where none is described.
   */
  private @Nullable Named carrier(Network link) {
    for (Address own : link.carrier()) {
      if (own.family() == packet.family) {
        return Host.unnamed(own, null);
      }
    }
    return null;
  }

  /** Somebody outside whom the file does not describe: taken to be there and to answer. */
  @Override
  @Nullable Hop takenToAnswer() {
    Address at = packet.destination();
    receiver = Host.unnamed(at, program.site().networkOf(at));
    comesTo(at.toString(), Place.HOST, null);
    boolean told = packet.inner != null && at.toString().equals(speaker.name());
    say(told ? Ruling.NOTICE_RECEIVED : Ruling.TAKEN_TO_ANSWER, null);
    return null;
  }

  // Hosts receive.

  @Override
  @Nullable Hop receive(Host host) {
    comesTo(host.name(), Place.HOST, null);
    if (comesIn(host)) {
      receiver = host;
      Ruling ruling = received(host);
      if (ruling != null) {
        say(ruling, host);
      }
    }
    return null;
  }

  @Override
  boolean isFor(Host host) {
    return host.addresses().contains(packet.destination());
  }

  /** What the host does with it; null if that was said. */
  private @Nullable Ruling received(Host host) {
    boolean mine = host.name().equals(flow.sender().name());
    if (packet.inner != null) {
      boolean sent = host.name().equals(speaker.name());
      return sent ? Ruling.NOTICE_RECEIVED : Ruling.REPLY_DISCARDED;
    }
    if (isReply) {
      boolean asked = mine && packet.source().equals(flow.to()) && packet.sourcePort == flow.port();
      return asked ? Ruling.REPLY_ACCEPTED : Ruling.REPLY_DISCARDED;
    }
    if ((packet.tcpFlags & Packet.RST) != 0) {
      return Ruling.RESET_RECEIVED;
    }
    if (packet.size != null && packet.size.isPart() && !packet.size.hasFirst()) {
      return Ruling.FRAGMENT_RECEIVED;
    }
    SiteProgram.Conduct conduct = program.conduct(host);
    boolean expected =
        opened != null
            && opened.source().equals(packet.destination())
            && opened.sourcePort() == packet.destinationPort;
    if (conduct.filter() != null && !expected) {
      Action action = filtered(conduct.filter());
      if (action != Action.ACCEPT) {
        receiver = action == Action.DROP ? null : host;
        return null;
      }
    }
    if (is(Condition.Kind.ECHO_REQUEST)) {
      return host.answersPing() ? Ruling.HOST_ANSWERS : Ruling.HOST_SILENT;
    }
    boolean listens = expected || (conduct.listens() != null && is(conduct.listens()));
    return listens ? Ruling.HOST_ANSWERS : Ruling.HOST_REFUSES;
  }

  @Override
  void tellNearest(CompiledList filter) {
    Nearest nearest = filter.nearest(packet, false, now);
    if (nearest != null) {
      narrator.nearly(nearest.rule(), nearest.misses(), packet);
    }
  }
}
