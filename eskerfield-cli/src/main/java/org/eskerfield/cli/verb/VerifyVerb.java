// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.cli.text.CauseText;
import org.eskerfield.cli.text.ConversationText;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Screen;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.answer.JUnitXml;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.VerifyData;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Expectation;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield verify}. */
public final class VerifyVerb extends Verb {
  public VerifyVerb() {
    super("verify", "Checks every expectation and explains each one that fails.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addPositional(expectationFiles());
    spec.addOption(flag("--all", "Show the expectations that hold, too."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema verify'."));
    spec.addOption(option("--junit", "FILE", "Write the result as JUnit XML as well."));
    spec.usageMessage().footer("", "Example: eskerfield verify demo/marrowby.site.yaml");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    SiteFile file = readWithExpectations(call);
    List<Expectation> expectations = file.expectations();
    if (expectations.isEmpty()) {
      terminal
          .err()
          .println("eskerfield: there is nothing to verify: no 'expect' in the site file");
      terminal.err().println("  write expect: and a list, or name a file of expectations");
      return UNUSABLE;
    }
    List<Verdict> verdicts = new ArrayList<>();
    Verifier verifier = new Verifier(Tracer.of(file.site()));
    try (ProgressLine progress = new ProgressLine(terminal)) {
      for (Expectation each : expectations) {
        progress.begins("verifying", verdicts.size(), expectations.size());
        verdicts.add(verifier.verify(each));
      }
    }
    String junit = call.matchedOptionValue("--junit", null);
    if (junit != null) {
      write(call, "--junit", junit, Screen.text(JUnitXml.of(siteName(call), verdicts)));
    }
    long held = verdicts.stream().filter(Verdict::holds).count();
    terminal
        .out()
        .print(
            call.hasMatchedOption("--json")
                ? Json.of(VerifyData.of(siteName(call), verdicts))
                : text(verdicts, call.hasMatchedOption("--all"), terminal.style()));
    return held == verdicts.size() ? FINE : NO;
  }

  private static String text(List<Verdict> verdicts, boolean all, Style style) {
    StringBuilder out = new StringBuilder();
    for (Verdict verdict : verdicts) {
      Expectation expectation = verdict.expectation();
      if (verdict.holds() && !all) {
        continue;
      }
      String word = verdict.holds() ? "holds" : "fails";
      out.append(verdict.holds() ? style.good(word) : style.bad(word)).append("  ");
      out.append(style.placed(expectation.text(), ConversationText.place(expectation), 7, 7));
      out.append('\n');
      for (Verdict.Result result : verdict.results()) {
        if (!result.holds()) {
          append(out, expectation, result, style);
        }
      }
      if (!verdict.holds()) {
        out.append('\n');
      }
    }
    return out.append(score(verdicts, style)).toString();
  }

  /** How many hold, with a line break. */
  static String score(List<Verdict> verdicts, Style style) {
    long held = verdicts.stream().filter(Verdict::holds).count();
    String score = held + " of " + verdicts.size() + " expectations hold";
    return (held == verdicts.size() ? style.good(score) : style.bad(score)) + "\n";
  }

  private static void append(
      StringBuilder out, Expectation expectation, Verdict.Result result, Style style) {
    Conversation conversation = result.conversation();
    String who =
        expectation.attempts().size() > 1 ? conversation.attempt().sender().name() + ": " : "";
    line(out, who + String.join("; ", result.differences()), null, style);
    String place = ConversationText.place(conversation.decidedBy());
    line(out, conversation.reason(), place, style);
    if (result.diagnosis() != null && !result.diagnosis().obstacles().isEmpty()) {
      out.append(CauseText.of(result.diagnosis(), " ".repeat(7), style));
    }
  }

  private static void line(StringBuilder out, String text, @Nullable String place, Style style) {
    out.append(" ".repeat(7)).append(style.placed(text, place, 7, 7)).append('\n');
  }
}
