// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.tuple;
import static org.eskerfield.Numbers.a;

import java.time.Duration;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.EnumMap;
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
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.model.StateSettings;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.BindingRow;
import org.eskerfield.state.PoolFill;
import org.eskerfield.state.SessionRow;
import org.eskerfield.state.VirtualClock;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** A site with traffic over time. */
class RunTest {
  private static final int INSIDERS = 7;

  private static Draft draft() {
    Draft draft =
        new Draft()
            .network("inside", "10.77.4.0/24", null)
            .network("outside", "198.51.100.128/26", "198.51.100.129")
            .host("server", null, "192.0.2.200", 80)
            .host("far", null, "192.0.2.210", 21)
            .host("stranger", null, "203.0.113.66");
    for (int i = 1; i <= INSIDERS; i++) {
      draft.host("client" + i, "inside", "10.77.4." + (10 + i), i == 1 ? 21 : 9);
    }
    return draft;
  }

  private static Draft.DeviceDraft edge() {
    return edge("198.51.100.140");
  }

  private static Draft.DeviceDraft edge(String outside) {
    return draft()
        .device("edge", Action.ACCEPT)
        .on("inside", "10.77.4.1")
        .on("outside", outside)
        .route("0.0.0.0/0", "198.51.100.129");
  }

  private static Question question(Site site, String from, int protocol, int sourcePort) {
    Host host = Objects.requireNonNull(site.hosts().get(from));
    return new Question(
        host,
        host.addresses().get(0),
        a("192.0.2.200"),
        Probe.of(protocol, 80),
        sourcePort,
        VirtualClock.start(ZoneOffset.UTC));
  }

  private static Run run(Site site) {
    return Tracer.of(site).run(VirtualClock.start(ZoneOffset.UTC));
  }

  @Test
  void twoSendersWithOnePortToOneServerAreToldApart() {
    Site site = edge().shared("10.77.4.0/24", "outside").done().site();
    Run run = run(site);
    Trace first = run.open(question(site, "client1", Protocol.UDP, 5000));
    Trace second = run.open(question(site, "client2", Protocol.UDP, 5000));
    assertThat(first.seenAs()).hasToString("edge 198.51.100.140:5000");
    assertThat(second.seenAs()).hasToString("edge 198.51.100.140:5002");
    assertThat(second.outcome()).isEqualTo(Outcome.ANSWERED);
    assertThat(run.bindings("edge")).hasSize(2);
  }

  @Test
  void anUntouchedFlowIsASessionAndNoBinding() {
    Site site =
        edge()
            .untouched("10.77.4.11/32", "192.0.2.200/32")
            .shared("10.77.4.0/24", "outside")
            .done()
            .site();
    Run run = run(site);
    run.open(question(site, "client1", Protocol.UDP, 5000));
    assertThat(run.sessions("edge")).hasSize(1);
    SessionRow row = run.sessions("edge").get(0);
    assertThat(row.left().sourceText()).isEqualTo("10.77.4.11:5000");
    assertThat(row.sourceRule()).isNull();
    assertThat(run.bindings("edge")).isEmpty();
  }

  /** A rule for good has a row that stays, with whom its host speaks to, whoever began. */
  @Test
  void aStaticRuleTellsTheRemoteEndsOfItsOwnSessionsOnly() {
    Site site =
        edge()
            .fixed("outside", "198.51.100.150", "10.77.4.11")
            .fixed("outside", "198.51.100.151", "10.77.4.12")
            .shared("10.77.4.0/24", "outside")
            .done()
            .site();
    Run run = run(site);
    run.open(question(site, "client1", Protocol.UDP, 5000));
    assertThat(run.bindings("edge").stream().map(BindingRow::external).map(Prefix::toString))
        .containsExactly("198.51.100.150/32", "198.51.100.151/32");
    assertThat(run.bindings("edge").get(0).remotes())
        .hasToString("[Remote[inside=192.0.2.200:80, outside=192.0.2.200:80]]");
    assertThat(run.bindings("edge").get(1).remotes()).isEmpty();
  }

