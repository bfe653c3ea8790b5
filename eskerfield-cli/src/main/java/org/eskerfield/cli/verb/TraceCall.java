// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.TableText;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.capture.Capture;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * What a call of {@code trace} asks, of one sender or of several.
 *
 * @param from the senders as they were written, groups and networks included
 * @param to where to
 * @param service what
 * @param at when, or null
 * @param sourcePort the port of each sender
 * @param size how large the packets are, in bytes; null where it was not asked for
 * @param mayFragment whether devices may cut them
 * @param mode the mode of file transfers; null where it was not asked for
 * @param dataTo where passive clients open data connections to; null where it was not asked for
 * @param together whether the senders come one after the other, and what they open stays open
 */
record TraceCall(
    List<String> from,
    String to,
    String service,
    @Nullable String at,
    int sourcePort,
    @Nullable Integer size,
    boolean mayFragment,
    FileTransfer.@Nullable Mode mode,
    FileTransfer.@Nullable DataTo dataTo,
    boolean together) {
  private List<Attempt> attempts(Site site) throws UnusableQuestionException {
    List<Attempt> attempts = new ArrayList<>();
    for (String each : from) {
      for (String sender : QuestionReader.senders(site, each)) {
        QuestionReader reader =
            QuestionReader.on(site)
                .from(sender)
                .to(to)
                .service(service)
                .at(at)
                .sourcePort(sourcePort)
                .mode(mode)
                .dataTo(dataTo);
        if (size != null) {
          reader.size(size);
        }
        if (mayFragment) {
          reader.mayFragment();
        }
        attempts.add(reader.attempt());
      }
    }
    return attempts;
  }

  /** Leads every conversation once more while somebody captures it. */
  void watch(Site site, Capture capture) throws UnusableQuestionException {
    List<Attempt> attempts = attempts(site);
    Tracer tracer = Tracer.of(site);
    Run run = null;
    for (Attempt attempt : attempts) {
      if (run == null || !together) {
        run = tracer.run(attempt.at());
        run.watch(capture);
      }
      capture.begins(attempt);
      if (together) {
        run.leaveOpen(attempt);
      } else {
        run.converse(attempt);
      }
    }
  }

  /** What becomes of each sender's conversation, in order. */
  List<Diagnosis> ask(Site site) throws UnusableQuestionException {
    List<Attempt> attempts = attempts(site);
    Tracer tracer = Tracer.of(site);
    Run run = together ? tracer.run(attempts.get(0).at()) : null;
    List<Diagnosis> diagnoses = new ArrayList<>();
    for (int i = 0; i < attempts.size(); i++) {
      Attempt attempt = attempts.get(i);
      List<Attempt> earlier = together ? attempts.subList(0, i) : List.of();
      Conversation conversation = run != null ? run.leaveOpen(attempt) : tracer.converse(attempt);
      diagnoses.add(
          conversation.outcome() == Outcome.ANSWERED
              ? new Diagnosis(conversation, List.of(), true)
              : Diagnosis.of(
                  site, each -> rehearse(each, earlier, attempt), TraceCall::isAnswered));
    }
    return diagnoses;
  }

  private static boolean isAnswered(Conversation conversation) {
    return conversation.outcome() == Outcome.ANSWERED;
  }

  private static Conversation rehearse(Site site, List<Attempt> earlier, Attempt attempt) {
    Tracer tracer = Tracer.of(site);
    if (earlier.isEmpty()) {
      return tracer.converse(attempt);
    }
    Run run = tracer.run(attempt.at());
    earlier.forEach(run::leaveOpen);
    return run.converse(attempt);
  }

  /** The answers of several senders, one below the other. */
  static String sideBySide(List<Diagnosis> diagnoses, String indent, Style style) {
    boolean named = false;
    for (Diagnosis diagnosis : diagnoses) {
      named |= diagnosis.conversation().lookup() != null;
    }
    TableText table =
        new TableText("from", named ? "the name is" : "to", "outcome", "by", "seen as");
    for (int i = 0; i < diagnoses.size(); i++) {
      Diagnosis diagnosis = diagnoses.get(i);
      Conversation conversation = diagnosis.conversation();
      Trace trace = conversation.opening();
      String to = trace == null ? "?" : trace.question().to().toString();
      String by = conversation.lookup() == null ? null : conversation.lookup().answeredBy();
      table.add(
          conversation.attempt().sender().name(),
          to + (by == null ? "" : ", says " + by),
          conversation.outcome().toString(),
          trace == null || trace.deliveredTo() == null ? "" : trace.deliveredTo().toString(),
          trace == null || trace.seenAs() == null ? "" : trace.seenAs().address().toString());
      String before = i == 0 ? "" : why(diagnoses.get(i - 1));
      if (!why(diagnosis).isEmpty() && !why(diagnosis).equals(before)) {
        table.addBelow(why(diagnosis));
      }
    }
    return indent + table.text(style).stripTrailing().replace("\n", "\n" + indent) + "\n";
  }

  /** The first cause and the reason; empty where it was answered. */
  private static String why(Diagnosis diagnosis) {
    Conversation conversation = diagnosis.conversation();
    if (conversation.outcome() == Outcome.ANSWERED) {
      return "";
    }
    return diagnosis.obstacles().isEmpty()
        ? conversation.reason()
        : diagnosis.obstacles().get(0).cause() + ": " + conversation.reason();
  }
}
