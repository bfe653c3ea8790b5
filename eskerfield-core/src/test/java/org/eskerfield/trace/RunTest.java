package org.eskerfield.trace;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
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
import org.eskerfield.engine.BindingRow;
import org.eskerfield.engine.Outcome;
import org.eskerfield.engine.SessionRow;
import org.eskerfield.engine.VirtualClock;
import org.eskerfield.model.Action;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Protocol;
import org.junit.jupiter.api.Test;

/** A site with traffic over time. */
class RunTest {
  private static final int INSIDERS = 7;

  private static Draft draft() {
    Draft draft =
        new Draft()
            .network("inside", "10.77.4.0/24", null)
            .network("outside", "198.51.100.128/26", "198.51.100.129")
            .host("server", null, "192.0.2.200", 80);
    for (int i = 1; i <= INSIDERS; i++) {
      draft.host("client" + i, "inside", "10.77.4." + (10 + i));
    }
    return draft;
  }

  private static Draft.DeviceDraft edge() {
    return draft()
        .device("edge", Action.ACCEPT)
        .on("inside", "10.77.4.1")
        .on("outside", "198.51.100.140")
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
