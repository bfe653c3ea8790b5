// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.MatchField;
import org.eskerfield.packet.AddressSet;
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
  private final @Nullable Schedule when;

  public Match(
      Site site,
      List<AddressTerm> from,
      List<AddressTerm> to,
      List<ServiceTerm> services,
      @Nullable PortSet sourcePorts,
      @Nullable Schedule when) {
    this.from = from.isEmpty() ? null : site.addresses(from);
    this.fromSelf = namesSelf(from);
    this.to = to.isEmpty() ? null : site.addresses(to);
    this.services = services;
    this.sourcePorts = sourcePorts;
    this.when = when;
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
            case SOURCE_PORT -> 12;
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
        services, packet.protocol, packet.destinationPort, packet.icmpType);
  }

  private boolean sourcePortMatches(Packet packet) {
    return sourcePorts == null
        || (Protocol.hasPorts(packet.protocol) && sourcePorts.contains(packet.sourcePort));
  }
}
