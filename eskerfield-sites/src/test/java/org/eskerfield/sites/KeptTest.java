// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.util.List;
import java.util.Objects;
import org.eskerfield.cause.Cause;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.formats.snapshot.SnapshotJson;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What is kept across a change: leases, answers of the DNS, and what devices have saved. */
class KeptTest {
  private static final String TEXT =
      """
      eskerfield: 1
      site: Office and quay
      networks:
        office:
          prefix: 10.44.8.0/24
          zone: office
          leases: 10.44.8.100-10.44.8.199
          leases-from: { device: breakwater, gateway: 10.44.8.1, resolver: pilot, time: 8h }
        quay: { prefix: 10.44.20.0/24, zone: quay }
      hosts:
        clerk: { on: office, at: 10.44.8.131, assigned: leased, hardware: 02-00-5E-10-00-31 }
        admin: { on: office, at: 10.44.8.5 }
        pilot: { on: quay, at: 10.44.20.53, listens: domain }
        other: { on: quay, at: 10.44.20.54, listens: domain }
        booking: { on: quay, at: 10.44.20.117, listens: https }
        spare: { on: quay, at: 10.44.20.118, listens: https }
      names:
        booking.example: { ttl: 1h, internet: booking, other: 10.44.20.200 }
      devices:
        breakwater:
          stance: accept
          saves: when told
          interfaces:
            office: { on: office, at: 10.44.8.1 }
            quay: { on: quay, at: 10.44.20.1 }
      """;

  private static Site site(String... edits) throws Exception {
    return SiteReader.read("x.site.yaml", Sites.edited(TEXT, edits));
  }

  private static Attempt ask(Site site, String to) throws Exception {
    return QuestionReader.on(site).from("clerk").to(to).service("https").attempt();
  }

  /** Goes on from a snapshot, which must say all. */
  private static Run cut(Run run, Tracer tracer, List<Site> earlier) throws Exception {
    String text = SnapshotJson.write(run.snapshot());
    Run goesOn = tracer.goOn(SnapshotJson.read("x", text), earlier);
    assertThat(goesOn.snapshot()).isEqualTo(run.snapshot());
    return goesOn;
  }

  private static Site renumbered() throws Exception {
    return site("10.44.8.", "10.44.9.");
  }

  @ParameterizedTest
  @CsvSource({
    "0, 10.44.8.131, unanswered", // the gateway has another address now: no reply comes back
    "14399, 10.44.8.131, unanswered",
    "14400, 10.44.9.131, answered", // half of eight hours: it is renewed
    "20000, 10.44.9.131, answered",
  })
  void aLeaseIsKeptUntilItIsRenewed(long seconds, String from, String outcome) throws Exception {
    Site before = site();
    Site after = renumbered();
    Run run = Tracer.of(before).run(VirtualClock.start(before.timeZone()));
    run.goOnWith(after);
    run.advance(Duration.ofSeconds(seconds));
    for (Run each : List.of(run, cut(run, Tracer.of(after), List.of(before)))) {
      Conversation conversation = each.converse(ask(after, "10.44.20.117"));
      assertThat(Objects.requireNonNull(conversation.opening()).question().source())
          .hasToString(from);
      assertThat(conversation.outcome() == Outcome.ANSWERED)
          .as(conversation.reason())
          .isEqualTo(outcome.equals("answered"));
    }
  }

  private static List<Cause> causes(Diagnosis why) {
    return why.obstacles().stream().map(Obstacle::cause).toList();
  }

  private static Conversation after(Site before, Site after, Attempt attempt, Duration pause) {
    Run run = Tracer.of(before).run(VirtualClock.start(before.timeZone()));
    run.converse(attempt.on(before));
    run.advance(pause);
    run.goOnWith(after);
    return run.converse(attempt);
  }

  @Test
  void whoGoesByAnOldLeaseIsTold() throws Exception {
    Site before = site();
    Site now = renumbered();
    Attempt attempt = ask(now, "10.44.20.117");
    Diagnosis why =
        Diagnosis.of(
            now,
            site -> after(before, site, attempt, Duration.ZERO),
            each -> each.outcome() == Outcome.ANSWERED);
    assertThat(causes(why)).containsExactly(Cause.LEASE_NOT_RENEWED);
    assertThat(why.obstacles().get(0).detail()).startsWith("clerk goes by the old lease");
  }

