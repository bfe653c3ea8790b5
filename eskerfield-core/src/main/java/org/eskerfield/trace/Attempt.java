// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.List;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Named;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.set.PacketSet;
import org.jspecify.annotations.Nullable;

/**
 * An attempt at a whole conversation, to an address or to a name that is looked up first.
 *
 * @param sender a {@link Host} or a {@link Device}
 * @param source the source address, one of the sender's; null to let the sender choose
 * @param to the destination as asked for: a name, a host or an address
 * @param name the name of the DNS that is looked up, or null where the addresses are known
 * @param addresses the addresses that are known, the first of the sender's families counts; empty
 *     where a name is looked up
 * @param probe the packet to try; a ping counts as IPv4 until the address is known
 * @param sourcePort its port, or the identifier of its ping, 0 to 65535
 * @param manner how far the conversation goes
 * @param at the moment, in the time zone of the site
 */
public record Attempt(
    Named sender,
    @Nullable Address source,
    String to,
    @Nullable String name,
    List<Address> addresses,
    Probe probe,
    int sourcePort,
    Manner manner,
    ZonedDateTime at) {
  /** Copies the addresses. */
  public Attempt {
    addresses = List.copyOf(addresses);
    if (addresses.isEmpty() == (name == null)) {
      throw new IllegalArgumentException("either a name or addresses, for " + to);
    }
  }

  /** A plain attempt to reach a port of an address, from the usual port, at some moment. */
  public static Attempt at(Named sender, Address to, Probe probe, ZonedDateTime at) {
    return new Attempt(
        sender,
        null,
        to.toString(),
        null,
        List.of(to),
        probe,
        Question.DEFAULT_SOURCE_PORT,
        Manner.USUAL,
        at);
  }

  /** The attempt whose first packet is one of a set; null where its source can be no sender's. */
  public static @Nullable Attempt sending(Site site, PacketSet.Member member) {
    Packet packet = member.packet();
    Address source = packet.source();
    if (site.deviceAt(source) != null) {
      return null;
    }
    Host sender = site.hostOrUnnamed(source);
    boolean echo = Icmp.isEchoRequest(packet.icmpType);
    Probe probe =
        echo ? Probe.ping(packet.family) : Probe.of(packet.protocol, packet.destinationPort);
    Address to = packet.destination();
    return new Attempt(
        sender,
        source,
        to.toString(),
        null,
        List.of(to),
        probe,
        echo ? 1 : packet.sourcePort == 0 ? Question.DEFAULT_SOURCE_PORT : packet.sourcePort,
        Manner.USUAL,
        member.at());
  }

  /**
   * How a conversation goes on after its first packet.
   *
   * @param talk the application protocol; null for the usual one of the port
   * @param mode active or passive; used by file transfers only
   * @param dataTo where a passive client opens it to
   * @param remark a default that was chosen for the asker, in a sentence; null for none
   */
  public record Manner(
      @Nullable Talk talk,
      FileTransfer.Mode mode,
      FileTransfer.DataTo dataTo,
      @Nullable String remark) {
    /** What is usual on the port; passive data connections to what the answer says. */
    public static final Manner USUAL =
        new Manner(null, FileTransfer.Mode.PASSIVE, FileTransfer.DataTo.ANSWER, null);
  }

  /** The protocol spoken, as far as the port tells. */
  public Talk talk() {
    return manner.talk() != null ? manner.talk() : Talk.of(probe);
  }

  /** The same attempt as a file transfer whose control connection everybody can read. */
  public Attempt inPlainText() {
    Manner other = new Manner(Talk.FILE_TRANSFER, manner.mode(), manner.dataTo(), manner.remark());
    return new Attempt(sender, source, to, name, addresses, probe, sourcePort, other, at);
  }

  /** The same attempt with another kind of data connection. */
  public Attempt with(FileTransfer.Mode mode) {
    Manner other = new Manner(manner.talk(), mode, manner.dataTo(), manner.remark());
    return new Attempt(sender, source, to, name, addresses, probe, sourcePort, other, at);
  }

  /** The same attempt of a client that opens passive data connections elsewhere. */
  Attempt with(FileTransfer.DataTo dataTo) {
    Manner other = new Manner(manner.talk(), manner.mode(), dataTo, manner.remark());
    return new Attempt(sender, source, to, name, addresses, probe, sourcePort, other, at);
  }

  /** Whether a description of the site has the sender; it need not name an address. */
  public boolean isOn(Site site) {
    return isUnnamed()
        || site.hosts().containsKey(sender.name())
        || site.devices().containsKey(sender.name());
  }

  /** Whether the sender is an address that no host is described for. */
  private boolean isUnnamed() {
    return sender instanceof Host host
        && host.addresses().size() == 1
        && host.name().equals(host.addresses().get(0).toString());
  }

  /** The same attempt of the sender of that name as another description of the site has it. */
  @SuppressWarnings("ReferenceEquality") // to compare whole hosts would cost more than it saves
  public Attempt on(Site site) {
    Named found = site.hosts().get(sender.name());
    found = found != null ? found : site.devices().get(sender.name());
    if (found == null && isUnnamed()) {
      found = site.hostOrUnnamed(((Host) sender).addresses().get(0));
    }
    return found == null || found == sender
        ? this
        : new Attempt(found, source, to, name, addresses, probe, sourcePort, manner, at);
  }
}
