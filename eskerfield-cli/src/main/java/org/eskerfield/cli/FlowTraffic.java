package org.eskerfield.cli;

import java.io.IOException;
import java.io.InputStream;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.Map;
import org.eskerfield.engine.Outcome;
import org.eskerfield.engine.VirtualClock;
import org.eskerfield.formats.TrafficReader;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** The flows of a list as traffic. */
final class FlowTraffic implements Traffic {
  private final TrafficReader reader;
  private final ZonedDateTime start;
  private final boolean told;
  private final boolean narrated;
  private final Style style;

  /**
   * The traffic of a list.
   *
   * @param told whether somebody wants to know of each flow
   * @param narrated whether somebody wants to see its packets
   */
  FlowTraffic(Site site, String name, InputStream in, boolean told, boolean narrated, Style style)
      throws UnreadableSiteException, IOException {
    this.reader = TrafficReader.open(site, name, in);
    this.start = VirtualClock.start(site.timeZone());
    this.told = told;
    this.narrated = narrated;
    this.style = style;
  }

  @Override
  public ZonedDateTime start() {
    return start;
  }

  @Override
  public @Nullable Event next() throws UnreadableSiteException, IOException {
    TrafficReader.Flow flow = reader.next();
    return flow == null ? null : new Happening(flow);
  }

  @Override
  public void close() throws IOException {
    reader.close();
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
    public @Nullable String happen(Run run, Map<Outcome, Long> outcomes) {
      Question question = flow.question();
      if (flow.closes()) {
        run.close(question);
        return told ? line(flow.at(), null, "closed", what(question), style) : null;
      }
      if (flow.transfer() != null) {
        FileTransfer transfer = run.transfer(question, flow.transfer(), flow.dataPort());
        Trace data = transfer.data();
        Outcome outcome = data == null ? Outcome.UNANSWERED : data.outcome();
        outcomes.merge(outcome, 1L, Long::sum);
        return told ? transferred(transfer, outcome) : null;
      }
      if (!told && !narrated) {
        outcomes.merge(run.send(question), 1L, Long::sum);
        return null;
      }
      Trace trace = run.open(question);
      outcomes.merge(trace.outcome(), 1L, Long::sum);
      String text = what(question) + ": " + trace.reason();
      return told ? line(flow.at(), trace, trace.outcome().toString(), text, style) : null;
    }

    private String transferred(FileTransfer transfer, Outcome outcome) {
      String heard =
          transfer.heard() == null
              ? ", which does not get there"
              : transfer.heard().equals(transfer.said())
                  ? ""
                  : ", heard as '" + transfer.heard() + "'";
      String said = transfer.mode() + " data connection: '" + transfer.said() + "'" + heard;
      Trace data = transfer.data();
      String rest = data == null ? "" : "; " + what(data.question()) + ": " + data.reason();
      return line(flow.at(), data, outcome.toString(), said + rest, style);
    }
  }

  private static String what(Question question) {
    return question.sender().name() + " → " + question.to() + " " + question.probe();
  }

  /** A line of a replay that is followed. */
  static String line(Duration at, @Nullable Trace trace, String word, String text, Style style) {
    String time = pad(Durations.text(at), 10);
    int column = time.length() + 12;
    Placed by = trace == null ? null : trace.decidedBy();
    String place = by == null || by.place().line() == 0 ? null : by.place().toString();
    return time
        + (trace == null ? word : style.outcome(trace.outcome()))
        + " ".repeat(12 - word.length())
        + style.placed(text, place, column, column)
        + "\n";
  }

  private static String pad(String text, int width) {
    return text.length() >= width ? text + " " : text + " ".repeat(width - text.length());
  }
}
