// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import static org.assertj.core.api.Assertions.assertThat;
import static org.eskerfield.Numbers.a;

import java.time.Duration;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Random;
import java.util.Set;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.eskerfield.Draft;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.model.StateSettings;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.state.BindingRow;
import org.eskerfield.state.VirtualClock;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** The machine of one device, packet by packet: what its tables remember and what they forbid. */
class DeviceMachineTest {
  private static final int SERVER_PORT = 80;
  private static final Address SERVER = a("192.0.2.200");
  private static final Address OUTSIDE = a("198.51.100.140");

  private final Site site =
      edge(Action.DROP)
          .runs(443)
          .shared("10.77.4.0/24", "outside")
          .destination("outside", "198.51.100.140", 1502, "10.77.4.9", 502)
          .destination("outside", "198.51.100.141", 0, "10.77.4.8", 0)
          .list("inside", "outside", false, null, null, 0)
          .list("outside", "inside", false, null, "10.77.4.8", 0)
          .done()
          .site();
  private final Device edge = Objects.requireNonNull(site.devices().get("edge"));
  private final DeviceMachine machine = machine();
  private final Interface inside = edge.interfaces().get(0);
  private final Interface outside = edge.interfaces().get(1);

  private DeviceMachine machine() {
    return new DeviceMachine(
        DeviceProgram.compile(site, edge), new VirtualClock(VirtualClock.start(ZoneOffset.UTC)));
  }

  private static Packet udp(Address from, int fromPort, Address to, int toPort) {
    return new Packet(from, fromPort, to, toPort, Protocol.UDP, Icmp.NO_TYPE, 0);
  }

  private static Packet tcp(Address from, int fromPort, Address to, int toPort, int flags) {
    return new Packet(from, fromPort, to, toPort, Protocol.TCP, Icmp.NO_TYPE, flags);
  }

  private static Packet echo(Address from, Address to, int identifier, boolean request) {
    return new Packet(
        from,
        request ? identifier : 0,
        to,
        request ? 0 : identifier,
        Protocol.ICMP,
        request ? Icmp.ECHO_REQUEST : Icmp.ECHO_REPLY,
        0);
  }

  private static Packet replyTo(Header sent) {
    return udp(sent.destination(), sent.destinationPort(), sent.source(), sent.sourcePort());
  }

  @Test
  void aReplyUndoesWhatWasDoneToItsRequest() {
    Packet request = udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT);
    assertThat(machine.arrive(request, inside, null)).isEqualTo(Ruling.SESSION_RECORDED);
    assertThat(machine.leaving()).isEqualTo(outside);
    assertThat(machine.nextHop()).isEqualTo(a("198.51.100.129"));
    assertThat(request.header()).hasToString("198.51.100.140:5000 → 192.0.2.200:80 udp");

