package org.eskerfield.cli;

import org.eskerfield.formats.JsonWriter;
import org.eskerfield.formats.QuestionReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield trace}. */
final class TraceVerb extends Verb {
  TraceVerb() {
    super("trace", "Follows a packet through the site and its reply back, and says why.");
  }

  @Override
  void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addOption(required("--from", "WHO", "Who sends: a host, a device, or an address."));
    spec.addOption(
        required("--to", "WHERE", "Where to: a host, a device or an address; :PORT may follow."));
    spec.addOption(
        required("--service", "WHAT", "What it tries: 443/tcp, the name of a service, or ping."));
    spec.addOption(
        option(
            "--at",
            "TIME",
            "When, by the clock of the site: 2026-11-23T10:00, 'sunday 10:00', 10:00."
                + " Without it: a Monday at 09:00."));
    spec.addOption(
        OptionSpec.builder("--source-port")
            .paramLabel("PORT")
            .type(int.class)
            .defaultValue(Integer.toString(Question.DEFAULT_SOURCE_PORT))
            .description(
                "The port of the sender, or the identifier of its ping (${DEFAULT-VALUE}).")
            .build());
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema trace'."));
    spec.usageMessage()
        .footer(
            "",
            "Example: eskerfield trace demo/skerry.site.yaml --from contractor \\",
            "           --to 198.51.100.140:1502 --service tcp --at 'sunday 10:00'");
  }

  @Override
  int run(ParseResult call, Terminal terminal) throws Exception {
    Site site = readSite(call);
    Question question =
        QuestionReader.on(site)
            .from(call.matchedOptionValue("--from", ""))
            .to(call.matchedOptionValue("--to", ""))
            .service(call.matchedOptionValue("--service", ""))
            .at(call.matchedOptionValue("--at", null))
            .sourcePort(call.matchedOptionValue("--source-port", Question.DEFAULT_SOURCE_PORT))
            .read();
    Trace trace = Tracer.of(site).trace(question);
    terminal
        .out()
        .print(
            call.hasMatchedOption("--json")
                ? JsonWriter.trace(trace)
                : new TraceText(trace, terminal.style()).whole());
    return FINE;
  }
}
