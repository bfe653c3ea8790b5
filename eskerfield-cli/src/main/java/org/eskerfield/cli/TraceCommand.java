package org.eskerfield.cli;

import java.io.PrintWriter;
import java.util.concurrent.Callable;
import org.eskerfield.formats.JsonWriter;
import org.eskerfield.formats.QuestionReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** {@code eskerfield trace}. */
@Command(
    name = "trace",
    mixinStandardHelpOptions = true,
    description = "Follows a packet through the site and its reply back, and says why.",
    footer = {
      "",
      "Example: eskerfield trace demo/skerry.site.yaml --from contractor \\",
      "           --to 198.51.100.140:1502 --service tcp --at 'sunday 10:00'"
    })
final class TraceCommand implements Callable<Integer> {
  private final Style style;

  @Mixin private SiteArgument site = new SiteArgument();

  @Option(
      names = "--from",
      paramLabel = "WHO",
      required = true,
      description = "Who sends: a host, a device, or an address.")
  private String from = "";

  @Option(
      names = "--to",
      paramLabel = "WHERE",
      required = true,
      description = "Where to: a host, a device or an address; :PORT may follow.")
  private String to = "";

  @Option(
      names = "--service",
      paramLabel = "WHAT",
      required = true,
      description = "What it tries: 443/tcp, the name of a service, or ping.")
  private String service = "";

  @Option(
      names = "--at",
      paramLabel = "TIME",
      description =
          "When, by the clock of the site: 2026-11-23T10:00, 'sunday 10:00', 10:00."
              + " Without it: a Monday at 09:00.")
  private @Nullable String at;

  @Option(
      names = "--source-port",
      paramLabel = "PORT",
      defaultValue = "" + Question.DEFAULT_SOURCE_PORT,
      description = "The port of the sender, or the identifier of its ping (${DEFAULT-VALUE}).")
  private int sourcePort;

  @Option(names = "--json", description = "Answer as JSON; see 'eskerfield schema trace'.")
  private boolean json;

  @CommandLine.Spec private CommandLine.Model.@Nullable CommandSpec spec;

  TraceCommand(Style style) {
    this.style = style;
  }

  @Override
  public Integer call() throws Exception {
    Site read = site.read();
    Question question =
        QuestionReader.on(read)
            .from(from)
            .to(to)
            .service(service)
            .at(at)
            .sourcePort(sourcePort)
            .read();
    Trace trace = Tracer.of(read).trace(question);
    if (spec != null) {
      PrintWriter out = spec.commandLine().getOut();
      out.print(json ? JsonWriter.trace(trace) : new TraceText(trace, style).whole());
    }
    return Main.FINE;
  }
}