  @Test
  void clearingForgetsAndTheClockOnlyGoesOn() {
    Site site = edge().shared("10.77.4.0/24", "outside").done().site();
    Run run = run(site);
    run.open(question(site, "client1", Protocol.TCP, 5000));
    assertThat(run.figures("edge").sessions().now()).isEqualTo(1);
    run.clear("edge");
    assertThat(run.sessions("edge")).isEmpty();
    assertThat(run.figures("edge").sessions().most()).isEqualTo(1);
    run.advance(Duration.ofMinutes(1));
    assertThat(run.now()).isEqualTo(VirtualClock.start(ZoneOffset.UTC).plusMinutes(1));
    assertThatThrownBy(() -> run.advance(Duration.ofMillis(-1))).hasMessageContaining("back");
    assertThatThrownBy(() -> run.sessions("edgy")).hasMessageContaining("edgy");
  }

  private static Ruling lastRuling(List<Leg> way) {
    List<Decision> decisions = way.get(way.size() - 1).decisions();
    return decisions.get(decisions.size() - 1).ruling();
  }

  @ParameterizedTest
  @CsvSource({"false, REFUSED, refuses it: nothing", "true, UNANSWERED, but the notice is lost"})
  void aNoticeIsAPacketLikeAnyOther(boolean stateless, Outcome outcome, String reason) {
    Site site =
        edge()
            .shared("10.77.4.0/24", "outside")
            .list("outside", "inside", stateless, null, null, 80)
            .done()
            .site();
    Question closed =
        new Question(
            Objects.requireNonNull(site.hosts().get("client1")),
            a("10.77.4.11"),
            a("192.0.2.200"),
            Probe.of(Protocol.UDP, 81),
            5000,
            VirtualClock.start(ZoneOffset.UTC));
    Trace trace = run(site).open(closed);
    assertThat(trace.outcome()).isEqualTo(outcome);
    assertThat(trace.reason()).contains(reason);
    assertThat(trace.deliveredTo()).hasToString("server 192.0.2.200:81");
  }

  // Change of policy.

  @Test
  void anOldSessionKeepsTheOldBehaviourUntilItEnds() {
    Site open = edge().shared("10.77.4.0/24", "outside").done().site();
    Site shut =
        edge()
            .shared("10.77.4.0/24", "outside")
            .list("inside", "outside", false, "10.77.4.99/32", null, 0)
            .done()
            .site();
    Run run = run(open);
    Question old = question(open, "client1", Protocol.UDP, 5000);
    run.open(old);
    run.goOnWith(shut);
    assertThat(run.open(old).outcome()).isEqualTo(Outcome.ANSWERED);
    assertThat(run.open(question(shut, "client1", Protocol.UDP, 5001)).outcome())
        .isEqualTo(Outcome.DROPPED);
    run.advance(Duration.ofMinutes(5));
    assertThat(run.open(old).outcome()).isEqualTo(Outcome.DROPPED);
    assertThatThrownBy(() -> run.goOnWith(new Draft().site())).hasMessageContaining("edge");
  }

  /** Ports 1 to 65535 of the address, without those of rules and own services. */
  @Test
  void aPoolHasThePortsThatNobodyClaims() {
    Site site =
        edge()
            .runs(443)
            .destination("outside", "198.51.100.140", 1502, "10.77.4.11", 502)
            .shared("10.77.4.0/24", "outside")
            .done()
            .site();
    Run run = run(site);
    run.open(question(site, "client1", Protocol.TCP, 5000));
    run.open(question(site, "client2", Protocol.UDP, 5000));
    assertThat(run.fills("edge"))
        .extracting(PoolFill::protocol, PoolFill::taken, PoolFill::size)
        .containsExactly(
            tuple(Protocol.TCP, 1L, 65_533L),
            tuple(Protocol.UDP, 1L, 65_533L),
            tuple(Protocol.ICMP, 0L, 65_535L));
  }

  @Test
  void aSnapshotNeedsEveryPolicyOfItsRun() {
    Site first = edge().shared("10.77.4.0/24", "outside").done().site();
    Site second =
        edge().dynamic("10.77.4.0/24", "outside", "198.51.100.141-198.51.100.142").done().site();
    Run run = run(first);
    run.goOnWith(second);
    run.open(question(second, "client1", Protocol.UDP, 5000));
    Snapshot snapshot = run.snapshot();
    assertThat(Tracer.of(second).goOn(snapshot, List.of(first)).sessionCount("edge")).isEqualTo(1);
    assertThatThrownBy(() -> Tracer.of(second).goOn(snapshot, List.of()))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("policy 1 has no");
  }

