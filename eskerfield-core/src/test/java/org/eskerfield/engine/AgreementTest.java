package org.eskerfield.engine;

import static org.assertj.core.api.Assertions.assertThat;
import static org.eskerfield.Numbers.a;

import java.time.Duration;
import java.time.ZoneOffset;
import java.util.HashSet;
import java.util.List;
import java.util.Objects;
import java.util.Random;
import java.util.Set;
import org.eskerfield.Draft;
import org.eskerfield.engine.PlainDevice.Ends;
import org.eskerfield.engine.PlainDevice.Kind;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

/** The machine and a second implementation of the tables, packet by packet. */
class AgreementTest {
  private static final int PACKETS = 100_000;
  private static final Address OWN = a("198.51.100.140");
  private static final Address OWN_INSIDE = a("10.77.4.1");
  private static final Address SERVER = a("10.77.4.12");
  private static final Address OFFERED = a("198.51.100.145");
  private static final List<Address> POOL = List.of(a("198.51.100.150"), a("198.51.100.151"));
  private static final int OFFERED_PORT = 1503;
  private static final int SERVER_PORT = 1501;

  private static Site site(Kind kind) {
    Draft.DeviceDraft edge =
        new Draft()
            .network("inside", "10.77.4.0/24", null)
            .network("outside", "198.51.100.128/26", "198.51.100.129")
            .device("edge", Action.ACCEPT)
            .on("inside", "10.77.4.1")
            .on("outside", "198.51.100.140")
            .route("0.0.0.0/0", "198.51.100.129");
    String pool = "198.51.100.150-198.51.100.151";
    switch (kind) {
      case STATIC -> edge.fixed("outside", "198.51.100.145", "10.77.4.12");
      case DYNAMIC -> edge.dynamic("10.77.4.0/24", "outside", pool);
      case SHARED -> edge.shared("10.77.4.0/24", "outside");
      case SHARED_POOL -> edge.sharedPool("10.77.4.0/24", "outside", pool);
      case DESTINATION ->
          edge.destination("outside", "198.51.100.145", OFFERED_PORT, "10.77.4.12", SERVER_PORT);
      case HAIRPIN ->
          edge.hairpin(
              "outside", "198.51.100.145", OFFERED_PORT, "10.77.4.12", SERVER_PORT, "inside");
      case UNTOUCHED -> edge.untouched("10.77.4.0/24", "any");
    }
    return edge.done().site();
  }

  /**
   * Random packets: openings, replies, strangers; random steps of time; now and then a clearing.
   */
  private static final class Traffic {
    final Random random = new Random(20260105);
    final Kind kind;

    Traffic(Kind kind) {
      this.kind = kind;
    }

    <T> T one(List<T> of) {
      return of.get(random.nextInt(of.size()));
    }

    Packet packet(Ends ends) {
      int flags =
          ends.protocol() != Protocol.TCP
              ? 0
              : one(
                  List.of(
                      Packet.SYN,
                      Packet.SYN | Packet.ACK,
                      Packet.ACK,
                      Packet.ACK,
                      Packet.FIN | Packet.ACK,
                      Packet.RST));
      int type =
          ends.protocol() != Protocol.ICMP
              ? Icmp.NO_TYPE
              : ends.fromPort() != 0 ? Icmp.ECHO_REQUEST : Icmp.ECHO_REPLY;
      return new Packet(
          ends.from(), ends.fromPort(), ends.to(), ends.toPort(), ends.protocol(), type, flags);
    }

    Packet fromInside() {
      Address to =
          random.nextInt(4) > 0
              ? Address.ipv4(203, 0, 113, 1 + random.nextInt(3))
              : one(List.of(OFFERED, OWN, POOL.get(0), POOL.get(1)));
      return any(Address.ipv4(10, 77, 4, 10 + random.nextInt(4)), to);
    }

    Packet fromOutside(PlainDevice plain) {
      List<Ends> awaited = plain.repliesAwaited();
      if (!awaited.isEmpty() && random.nextInt(3) > 0) {
        Ends reply = one(awaited);
        boolean comesFromOutside = reply.from().low() >>> 24 == 203;
        return comesFromOutside ? packet(reply) : fromOutside(plain, reply.to());
      }
      return fromOutside(plain, one(List.of(OWN, OFFERED, POOL.get(0), POOL.get(1))));
    }

