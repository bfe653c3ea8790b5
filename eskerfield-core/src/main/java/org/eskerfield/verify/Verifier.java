// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.verify;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Consumer;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.model.Named;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.eskerfield.trace.Transit;

/** Leads the conversations of expectations, each with empty tables, and compares. */
public final class Verifier {
  private final Tracer tracer;

  /** A verifier of a site; all expectations share the compiled programs of the tracer. */
  public Verifier(Tracer tracer) {
    this.tracer = tracer;
  }

  /** Verifies expectations, in their order. */
  public List<Verdict> verify(List<Expectation> expectations) {
    return expectations.stream().map(this::verify).toList();
  }

  /** Verifies one expectation. */
  public Verdict verify(Expectation expectation) {
    List<Verdict.Result> results = new ArrayList<>();
    for (Attempt attempt : expectation.attempts()) {
      Conversation conversation = rehearse(expectation, attempt);
      List<String> differences = differences(expectation, conversation);
      // To look for causes costs many times more than to trace, so only failures are asked.
      Diagnosis diagnosis =
          differences.isEmpty() || expectation.outcome() != Outcome.ANSWERED
              ? null
              : Diagnosis.of(
                  tracer.site(),
                  site -> rehearse(Tracer.of(site), expectation, attempt),
                  each -> differences(expectation, each).isEmpty());
      results.add(new Verdict.Result(conversation, differences, diagnosis));
    }
    return new Verdict(expectation, results);
  }

  /** Leads a conversation of an expectation, after what is to happen before. */
  public Conversation rehearse(Expectation expectation, Attempt attempt) {
    return rehearse(tracer, expectation, attempt);
  }

  private static Conversation rehearse(Tracer tracer, Expectation expectation, Attempt attempt) {
    return expectation.after().isEmpty()
        ? tracer.converse(attempt)
        : prepared(tracer, expectation, attempt).converse(attempt);
  }

  /**
   * Leads a conversation of an expectation once more, after what is to happen before, while
   * somebody watches its packets.
   */
  public Conversation watch(Expectation expectation, Attempt attempt, Consumer<Transit> reader) {
    Run run = prepared(tracer, expectation, attempt);
    run.watch(reader);
    return run.converse(attempt);
  }

  private static Run prepared(Tracer tracer, Expectation expectation, Attempt attempt) {
    Site before = expectation.before();
    Run run = (before == null ? tracer : Tracer.of(before)).run(attempt.at());
    for (Expectation.Earlier earlier : expectation.after()) {
      run.leaveOpen(earlier.attempt());
      run.advance(earlier.pause());
    }
    if (before != null) {
      run.goOnWith(tracer.site());
    }
    return run;
  }

  /** The differences from the expectation, each as a clause; empty if there are none. */
  public static List<String> differences(Expectation expectation, Conversation conversation) {
    List<String> differences = new ArrayList<>();
    if (conversation.outcome() != expectation.outcome()) {
      differences.add(
          "expected " + expectation.outcome() + ", but it is " + conversation.outcome());
    }
    Trace trace = conversation.opening();
    Endpoint receiver = trace == null ? null : trace.deliveredTo();
    boolean missed = differences.isEmpty() || receiver != null; // else that says it already
    if (missed
        && expectation.by() != null
        && (receiver == null || !receiver.isCalled(expectation.by()))) {
      differences.add(
          "expected to reach "
              + expectation.by()
              + ", but it reaches "
              + (receiver == null ? "nobody" : receiver));
    }
    Endpoint seen = trace == null ? null : trace.seenAs();
    Address seenAs = expectation.seenAs();
    if (missed && seenAs != null && (seen == null || !seen.address().equals(seenAs))) {
      differences.add(
          "expected to be seen as "
              + seenAs
              + ", but it is seen as "
              + (seen == null ? "nobody" : seen.address()));
    }
    String rule = expectation.rule();
    if (missed && rule != null && (trace == null || !hasPart(trace, rule))) {
      differences.add("expected a part of rule '" + rule + "', but it has none");
    }
    return differences;
  }

  private static boolean hasPart(Trace trace, String rule) {
    for (Leg leg : trace.legs()) {
      for (Decision decision : leg.decisions()) {
        if (leg.kind() == Leg.Kind.DEVICE
            && decision.by() instanceof Named named
            && named.name().equals(rule)) {
          return true;
        }
      }
    }
    return false;
  }
}
