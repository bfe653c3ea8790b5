// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.reach;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.outcome.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.eskerfield.walk.Alike;
import org.eskerfield.walk.EveryPacket;
import org.jspecify.annotations.Nullable;

/**
 * The fates of first packets on a site: what becomes of a packet of a flow that nobody knows yet,
 * and of which others the same.
 *
 * <p>Idea: a packet is traced, there and back, and all that was asked of it on its way tells which
 * others go the same ({@link Alike}).
 */
public final class Fates {
  /**
   * A fate.
   *
   * @param trace the packet that was traced
   * @param like the packets, as they are sent, that share it
   * @param rules what decided on the way of the request, with the device
   * @param seen the addresses of which the receiver sees one, whatever the sender has; null where
   *     it is told by the sender's own
   * @param to the one address that it goes to, whatever was asked for; null where it is told by
   *     that
   * @param toPort the same for its port
   * @param chain how it is rewritten on its way
   */
  public record Fate(
      Trace trace,
      PacketSet like,
      List<String> rules,
      @Nullable PacketSet seen,
      @Nullable PacketSet to,
      @Nullable PacketSet toPort,
      List<Rewrite> chain) {
    /** The packets, as they are sent, of which one of a set arrives. */
    public PacketSet sentAs(PacketSet arriving) {
      PacketSet sent = arriving;
      for (int i = chain.size() - 1; i >= 0; i--) {
        sent = sent.preImage(chain.get(i));
      }
      return sent;
    }
  }

  private final Site site;
  private final Tracer tracer;
  private final Map<String, EveryPacket> sets;
  private final Alike.Ground ground;

  public Fates(Site site, PacketSpace space, int base) {
    this.site = site;
    this.tracer = Tracer.of(site);
    this.sets = EveryPacket.of(tracer.program(), space, base);
    this.ground = new Alike.Ground(space, sets);
  }

  /** The fate of a packet. */
  public Fate of(Origin origin, PacketSet.Member member) {
    Packet packet = member.packet();
    boolean echo = Icmp.isEchoRequest(packet.icmpType);
    Address source = packet.source();
    Question question =
        new Question(
            origin.sender(site, source),
            source,
            packet.destination(),
            echo ? Probe.ping(packet.family) : Probe.of(packet.protocol, packet.destinationPort),
            packet.sourcePort,
            member.at());
    Alike alike = new Alike(ground, member);
    Trace trace = tracer.trace(question, alike);
    boolean arrived = trace.deliveredTo() != null;
    return new Fate(
        trace,
        alike.packets(),
        rules(trace),
        arrived ? last(alike, Dimension.SOURCE) : null,
        arrived ? last(alike, Dimension.DESTINATION) : null,
        arrived ? last(alike, Dimension.DESTINATION_PORT) : null,
        alike.rewrites());
  }

  /** The values of which a dimension got one at last; null where it stayed or moved. */
  private static @Nullable PacketSet last(Alike alike, Dimension dimension) {
    PacketSet last = null;
    for (Rewrite rewrite : alike.rewrites()) {
      PacketSet values = rewrite.values(dimension);
      last = values == null ? last : values;
    }
    return last;
  }

  /** The sets of a device. */
  @SuppressWarnings("exports") // of the house
  public EveryPacket sets(Device device) {
    return Objects.requireNonNull(sets.get(device.name()), device.name());
  }

  /** What decided on the way of a request. */
  public static List<String> rules(Trace trace) {
    List<String> rules = new ArrayList<>();
    for (Leg leg : trace.request()) {
      for (Decision decision : leg.decisions()) {
        Placed by = decision.by();
        Step step = decision.ruling().step();
        boolean decides =
            step == Step.DESTINATION
                || step == Step.DEVICE
                || step == Step.ACCESS
                || step == Step.SOURCE
                || decision.ruling() == Ruling.HOST_ACCEPTED_BY_RULE
                || decision.ruling() == Ruling.HOST_FILTERED
                || decision.ruling() == Ruling.HOST_REJECTED;
        if (by != null && decides && !(by instanceof Interface)) {
          rules.add(leg.where() + ": " + Labels.of(by));
        }
      }
    }
    return rules;
  }
}
