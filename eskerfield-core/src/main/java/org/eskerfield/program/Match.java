// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Flags;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.MatchField;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.jspecify.annotations.Nullable;

/** The conditions of a rule, with all names resolved. */
public final class Match implements Condition {
  private final @Nullable AddressSet from;
  private final boolean fromSelf;
  private final @Nullable AddressSet to;
  private final List<ServiceTerm> services;
  private final @Nullable PortSet sourcePorts;
  private final @Nullable Flags flags;
  private final @Nullable Schedule when;

  public Match(
      Site site,
      List<AddressTerm> from,
      List<AddressTerm> to,
      List<ServiceTerm> services,
      @Nullable Schedule when) {
    this(
        site,
        AccessRule.called(Action.ACCEPT, "")
            .from(from)
            .to(to)
            .services(services)
            .when(when)
            .build());
  }

  /** What an access rule asks for, whatever becomes of it. */
  public Match(Site site, AccessRule rule) {
    List<AddressTerm> from = rule.from();
    List<AddressTerm> to = rule.to();
    this.from = from.isEmpty() ? null : site.addresses(from);
    this.fromSelf = namesSelf(from);
    this.to = to.isEmpty() ? null : site.addresses(to);
    this.services = rule.services();
    this.sourcePorts = rule.sourcePorts();
    this.flags = rule.flags();
    this.when = rule.when();
  }

  public static boolean namesSelf(List<AddressTerm> from) {
    return from.stream().anyMatch(term -> term.kind() == AddressTerm.Kind.SELF);
  }

  /** Whether the sources include {@code device}. */
  public boolean namesSelf() {
    return fromSelf;
  }

  @Override
  public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
    return sourceMatches(packet, own)
        && destinationMatches(packet)
        && serviceMatches(packet)
        && sourcePortMatches(packet)
        && flagsMatch(packet)
        && (when == null || when.covers(now));
  }

  @Override
  public PacketSet among(Meaning all) {
    PacketSpace space = all.space();
    PacketSet sources = from == null ? space.all() : space.sources(from);
    return (from != null && fromSelf ? sources.union(all.bySelf()) : sources)
        .intersection(to == null ? space.all() : space.destinations(to))
        .intersection(space.services(services))
        .intersection(space.sourcePorts(sourcePorts))
        .intersection(flags == null ? space.all() : space.flags(flags))
        .intersection(space.during(when));
  }

  @Override
  public Needs needs() {
    return new Needs(from, to, services);
  }

  /** The fields by which a packet misses; empty if it matches. */
  public Set<MatchField> misses(Packet packet, boolean own, ZonedDateTime now) {
    Set<MatchField> misses = EnumSet.noneOf(MatchField.class);
    if (!sourceMatches(packet, own)) {
      misses.add(MatchField.SOURCE);
    }
    if (!destinationMatches(packet)) {
      misses.add(MatchField.DESTINATION);
    }
    if (!serviceMatches(packet)) {
      misses.add(MatchField.SERVICE);
    }
    if (!sourcePortMatches(packet)) {
      misses.add(MatchField.SOURCE_PORT);
    }
    if (!flagsMatch(packet)) {
      misses.add(MatchField.FLAGS);
    }
    if (when != null && !when.covers(now)) {
      misses.add(MatchField.SCHEDULE);
    }
    return misses;
  }

  /**
   * How far a packet is from matching: the fewer fields, the nearer; among equally many a rule for
   * the same service at another time or place is nearer than one for another service.
   */
  public static int distance(Set<MatchField> misses) {
    int distance = 0;
    for (MatchField field : misses) {
      distance +=
          switch (field) {
            case SCHEDULE -> 10;
            case ARRIVING -> 11;
            case SOURCE_PORT, FLAGS -> 12;
            case SOURCE -> 13;
            case DESTINATION -> 14;
            case SERVICE -> 15;
          };
    }
    return distance;
  }

  private boolean sourceMatches(Packet packet, boolean own) {
    return from == null
        || (own && fromSelf)
        || from.contains(packet.family, packet.sourceHigh, packet.sourceLow);
  }

  private boolean destinationMatches(Packet packet) {
    return to == null || to.contains(packet.family, packet.destinationHigh, packet.destinationLow);
  }

  private boolean serviceMatches(Packet packet) {
    return ServiceTerm.anyCovers(
        services, packet.protocol, packet.destinationPort, packet.icmpType, packet.icmpCode);
  }

  /** Whether it asks for TCP flags or ICMP codes. */
  boolean asksHeaders() {
    return flags != null
        || services.stream()
            .flatMap(term -> term.service().parts().stream())
            .anyMatch(part -> part.icmpCode() != Icmp.NO_CODE);
  }

  private boolean flagsMatch(Packet packet) {
    return flags == null || (packet.protocol == Protocol.TCP && flags.match(packet.tcpFlags));
  }

  private boolean sourcePortMatches(Packet packet) {
    return sourcePorts == null
        || (Protocol.hasPorts(packet.protocol) && sourcePorts.contains(packet.sourcePort));
  }
}
