// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.plain;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Objects;
import java.util.Random;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.plain.PlainDevice.End;
import org.eskerfield.plain.PlainDevice.Ends;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.state.PoolFill;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.walk.DeviceMachine;
import org.eskerfield.walk.Narrator;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.parallel.Execution;
import org.junit.jupiter.api.parallel.ExecutionMode;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

/**
 * The machine and the plain device, packet by packet: 100,000 for each kind of rule, on drawn
 * devices where rules of all kinds meet.
 */
@Execution(ExecutionMode.CONCURRENT)
class DeviceAgreementTest {
  private static final int DEVICES = 200;
  private static final int PACKETS = 500;

  /** Random packets: openings, replies, strangers. */
  private record Traffic(DrawnSite drawn, PlainDevice plain, Random random) {
    Packet packet() {
      if (random.nextInt(12) == 0) {
        Packet about = plainPacket();
        Address from = random.nextBoolean() ? about.destination() : drawn.someAddress();
        return drawn.isSix()
            ? Packet.error(from, about, Icmp.UNREACHABLE_V6, 4)
            : Packet.error(from, about, Icmp.UNREACHABLE, 3);
      }
      return plainPacket();
    }

    private Packet plainPacket() {
      List<Ends> awaited = plain.awaited();
      if (!awaited.isEmpty() && random.nextInt(5) < 2) {
        Ends reply = awaited.get(random.nextInt(awaited.size()));
        return of(random.nextInt(4) > 0 ? reply : reply.back());
      }
      Address from = drawn.someAddress();
      Address to = drawn.someAddress();
      int protocol = drawn.one(Protocol.UDP, Protocol.TCP, Protocol.TCP, Protocol.UDP, icmp(), 47);
      boolean ports = Protocol.hasPorts(protocol);
      boolean request = random.nextInt(5) > 0;
      int one = random.nextInt(8) == 0 ? random.nextInt(3) : 1499 + random.nextInt(6);
      int other = 1499 + random.nextInt(6);
      return of(
          new Ends(
              from,
              ports || (protocol == icmp() && request) ? one : 0,
              to,
              ports || (protocol == icmp() && !request) ? other : 0,
              protocol));
    }

    private int icmp() {
      return drawn.isSix() ? Protocol.ICMPV6 : Protocol.ICMP;
    }

    private Packet of(Ends ends) {
      boolean icmp = ends.protocol() == icmp();
      boolean reply = icmp && ends.toPort() != 0;
      int request = drawn.isSix() ? Icmp.ECHO_REQUEST_V6 : Icmp.ECHO_REQUEST;
      int answer = drawn.isSix() ? Icmp.ECHO_REPLY_V6 : Icmp.ECHO_REPLY;
      int type = !icmp ? Icmp.NO_TYPE : reply ? answer : request;
      int flags =
          ends.protocol() != Protocol.TCP
              ? 0
              : drawn.one(
                  Packet.SYN,
                  Packet.SYN,
                  Packet.SYN | Packet.ACK,
                  Packet.ACK,
                  Packet.ACK,
                  Packet.FIN | Packet.ACK,
                  Packet.RST);
      Packet packet =
          new Packet(
              ends.from(), ends.fromPort(), ends.to(), ends.toPort(), ends.protocol(), type, flags);
      packet.ttl = random.nextInt(40) == 0 ? 1 : 64;
      return packet;
    }
  }

  static End end(Ruling ruling, DeviceMachine machine) {
    if (ruling.ends() == null) {
      return machine.leaving() == null ? End.RECEIVED : End.PASSED;
    }
    return switch (ruling) {
      case DEVICE_REFUSES, DEVICE_REFUSES_LATER -> End.REFUSED;
      case DEVICE_SILENT -> End.SILENT;
      default ->
          switch (ruling.ends()) {
            case REFUSED -> End.REJECTED;
            case EXHAUSTED -> End.EXHAUSTED;
            case UNROUTABLE -> End.UNROUTABLE;
            default -> End.DROPPED;
          };
    };
  }

  private static String state(int sessions, int bindings) {
    return "; " + sessions + " sessions, " + bindings + " bindings";
  }

  private static String size(@Nullable Size size) {
    if (size == null) {
      return "";
    }
    StringBuilder pieces = new StringBuilder();
    size.fragments()
        .forEach(each -> pieces.append(" " + each.offset() + "+" + (each.length() - 20)));
    return PlainDevice.told(size, pieces.toString());
  }

  private static String told(
      End end, Packet packet, @Nullable Interface leaving, @Nullable Address next) {
    String inner = packet.inner == null ? "" : " about " + Ends.of(packet.inner);
    return end == End.PASSED
        ? Ends.of(packet) + inner + " by " + Objects.requireNonNull(leaving).name() + " to " + next
        : end == End.RECEIVED ? "received as " + Ends.of(packet) : end.toString();
  }

