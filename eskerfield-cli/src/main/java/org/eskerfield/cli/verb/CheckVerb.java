// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.cli.text.EffectText;
import org.eskerfield.cli.text.FindingText;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.Problem;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.answer.CheckData;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.Sarif;
import org.eskerfield.formats.site.edit.JudgedCure;
import org.eskerfield.formats.site.read.SiteFile;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield check}. */
public final class CheckVerb extends Verb {
  /** Stands for a {@code --cure} that names no finding. */
  private static final String EVERY = "every";

  private static final int MOST_LINES = 12;

  public CheckVerb() {
    super(
        "check",
        "Finds mistakes, risks and leftovers in a site file, and shows how to correct them.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    // Not required by picocli: "--cure SITE" would else leave no SITE, see file().
    spec.addPositional(
        PositionalParamSpec.builder(siteFile()).required(false).arity("0..1").build());
    spec.addOption(
        OptionSpec.builder("--fail-on")
            .paramLabel("SEVERITY")
            .type(Severity.class)
            .defaultValue(Severity.WARNING.toString())
            .description(
                "Exit with status 1 from this severity on: ${COMPLETION-CANDIDATES} (default "
                    + "${DEFAULT-VALUE}). Findings that the file accepts do not count.")
            .build());
    spec.addOption(
        OptionSpec.builder("--cure")
            .paramLabel("CODE@LINE")
            .type(String.class)
            .arity("0..1")
            .fallbackValue(EVERY)
            .description("Show each cure as a patch of the file, or that of one finding only.")
            .build());
    spec.addOption(flag("--write", "With --cure CODE@LINE: apply the cure to the file."));
    spec.addOption(
        flag(
            "--even-so",
            "With --write: apply it even if something that worked stops, or an expectation"
                + " breaks."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema check'."));
    spec.addOption(flag("--sarif", "Answer as SARIF 2.1.0, for code hosts."));
    spec.usageMessage()
        .footer(
            "",
            "Examples: eskerfield check demo/marrowby.site.yaml",
            "          eskerfield check demo/mistakes/order.site.yaml --cure");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    String name = file(call);
    boolean json = call.hasMatchedOption("--json");
    boolean sarif = call.hasMatchedOption("--sarif");
    if (json && sarif) {
      throw wrong(call, "--json and --sarif are two formats: choose one");
    }
    SiteFile file;
    try {
      file = readFile(call, name);
    } catch (UnreadableSiteException e) {
      if (!json && !sarif) {
        throw e;
      }
      List<Problem> problems = e.problems();
      terminal
          .out()
          .print(
              json
                  ? Json.of(CheckData.problems(name, problems))
                  : Sarif.of(name, problems, List.of()));
      return UNUSABLE;
    }
    List<Finding> findings;
    try (ProgressLine progress = new ProgressLine(terminal)) {
      LocalDate today = LocalDate.now(file.site().timeZone());
      findings = Checker.check(file.site(), file.policy(), file.wanted(), today, progress);
    }
    String handle = cure(call);
    if (call.hasMatchedOption("--even-so") && !call.hasMatchedOption("--write")) {
      throw wrong(call, "--even-so: it is for --write");
    }
    if (call.hasMatchedOption("--write")) {
      return write(call, terminal, name, file, handle, findings);
    }
    List<Finding> shown = handle == null ? findings : chosen(call, handle, findings);
    Map<Finding, List<JudgedCure>> cures =
        handle == null ? Map.of() : cures(call, terminal, name, file, shown, findings);
    terminal
        .out()
        .print(
            json
                ? Json.of(CheckData.of(name, shown, cures))
                : sarif
                    ? Sarif.of(name, List.of(), shown)
                    : new FindingText(file.site(), terminal.style())
                        .of(name, shown, handle == null ? null : cures));
    Severity failOn = call.matchedOptionValue("--fail-on", Severity.WARNING);
    boolean fails =
        findings.stream()
            .anyMatch(f -> f.accepted() == null && f.severity().compareTo(failOn) <= 0);
    return fails ? NO : FINE;
  }

  /** The site file; what stands behind {@code --cure} is it where no other argument is. */
  private static String file(ParseResult call) {
    String named = call.matchedPositionalValue(0, null);
    String cure = call.matchedOptionValue("--cure", null);
    if (named != null) {
      return named;
    }
    if (cure != null && !cure.equals(EVERY) && !cure.contains("@")) {
      return cure;
    }
    throw wrong(call, "check needs SITE: the site file");
  }

  /** What to cure: a handle, {@link #EVERY}, or null for nothing. */
  private static @Nullable String cure(ParseResult call) {
    String cure = call.matchedOptionValue("--cure", null);
    if (cure == null || cure.equals(EVERY) || call.matchedPositionalValue(0, null) == null) {
      return cure == null ? null : EVERY;
    }
    if (!cure.contains("@")) {
      throw wrong(
          call, "--cure: '" + cure + "' is not a finding; write CODE@LINE, as 'check' prints it");
    }
    return cure;
  }

  private static List<Finding> chosen(ParseResult call, String handle, List<Finding> findings) {
    if (handle.equals(EVERY)) {
      return findings;
    }
    List<Finding> chosen = new ArrayList<>();
    List<String> handles = new ArrayList<>();
    for (Finding finding : findings) {
      handles.add(finding.handle());
      if (finding.handle().equals(handle)) {
        chosen.add(finding);
      }
    }
    if (chosen.isEmpty()) {
      throw wrong(
          call,
          "--cure: there is no finding "
              + handle
              + (handles.isEmpty()
                  ? "; nothing was found"
                  : "; there are " + String.join(", ", handles)));
    }
    return chosen;
  }

  private static Map<Finding, List<JudgedCure>> cures(
      ParseResult call,
      Terminal terminal,
      String name,
      SiteFile file,
      List<Finding> shown,
      List<Finding> all)
      throws IOException {
    List<Finding> open = shown.stream().filter(each -> each.accepted() == null).toList();
    try (ProgressLine progress = new ProgressLine(terminal)) {
      return JudgedCure.of(pathOf(call, name), name, file, open, all, progress);
    }
  }

  private static Path pathOf(ParseResult call, String name) {
    if (name.equals("-")) {
      throw wrong(call, "--cure: standard input cannot be patched; name a file");
    }
    return path(call, name);
  }

  private static int write(
      ParseResult call,
      Terminal terminal,
      String name,
      SiteFile file,
      @Nullable String handle,
      List<Finding> findings)
      throws IOException {
    if (handle == null || handle.equals(EVERY)) {
      throw wrong(call, "--write: name the one finding to cure, as in --cure CODE@LINE");
    }
    List<Finding> chosen = chosen(call, handle, findings);
    if (chosen.size() > 1) {
      throw wrong(call, "--write: " + handle + " names " + chosen.size() + " findings");
    }
    Path path = pathOf(call, name);
    List<JudgedCure> cures = JudgedCure.of(path, name, file, chosen.get(0), findings);
    if (cures.isEmpty()) {
      throw wrong(
          call,
          "--write: "
              + handle
              + " has no cure that can be applied: "
              + chosen.get(0).cure().summary());
    }
    JudgedCure cured = cures.get(0);
    Style style = terminal.style();
    boolean writes = cured.isClean() || call.hasMatchedOption("--even-so");
    String written = writes ? written(call, cured.cured(), name) : "";
    terminal.out().print(FindingText.patch(cured.cured().patch(), "", style));
    terminal.out().println("packets affected");
    terminal
        .out()
        .print(EffectText.of(cured.effect(), cured.cured().file().site(), 2, MOST_LINES, style));
    terminal
        .out()
        .println(
            writes
                ? style.good(written)
                : style.bad("not clean, so nothing was written") + "; --even-so writes it anyway");
    return writes ? FINE : NO;
  }
}
