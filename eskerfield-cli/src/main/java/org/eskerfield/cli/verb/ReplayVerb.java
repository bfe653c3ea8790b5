// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.io.InputStream;
import java.io.PrintWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.StateText;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.ReplayData;
import org.eskerfield.formats.flow.Columns;
import org.eskerfield.formats.flow.FlowRecords;
import org.eskerfield.formats.flow.IpfixReader;
import org.eskerfield.formats.flow.LogRecords;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.formats.replay.CaptureTraffic;
import org.eskerfield.formats.replay.FlowTraffic;
import org.eskerfield.formats.replay.Happened;
import org.eskerfield.formats.replay.Replay;
import org.eskerfield.formats.replay.Resends;
import org.eskerfield.formats.replay.Traffic;
import org.eskerfield.formats.traffic.TrafficReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Moments;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield replay}. */
public final class ReplayVerb extends Verb {
  public ReplayVerb() {
    super(
        "replay",
        "Sends a list of flows through the site over time, and shows sessions, bindings and counts.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addPositional(
        trafficFile(
            "CSV with the columns at,from,to,service and, where wanted,"
                + " source-port,do,data-port; the same as a list in a .yaml file;"
                + " flow records (IPFIX); a log, see --columns; a capture (pcap, pcapng);"
                + " - for standard input."));
    sources(spec);
    spec.addOption(
        flag(
            "--retry",
            "For a list of flows: send SYNs that nobody answers again after 1 and 3 seconds, as TCP"
                + " does (RFC 6298); --capture does so, too."));
    spec.addOption(
        option(
            "--retry-pace",
            "PACE",
            "The same at another pace: doubling (as above) or steady (after 1, 2 and 3 seconds, as"
                + " current systems do)."));
    spec.addOption(flag("--follow", "Print each flow as it happens."));
    spec.addOption(flag("--bindings", "Show the table of bindings."));
    spec.addOption(flag("--sessions", "Show the sessions."));
    spec.addOption(
        flag(
            "--figures",
            "Show counts: sessions and bindings with their peaks, pools, flows per rule."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema replay'."));
    events(spec);
    CaptureFile.describe(spec, "everywhere");
    EventFile.describe(spec);
    LogPrinter.describe(spec);
    spec.usageMessage()
        .footer(
            "",
            "Example: eskerfield replay demo/gauges.site.yaml demo/gauges.csv --follow --bindings");
  }

  /** How traffic is read that is no list of flows of our own. */
  static void sources(CommandSpec spec) {
    spec.addOption(
        option(
            "--arriving",
            "WHERE",
            "For a capture: where it was taken, an interface such as 'edge uplink', whose arriving"
                + " packets are sent, or a host, whose own packets are."));
    spec.addOption(
        option(
            "--columns",
            "FIELD=COLUMN,...",
            "For a log of flows (CSV with a header row, JSON lines, key=value lines): which column has"
                + " start, end, duration, from, from-port, to, to-port, protocol, flags, packets,"
                + " bytes, back-packets, back-bytes."));
    spec.addOption(
        option(
            "--time-format",
            "PATTERN",
            "How --columns are to read times that are neither RFC 3339 nor numbers since 1970, such as"
                + " 'dd/MM/yyyy HH:mm:ss'."));
  }

  /** Whether traffic is named where it is said how to read it. */
  static void checkSources(ParseResult call) {
    for (String option : List.of("--arriving", "--columns", "--time-format")) {
      if (call.hasMatchedOption(option) && !call.hasMatchedOption("--traffic")) {
        throw wrong(call, option + " says how --traffic is read; say --traffic FILE as well");
      }
    }
  }

  /** What happens while the flows are sent. */
  private static void events(CommandSpec spec) {
    spec.addOption(
        option(
            "--at",
            "TIME",
            "Stop at this time after the start, such as 5m, and show the state then."));
    spec.addOption(
        option(
            "--change",
            "TIME=SITE",
            "At this time, switch to another file of the site; sessions stay."));
    spec.addOption(
        several(
            "--forget",
            "TIME[=WHO]",
            "At this time every device, or one, forgets its sessions and temporary bindings; or all"
                + " forget those of a host."));
    spec.addOption(several("--restart", "TIME=DEVICE", "At this time a device is restarted."));
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    Duration until = time(call, "--at", call.matchedOptionValue("--at", null));
    Site site = readSite(call);
    boolean json = call.hasMatchedOption("--json");
    boolean follow = call.hasMatchedOption("--follow") && !json;
    CaptureFile capture = CaptureFile.of(call, site, List.of());
    Replay replay;
    Run run;
    ZonedDateTime start;
    String afterwards;
    String name = call.matchedPositionalValue(1, "");
    try (Traffic traffic = traffic(call, name, site, follow, resends(call, capture != null))) {
      start = traffic.start();
      run = Tracer.of(site).run(start);
      if (capture != null) {
        run.watch(capture.capture());
      }
      List<Traffic.Event> incidents = incidents(call, site, traffic, follow);
      // Where lines come out as they happen, they show the progress.
      try (LogPrinter log = LogPrinter.of(call, site, start, terminal);
          EventFile events = EventFile.of(call, site, run);
          ProgressLine progress = new ProgressLine(terminal, !follow)) {
        run.logTo(log);
        replay =
            Replay.of(
                run,
                traffic,
                incidents,
                until,
                (number, what) -> {
                  progress.begins("replaying", number, 0);
                  if (what != null && !what.isMore()) {
                    terminal.out().print(line(what, terminal.style()));
                  }
                });
        log.complete();
        events.complete();
      }
      afterwards = traffic.afterwards();
    }
    if (capture != null) {
      capture.write(terminal);
    }
    if (json) {
      terminal
          .out()
          .print(
              Json.of(
                  ReplayData.of(
                      replay.elapsed(), replay.outcomes(), run, site.devices().keySet())));
      return FINE;
    }
    terminal.out().print(follow ? "\n" : "");
    terminal.out().println(total(replay.outcomes(), replay.elapsed(), terminal.style()));
    show(call, run, start, afterwards, terminal);
    return FINE;
  }

  private static void show(
      ParseResult call, Run run, ZonedDateTime start, String afterwards, Terminal terminal) {
    PrintWriter out = terminal.out();
    if (!afterwards.isEmpty()) {
      out.println(afterwards);
    }
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
    Duration time = text == null ? null : Times.duration(text);
    if (text != null && time == null) {
      throw new CommandLine.ParameterException(
          call.commandSpec().commandLine(),
          option + ": '" + text + "' is no time since the start; write 90s, 5m or 2h4m");
    }
    return time;
  }

  /** From a time on the devices follow another file. */
  private record Change(
      ParseResult call, Duration at, Site site, Traffic traffic, String file, boolean told)
      implements Traffic.Event {
    @Override
    public @Nullable Happened happen(Run run, Map<Outcome, Long> outcomes) {
      try {
        run.goOnWith(site);
      } catch (IllegalArgumentException e) {
        throw wrong(call, "--change: " + e.getMessage());
      }
      traffic.goOnWith(site);
      return told ? new Happened(at, null, "changed", "to " + file) : null;
    }
  }

  /** What a call lets happen at a time, in this order. */
  private List<Traffic.Event> incidents(
      ParseResult call, Site site, Traffic traffic, boolean follow) throws Exception {
    List<Traffic.Event> incidents = new ArrayList<>();
    String change = call.matchedOptionValue("--change", null);
    if (change != null) {
      int equals = change.indexOf('=');
      if (equals < 0) {
        throw wrong(
            call, "--change: '" + change + "' is not a file; write --change 5m=changed.site.yaml");
      }
      Duration at = time(call, "--change", change.substring(0, equals));
      if (at != null) {
        String file = change.substring(equals + 1);
        Site changed = readSite(call, file);
        incidents.add(new Change(call, at, changed, traffic, file, follow));
      }
    }
    for (String option : List.of("--forget", "--restart")) {
      for (String text : call.matchedOptionValue(option, new String[0])) {
        TrafficReader.Incident incident = forgets(call, site, option, text);
        incidents.add(new FlowTraffic.Forgotten(incident, follow));
      }
    }
    incidents.sort(Comparator.comparing(Traffic.Event::at));
    return incidents;
  }

  private static TrafficReader.Incident forgets(
      ParseResult call, Site site, String option, String text) {
    boolean restarts = option.equals("--restart");
    TrafficReader.Incident.Kind kind =
        restarts ? TrafficReader.Incident.Kind.RESTARTS : TrafficReader.Incident.Kind.FORGETS;
    int equals = text.indexOf('=');
    String name = equals < 0 ? "" : text.substring(equals + 1);
    Duration at = time(call, option, equals < 0 ? text : text.substring(0, equals));
    if (at == null || (restarts && name.isEmpty())) {
      throw wrong(call, option + ": '" + text + "' is not a device; write --restart 5m=skerry");
    }
    try {
      return new TrafficReader.Incident(at, kind, TrafficReader.incident(site, restarts, name));
    } catch (UnusableQuestionException e) {
      throw wrong(call, option + ": " + e.getMessage() + "; " + e.remedy());
    }
  }

  private static Resends resends(ParseResult call, boolean captured) {
    String pace = call.matchedOptionValue("--retry-pace", null);
    if (pace == null) {
      return captured || call.hasMatchedOption("--retry") ? Resends.DOUBLING : Resends.NONE;
    }
    for (Resends each : List.of(Resends.DOUBLING, Resends.STEADY)) {
      if (each.toString().equals(pace.toLowerCase(Locale.ROOT))) {
        return each;
      }
    }
    throw wrong(call, "--retry-pace: '" + pace + "' is neither doubling nor steady");
  }

  /** The argument that names the traffic, behind the site. */
  static PositionalParamSpec trafficFile(String description) {
    return PositionalParamSpec.builder()
        .paramLabel("TRAFFIC")
        .type(String.class)
        .arity("1")
        .index("1")
        .required(true)
        .description(description)
        .build();
  }

  /** What is to be sent. */
  static Traffic traffic(
      ParseResult call, String traffic, Site site, boolean follow, Resends resends)
      throws Exception {
    String columns = call.matchedOptionValue("--columns", null);
    String format = call.matchedOptionValue("--time-format", null);
    if (columns != null) {
      if (call.hasMatchedOption("--arriving")) {
        throw wrong(
            call, "--arriving is for a capture; flows say by their addresses who sends them");
      }
      return Traffic.of(
          site,
          new LogRecords(
              site,
              name(traffic),
              Traffic.unpacked(stream(call, traffic)),
              Columns.of(columns),
              format),
          follow);
    }
    if (format != null) {
      throw wrong(call, "--time-format is for times in columns that --columns names");
    }
    Traffic opened =
        Traffic.open(
            site,
            name(traffic),
            stream(call, traffic),
            call.matchedOptionValue("--arriving", null),
            resends,
            follow);
    if (opened instanceof CaptureTraffic
        && (call.hasMatchedOption("--retry") || call.hasMatchedOption("--retry-pace"))) {
      opened.close();
      throw wrong(call, "--retry is for a list of flows; a capture has what was sent again");
    }
    return opened;
  }

  /** Other traffic than that which {@code --columns} is about. */
  static Traffic other(ParseResult call, String traffic, Site site) throws Exception {
    return Traffic.open(site, name(traffic), stream(call, traffic), null, Resends.NONE, true);
  }

  /** What a translating device has recorded. */
  static FlowRecords sessions(ParseResult call, Site site, String file, InputStream in)
      throws Exception {
    String columns = call.matchedOptionValue("--columns", null);
    String format = call.matchedOptionValue("--time-format", null);
    if (columns != null) {
      return new LogRecords(site, name(file), in, Columns.of(columns), format);
    }
    if (format != null) {
      throw wrong(call, "--time-format is for times in columns that --columns names");
    }
    Columns named = Columns.ofHeader(in);
    return named == null
        ? new IpfixReader(name(file), in, /* events= */ true)
        : new LogRecords(site, name(file), in, named, null);
  }

  private static String name(String traffic) {
    return traffic.equals("-") ? "standard-input" : String.valueOf(Path.of(traffic).getFileName());
  }

  static InputStream stream(ParseResult call, String traffic)
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

  private static String total(Map<Outcome, Long> outcomes, Duration elapsed, Style style) {
    StringBuilder text = new StringBuilder("after " + Moments.text(elapsed) + ": ");
    long all = outcomes.values().stream().mapToLong(n -> n).sum();
    text.append(all).append(all == 1 ? " flow" : " flows");
    String join = ": ";
    for (Map.Entry<Outcome, Long> entry : outcomes.entrySet()) {
      text.append(join).append(entry.getValue()).append(' ').append(style.outcome(entry.getKey()));
      join = ", ";
    }
    return text.toString();
  }

  /** Room for a time of days, to the millisecond. */
  private static final int TIME_WIDTH = 16;

  /** A line of a replay that is followed. */
  private static String line(Happened what, Style style) {
    String time = pad(Moments.text(what.at()), TIME_WIDTH);
    Trace trace = what.trace();
    int column = time.length() + 12;
    Placed by = trace == null ? null : trace.decidedBy();
    String place = by == null || by.place().line() == 0 ? null : by.place().toString();
    return time
        + (trace == null ? what.word() : style.outcome(trace.outcome()))
        + " ".repeat(12 - what.word().length())
        + style.placed(what.text(), place, column, column)
        + "\n";
  }

  private static String pad(String text, int width) {
    return text.length() >= width ? text + " " : text + " ".repeat(width - text.length());
  }
}
