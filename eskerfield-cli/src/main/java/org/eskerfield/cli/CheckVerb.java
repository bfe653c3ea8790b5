package org.eskerfield.cli;

import java.util.List;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.formats.JsonWriter;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.model.Site;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield check}. */
final class CheckVerb extends Verb {
  CheckVerb() {
    super("check", "Says what is wrong, risky or useless in a site file.");
  }

  @Override
  void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addOption(
        OptionSpec.builder("--fail-on")
            .paramLabel("SEVERITY")
            .type(Severity.class)
            .defaultValue(Severity.WARNING.toString())
            .description(
                "Exit with status 1 from this severity on: ${COMPLETION-CANDIDATES}"
                    + " (${DEFAULT-VALUE}).")
            .build());
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema check'."));
    spec.usageMessage().footer("", "Example: eskerfield check demo/skerry.site.yaml");
  }

  @Override
  int run(ParseResult call, Terminal terminal) throws Exception {
    boolean json = call.hasMatchedOption("--json");
    String name = siteName(call);
    Site site;
    try {
      site = readSite(call);
    } catch (UnreadableSiteException e) {
      if (!json) {
        throw e;
      }
      terminal.out().print(JsonWriter.problems(name, e.problems()));
      return UNUSABLE;
    }
    List<Finding> findings = Checker.check(site);
    terminal
        .out()
        .print(
            json
                ? JsonWriter.check(name, findings)
                : FindingText.of(name, site, findings, terminal.style()));
    Severity failOn = call.matchedOptionValue("--fail-on", Severity.WARNING);
    return findings.stream().anyMatch(f -> f.code().severity().compareTo(failOn) <= 0) ? NO : FINE;
  }
}
