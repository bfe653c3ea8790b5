// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.replay;

import static java.util.Comparator.comparing;

import java.io.IOException;
import java.io.InputStream;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.HashMap;
import java.util.Map;
import java.util.PriorityQueue;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.traffic.TrafficReader;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * The flows of a list as traffic; where wanted, SYNs that nobody answers are sent again, between
 * the others, as TCP does.
 */
public final class FlowTraffic implements Traffic {
  private final TrafficReader reader;
  private final ZonedDateTime start;
  private final boolean told;
  private final Resends resends;

  /** SYNs that are to be sent again, the next one first; void where no longer in {@link #due}. */
  private final PriorityQueue<Retry> waiting =
      new PriorityQueue<>(comparing(Retry::at).thenComparing(retry -> retry.number));

  /** What each sender still waits to send again. */
  private final Map<Question, Retry> due = new HashMap<>();

  private long planned;
  private long sentAgain;

  /**
   * The traffic of a list.
   *
   * @param told whether each flow is reported
   * @param resends when SYNs that nobody answers are sent again
   */
  FlowTraffic(Site site, String name, InputStream in, boolean told, Resends resends)
      throws UnreadableSiteException, IOException {
    this.reader = TrafficReader.open(site, name, in);
    this.start = VirtualClock.start(site.timeZone());
    this.told = told;
    this.resends = resends;
    reader.ahead(); // what cannot be read is said at once
  }

  @Override
  public ZonedDateTime start() {
    return start;
  }

  @Override
  public void goOnWith(Site changed) {
    reader.goOnWith(changed);
  }

  /** The SYN that is to be sent again next, if that comes before what the list says. */
  private @Nullable Retry retry() throws UnreadableSiteException {
    Retry retry = waiting.peek();
    while (retry != null && due.get(retry.question) != retry) {
      waiting.remove();
      retry = waiting.peek();
    }
    // What the list says goes first: it may be the same connection, tried anew.
    Duration listed = reader.ahead();
    return retry != null && (listed == null || retry.at.compareTo(listed) < 0) ? retry : null;
  }

  @Override
  public @Nullable Duration ahead() throws UnreadableSiteException {
    Retry retry = retry();
    return retry != null ? retry.at() : reader.ahead();
  }

  @Override
  public @Nullable Event next() throws UnreadableSiteException, IOException {
    Retry retry = retry();
    if (retry != null) {
      due.remove(retry.question);
      return waiting.remove();
    }
    TrafficReader.Entry entry = reader.next();
    if (entry instanceof TrafficReader.Incident incident) {
      return new Forgotten(incident, told);
    }
    return entry instanceof TrafficReader.Flow flow ? new Happening(flow) : null;
  }

  /** Lets a SYN be sent again if nobody answered it, and if TCP has not given up. */
  private void heard(Question question, Trace trace, Duration at, int tries) {
    if (question.probe().protocol() == Protocol.TCP
        && tries < resends.waits().size()
        && trace.isUnheard()) {
      Duration next = at.plus(resends.waits().get(tries));
      Retry retry = new Retry(question, trace.outcome(), next, tries + 1, ++planned);
      waiting.add(retry);
      due.put(question, retry);
    }
  }

  @Override
  public String afterwards() {
    return sentAgain == 0
        ? ""
        : "sent again, since nobody answered: " + sentAgain + (sentAgain == 1 ? " SYN" : " SYNs");
  }

  @Override
  public void close() throws IOException {
    reader.close();
  }

  /** A SYN that is sent again; its flow is counted by what became of the last. */
  private final class Retry implements Event {
    private final Question question;
    private final Outcome before;
    private final Duration at;
    private final int tries;

    /** Of SYNs that are due at one time, the first planned goes first. */
    private final long number;

    Retry(Question question, Outcome before, Duration at, int tries, long number) {
      this.question = question;
      this.before = before;
      this.at = at;
      this.tries = tries;
      this.number = number;
    }

    @Override
    public Duration at() {
      return at;
    }

    @Override
    public @Nullable Happened happen(Run run, Map<Outcome, Long> outcomes) {
      Trace trace = run.open(question);
      sentAgain++;
      outcomes.computeIfPresent(before, (outcome, n) -> n == 1 ? null : n - 1);
      outcomes.merge(trace.outcome(), 1L, Long::sum);
      heard(question, trace, at, tries);
      String text = what(question) + ", sent again: " + trace.reason();
      return told ? Happened.of(at, trace, text) : null;
    }
  }

  /** A device forgets, or is restarted. */
  public record Forgotten(TrafficReader.Incident incident, boolean told) implements Event {
    @Override
    public Duration at() {
      return incident.at();
    }

    @Override
    public @Nullable Happened happen(Run run, Map<Outcome, Long> outcomes) {
      incident.happen(run);
      String whose = incident.who() == null ? "every device" : incident.who().name();
      return told ? new Happened(incident.at(), null, incident.what().toString(), whose) : null;
    }
  }

  private final class Happening implements Event {
    private final TrafficReader.Flow flow;

    Happening(TrafficReader.Flow flow) {
      this.flow = flow;
    }

    @Override
    public Duration at() {
      return flow.at();
    }

    @Override
    public @Nullable Happened happen(Run run, Map<Outcome, Long> outcomes) {
      Question question = flow.question();
      // Who opens another connection on its ports waits no longer for an answer, nor who closes it:
      // there is nothing to finish yet (RFC 9293 section 3.10.4).
      Retry waited = due.remove(question);
      if (flow.closes()) {
        if (waited == null) {
          run.close(question);
        }
        return told ? new Happened(flow.at(), null, "closed", what(question)) : null;
      }
      if (flow.transfer() != null) {
        FileTransfer transfer = run.transfer(question, flow.transfer(), flow.dataPort());
        Trace data = transfer.data();
        Outcome outcome = data == null ? Outcome.UNANSWERED : data.outcome();
        outcomes.merge(outcome, 1L, Long::sum);
        return told ? transferred(transfer, outcome) : null;
      }
      if (!told && resends == Resends.NONE) {
        outcomes.merge(run.send(question), 1L, Long::sum);
        return null;
      }
      Trace trace = run.open(question);
      outcomes.merge(trace.outcome(), 1L, Long::sum);
      heard(question, trace, flow.at(), 0);
      String text = what(question) + ": " + trace.reason();
      return told ? Happened.of(flow.at(), trace, text) : null;
    }

    private Happened transferred(FileTransfer transfer, Outcome outcome) {
      String heard =
          transfer.heard() == null
              ? ", which does not get there"
              : transfer.heard().equals(transfer.said())
                  ? ""
                  : ", heard as '" + transfer.heard() + "'";
      String said = transfer.mode() + " data connection: '" + transfer.said() + "'" + heard;
      Trace data = transfer.data();
      String rest = data == null ? "" : "; " + what(data.question()) + ": " + data.reason();
      return new Happened(flow.at(), data, outcome.toString(), said + rest);
    }
  }

  /** A question in a line. */
  static String what(Question question) {
    return question.sender().name() + " → " + question.to() + " " + question.probe();
  }
}
