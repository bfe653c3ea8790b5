// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.ZoneOffset;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.eskerfield.model.Place;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketSet;
import org.eskerfield.state.VirtualClock;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;

/** Rows of conditions against asking one after the other. */
class RowTest {
  private static final int ROWS = 400;
  private static final int PACKETS = 150;
  private static final ZonedDateTime NOW = VirtualClock.START.atZone(ZoneOffset.UTC);

  /** A condition that asks what it needs, and now and then something more. */
  private record Drawn(
      @Nullable AddressSet from, @Nullable AddressSet to, List<ServiceTerm> services, int remainder)
      implements Condition {
    @Override
    public boolean holds(Packet packet, boolean own, ZonedDateTime now) {
      return (from == null || from.contains(packet.source()))
          && (to == null || to.contains(packet.destination()))
          && ServiceTerm.anyCovers(
              services, packet.protocol, packet.destinationPort, packet.icmpType, packet.icmpCode)
          && (remainder < 0 || packet.sourcePort % 3 == remainder);
    }

    @Override
    public PacketSet among(Meaning all) {
      throw new UnsupportedOperationException("nobody asks for sets here");
    }

    @Override
    public Needs needs() {
      return new Needs(from, to, services);
    }
  }

  private static Address address(Random random) {
    return switch (random.nextInt(8)) {
      case 0 -> new Address(Family.IPV6, 0x2001_0db8L << 32 | random.nextInt(3), random.nextInt(9));
      case 1 -> Address.lowest(Family.IPV4);
      case 2 -> Address.highest(random.nextBoolean() ? Family.IPV4 : Family.IPV6);
      default -> Address.ipv4(10, random.nextInt(3), 0, random.nextInt(24));
    };
  }

  private static @Nullable AddressSet addresses(Random random) {
    if (random.nextInt(3) == 0) {
      return null;
    }
    List<AddressRange> ranges = new ArrayList<>();
    for (int i = random.nextInt(3); i >= 0; i--) {
      Address one = address(random);
      Address other = random.nextBoolean() ? one : address(random);
      if (one.family() == other.family()) {
        boolean up = one.compareTo(other) <= 0;
        ranges.add(new AddressRange(up ? one : other, up ? other : one));
      }
    }
    return AddressSet.of(ranges);
  }

  private static List<ServiceTerm> services(Random random) {
    List<ServiceTerm> terms = new ArrayList<>();
    for (int i = random.nextInt(3); i > 0; i--) {
      int port = 78 + random.nextInt(6);
      ServicePart part =
          switch (random.nextInt(5)) {
            case 0 -> ServicePart.all(ServicePart.ANY_PROTOCOL);
            case 1 -> new ServicePart(Protocol.ICMP, PortSet.ALL, Icmp.ECHO_REQUEST);
            case 2 -> ServicePart.all(47);
            case 3 ->
                new ServicePart(
                    Protocol.UDP, PortSet.of(port).union(PortSet.of(9000)), Icmp.NO_TYPE);
            default -> new ServicePart(Protocol.TCP, PortSet.range(port, port + 2), Icmp.NO_TYPE);
          };
      terms.add(new ServiceTerm(new Service("", List.of(part), Place.IN_CODE), Place.IN_CODE));
    }
    return terms;
  }

  private static Packet packet(Random random) {
    Address source = address(random);
    Address destination = address(random);
    while (destination.family() != source.family()) {
      destination = address(random);
    }
    int protocol = new int[] {Protocol.TCP, Protocol.UDP, Protocol.ICMP, 47}[random.nextInt(4)];
    boolean ports = Protocol.hasPorts(protocol);
    return new Packet(
        source,
        random.nextInt(60),
        destination,
        ports ? (random.nextInt(5) == 0 ? 9000 : 77 + random.nextInt(9)) : 0,
        protocol,
        protocol == Protocol.ICMP ? Icmp.ECHO_REQUEST : Icmp.NO_TYPE,
        0);
  }

  @Test
  void theFirstEntryThatHoldsIsFoundHoweverLongTheRow() {
    int found = 0;
    int missed = 0;
    for (int seed = 0; seed < ROWS; seed++) {
      Random random = new Random(seed);
      List<Drawn> entries = new ArrayList<>();
      for (int i = random.nextInt(200); i >= 0; i--) {
        entries.add(
            new Drawn(
                addresses(random), addresses(random), services(random), random.nextInt(5) - 2));
      }
      Row<Drawn> row = new Row<>(entries);
      for (int i = 0; i < PACKETS; i++) {
        Packet packet = packet(random);
        int wanted = Row.NONE;
        for (int j = 0; j < entries.size() && wanted == Row.NONE; j++) {
          wanted = entries.get(j).holds(packet, false, NOW) ? j : Row.NONE;
        }
        assertThat(row.first(packet, false, NOW))
            .as("seed %s: %s", seed, packet.header())
            .isEqualTo(wanted);
        found += wanted == Row.NONE ? 0 : 1;
        missed += wanted == Row.NONE ? 1 : 0;
      }
    }
    assertThat(found).isGreaterThan(ROWS * PACKETS / 2);
    assertThat(missed).isGreaterThan(1_000);
  }

  @Test
  void anEmptyRowHasNothing() {
    assertThat(new Row<Drawn>(List.of()).first(packet(new Random(1)), false, NOW))
        .isEqualTo(Row.NONE);
  }
}