  @ParameterizedTest
  @CsvSource({"3599, 10.44.20.117", "3600, 10.44.20.118"})
  void anAnswerIsRememberedUntilItsTimeIsUp(long seconds, String to) throws Exception {
    Site before = site();
    Site after = site("internet: booking", "internet: spare");
    Run run = Tracer.of(before).run(VirtualClock.start(before.timeZone()));
    run.converse(ask(before, "booking.example"));
    run.goOnWith(after);
    run.advance(Duration.ofSeconds(seconds));
    for (Run each : List.of(run, cut(run, Tracer.of(after), List.of(before)))) {
      Conversation conversation = each.converse(ask(after, "booking.example"));
      assertThat(conversation.opening().question().to()).hasToString(to);
    }
  }

  @Test
  void whoRemembersAnOldAnswerIsTold() throws Exception {
    Site before = site("internet: booking", "internet: 10.44.20.119");
    Site now = site();
    Attempt attempt = ask(now, "booking.example");
    Diagnosis why =
        Diagnosis.of(
            now,
            site -> after(before, site, attempt, Duration.ofMinutes(20)),
            each -> each.outcome() == Outcome.ANSWERED);
    assertThat(causes(why)).containsExactly(Cause.NAME_REMEMBERED);
    assertThat(Objects.requireNonNull(why.conversation().lookup()).reason())
        .isEqualTo(
            "clerk remembers that booking.example is 10.44.20.119, as pilot said, for another"
                + " 40m");
  }

  @ParameterizedTest
  @CsvSource({
    "gateway: 10.44.8.1, gateway: 10.44.8.5, booking.example, gateway 10.44.8.1",
    "gateway: 10.44.8.1, gateway: 10.44.8.9, booking.example, gateway 10.44.8.1",
    "resolver: pilot, resolver: other, booking.example, resolver pilot",
    "resolver: pilot, resolver: spare, booking.example, resolver pilot",
  })
  void whatALeaseHandsOutIsUsed(String piece, String by, String to, String right) throws Exception {
    assertThat(Tracer.of(site()).converse(ask(site(), to)).outcome()).isEqualTo(Outcome.ANSWERED);
    Site site = site(piece, by);
    Diagnosis why = Diagnosis.of(Tracer.of(site), ask(site, to));
    assertThat(causes(why)).containsExactly(Cause.LEASE_WRONG);
    assertThat(why.obstacles().get(0).detail())
        .isEqualTo("with " + right + " it works; let breakwater hand that out on office");
    assertThat(why.complete()).isTrue();
  }

  @Test
  void whatWasNotSavedIsGoneAfterARestart() throws Exception {
    Site before = site();
    Site shut = site("stance: accept", "stance: drop");
    for (boolean saves : new boolean[] {false, true}) {
      Run run = Tracer.of(before).run(VirtualClock.start(before.timeZone()));
      run.goOnWith(shut);
      assertThat(run.converse(ask(shut, "10.44.20.117")).outcome()).isEqualTo(Outcome.DROPPED);
      if (saves) {
        run.save("breakwater");
      }
      Run goesOn = cut(run, Tracer.of(shut), List.of(before));
      for (Run each : List.of(run, goesOn)) {
        each.clear("breakwater");
        assertThat(each.converse(ask(shut, "10.44.20.117")).outcome())
            .isEqualTo(saves ? Outcome.DROPPED : Outcome.ANSWERED);
      }
    }
    // A device that saves at once goes on with what it has.
    Site atOnce = site("saves: when told", "saves: at once");
    Run run = Tracer.of(atOnce).run(VirtualClock.start(before.timeZone()));
    run.goOnWith(site("saves: when told", "saves: at once", "stance: accept", "stance: drop"));
    run.clear("breakwater");
    assertThat(run.converse(ask(shut, "10.44.20.117")).outcome()).isEqualTo(Outcome.DROPPED);
  }
}