    private Packet fromOutside(PlainDevice plain, Address to) {
      return any(Address.ipv4(203, 0, 113, 1 + random.nextInt(4)), to);
    }

    private Packet any(Address from, Address to) {
      int protocol = one(List.of(Protocol.UDP, Protocol.TCP, Protocol.ICMP));
      boolean ping = protocol == Protocol.ICMP;
      int fromPort = 1500 + random.nextInt(4);
      return packet(new Ends(from, fromPort, to, ping ? 0 : 1500 + random.nextInt(5), protocol));
    }
  }

  @ParameterizedTest
  @EnumSource(Kind.class)
  void theyAgreeOnEveryPacket(Kind kind) {
    Site site = site(kind);
    Device edge = Objects.requireNonNull(site.devices().get("edge"));
    Interface inside = edge.interfaces().get(0);
    Interface outside = edge.interfaces().get(1);
    VirtualClock clock = new VirtualClock(VirtualClock.start(ZoneOffset.UTC));
    DeviceMachine machine = new DeviceMachine(DeviceProgram.compile(site, edge), clock);
    PlainDevice plain =
        new PlainDevice(kind, OWN, OWN_INSIDE, POOL, SERVER, OFFERED, OFFERED_PORT, SERVER_PORT);
    Traffic traffic = new Traffic(kind);
    Set<String> met = new HashSet<>();
    int compared = 0;
    while (compared < PACKETS) {
      boolean fromInside = traffic.random.nextBoolean();
      Packet packet = fromInside ? traffic.fromInside() : traffic.fromOutside(plain);
      Packet asItCame = packet.copy();
      Narrator narrator =
          traffic.random.nextBoolean() ? null : (ruling, by, seen) -> met.add(ruling.name());
      Ruling last = machine.arrive(packet, fromInside ? inside : outside, narrator);
      boolean through = last.ends() == null && machine.leaving() != null;
      Ends after = through ? Ends.of(packet) : null;
      Ends wanted;
      try {
        wanted = plain.arrive(asItCame, fromInside, after);
      } catch (PlainDevice.UnseenChoice e) {
        machine.clear();
        plain.clear();
        continue;
      }
      assertThat(after).as("%s, %s", Ends.of(asItCame), last).isEqualTo(wanted);
      met.add(last.name());
      compared++;
      assertThat(machine.sessionCount()).isEqualTo(plain.flowCount());
      long step = traffic.random.nextInt(2_000);
      step += traffic.random.nextInt(500) == 0 ? 4 * PlainDevice.MINUTE : 0;
      step += traffic.random.nextInt(2_000) == 0 ? 125 * PlainDevice.MINUTE : 0;
      clock.advance(Duration.ofMillis(step));
      plain.pass(step);
      if (compared % 1_000 == 0) {
        compareTables(machine, plain);
      }
      if (traffic.random.nextInt(3_000) == 0) {
        machine.clear();
        plain.clear();
      }
    }
    assertThat(met).contains("SESSION_KNOWN", "SESSION_RECORDED");
    if (kind == Kind.SHARED || kind == Kind.DYNAMIC) {
      assertThat(met).contains("BINDING_KNOWN", "BINDING_KNOWN_INSIDE", "BINDING_FILTERED");
    }
    clock.advance(Duration.ofHours(3));
    assertThat(machine.sessionCount()).isZero();
    assertThat(machine.bindingCount()).isZero();
    for (PoolFill fill : machine.fills()) {
      assertThat(fill.taken()).isZero();
    }
  }

  private static void compareTables(DeviceMachine machine, PlainDevice plain) {
    assertThat(machine.sessions()).hasSize(plain.flowCount());
    Set<String> rows = new HashSet<>();
    for (BindingRow row : machine.bindings()) {
      if (!row.isPermanent()) {
        rows.add(row.internal().first() + " " + row.external().first() + " " + row.protocol());
      }
    }
    Set<String> ties = new HashSet<>();
    for (PlainDevice.Tie tie : plain.ties()) {
      ties.add(tie.inside() + " " + tie.outside() + " " + (tie.port() < 0 ? -1 : tie.protocol()));
    }
    assertThat(rows).isEqualTo(ties);
    assertThat(machine.bindingCount()).isEqualTo(plain.ties().size());
  }
}
