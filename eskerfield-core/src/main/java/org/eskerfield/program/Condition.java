// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.List;
import org.eskerfield.model.Named;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.jspecify.annotations.Nullable;

/**
 * What may be asked of a packet. Each condition says it twice, side by side: for one packet, and as
 * the set of those for which it holds. Nothing else in the engine tells packets apart.
 */
public interface Condition {
  /**
   * Whether it holds for a packet.
   *
   * @param own whether the device itself sends the packet
   * @param now the moment
   */
  boolean holds(Packet packet, boolean own, ZonedDateTime now);

  /** The packets for which it holds, those of the device itself included. */
  PacketSet among(Meaning all);

  /** The packets of the device itself for which it holds. */
  default PacketSet amongOwn(DeviceMeaning all) {
    return all.of(this).intersection(all.bySelf()).without(Dimension.ARRIVING);
  }

  /** What it asks at the least, for finding it among many. */
  default Needs needs() {
    return Needs.NOTHING;
  }

  /** The rule or list entry that asks it; null where none does. */
  default @Nullable Named rule() {
    return null;
  }

  /** It has a source among these. */
  record Source(AddressSet addresses) implements Condition {
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return addresses.contains(packet.family, packet.sourceHigh, packet.sourceLow);
    }

    @Override
    public PacketSet among(Meaning all) {
      return all.space().sources(addresses);
    }
  }

  /** It has a destination among these. */
  record Destination(AddressSet addresses) implements Condition {
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return addresses.contains(packet.family, packet.destinationHigh, packet.destinationLow);
    }

    @Override
    public PacketSet among(Meaning all) {
      return all.space().destinations(addresses);
    }

    @Override
    public Needs needs() {
      return Needs.destinations(addresses);
    }
  }

  /** Conditions that depend on protocol and type alone. */
  enum Kind implements Condition {
    /** A message of ICMP. */
    ICMP {
      @Override
      boolean is(Packet packet) {
        return Protocol.isIcmp(packet.protocol);
      }

      @Override
      public PacketSet among(Meaning all) {
        return all.space().protocol(Protocol.ICMP).union(all.space().protocol(Protocol.ICMPV6));
      }
    },

    /** A ping. */
    ECHO_REQUEST {
      @Override
      boolean is(Packet packet) {
        return Icmp.isEchoRequest(packet.icmpType);
      }

      @Override
      public PacketSet among(Meaning all) {
        return all.of(ICMP)
            .intersection(type(all, Icmp.ECHO_REQUEST).union(type(all, Icmp.ECHO_REQUEST_V6)));
      }
    },

    /** A message of ICMP that asks for something, and so opens a flow. */
    QUERY {
      @Override
      boolean is(Packet packet) {
        return Protocol.isIcmp(packet.protocol) && Icmp.isQuery(packet.icmpType);
      }

      @Override
      public PacketSet among(Meaning all) {
        PacketSet types = all.space().none();
        for (int type = 0; type <= HIGHEST_TYPE; type++) {
          types = Icmp.isQuery(type) ? types.union(type(all, type)) : types;
        }
        return all.of(ICMP).intersection(types);
      }
    },

    /** It bears a port or an identifier to tell sharers of an address apart by. */
    SHAREABLE {
      @Override
      boolean is(Packet packet) {
        return Protocol.hasPorts(packet.protocol) || Icmp.isEchoRequest(packet.icmpType);
      }

      @Override
      public PacketSet among(Meaning all) {
        return all.space().withPorts().union(all.of(ECHO_REQUEST));
      }
    };

    private static final int HIGHEST_TYPE = 255;

    private static PacketSet type(Meaning all, int type) {
      return all.space().where(Dimension.ICMP_TYPE, type, type);
    }

    abstract boolean is(Packet packet);

    @Override
    public final boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return is(packet);
    }
  }

  /** The conditions of own services or of a host's: protocol and port, or type. */
  record Service(List<ServiceTerm> terms) implements Condition {
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return ServiceTerm.anyCovers(
          terms, packet.protocol, packet.destinationPort, packet.icmpType, packet.icmpCode);
    }

    @Override
    public PacketSet among(Meaning all) {
      return all.space().services(terms);
    }
  }
}
