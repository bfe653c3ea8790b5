// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.BufferedInputStream;
import java.io.InputStream;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.eskerfield.cli.text.ConfirmText;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.compare.DeviceComparison;
import org.eskerfield.formats.answer.ConfirmData;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.formats.replay.DeviceReplay;
import org.eskerfield.formats.replay.Traffic;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield confirm}. */
public final class ConfirmVerb extends Verb {
  private static final Duration WITHIN = Duration.ofSeconds(5);

  public ConfirmVerb() {
    super(
        "confirm",
        "Compares what a real device translated with what it would do by the site file.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addPositional(
        PositionalParamSpec.builder()
            .paramLabel("SESSIONS")
            .type(String.class)
            .arity("1")
            .index("1")
            .required(true)
            .description(
                "What the device recorded: translation events (IPFIX, RFC 8158), flow records with"
                    + " addresses after translation, or a log, see --columns; - for standard input.")
            .build());
    spec.addOption(
        option(
            "--traffic",
            "FILE",
            "Send this traffic, as for 'eskerfield replay'; without it the flows of the sessions are"
                + " sent, and what the device did not translate is not seen."));
    spec.addOption(
        option("--device", "NAME", "The device that recorded them, if they do not say so."));
    spec.addOption(option("--within", "TIME", "How far times may differ; 5s if left out."));
    spec.addOption(
        option(
            "--columns",
            "FIELD=COLUMN,...",
            "For a log: which column has start, end, from, from-port, to, to-port, protocol, the same"
                + " after translation (from-after, from-port-after, to-after, to-port-after), device."));
    spec.addOption(
        option(
            "--time-format", "PATTERN", "How to read its times, such as 'dd/MM/yyyy HH:mm:ss'."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema confirm'."));
    spec.usageMessage()
        .footer(
            "",
            "Exit status 1 if the device decided otherwise.",
            "Example: eskerfield confirm demo/marrowby.site.yaml nat-events.ipfix");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    Site site = readSite(call);
    String name = call.matchedPositionalValue(1, "");
    InputStream in = Traffic.unpacked(new BufferedInputStream(ReplayVerb.stream(call, name)));
    DeviceReplay replay =
        new DeviceReplay(
            site, ReplayVerb.sessions(call, site, name, in), device(call, site), within(call));
    List<String> remarks = new ArrayList<>(replay.remarks());
    String other = call.matchedOptionValue("--traffic", null);
    Map<String, DeviceComparison> found;
    try (Traffic traffic = other == null ? replay.traffic() : ReplayVerb.other(call, other, site);
        ProgressLine progress = new ProgressLine(terminal)) {
      found =
          replay.compare(
              traffic,
              other != null,
              (number, what) -> progress.begins("comparing sessions", number, 0));
      remarks.addAll(traffic.afterwards().lines().toList());
    }
    terminal
        .out()
        .print(
            call.hasMatchedOption("--json")
                ? Json.of(ConfirmData.of(siteName(call), found, remarks))
                : new ConfirmText(site, terminal.style()).of(found, remarks, other != null));
    return found.values().stream().allMatch(each -> each.differences().isEmpty()) ? FINE : NO;
  }

  private static @Nullable Device device(ParseResult call, Site site) {
    String name = call.matchedOptionValue("--device", null);
    Device device = name == null ? null : site.devices().get(name);
    if (name != null && device == null) {
      throw wrong(
          call,
          "--device: no device is called '"
              + name
              + "'; "
              + Similar.didYouMean(
                  name,
                  List.copyOf(site.devices().keySet()),
                  "name one of " + String.join(", ", site.devices().keySet())));
    }
    return device;
  }

  private static Duration within(ParseResult call) {
    String text = call.matchedOptionValue("--within", null);
    Duration within = text == null ? WITHIN : Times.duration(text);
    if (within == null) {
      throw wrong(call, "--within: '" + text + "' is no time; write 5s or 1m");
    }
    return within;
  }
}