  @ParameterizedTest
  @EnumSource(DrawnSite.Kind.class)
  void theyAgreeOnEveryPacket(DrawnSite.Kind kind) {
    Set<String> met = new HashSet<>();
    for (int seed = 0; seed < DEVICES; seed++) {
      DrawnSite drawn = new DrawnSite(1000L * kind.ordinal() + seed);
      Site site = drawn.oneDevice(kind);
      Device edge = Objects.requireNonNull(site.devices().get("edge"));
      VirtualClock clock = new VirtualClock(VirtualClock.start(site.timeZone()));
      DeviceMachine machine = new DeviceMachine(DeviceProgram.compile(site, edge), clock);
      PlainDevice plain = new PlainDevice(site, edge, clock.now());
      Traffic traffic = new Traffic(drawn, plain, drawn.random);
      List<String> story = new ArrayList<>();
      for (int i = 0; i < PACKETS; i++) {
        Packet packet = traffic.packet();
        packet.size = drawn.size(packet);
        Packet copy = packet.copy();
        boolean own =
            edge.interfaces().stream().anyMatch(each -> each.addresses().contains(packet.source()));
        Narrator narrator = drawn.chance(50) ? null : (ruling, by, seen) -> met.add(ruling.name());
        Ruling last;
        End end;
        String how = packet.header().toString();
        if ((own && plain.policy.isOwn(packet.destination()))
            || packet.source().equals(packet.destination())) {
          continue; // nobody sends to himself by way of a network
        }
        if (own) {
          last = machine.originate(packet, narrator);
          end = plain.send(copy);
        } else {
          Interface arriving =
              drawn.chance(85) ? likely(edge, packet) : drawn.one(edge.interfaces());
          how += " by " + arriving.name();
          last = machine.arrive(packet, arriving, narrator);
          end = plain.arrive(copy, arriving);
        }
        met.add(last.name());
        story.add(how + ": " + last);
        String found =
            told(end(last, machine), packet, machine.leaving(), machine.nextHop())
                + (machine.leaving() == null ? "" : size(packet.size))
                + state(machine.state().sessionCount(), machine.state().bindingCount());
        String wanted =
            told(end, copy, plain.leaving, plain.nextHop)
                + (end == End.PASSED ? plain.size() : "")
                + state(plain.flowCount(), plain.tieCount());
        if (!found.equals(wanted)) {
          assertThat(found)
              .as(
                  "%s seed %s, packet %s: %s\n%s\n%s\nnot %s",
                  kind,
                  seed,
                  i,
                  last,
                  tail(story, site),
                  plain.table(),
                  machine.state().sessions().stream()
                      .map(row -> row.arrived().line() + " as " + row.left().line())
                      .sorted()
                      .toList())
              .isEqualTo(wanted);
        }
        long step = drawn.random.nextInt(3_000);
        step += drawn.chance(1) ? 240_000 : 0;
        step += drawn.random.nextInt(300) == 0 ? 7_500_000 : 0;
        clock.advance(Duration.ofMillis(step));
        plain.pass(step);
        if (drawn.random.nextInt(600) == 0) {
          machine.state().clear();
          plain.clear();
        }
      }
      clock.advance(Duration.ofHours(3));
      assertThat(machine.state().sessionCount()).isZero();
      assertThat(machine.state().bindingCount()).isZero();
      assertThat(machine.state().fills()).extracting(PoolFill::taken).allMatch(taken -> taken == 0);
    }
    assertThat(met).contains("SESSION_KNOWN", "SESSION_RECORDED", "DEVICE_REFUSES");
    if (kind == DrawnSite.Kind.PREFIX) {
      assertThat(met)
          .contains("DESTINATION_UNTRANSLATABLE", "SOURCE_UNTRANSLATABLE", "ERROR_OF_BINDING")
          .contains("SESSION_NOT_NEEDED");
    }
    if (kind.name().startsWith("SHARED") || kind == DrawnSite.Kind.DYNAMIC) {
      assertThat(met).contains("BINDING_KNOWN", "BINDING_KNOWN_INSIDE", "BINDING_FILTERED");
    }
    assertThat(met).contains("TOO_LARGE");
    MET.addAll(met);
  }

  /** What was decided on devices of all kinds together. */
  private static final Set<String> MET = ConcurrentHashMap.newKeySet();

  @AfterAll
  static void whatIsRareIsMetOnSomeDevice() {
    assertThat(MET).contains("FRAGMENTED", "SEGMENT_LIMITED");
    assertThat(MET).contains("ENDPOINT_IN_USE", "PORT_LIMIT_REACHED", "POOL_USED_UP");
  }

  /** The interface by which a packet from an address would come. */
  private static Interface likely(Device edge, Packet packet) {
    for (Interface own : edge.interfaces()) {
      if (own.network().prefixOf(packet.source()) != null) {
        return own;
      }
    }
    return edge.interfaces().get(edge.interfaces().size() - 1);
  }

  private static String tail(List<String> story, Site site) {
    StringBuilder text = new StringBuilder();
    story
        .subList(Math.max(0, story.size() - 12), story.size())
        .forEach(line -> text.append(line).append('\n'));
    Device edge = Objects.requireNonNull(site.devices().get("edge"));
    edge.translation().forEach(rule -> text.append(brief(rule)).append('\n'));
    edge.access().forEach(rule -> text.append(brief(rule)).append('\n'));
    edge.services().forEach(rule -> text.append(brief(rule)).append('\n'));
    site.hosts().values().forEach(host -> text.append(host.addresses()).append(' '));
    text.append(brief(edge.stance())).append(brief(edge.state()));
    edge.interfaces().forEach(own -> text.append(own.name() + own.addresses() + own.state()));
    return text.toString();
  }

  private static String brief(Object rule) {
    return rule.toString()
        .replaceAll("place=[^,\\]]*,?", "")
        .replaceAll("Interface\\[name=(\\w+), network=Network\\[.*?\\], addresses=\\S* ?", "$1 ");
  }
}
