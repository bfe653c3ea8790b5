package org.eskerfield.cli;

import java.io.IOException;
import java.io.InputStream;
import java.io.PrintWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.EnumMap;
import java.util.Map;
import org.eskerfield.engine.Outcome;
import org.eskerfield.engine.VirtualClock;
import org.eskerfield.formats.JsonWriter;
import org.eskerfield.formats.TrafficReader;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.model.Device;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield replay}. */
final class ReplayVerb extends Verb {
  ReplayVerb() {
    super("replay", "Sends a list of flows through the site over time, and shows what they leave.");
  }

  @Override
  void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addPositional(
        PositionalParamSpec.builder()
            .paramLabel("TRAFFIC")
            .type(String.class)
            .arity("1")
            .index("1")
            .required(true)
            .description(
                "CSV with the columns at,from,to,service and, where wanted,"
                    + " source-port,do,data-port; the same as a list in a .yaml file;"
                    + " - for CSV on standard input.")
            .build());
    spec.addOption(flag("--follow", "Tell of each flow as it happens."));
    spec.addOption(flag("--bindings", "Show the table of bindings."));
    spec.addOption(flag("--sessions", "Show the sessions."));
    spec.addOption(
        flag("--figures", "Show how many there were, at most when, pools, and each rule's flows."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema replay'."));
    spec.addOption(
        option("--at", "TIME", "Stop at this time since the start, such as 5m, and look then."));
    spec.addOption(
        option(
            "--change",
            "TIME=SITE",
            "At this time go on with another file of the site; sessions stay."));
    spec.addOption(
        flag("--log", "Show what rules asked to be logged, and who got nothing, as it happens."));
    spec.addOption(
        option("--log-as", "FORMAT", "text (if left out), rfc5424 or jsonl, one line each."));
    spec.addOption(option("--log-to", "FILE", "Write the log to a file, and not to the screen."));
    spec.addOption(option("--log-list", "NAME", "Only what rules of this list log."));
    spec.addOption(option("--log-rule", "NAME", "Only what this rule logs."));
    spec.addOption(option("--log-host", "HOST", "Only packets from or to this host or address."));
    spec.addOption(
        option("--log-done", "DONE", "Only accepted, dropped, rejected or exhausted packets."));
    spec.usageMessage()
        .footer(
            "",
            "Example: eskerfield replay demo/gauges.site.yaml demo/gauges.csv --follow --bindings");
  }

  @Override
  int run(ParseResult call, Terminal terminal) throws Exception {
    Duration until = time(call, "--at", call.matchedOptionValue("--at", null));
    Site site = readSite(call);
    Change change = change(call);
    ZonedDateTime start = VirtualClock.start(site.timeZone());
    Run run = Tracer.of(site).run(start);
    boolean json = call.hasMatchedOption("--json");
    boolean follow = call.hasMatchedOption("--follow") && !json;
    Map<Outcome, Long> outcomes = new EnumMap<>(Outcome.class);
    Duration elapsed;
    try (LogPrinter log = LogPrinter.of(call, site, start, terminal)) {
      run.logTo(log);
      elapsed = replay(call, run, until, change, follow, outcomes, terminal);
    }
    if (json) {
      terminal.out().print(JsonWriter.replay(elapsed, outcomes, run, site.devices().keySet()));
      return FINE;
    }
    terminal.out().print(follow ? "\n" : "");
    terminal.out().println(total(outcomes, elapsed, terminal.style()));
    show(call, run, start, terminal);
    return FINE;
  }

  private static void show(ParseResult call, Run run, ZonedDateTime start, Terminal terminal) {
    PrintWriter out = terminal.out();
    for (Device device : run.site().devices().values()) {
      String name = device.name();
      if (call.hasMatchedOption("--figures")) {
        out.print("\n" + StateText.figures(device, run.figures(name), start, terminal.style()));
      }
      if (call.hasMatchedOption("--bindings")) {
        out.print("\n" + StateText.bindings(name, run.bindings(name), terminal.style()));
      }
      if (call.hasMatchedOption("--sessions")) {
        out.print("\n" + StateText.sessions(name, run.sessions(name), terminal.style()));
      }
    }
  }

  private static @Nullable Duration time(ParseResult call, String option, @Nullable String text) {
    Duration time = text == null ? null : TrafficReader.duration(text);
    if (text != null && time == null) {
      throw new CommandLine.ParameterException(
          call.commandSpec().commandLine(),
          option + ": '" + text + "' is no time since the start; write 90s, 5m or 2h4m");
    }
    return time;
  }

  /** Another file of the site from a time on. */
  private record Change(Duration at, Site site) {}

  private @Nullable Change change(ParseResult call) throws Exception {
    String text = call.matchedOptionValue("--change", null);
    if (text == null) {
      return null;
    }
    int equals = text.indexOf('=');
    if (equals < 0) {
      throw new CommandLine.ParameterException(
          call.commandSpec().commandLine(),
          "--change: '" + text + "' names no file; write --change 5m=changed.site.yaml");
    }
    Duration at = time(call, "--change", text.substring(0, equals));
    return at == null ? null : new Change(at, readSite(call, text.substring(equals + 1)));
  }

  /** Sends the flows, and returns the time that has passed. */
  private static Duration replay(
      ParseResult call,
      Run run,
      @Nullable Duration until,
      @Nullable Change change,
      boolean follow,
      Map<Outcome, Long> outcomes,
      Terminal terminal)
      throws Exception {
    String traffic = call.matchedPositionalValue(1, "");
    Duration elapsed = Duration.ZERO;
    boolean changed = change == null;
    try (InputStream in = stream(call, traffic);
        TrafficReader reader = TrafficReader.open(run.site(), name(traffic), in)) {
      for (TrafficReader.Flow flow = reader.next();
          flow != null && (until == null || flow.at().compareTo(until) <= 0);
          flow = reader.next()) {
        if (!changed && change != null && change.at().compareTo(flow.at()) <= 0) {
          run.advance(change.at().minus(elapsed));
          elapsed = change.at();
          goOnWith(call, run, change.site());
          changed = true;
        }
        run.advance(flow.at().minus(elapsed));
        elapsed = flow.at();
        String told = act(run, flow, follow, outcomes, terminal.style());
        if (told != null) {
          terminal.out().print(told);
        }
      }
    }
    if (!changed && change != null && (until == null || change.at().compareTo(until) <= 0)) {
      run.advance(change.at().minus(elapsed));
      elapsed = change.at();
      goOnWith(call, run, change.site());
    }
    if (until != null && until.compareTo(elapsed) > 0) {
      run.advance(until.minus(elapsed));
      elapsed = until;
    }
    return elapsed;
  }

  private static void goOnWith(ParseResult call, Run run, Site site) {
    try {
      run.goOnWith(site);
    } catch (IllegalArgumentException e) {
      throw new CommandLine.ParameterException(
          call.commandSpec().commandLine(), "--change: " + e.getMessage());
    }
  }

  /** Lets a flow happen; returns what there is to tell of it, or null. */
  private static @Nullable String act(
      Run run, TrafficReader.Flow flow, boolean follow, Map<Outcome, Long> outcomes, Style style) {
    Question question = flow.question();
    if (flow.closes()) {
      run.close(question);
      return follow ? line(flow, null, "closed", what(question), style) : null;
    }
    if (flow.transfer() != null) {
      FileTransfer transfer = run.transfer(question, flow.transfer(), flow.dataPort());
      Trace data = transfer.data();
      Outcome outcome = data == null ? Outcome.UNANSWERED : data.outcome();
      outcomes.merge(outcome, 1L, Long::sum);
      return follow ? transferred(flow, transfer, outcome, style) : null;
    }
    if (!follow) {
      outcomes.merge(run.send(question), 1L, Long::sum);
      return null;
    }
    Trace trace = run.open(question);
    outcomes.merge(trace.outcome(), 1L, Long::sum);
    return line(
        flow, trace, trace.outcome().toString(), what(question) + ": " + trace.reason(), style);
  }

  private static String transferred(
      TrafficReader.Flow flow, FileTransfer transfer, Outcome outcome, Style style) {
    String heard =
        transfer.heard() == null
            ? ", which does not get there"
            : transfer.heard().equals(transfer.said())
                ? ""
                : ", heard as '" + transfer.heard() + "'";
    String said = transfer.mode() + " data connection: '" + transfer.said() + "'" + heard;
    Trace data = transfer.data();
    String rest = data == null ? "" : "; " + what(data.question()) + ": " + data.reason();
    return line(flow, data, outcome.toString(), said + rest, style);
  }

  private static String what(Question question) {
    return question.sender().name() + " → " + question.to() + " " + question.probe();
  }

  private static String name(String traffic) {
    return traffic.equals("-") ? "standard-input" : String.valueOf(Path.of(traffic).getFileName());
  }

  private static InputStream stream(ParseResult call, String traffic)
      throws IOException, UnreadableSiteException {
    if (traffic.equals("-")) {
      return System.in;
    }
    Path file = Path.of(traffic);
    if (!Files.exists(file) || Files.isDirectory(file)) {
      throw new CommandLine.ParameterException(
          call.commandSpec().commandLine(),
          Files.isDirectory(file) ? traffic + " is a folder" : "there is no file " + traffic);
    }
    return Files.newInputStream(file);
  }

  private static String line(
      TrafficReader.Flow flow, @Nullable Trace trace, String word, String text, Style style) {
    String time = pad(Durations.text(flow.at()), 10);
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

  private static String total(Map<Outcome, Long> outcomes, Duration elapsed, Style style) {
    StringBuilder text = new StringBuilder("after " + Durations.text(elapsed) + ": ");
    long all = outcomes.values().stream().mapToLong(n -> n).sum();
    text.append(all).append(all == 1 ? " flow" : " flows");
    String join = ": ";
    for (Map.Entry<Outcome, Long> entry : outcomes.entrySet()) {
      text.append(join).append(entry.getValue()).append(' ').append(style.outcome(entry.getKey()));
      join = ", ";
    }
    return text.toString();
  }
}