    Packet reply = replyTo(request.header());
    assertThat(machine.arrive(reply, outside, null)).isEqualTo(Ruling.SESSION_KNOWN);
    assertThat(machine.leaving()).isEqualTo(inside);
    assertThat(machine.nextHop()).isEqualTo(a("10.77.4.20"));
    assertThat(reply.header()).hasToString("192.0.2.200:80 → 10.77.4.20:5000 udp");
    assertThat(reply.ttl).isEqualTo(Packet.INITIAL_TTL - 1);
  }

  /** The quick way remembers a route by its number, and another policy numbers them anew. */
  @Test
  void aKnownSessionGoesByTheRoutesOfTheNewPolicy() {
    Site changed =
        edge(Action.DROP)
            .shared("10.77.4.0/24", "outside")
            .route("192.0.2.200/32", "198.51.100.130")
            .done()
            .site();
    for (int i = 0; i < 2; i++) {
      machine.arrive(udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT), inside, null);
      assertThat(machine.nextHop()).isEqualTo(a("198.51.100.129"));
    }
    machine.goOnWith(
        DeviceProgram.compile(changed, Objects.requireNonNull(changed.devices().get("edge"))));
    Packet then = udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT);
    assertThat(machine.arrive(then, inside, null)).isEqualTo(Ruling.SESSION_KNOWN);
    assertThat(machine.nextHop()).isEqualTo(a("198.51.100.130"));
  }

  @Test
  void pingsAreToldApartByTheirIdentifier() {
    List<Header> sent = new ArrayList<>();
    for (String host : List.of("10.77.4.20", "10.77.4.21", "10.77.4.22")) {
      Packet request = echo(a(host), SERVER, 7, true);
      machine.arrive(request, inside, null);
      sent.add(request.header());
    }
    assertThat(sent).extracting(Header::sourcePort).containsExactly(7, 8, 9);
    Packet reply = echo(SERVER, OUTSIDE, 9, false);
    machine.arrive(reply, outside, null);
    assertThat(reply.header()).hasToString("192.0.2.200 → 10.77.4.22 icmp echo reply id 7");
  }

  @ParameterizedTest
  @CsvSource({
    // Preserved where it is free; else the next one of its range, round the end of it.
    "5000,  5000",
    "1502,  1504", // the destination rule has it; even stays even
    "443,   445", // the device's own service has it
    "65535, 65535",
    "1023,  1023",
  })
  void portsArePreservedButForThoseThatAreClaimed(int wanted, int given) {
    Packet first = udp(a("10.77.4.20"), wanted, SERVER, SERVER_PORT);
    machine.arrive(first, inside, null);
    assertThat(first.sourcePort).isEqualTo(given);
    // Another sender with the same port gets another one, in the same range.
    Packet second = udp(a("10.77.4.21"), wanted, SERVER, SERVER_PORT);
    machine.arrive(second, inside, null);
    assertThat(second.sourcePort).isNotEqualTo(given);
    assertThat(second.sourcePort < 1024).isEqualTo(wanted < 1024);
  }

  @Test
  void whenEveryPortIsTakenTheNextSenderGetsNothingAndNobodyLosesHis() {
    DeviceMachine narrow = keeping(StateSettings.Endpoints.ADDRESS_DEPENDENT, false, 0);
    for (int port = 1; port < 1024; port++) {
      Packet packet = udp(a("10.77.4.20"), port, SERVER, SERVER_PORT);
      assertThat(narrow.arrive(packet, inside, null)).isEqualTo(Ruling.SESSION_RECORDED);
      assertThat(packet.sourcePort).isEqualTo(port);
    }
    Packet late = udp(a("10.77.4.21"), 5, SERVER, SERVER_PORT);
    assertThat(narrow.arrive(late, inside, null)).isEqualTo(Ruling.PORTS_USED_UP);
    assertThat(narrow.leaving()).isNull();
    assertThat(late.source()).isEqualTo(a("10.77.4.21"));
    Packet reply = udp(SERVER, SERVER_PORT, OUTSIDE, 5);
    assertThat(narrow.arrive(reply, outside, null)).isEqualTo(Ruling.SESSION_KNOWN);
    // A device whose ranges may stand in for one another has room.
    for (int port = 1; port < 1024; port++) {
      machine.arrive(udp(a("10.77.4.20"), port, SERVER, SERVER_PORT), inside, null);
    }
    Packet other = udp(a("10.77.4.21"), 5, SERVER, SERVER_PORT);
    assertThat(machine.arrive(other, inside, null)).isEqualTo(Ruling.SESSION_RECORDED);
    assertThat(other.sourcePort).isGreaterThanOrEqualTo(1024).matches(port -> port % 2 == 1);
  }

  @Test
  void oneBindingServesEveryRemoteEndAndFiltersByAddress() {
    Packet first = udp(a("10.77.4.8"), 5000, SERVER, SERVER_PORT);
    machine.arrive(first, inside, null);
    Packet elsewhere = udp(a("10.77.4.8"), 5000, a("192.0.2.201"), 53);
    machine.arrive(elsewhere, inside, null);
    assertThat(elsewhere.header().sourceText()).isEqualTo(first.header().sourceText());

    // From another port of an address that was spoken to: passes the binding, then the lists.
    Packet again = udp(SERVER, 9999, OUTSIDE, 5000);
    assertThat(machine.arrive(again, outside, null)).isEqualTo(Ruling.SESSION_RECORDED);
    assertThat(again.header()).hasToString("192.0.2.200:9999 → 10.77.4.8:5000 udp");
    // From an address that never was.
    Packet stranger = udp(a("203.0.113.9"), 9999, OUTSIDE, 5000);
    assertThat(machine.arrive(stranger, outside, null)).isEqualTo(Ruling.BINDING_FILTERED);
    // The binding alone opens nothing that the lists keep shut: 10.77.4.20 is not let in.
    machine.arrive(udp(a("10.77.4.20"), 6000, SERVER, SERVER_PORT), inside, null);
    Packet unasked = udp(SERVER, 9999, OUTSIDE, 6000);
    assertThat(machine.arrive(unasked, outside, null)).isEqualTo(Ruling.DROPPED_OTHERWISE);
  }

  @Test
  void aNarratorHearsOfTheBindingThatIsReached() {
    List<Ruling> heard = new ArrayList<>();
    machine.arrive(udp(a("10.77.4.8"), 5000, SERVER, SERVER_PORT), inside, null);
    machine.arrive(
        udp(SERVER, 9999, OUTSIDE, 5000), outside, (ruling, by, packet) -> heard.add(ruling));
    assertThat(heard)
        .containsExactly(
            Ruling.ARRIVED,
            Ruling.BINDING_KNOWN,
            Ruling.DESTINATION_RESTORED,
            Ruling.ROUTED,
            Ruling.ACCEPTED_BY_RULE,
            Ruling.SOURCE_KEPT,
            Ruling.SESSION_RECORDED);
  }

  @Test
  void tcpBeginsWithASynAndLeavesNoTraceWhereItDoesNot() {
    Packet data = tcp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT, Packet.ACK);
    assertThat(machine.arrive(data, inside, null)).isEqualTo(Ruling.NOT_AN_OPENING);
    Packet answer = tcp(SERVER, SERVER_PORT, OUTSIDE, 5000, Packet.SYN | Packet.ACK);
    assertThat(machine.arrive(answer, outside, null)).isEqualTo(Ruling.DEVICE_NOT_ADMITTED);

    Packet syn = tcp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT, Packet.SYN);
    assertThat(machine.arrive(syn, inside, null)).isEqualTo(Ruling.SESSION_RECORDED);
    Packet later = tcp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT, Packet.ACK);
    assertThat(machine.arrive(later, inside, null)).isEqualTo(Ruling.SESSION_KNOWN);
    assertThat(later.header()).hasToString("198.51.100.140:5000 → 192.0.2.200:80 tcp ACK");
  }

  @Test
  void whatIsDroppedLeavesNoState() {
    Packet dropped = tcp(a("203.0.113.9"), 4000, OUTSIDE, 1502, Packet.SYN);
    assertThat(machine.arrive(dropped, outside, null)).isEqualTo(Ruling.DROPPED_OTHERWISE);
    Packet reply = tcp(a("10.77.4.9"), 502, a("203.0.113.9"), 4000, Packet.SYN | Packet.ACK);
    assertThat(machine.arrive(reply, inside, null)).isEqualTo(Ruling.NOT_AN_OPENING);
  }

  @ParameterizedTest
  @CsvSource({
    "10.77.4.1,       192.0.2.200, SOURCE_IS_OWN",
    "198.51.100.140,  192.0.2.200, SOURCE_IS_OWN",
    "127.0.0.1,       192.0.2.200, SOURCE_IMPOSSIBLE",
    "0.0.0.0,         192.0.2.200, SOURCE_IMPOSSIBLE",
    "224.0.0.1,       192.0.2.200, SOURCE_IMPOSSIBLE",
    "10.77.4.20,      255.255.255.255, NOT_FORWARDED",
    "10.77.4.20,      198.51.100.191,  NOT_FORWARDED",
    "10.77.4.20,      10.77.4.0,       NOT_FORWARDED",
  })
  void forgedAndBroadcastPacketsEndAtOnce(String from, String to, Ruling ruling) {
    assertThat(machine.arrive(udp(a(from), 5000, a(to), 53), inside, null)).isEqualTo(ruling);
  }

  @Test
  void anEveryPortRuleTakesNoPortFromTheSharers() {
    Packet whole = udp(a("203.0.113.9"), 4000, a("198.51.100.141"), 7777);
    assertThat(machine.arrive(whole, outside, null)).isEqualTo(Ruling.SESSION_RECORDED);
    assertThat(whole.header()).hasToString("203.0.113.9:4000 → 10.77.4.8:7777 udp");
    Packet reply = udp(a("10.77.4.8"), 7777, a("203.0.113.9"), 4000);
    machine.arrive(reply, inside, null);
    assertThat(reply.header()).hasToString("198.51.100.141:7777 → 203.0.113.9:4000 udp");
  }

  /**
   * Long random runs of requests, replies and strangers. A reply to what went out reaches exactly
   * its sender; no two internal endpoints share an external port; nothing else comes in.
   */
  @Property(tries = 40, seed = "20260105")
  void inLongRunsRepliesFindTheirSendersAndStrangersNobody(@ForAll long seed) {
    DeviceMachine machine = machine();
    Random random = new Random(seed);
    Map<String, Header> sentByReplyKey = new HashMap<>();
    Map<String, String> userOfExternal = new HashMap<>();
    Set<String> remotes = new HashSet<>();
    for (int i = 0; i < 400; i++) {
      Address remote = Address.ipv4(203, 0, 113, random.nextInt(4));
      int remotePort = 1 + random.nextInt(3);
      if (random.nextInt(3) > 0) {
        Packet request =
            udp(
                Address.ipv4(10, 77, 4, 20 + random.nextInt(5)),
                1500 + random.nextInt(4),
                remote,
                remotePort);
        Header before = request.header();
        assertThat(machine.arrive(request, inside, null).ends()).isNull();
        Header after = request.header();
        assertThat(after.source()).isEqualTo(OUTSIDE);
        assertThat(after.destinationText()).isEqualTo(before.destinationText());
        String user = userOfExternal.putIfAbsent(after.sourceText(), before.sourceText());
        assertThat(user == null || user.equals(before.sourceText())).isTrue();
        sentByReplyKey.put(after.destinationText() + after.sourceText(), before);
        remotes.add(after.sourceText() + " " + remote);
        continue;
      }
      Packet in = udp(remote, remotePort, OUTSIDE, 1500 + random.nextInt(8));
      String to = in.header().destinationText();
      Header sent = sentByReplyKey.get(in.header().sourceText() + to);
      Ruling ruling = machine.arrive(in, outside, null);
      if (sent != null) {
        assertThat(ruling).isEqualTo(Ruling.SESSION_KNOWN);
        assertThat(in.header().destinationText()).isEqualTo(sent.sourceText());
      } else if (in.header().destinationText().startsWith("10.77.4.9:")) {
        assertThat(to).isEqualTo("198.51.100.140:1502");
        assertThat(ruling).isEqualTo(Ruling.DROPPED_OTHERWISE);
      } else {
        // Spoken to before: the binding passes, but no list lets these hosts be reached.
        assertThat(ruling)
            .isEqualTo(
                !userOfExternal.containsKey(to)
                    ? Ruling.DEVICE_NOT_ADMITTED
                    : remotes.contains(to + " " + remote)
                        ? Ruling.DROPPED_OTHERWISE
                        : Ruling.BINDING_FILTERED);
      }
    }
  }

  // Time.

  private final VirtualClock clock = new VirtualClock(VirtualClock.start(ZoneOffset.UTC));
  private final DeviceMachine timed = new DeviceMachine(DeviceProgram.compile(site, edge), clock);

  private Ruling out(Packet packet) {
    return timed.arrive(packet, inside, null);
  }

  private Ruling in(Packet packet) {
    return timed.arrive(packet, outside, null);
  }

  private void pass(long millis) {
    clock.advance(Duration.ofMillis(millis));
  }

  @ParameterizedTest
  @CsvSource({"17, 300_000", "1, 60_000", "47, 300_000"})
  void aSessionEndsExactlyWhenItsTimeIsUp(int protocol, String idle) {
    long millis = Long.parseLong(idle.replace("_", ""));
    Address sender = a("10.77.4.8");
    Packet request =
        switch (protocol) {
          case Protocol.UDP -> udp(sender, 5000, SERVER, SERVER_PORT);
          case Protocol.ICMP -> echo(sender, SERVER, 5, true);
          default -> new Packet(a("203.0.113.9"), 0, a("198.51.100.141"), 0, protocol, -1, 0);
        };
    assertThat(protocol == 47 ? in(request) : out(request)).isEqualTo(Ruling.SESSION_RECORDED);
    pass(millis - 1);
    assertThat(timed.state().sessions()).hasSize(1);
    assertThat(timed.state().sessions().get(0).remaining()).isEqualTo(Duration.ofMillis(1));
    pass(1);
    assertThat(timed.state().sessions()).isEmpty();
    assertThat(timed.state().bindings()).allMatch(BindingRow::isPermanent);
  }

  @Test
  void outboundPacketsRefreshAndInboundOnesDoNot() {
    out(udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT));
    pass(200_000);
    out(udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT));
    pass(200_000);
    assertThat(in(udp(SERVER, SERVER_PORT, OUTSIDE, 5000))).isEqualTo(Ruling.SESSION_KNOWN);
    pass(99_999);
    assertThat(in(udp(SERVER, SERVER_PORT, OUTSIDE, 5000))).isEqualTo(Ruling.SESSION_KNOWN);
    pass(1);
    assertThat(in(udp(SERVER, SERVER_PORT, OUTSIDE, 5000))).isEqualTo(Ruling.DEVICE_NOT_ADMITTED);
  }

  private void segment(boolean fromOpener, int flags, Ruling expected) {
    Ruling ruling =
        fromOpener
            ? out(tcp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT, flags))
            : in(tcp(SERVER, SERVER_PORT, OUTSIDE, 5000, flags));
    assertThat(ruling).isEqualTo(expected);
  }

  private long minutesLeft() {
    return timed.state().sessions().get(0).remaining().toMinutes();
  }

  @Test
  void tcpLivesLongOnlyBetweenHandshakeAndClose() {
    segment(true, Packet.SYN, Ruling.SESSION_RECORDED);
    assertThat(minutesLeft()).isEqualTo(4);
    segment(false, Packet.SYN | Packet.ACK, Ruling.SESSION_KNOWN);
    assertThat(minutesLeft()).isEqualTo(4);
    segment(true, Packet.ACK, Ruling.SESSION_KNOWN);
    assertThat(minutesLeft()).isEqualTo(124);
    segment(true, Packet.FIN | Packet.ACK, Ruling.SESSION_KNOWN);
    assertThat(minutesLeft()).isEqualTo(124);
    segment(false, Packet.FIN | Packet.ACK, Ruling.SESSION_KNOWN);
    assertThat(minutesLeft()).isEqualTo(4);
    pass(239_000);
    segment(true, Packet.SYN, Ruling.SESSION_RECORDED); // the same ports begin anew
    segment(false, Packet.SYN | Packet.ACK, Ruling.SESSION_KNOWN);
    segment(true, Packet.ACK, Ruling.SESSION_KNOWN);
    assertThat(minutesLeft()).isEqualTo(124);
    segment(false, Packet.RST, Ruling.SESSION_KNOWN);
    assertThat(minutesLeft()).isEqualTo(4);
    pass(100_000);
    segment(false, Packet.RST, Ruling.SESSION_KNOWN); // a reset gives no time
    assertThat(minutesLeft()).isEqualTo(2);
  }

  @Test
  void aBlindResetDoomsNoSession() {
    segment(true, Packet.SYN, Ruling.SESSION_RECORDED);
    segment(false, Packet.SYN | Packet.ACK, Ruling.SESSION_KNOWN);
    segment(true, Packet.ACK, Ruling.SESSION_KNOWN);
    segment(false, Packet.RST, Ruling.SESSION_KNOWN); // forged: both ends talk on
    assertThat(minutesLeft()).isEqualTo(4);
    pass(60_000);
    segment(false, Packet.ACK, Ruling.SESSION_KNOWN);
    assertThat(minutesLeft()).isEqualTo(124);
    pass(123 * 60_000);
    segment(true, Packet.ACK, Ruling.SESSION_KNOWN);
    // Where nobody talks on, it ends after the transitory time, and a second reset gives none.
    segment(true, Packet.RST, Ruling.SESSION_KNOWN);
    pass(200_000);
    segment(true, Packet.RST, Ruling.SESSION_KNOWN);
    pass(40_000);
    assertThat(timed.state().sessions()).isEmpty();
  }

  @Test
  void whatDoesNotLeaveRefreshesNothing() {
    out(udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT));
    pass(200_000);
    Packet spent = udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT);
    spent.ttl = 1;
    assertThat(out(spent)).isEqualTo(Ruling.HOPS_USED_UP);
    assertThat(timed.state().sessions().get(0).remaining()).isEqualTo(Duration.ofMillis(100_000));
  }

  @Test
  void anEchoReplyOpensNothing() {
    assertThat(out(echo(a("10.77.4.20"), SERVER, 7, false))).isEqualTo(Ruling.NOT_AN_OPENING);
    // Not by a rule that leads inside either, and its query opens a session all the same.
    Packet reply = echo(SERVER, a("198.51.100.141"), 7, false);
    assertThat(in(reply)).isEqualTo(Ruling.NOT_AN_OPENING);
    assertThat(timed.state().sessions()).isEmpty();
    assertThat(out(echo(a("10.77.4.20"), SERVER, 7, true))).isEqualTo(Ruling.SESSION_RECORDED);
  }

  @Test
  void anErrorOfAStaticRuleNeedsNoSession() {
    Site site = edge(Action.DROP).fixed("outside", "198.51.100.145", "10.77.4.12").done().site();
    Device edge = Objects.requireNonNull(site.devices().get("edge"));
    DeviceMachine machine = new DeviceMachine(DeviceProgram.compile(site, edge), clock);
    // From outside, about a packet that the host sent: it gets its own packet back.
    Packet fromOutside = error(SERVER, udp(a("198.51.100.145"), 5000, SERVER, 53));
    List<Ruling> heard = new ArrayList<>();
    assertThat(
            machine
                .arrive(
                    fromOutside,
                    edge.interfaces().get(1),
                    (ruling, by, packet) -> heard.add(ruling))
                .ends())
        .isNull();
    assertThat(heard).contains(Ruling.DESTINATION_RESTORED);
    assertThat(fromOutside.header())
        .hasToString(
            "192.0.2.200 → 10.77.4.12 icmp port unreachable about"
                + " 10.77.4.12:5000 → 192.0.2.200:53 udp");
    // From inside, about a packet to the host: its sender hears of the address that it spoke to.
    Packet fromInside = error(a("10.77.4.12"), udp(SERVER, 53, a("10.77.4.12"), 5000));
    assertThat(machine.arrive(fromInside, edge.interfaces().get(0), null).ends()).isNull();
    assertThat(fromInside.header())
        .hasToString(
            "198.51.100.145 → 192.0.2.200 icmp port unreachable about"
                + " 192.0.2.200:53 → 198.51.100.145:5000 udp");
    assertThat(machine.state().sessions()).isEmpty();
    // About an address that a rule names for others only: dropped.
    Packet other = error(SERVER, udp(a("198.51.100.145"), 5000, SERVER, 53));
    assertThat(machine.arrive(other, edge.interfaces().get(0), null))
        .isEqualTo(Ruling.ERROR_UNMATCHED);
  }

  @Test
  void aConnectionFromOutsideLivesAsLongAndIsRefreshedByEitherSide() {
    Address client = a("203.0.113.9");
    Address server = a("10.77.4.8");
    Address offered = a("198.51.100.141");
    in(tcp(client, 4000, offered, 80, Packet.SYN));
    out(tcp(server, 80, client, 4000, Packet.SYN | Packet.ACK));
    in(tcp(client, 4000, offered, 80, Packet.ACK));
    assertThat(minutesLeft()).isEqualTo(124);
    pass(60_000 * 60);
    in(tcp(client, 4000, offered, 80, Packet.ACK));
    assertThat(minutesLeft()).isEqualTo(124);
    pass(60_000 * 60);
    out(tcp(server, 80, client, 4000, Packet.ACK));
    assertThat(minutesLeft()).isEqualTo(124);
  }

  @Test
  void twoEndsThatOpenAtOnceMeet() {
    out(tcp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT, Packet.SYN));
    // Its SYN was under way already: no answer to ours, but an opening of the same connection.
    assertThat(in(tcp(SERVER, SERVER_PORT, OUTSIDE, 5000, Packet.SYN)))
        .isEqualTo(Ruling.SESSION_KNOWN);
    out(tcp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT, Packet.SYN | Packet.ACK));
    assertThat(timed.state().sessions().get(0).remaining()).isEqualTo(Duration.ofMinutes(124));
    // From an end that nobody spoke to it is dropped without a word.
    assertThat(in(tcp(a("203.0.113.9"), SERVER_PORT, OUTSIDE, 5000, Packet.SYN)))
        .isEqualTo(Ruling.BINDING_FILTERED);
  }

  @Test
  void aBindingLivesWhileASessionUsesItAndItsPortIsFreeAfterwards() {
    out(udp(a("10.77.4.8"), 5000, SERVER, SERVER_PORT));
    pass(200_000);
    out(udp(a("10.77.4.8"), 5000, a("192.0.2.201"), 53));
    pass(200_000); // the first session is gone, the second keeps the binding
    List<BindingRow> rows = temporary(timed);
    assertThat(rows).hasSize(1);
    assertThat(rows.get(0).remotes())
        .hasToString("[Remote[inside=192.0.2.201:53, outside=192.0.2.201:53]]");
    assertThat(rows.get(0).age()).isEqualTo(Duration.ofMillis(400_000));
    assertThat(rows.get(0).left()).isEqualTo(Duration.ofMillis(100_000));
    // Whom it no longer speaks to may no longer reach it.
    assertThat(in(udp(SERVER, 9999, OUTSIDE, 5000))).isEqualTo(Ruling.BINDING_FILTERED);
    pass(100_000);
    Packet other = udp(a("10.77.4.21"), 5000, SERVER, SERVER_PORT);
    out(other);
    assertThat(other.sourcePort).isEqualTo(5000);
    timed.state().clear();
    assertThat(timed.state().sessions()).isEmpty();
    assertThat(temporary(timed)).isEmpty();
    assertThat(timed.state().bindings()).hasSize(3);
  }

  // Settings.

  private DeviceMachine keeping(
      StateSettings.Endpoints filtering, boolean inboundRefreshes, int portsPerSource) {
    StateSettings usual = StateSettings.OF_THE_RFCS;
    return keeping(
        new StateSettings(
            usual.timers(),
            usual.mapping(),
            filtering,
            usual.pooling(),
            new StateSettings.Ports(true, true, false, portsPerSource, Duration.ZERO),
            inboundRefreshes,
            false,
            false,
            usual.controlPorts(),
            usual.synWait()));
  }

  private static StateSettings assigning(
      StateSettings.Endpoints mapping,
      StateSettings.Pooling pooling,
      StateSettings.Ports ports,
      boolean midStream) {
    StateSettings usual = StateSettings.OF_THE_RFCS;
    return new StateSettings(
        usual.timers(),
        mapping,
        usual.filtering(),
        pooling,
        ports,
        false,
        midStream,
        false,
        usual.controlPorts(),
        usual.synWait());
  }

  /** A device between the inside and a carrier's link, without rules. */
  private static Draft.DeviceDraft edge(Action stance) {
    return new Draft()
        .network("inside", "10.77.4.0/24", null)
        .network("outside", "198.51.100.128/26", "198.51.100.129")
        .device("edge", stance)
        .on("inside", "10.77.4.1")
        .on("outside", "198.51.100.140")
        .route("0.0.0.0/0", "198.51.100.129");
  }

  private DeviceMachine keeping(StateSettings settings) {
    Site site =
        edge(Action.ACCEPT)
            .keeping(settings)
            .sharedPool("10.77.4.128/25", "outside", "198.51.100.150-198.51.100.153")
            .shared("10.77.4.0/24", "outside")
            .done()
            .site();
    Device device = Objects.requireNonNull(site.devices().get("edge"));
    return new DeviceMachine(DeviceProgram.compile(site, device), clock);
  }

  private static final StateSettings.Ports USUAL_PORTS = StateSettings.OF_THE_RFCS.ports();

  @ParameterizedTest
  @CsvSource({
    // Whether the external port serves again for: another port there, another address.
    "ENDPOINT_INDEPENDENT,       true,  true",
    "ADDRESS_DEPENDENT,          true,  false",
    "ADDRESS_AND_PORT_DEPENDENT, false, false",
  })
  void mappingIsAsTheRfcNamesIt(
      StateSettings.Endpoints mapping, boolean otherPort, boolean otherAddress) {
    DeviceMachine machine =
        keeping(assigning(mapping, StateSettings.Pooling.PAIRED, USUAL_PORTS, false));
    Packet first = udp(a("10.77.4.20"), 5000, SERVER, 80);
    Packet second = udp(a("10.77.4.20"), 5000, SERVER, 81);
    Packet third = udp(a("10.77.4.20"), 5000, a("192.0.2.201"), 80);
    for (Packet packet : List.of(first, second, third)) {
      assertThat(machine.arrive(packet, inside, null)).isEqualTo(Ruling.SESSION_RECORDED);
    }
    assertThat(second.sourcePort == first.sourcePort).isEqualTo(otherPort);
    assertThat(third.sourcePort == first.sourcePort).isEqualTo(otherAddress);
    // Whatever it is, the same flow keeps its binding.
    Packet again = udp(a("10.77.4.20"), 5000, a("192.0.2.201"), 80);
    machine.arrive(again, inside, null);
    assertThat(again.sourcePort).isEqualTo(third.sourcePort);
  }

  @ParameterizedTest
  @CsvSource({"PAIRED, 1", "ARBITRARY, 4"})
  void aSourceStaysWithOneAddressWherePoolingIsPaired(StateSettings.Pooling pooling, int used) {
    DeviceMachine machine =
        keeping(
            assigning(StateSettings.Endpoints.ENDPOINT_INDEPENDENT, pooling, USUAL_PORTS, false));
    Set<Address> externals = new HashSet<>();
    for (int port = 5000; port < 5008; port++) {
      Packet packet = udp(a("10.77.4.200"), port, SERVER, SERVER_PORT);
      machine.arrive(packet, inside, null);
      externals.add(packet.source());
    }
    assertThat(externals).hasSize(used);
    // The next source begins where the fewest are.
    Packet other = udp(a("10.77.4.201"), 5000, SERVER, SERVER_PORT);
    machine.arrive(other, inside, null);
    assertThat(externals.contains(other.source())).isEqualTo(used == 4);
  }

  @Test
  void freedPortsRestAndAreDrawnByLotWhereTheDeviceSaysSo() {
    StateSettings.Ports resting =
        new StateSettings.Ports(true, true, true, 0, Duration.ofSeconds(120));
    DeviceMachine machine =
        keeping(
            assigning(
                StateSettings.Endpoints.ENDPOINT_INDEPENDENT,
                StateSettings.Pooling.PAIRED,
                resting,
                false));
    machine.arrive(udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT), inside, null);
    pass(300_000); // gone, and its port rests
    for (int second = 0; second < 120; second += 119) {
      Packet packet = udp(a("10.77.4.21"), 5000, SERVER, SERVER_PORT);
      machine.arrive(packet, inside, null);
      assertThat(packet.sourcePort).isEqualTo(5002);
      pass(119_000);
    }
    Packet rested = udp(a("10.77.4.22"), 5000, SERVER, SERVER_PORT);
    machine.arrive(rested, inside, null);
    assertThat(rested.sourcePort).isEqualTo(5000);

    StateSettings.Ports lot = new StateSettings.Ports(false, true, true, 0, Duration.ZERO);
    DeviceMachine drawing =
        keeping(
            assigning(
                StateSettings.Endpoints.ENDPOINT_INDEPENDENT,
                StateSettings.Pooling.PAIRED,
                lot,
                false));
    Set<Integer> drawn = new HashSet<>();
    for (int port = 5000; port < 5032; port++) {
      Packet packet = udp(a("10.77.4.20"), port, SERVER, SERVER_PORT);
      drawing.arrive(packet, inside, null);
      assertThat(packet.sourcePort % 2).isEqualTo(port % 2);
      assertThat(packet.sourcePort).isGreaterThanOrEqualTo(1024);
      drawn.add(packet.sourcePort);
    }
    assertThat(drawn).hasSize(32);
    assertThat(drawn.stream().mapToInt(port -> port).max().orElseThrow()).isGreaterThan(40_000);
  }

  @Test
  void aConnectionIsMetInItsMiddleWhereTheDeviceTakesIt() {
    DeviceMachine machine =
        keeping(
            assigning(
                StateSettings.Endpoints.ENDPOINT_INDEPENDENT,
                StateSettings.Pooling.PAIRED,
                USUAL_PORTS,
                true));
    Packet data = tcp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT, Packet.ACK);
    assertThat(machine.arrive(data, inside, null)).isEqualTo(Ruling.SESSION_RECORDED);
    assertThat(machine.state().sessions().get(0).remaining()).isEqualTo(Duration.ofMinutes(124));
  }

  // ICMP errors.

  private static Packet error(Address from, Packet about) {
    return Packet.error(from, about, Icmp.UNREACHABLE, 3);
  }

  @Test
  void anErrorIsTranslatedWithThePacketInsideItAndNeitherRefreshesNorEnds() {
    Packet request = udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT);
    out(request);
    pass(299_999);
    // From a router on the way, about the packet as it was outside.
    Packet error = error(a("192.0.2.9"), request);
    assertThat(in(error).ends()).isNull();
    assertThat(error.header())
        .hasToString(
            "192.0.2.9 → 10.77.4.20 icmp port unreachable about 10.77.4.20:5000 → 192.0.2.200:80 udp");
    assertThat(timed.state().sessions().get(0).remaining()).isEqualTo(Duration.ofMillis(1));
    pass(1);
    assertThat(in(error(a("192.0.2.9"), request))).isEqualTo(Ruling.ERROR_UNMATCHED);
    // About nobody's packet: dropped on the way in, and on the way out.
    Packet never = udp(OUTSIDE, 7777, SERVER, SERVER_PORT);
    assertThat(in(error(SERVER, never))).isEqualTo(Ruling.ERROR_UNMATCHED);
    // About a packet that nothing here translates: an ordinary one, which lists judge.
    Packet inward = udp(SERVER, SERVER_PORT, a("10.77.4.20"), 5000);
    assertThat(out(error(a("10.77.4.20"), inward))).isEqualTo(Ruling.SESSION_NOT_NEEDED);
    assertThat(timed.state().sessions()).isEmpty();
  }

  @Test
  void anErrorFromInsideShowsNoInsideAddress() {
    Packet request = udp(a("203.0.113.9"), 4000, a("198.51.100.141"), 7777);
    in(request);
    Packet fromTheHost = error(a("10.77.4.8"), request);
    assertThat(out(fromTheHost).ends()).isNull();
    assertThat(fromTheHost.header())
        .hasToString(
            "198.51.100.141 → 203.0.113.9 icmp port unreachable about"
                + " 203.0.113.9:4000 → 198.51.100.141:7777 udp");
    Packet fromARouter = error(a("10.77.4.99"), request);
    out(fromARouter);
    assertThat(fromARouter.source()).isEqualTo(OUTSIDE);
  }

  @ParameterizedTest
  @CsvSource({
    // What an address that was spoken to may send from another port, and what a stranger may.
    "ENDPOINT_INDEPENDENT,       SESSION_RECORDED, SESSION_RECORDED",
    "ADDRESS_DEPENDENT,          SESSION_RECORDED, BINDING_FILTERED",
    "ADDRESS_AND_PORT_DEPENDENT, BINDING_FILTERED, BINDING_FILTERED",
  })
  void filteringIsAsTheRfcNamesIt(
      StateSettings.Endpoints filtering, Ruling otherPort, Ruling stranger) {
    DeviceMachine machine = keeping(filtering, false, 0);
    machine.arrive(udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT), inside, null);
    assertThat(machine.arrive(udp(SERVER, SERVER_PORT, OUTSIDE, 5000), outside, null))
        .isEqualTo(Ruling.SESSION_KNOWN);
    assertThat(machine.arrive(udp(SERVER, 9999, OUTSIDE, 5000), outside, null))
        .isEqualTo(otherPort);
    assertThat(machine.arrive(udp(a("203.0.113.9"), 9999, OUTSIDE, 5000), outside, null))
        .isEqualTo(stranger);
  }

  @Test
  void inboundPacketsRefreshWhereTheDeviceSaysSo() {
    DeviceMachine machine = keeping(StateSettings.Endpoints.ADDRESS_DEPENDENT, true, 0);
    machine.arrive(udp(a("10.77.4.20"), 5000, SERVER, SERVER_PORT), inside, null);
    pass(299_999);
    machine.arrive(udp(SERVER, SERVER_PORT, OUTSIDE, 5000), outside, null);
    pass(299_999);
    assertThat(machine.state().sessions()).hasSize(1);
    pass(1);
    assertThat(machine.state().sessions()).isEmpty();
  }

  @Test
  void aSourceGetsNoMorePortsThanItMayAndOthersGetTheirs() {
    DeviceMachine machine = keeping(StateSettings.Endpoints.ADDRESS_DEPENDENT, false, 2);
    Ruling[] expected = {
      Ruling.SESSION_RECORDED, Ruling.SESSION_RECORDED, Ruling.PORT_LIMIT_REACHED
    };
    for (int i = 0; i < expected.length; i++) {
      Packet packet = udp(a("10.77.4.20"), 5000 + i, SERVER, SERVER_PORT);
      assertThat(machine.arrive(packet, inside, null)).isEqualTo(expected[i]);
    }
    // A port that it has serves further sessions; another protocol and another source count anew.
    Packet again = udp(a("10.77.4.20"), 5000, a("192.0.2.201"), SERVER_PORT);
    assertThat(machine.arrive(again, inside, null)).isEqualTo(Ruling.SESSION_RECORDED);
    Packet ping = echo(a("10.77.4.20"), SERVER, 9, true);
    assertThat(machine.arrive(ping, inside, null)).isEqualTo(Ruling.SESSION_RECORDED);
    Packet other = udp(a("10.77.4.21"), 5000, SERVER, SERVER_PORT);
    assertThat(machine.arrive(other, inside, null)).isEqualTo(Ruling.SESSION_RECORDED);
    pass(300_000);
    Packet late = udp(a("10.77.4.20"), 5002, SERVER, SERVER_PORT);
    assertThat(machine.arrive(late, inside, null)).isEqualTo(Ruling.SESSION_RECORDED);
  }

  private static List<BindingRow> temporary(DeviceMachine machine) {
    return machine.state().bindings().stream().filter(row -> !row.isPermanent()).toList();
  }
}
