package org.eskerfield.cli;

import java.io.PrintWriter;
import java.util.List;
import java.util.concurrent.Callable;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.formats.JsonWriter;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.model.Site;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** {@code eskerfield check}. */
@Command(
    name = "check",
    mixinStandardHelpOptions = true,
    description = "Says what is wrong, risky or useless in a site file.",
    footer = {"", "Example: eskerfield check demo/skerry.site.yaml"})
final class CheckCommand implements Callable<Integer> {
  private final Style style;

  @Mixin private SiteArgument site = new SiteArgument();

  @Option(
      names = "--fail-on",
      paramLabel = "SEVERITY",
      defaultValue = "warning",
      description =
          "Exit with status 1 from this severity on: ${COMPLETION-CANDIDATES} (${DEFAULT-VALUE}).")
  private Severity failOn = Severity.WARNING;

  @Option(names = "--json", description = "Answer as JSON; see 'eskerfield schema check'.")
  private boolean json;

  @CommandLine.Spec private CommandLine.Model.@Nullable CommandSpec spec;

  CheckCommand(Style style) {
    this.style = style;
  }

  @Override
  public Integer call() throws Exception {
    if (spec == null) {
      throw new IllegalStateException("picocli runs commands with their spec");
    }
    PrintWriter out = spec.commandLine().getOut();
    Site read;
    try {
      read = site.read();
    } catch (UnreadableSiteException e) {
      if (!json) {
        throw e;
      }
      out.print(JsonWriter.problems(site.file(), e.problems()));
      return Main.UNUSABLE;
    }
    List<Finding> findings = Checker.check(read);
    out.print(
        json
            ? JsonWriter.check(site.file(), findings)
            : FindingText.of(site.file(), read, findings, style));
    return findings.stream().anyMatch(f -> f.code().severity().compareTo(failOn) <= 0)
        ? Main.NO
        : Main.FINE;
  }
}
