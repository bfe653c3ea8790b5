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
                "CSV with the columns at,from,to,service and, where wanted, source-port,do;"
                    + " - for standard input.")
            .build());
    spec.addOption(flag("--follow", "Tell of each flow as it happens."));
    spec.addOption(flag("--bindings", "Show the table of bindings at the end."));
    spec.addOption(flag("--sessions", "Show the sessions at the end."));
    spec.addOption(
        flag("--figures", "Show how many there were, at most when, and each rule's flows."));
    spec.addOption(flag("--log", "Show what rules asked to be logged, and who got nothing."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema replay'."));
    spec.addOption(
        option("--until", "TIME", "Stop at this time since the start, such as 5m, and look then."));
    spec.usageMessage()
        .footer(
            "",
            "Example: eskerfield replay demo/gauges.site.yaml demo/gauges.csv --follow --bindings");
  }

  @Override
  int run(ParseResult call, Terminal terminal) throws Exception {
    String untilText = call.matchedOptionValue("--until", null);
    Duration until = untilText == null ? null : TrafficReader.duration(untilText);
    if (untilText != null && until == null) {
      throw new CommandLine.ParameterException(
          call.commandSpec().commandLine(),
          "--until: '" + untilText + "' is no time since the start; write 90s, 5m or 2h4m");
    }
    Site site = readSite(call);
    Tracer tracer = Tracer.of(site);
    ZonedDateTime start = VirtualClock.start(site.timeZone());
    Run run = tracer.run(start);
    String traffic = call.matchedPositionalValue(1, "");
    Map<Outcome, Long> outcomes = new EnumMap<>(Outcome.class);
    PrintWriter out = terminal.out();
    boolean json = call.hasMatchedOption("--json");
    boolean follow = call.hasMatchedOption("--follow") && !json;
    Duration elapsed = Duration.ZERO;
    try (InputStream in = stream(call, traffic);
        TrafficReader reader = TrafficReader.open(site, name(traffic), in)) {
      for (TrafficReader.Flow flow = reader.next();
          flow != null && (until == null || flow.at().compareTo(until) <= 0);
          flow = reader.next()) {
        run.advance(flow.at().minus(elapsed));
        elapsed = flow.at();
        Trace trace = act(run, flow);
        if (trace != null) {
          outcomes.merge(trace.outcome(), 1L, Long::sum);
        }
        if (follow) {
          out.print(line(flow, trace, terminal.style()));
        }
      }
    }
    if (until != null && until.compareTo(elapsed) > 0) {
      run.advance(until.minus(elapsed));
      elapsed = until;
    }
    if (json) {
      out.print(JsonWriter.replay(elapsed, outcomes, run, site.devices().keySet()));
      return FINE;
    }
    out.print(follow ? "\n" : "");
    out.println(total(outcomes, elapsed, terminal.style()));
    if (call.hasMatchedOption("--log")) {
      out.print("\n" + StateText.log(run.log(), start, terminal.style()));
    }
    for (Device device : site.devices().values()) {
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
    return FINE;
  }

  private static @Nullable Trace act(Run run, TrafficReader.Flow flow) {
    if (flow.closes()) {
      run.close(flow.question());
      return null;
    }
    return run.open(flow.question());
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
    if (!Files.isRegularFile(file)) {
      throw new CommandLine.ParameterException(
          call.commandSpec().commandLine(),
          Files.isDirectory(file) ? traffic + " is a folder" : "there is no file " + traffic);
    }
    return Files.newInputStream(file);
  }

  private static String line(TrafficReader.Flow flow, @Nullable Trace trace, Style style) {
    Question question = flow.question();
    String what = question.sender().name() + " → " + question.to() + " " + question.probe();
    String time = pad(Durations.text(flow.at()), 10);
    int column = time.length() + 12;
    if (trace == null) {
      return time + pad("closed", 12) + what + "\n";
    }
    String word = trace.outcome().toString();
    Placed by = trace.decidedBy();
    String place = by == null || by.place().line() == 0 ? null : by.place().toString();
    return time
        + style.outcome(trace.outcome())
        + " ".repeat(12 - word.length())
        + style.placed(what + ": " + trace.reason(), place, column, column)
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