  @Test
  void whenTheAddressOfAnInterfaceChangesTheBindingsOnItEnd() {
    Site site = edge().shared("10.77.4.0/24", "outside").done().site();
    Site moved = edge("198.51.100.144").shared("10.77.4.0/24", "outside").done().site();
    Run run = run(site);
    run.open(question(site, "client1", Protocol.UDP, 5000));
    run.open(question(site, "client2", Protocol.UDP, 5000));
    run.goOnWith(moved);
    assertThat(run.sessions("edge")).isEmpty();
    assertThat(run.bindings("edge")).isEmpty();
    assertThat(run.open(question(moved, "client2", Protocol.UDP, 5000)).seenAs())
        .hasToString("edge 198.51.100.144:5000");
  }

  // File transfer.

  private static Site files(boolean gateway, boolean serverInside) {
    StateSettings usual = StateSettings.OF_THE_RFCS;
    Draft.DeviceDraft edge =
        edge()
            .keeping(
                new StateSettings(
                    usual.timers(),
                    usual.mapping(),
                    usual.filtering(),
                    usual.pooling(),
                    usual.ports(),
                    false,
                    false,
                    gateway,
                    usual.controlPorts(),
                    usual.synWait()));
    edge.list("inside", "outside", false, "10.77.4.0/24", null, serverInside ? 9999 : 0);
    edge.list("outside", "inside", false, null, "10.77.4.11", serverInside ? 21 : 9999);
    return serverInside
        ? edge.destination("outside", "198.51.100.141", 21, "10.77.4.11", 21).done().site()
        : edge.shared("10.77.4.0/24", "outside").done().site();
  }

  @ParameterizedTest
  @CsvSource({
    // With and without the gateway: a client behind a shared address, a server behind a rule.
    "ACTIVE,           false, true,  true",
    "ACTIVE,           false, false, false",
    "EXTENDED_ACTIVE,  false, true,  true",
    "PASSIVE,          false, false, true",
    "EXTENDED_PASSIVE, false, false, true",
    "ACTIVE,           true,  true,  true",
    "ACTIVE,           true,  false, false",
    "PASSIVE,          true,  true,  true",
    "PASSIVE,          true,  false, false",
    "EXTENDED_ACTIVE,  true,  true,  true",
    "EXTENDED_PASSIVE, true,  true,  true",
    "EXTENDED_PASSIVE, true,  false, false",
  })
  void dataConnectionsPassTheGatewayAndNothingElseDoes(
      FileTransfer.Mode mode, boolean serverInside, boolean gateway, boolean passes) {
    Site site = files(gateway, serverInside);
    Host inner = Objects.requireNonNull(site.hosts().get("client1"));
    Host outer = Objects.requireNonNull(site.hosts().get("far"));
    Question control =
        new Question(
            serverInside ? outer : inner,
            (serverInside ? outer : inner).addresses().get(0),
            serverInside ? a("198.51.100.141") : a("192.0.2.210"),
            Probe.of(Protocol.TCP, 21),
            5000,
            VirtualClock.start(ZoneOffset.UTC));
    Run run = run(site);
    assertThat(run.open(control).outcome()).isEqualTo(Outcome.ANSWERED);
    FileTransfer transfer = run.transfer(control, mode, 50021);
    assertThat(transfer.succeeded()).as("%s", transfer).isEqualTo(passes);
    boolean innerAnnounces = serverInside == mode.isPassive();
    if (gateway && innerAnnounces && mode == FileTransfer.Mode.ACTIVE) {
      assertThat(transfer.said()).isEqualTo("PORT 10,77,4,11,195,101");
      assertThat(transfer.heard()).isEqualTo("PORT 198,51,100,140,195,101");
    }
    // Nobody else gets in by it, and when it is over nothing is left.
    Host stranger = Objects.requireNonNull(site.hosts().get("stranger"));
    for (String at : List.of("198.51.100.140", "198.51.100.141")) {
      Probe data = Probe.of(Protocol.TCP, 50021);
      Question knock = new Question(stranger, a("203.0.113.66"), a(at), data, 20, control.at());
      assertThat(run.open(knock).deliveredTo()).isNull();
    }
    run.advance(Duration.ofHours(3));
    assertThat(run.sessions("edge")).isEmpty();
    assertThat(run.bindings("edge")).allMatch(BindingRow::isPermanent);
  }

  // Both sides at once.

