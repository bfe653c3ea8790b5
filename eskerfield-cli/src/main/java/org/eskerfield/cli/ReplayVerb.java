// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.PrintWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.EnumMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.zip.GZIPInputStream;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.ReplayData;
import org.eskerfield.formats.capture.CaptureReader;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.formats.traffic.TrafficReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.eskerfield.walk.Outcome;
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
                    + " a capture, .pcap or .pcapng; - for standard input.")
            .build());
    spec.addOption(
        option(
            "--arriving",
            "WHERE",
            "Of a capture, where it was taken: an interface such as 'edge uplink', whose arriving"
                + " packets are sent, or a host, whose own packets are."));
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
        several(
            "--forget",
            "TIME[=WHO]",
            "At this time every device, or one, forgets its sessions and temporary bindings; or all"
                + " forget those of a host."));
    spec.addOption(several("--restart", "TIME=DEVICE", "At this time a device is restarted."));
    CaptureFile.describe(spec, "everywhere");
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
    boolean json = call.hasMatchedOption("--json");
    boolean follow = call.hasMatchedOption("--follow") && !json;
    Map<Outcome, Long> outcomes = new EnumMap<>(Outcome.class);
    CaptureFile capture = CaptureFile.of(call, site, List.of());
    Duration elapsed;
    Run run;
    ZonedDateTime start;
    String afterwards;
    try (Traffic traffic =
        traffic(
            call,
            call.matchedPositionalValue(1, ""),
            site,
            follow,
            resends(call, capture != null),
            terminal.style())) {
      start = traffic.start();
      run = Tracer.of(site).run(start);
      if (capture != null) {
        run.watch(capture.capture());
      }
      List<Traffic.Event> incidents = incidents(call, site, traffic, follow, terminal.style());
      // Where lines come out as they happen, they show the progress.
      try (LogPrinter log = LogPrinter.of(call, site, start, terminal);
          ProgressLine progress = new ProgressLine(terminal, !follow)) {
        run.logTo(log);
        elapsed = replay(run, traffic, until, incidents, outcomes, progress, terminal);
        log.complete();
      }
      afterwards = traffic.afterwards();
    }
    if (capture != null) {
      capture.write(terminal);
    }
    if (json) {
      terminal.out().print(Json.of(ReplayData.of(elapsed, outcomes, run, site.devices().keySet())));
      return FINE;
    }
    terminal.out().print(follow ? "\n" : "");
    terminal.out().println(total(outcomes, elapsed, terminal.style()));
    if (!afterwards.isEmpty()) {
      terminal.out().println(afterwards);
    }
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
      ParseResult call, Duration at, Site site, Traffic traffic, String file, @Nullable Style told)
      implements Traffic.Event {
    @Override
    public @Nullable String happen(Run run, Map<Outcome, Long> outcomes) {
      try {
        run.goOnWith(site);
      } catch (IllegalArgumentException e) {
        throw wrong(call, "--change: " + e.getMessage());
      }
      traffic.goOnWith(site);
      return told == null ? null : FlowTraffic.line(at, null, "changed", "to " + file, told);
    }
  }

  /** What a call lets happen at a time, in this order. */
  private List<Traffic.Event> incidents(
      ParseResult call, Site site, Traffic traffic, boolean follow, Style style) throws Exception {
    List<Traffic.Event> incidents = new ArrayList<>();
    String change = call.matchedOptionValue("--change", null);
    if (change != null) {
      int equals = change.indexOf('=');
      if (equals < 0) {
        throw wrong(
            call, "--change: '" + change + "' names no file; write --change 5m=changed.site.yaml");
      }
      Duration at = time(call, "--change", change.substring(0, equals));
      if (at != null) {
        String file = change.substring(equals + 1);
        Site changed = readSite(call, file);
        incidents.add(new Change(call, at, changed, traffic, file, follow ? style : null));
      }
    }
    for (String option : List.of("--forget", "--restart")) {
      for (String text : call.matchedOptionValue(option, new String[0])) {
        TrafficReader.Incident incident = forgets(call, site, option, text);
        incidents.add(new FlowTraffic.Forgotten(incident, follow ? style : null));
      }
    }
    incidents.sort(Comparator.comparing(Traffic.Event::at));
    return incidents;
  }

  private static TrafficReader.Incident forgets(
      ParseResult call, Site site, String option, String text) {
    boolean restarts = option.equals("--restart");
    int equals = text.indexOf('=');
    String name = equals < 0 ? "" : text.substring(equals + 1);
    Duration at = time(call, option, equals < 0 ? text : text.substring(0, equals));
    if (at == null || (restarts && name.isEmpty())) {
      throw wrong(call, option + ": '" + text + "' names no device; write --restart 5m=skerry");
    }
    try {
      return new TrafficReader.Incident(at, restarts, TrafficReader.incident(site, restarts, name));
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

  /**
   * What is to be sent: a capture where the first bytes say so, else a list of flows; either may be
   * packed (gzip, RFC 1952).
   */
  static Traffic traffic(
      ParseResult call, String traffic, Site site, boolean follow, Resends resends, Style style)
      throws Exception {
    InputStream in = new BufferedInputStream(stream(call, traffic));
    try {
      byte[] first = first(in);
      if (first.length > 1 && first[0] == 0x1f && first[1] == (byte) 0x8b) {
        in = new BufferedInputStream(new GZIPInputStream(in));
        traffic = traffic.replaceFirst("(?i)[.]gz$", "");
        first = first(in);
      }
      if (CaptureReader.begins(first) || isCaptureName(traffic)) {
        if (call.hasMatchedOption("--retry") || call.hasMatchedOption("--retry-pace")) {
          throw wrong(call, "--retry is for a list of flows; a capture has what was sent again");
        }
        return new CaptureTraffic(call, site, name(traffic), in, follow, style);
      }
      if (call.hasMatchedOption("--arriving")) {
        throw wrong(
            call,
            "--arriving is for a capture, and "
                + traffic
                + " is neither pcap nor pcapng; a list of flows says who sends each");
      }
      return new FlowTraffic(site, name(traffic), in, follow, resends, style);
    } catch (Exception e) {
      in.close();
      throw e;
    }
  }

  private static byte[] first(InputStream in) throws IOException {
    in.mark(4);
    byte[] first = in.readNBytes(4);
    in.reset();
    return first;
  }

  private static boolean isCaptureName(String name) {
    String end = name.toLowerCase(Locale.ROOT);
    return end.endsWith(".pcap") || end.endsWith(".pcapng");
  }

  /** Sends everything, and returns the time that has passed. */
  private static Duration replay(
      Run run,
      Traffic traffic,
      @Nullable Duration until,
      List<Traffic.Event> incidents,
      Map<Outcome, Long> outcomes,
      ProgressLine progress,
      Terminal terminal)
      throws Exception {
    Duration elapsed = Duration.ZERO;
    int next = 0;
    for (int done = 0; ; done++) {
      Duration sent = traffic.ahead();
      Duration befalls = next < incidents.size() ? incidents.get(next).at() : null;
      // Of what happens at one time, the call's own goes first.
      boolean own = befalls != null && (sent == null || befalls.compareTo(sent) <= 0);
      Duration at = own ? befalls : sent;
      if (at == null || (until != null && at.compareTo(until) > 0)) {
        break;
      }
      progress.begins("replaying", done, 0);
      Traffic.Event event = own ? incidents.get(next++) : Objects.requireNonNull(traffic.next());
      run.advance(event.at().minus(elapsed));
      elapsed = event.at();
      String told = event.happen(run, outcomes);
      if (told != null) {
        terminal.out().print(told);
      }
    }
    if (until != null && until.compareTo(elapsed) > 0) {
      run.advance(until.minus(elapsed));
      elapsed = until;
    }
    return elapsed;
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