  @Test
  void aPartnerWithOurAddressesIsReachedByAnotherName() {
    Site site =
        new Draft()
            .network("office", "10.77.4.0/24", null)
            .network("link", "172.16.9.0/30", null)
            .network("theirs", "10.77.4.0/24", null, "partner")
            .host("clerk", "office", "10.77.4.31")
            .host("twin", "theirs", "10.77.4.31", 80)
            .device("edge", Action.ACCEPT)
            .on("office", "10.77.4.1")
            .on("link", "172.16.9.1")
            .route("10.77.4.0/24", "172.16.9.2")
            .both("office", "192.0.2.80", 80, "10.77.4.31", "link", "192.0.2.96")
            .done()
            .device("partner", Action.ACCEPT)
            .on("link", "172.16.9.2")
            .on("theirs", "10.77.4.1")
            .route("192.0.2.96/32", "172.16.9.1")
            .done()
            .site();
    Host clerk = Objects.requireNonNull(site.hosts().get("clerk"));
    Question question =
        new Question(
            clerk,
            a("10.77.4.31"),
            a("192.0.2.80"),
            Probe.of(Protocol.TCP, 80),
            5000,
            VirtualClock.start(ZoneOffset.UTC));
    Run run = run(site);
    Trace trace = run.open(question);
    assertThat(trace.outcome()).as(trace.reason()).isEqualTo(Outcome.ANSWERED);
    assertThat(trace.deliveredTo()).hasToString("twin 10.77.4.31:80");
    assertThat(Objects.requireNonNull(trace.seenAs()).address()).isEqualTo(a("192.0.2.96"));
    assertThat(trace.reply().get(0).decisions().get(0).text()).contains("gateway partner");
    SessionRow row = run.sessions("edge").get(0);
    assertThat(row.arrived()).hasToString("10.77.4.31:5000 → 192.0.2.80:80 tcp");
    assertThat(row.left()).hasToString("192.0.2.96:5000 → 10.77.4.31:80 tcp");
    assertThat(run.bindings("edge").get(0).remotes())
        .hasToString("[Remote[inside=192.0.2.96:5000, outside=10.77.4.31:5000]]");
  }

  /**
   * Random flows of insiders, a partner and strangers over time, quick and narrated, with closings.
   * Nothing gets in that no rule lets in; whatever was counted adds up; nothing is left at the end.
   */
  @Property(tries = 25, seed = "20260105")
  void inLongRunsNobodyGetsInUninvitedAndTheFiguresAddUp(@ForAll long seed) {
    Site site =
        draft()
            .device("edge", Action.DROP)
            .on("inside", "10.77.4.1")
            .on("outside", "198.51.100.140")
            .route("0.0.0.0/0", "198.51.100.129")
            .destination("outside", "198.51.100.140", 8021, "10.77.4.11", 21)
            .dynamic("10.77.4.12/32", "outside", "198.51.100.150-198.51.100.150")
            .dynamic("10.77.4.13/32", "outside", "198.51.100.150-198.51.100.150")
            .shared("10.77.4.0/24", "outside")
            .list("inside", "outside", false, null, null, 0)
            .list("outside", "inside", false, "203.0.113.66", "10.77.4.11", 21)
            .done()
            .site();
    Run run = run(site);
    Random random = new Random(seed);
    Map<Outcome, Integer> outcomes = new EnumMap<>(Outcome.class);
    int logged = 0;
    int letIn = 0;
    int shared = 0;
    for (int port = 20_000; port < 20_150; port++) {
      run.advance(Duration.ofMillis(random.nextInt(20_000)));
      int who = 1 + random.nextInt(INSIDERS + 2);
      boolean inside = who <= INSIDERS;
      String name = inside ? "client" + who : who == INSIDERS + 1 ? "stranger" : "far";
      Host host = Objects.requireNonNull(site.hosts().get(name));
      int protocol = random.nextBoolean() ? Protocol.TCP : Protocol.UDP;
      Question question =
          new Question(
              host,
              host.addresses().get(0),
              inside ? a("192.0.2.200") : a("198.51.100.140"),
              Probe.of(protocol, inside ? 80 : random.nextInt(3) > 0 ? 8021 : 8022),
              port,
              run.now());
      Outcome outcome = random.nextBoolean() ? run.send(question) : run.open(question).outcome();
      outcomes.merge(outcome, 1, Integer::sum);
      logged += outcome == Outcome.EXHAUSTED ? 1 : 0;
      if (!inside) {
        boolean invited = name.equals("stranger") && question.probe().port() == 8021;
        assertThat(outcome).isEqualTo(invited ? Outcome.ANSWERED : Outcome.DROPPED);
        letIn += invited ? 1 : 0;
      } else if (who != 2 && who != 3) {
        assertThat(outcome).isEqualTo(Outcome.ANSWERED);
        shared++;
      }
      if (random.nextInt(3) == 0) {
        run.close(question);
      }
      Figures figures = run.figures("edge");
      assertThat(figures.sessions().now()).isEqualTo(run.sessions("edge").size());
      assertThat(figures.sessions().most()).isGreaterThanOrEqualTo(figures.sessions().now());
      // Every session was answered, and has not aged yet or is counted as aged.
      assertThat(figures.sessions().now() + figures.sessionsAged())
          .isEqualTo(outcomes.getOrDefault(Outcome.ANSWERED, 0).longValue());
    }
    Figures figures = run.figures("edge");
    assertThat(figures.gotNothing()).isEqualTo(logged).isEqualTo(run.log().size());
    Device edge = Objects.requireNonNull(site.devices().get("edge"));
    assertThat(figures.flowsOf(edge.translation().get(3))).isEqualTo(shared);
    assertThat(figures.flowsOf(edge.access().get(1).rules().get(0))).isEqualTo(letIn);
    assertThat(outcomes.values().stream().mapToInt(count -> count).sum()).isEqualTo(150);
    run.advance(Duration.ofHours(3));
    Figures after = run.figures("edge");
    assertThat(after.sessions().now() + after.bindings().now()).isZero();
    assertThat(after.pools())
        .allMatch(pool -> pool.fill().taken() == 0 && pool.fill().size() > 0)
        .extracting(Figures.Pool::refused)
        .satisfies(
            refused ->
                assertThat(refused.stream().mapToLong(n -> n).sum())
                    .isEqualTo(figures.gotNothing()));
    assertThat(run.bindings("edge")).allMatch(BindingRow::isPermanent);
  }

  /** A pool by the book: who has which address until when. */
  private static final class Book {
    final Map<String, Address> lent = new HashMap<>();
    final Map<String, Long> until = new HashMap<>();

    void sweep(long now) {
      Set<String> idle = new HashSet<>();
      until.forEach(
          (who, end) -> {
            if (end <= now) {
              idle.add(who);
            }
          });
      idle.forEach(lent::remove);
      idle.forEach(until::remove);
    }
  }

  /**
   * Random senders and times, against a book kept in the plainest way: who gets an address, who
   * gets nothing, nobody's address is anybody else's, and after every idle time nothing is left.
   */
  @Property(tries = 60, seed = "20260105")
  void aPoolIsLentByTheBook(@ForAll long seed) {
    Site site =
        edge().dynamic("10.77.4.0/24", "outside", "198.51.100.150-198.51.100.152").done().site();
    Run run = run(site);
    Random random = new Random(seed);
    Book book = new Book();
    long now = 0;
    long nothing = 0;
    for (int i = 0; i < 60; i++) {
      long step = random.nextInt(120_000);
      run.advance(Duration.ofMillis(step));
      now += step;
      book.sweep(now);
      String who = "client" + (1 + random.nextInt(INSIDERS));
      Trace trace = run.open(question(site, who, Protocol.UDP, 5000));
      if (!book.lent.containsKey(who) && book.lent.size() == 3) {
        assertThat(trace.outcome()).isEqualTo(Outcome.EXHAUSTED);
        assertThat(lastRuling(trace.reply())).isEqualTo(Ruling.NOTICE_RECEIVED);
        nothing++;
        continue;
      }
      assertThat(trace.outcome()).isEqualTo(Outcome.ANSWERED);
      Address seen = Objects.requireNonNull(trace.seenAs()).address();
      Address before = book.lent.put(who, seen);
      assertThat(before == null || before.equals(seen)).isTrue();
      assertThat(new HashSet<>(book.lent.values())).hasSize(book.lent.size());
      book.until.put(who, now + 300_000);
      List<Address> externals = new ArrayList<>();
      for (BindingRow row : run.bindings("edge")) {
        externals.add(row.external().first());
        assertThat(row.left()).isPositive();
      }
      assertThat(externals).containsExactlyInAnyOrderElementsOf(book.lent.values());
    }
    Figures figures = run.figures("edge");
    assertThat(figures.gotNothing()).isEqualTo(nothing);
    assertThat(figures.bindings().most()).isLessThanOrEqualTo(3);
    run.advance(Duration.ofMinutes(5));
    assertThat(run.bindings("edge")).isEmpty();
    assertThat(run.sessions("edge")).isEmpty();
  }
}
