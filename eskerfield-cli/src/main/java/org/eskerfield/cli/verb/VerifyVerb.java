// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import org.eskerfield.cli.text.CauseText;
import org.eskerfield.cli.text.ConversationText;
import org.eskerfield.cli.text.GuaranteeText;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Screen;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.compare.Comparison;
import org.eskerfield.compare.ExplainedProof;
import org.eskerfield.formats.answer.JUnitXml;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.VerifyData;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.git.RevisionReader;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.model.Guarantee;
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
    super("verify", "Checks every expectation and guarantee, and explains each one that fails.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addPositional(expectationFiles());
    spec.addOption(flag("--all", "Show what holds, too, and what proofs take for granted."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema verify'."));
    spec.addOption(option("--junit", "FILE", "Write the result as JUnit XML as well."));
    spec.usageMessage().footer("", "Example: eskerfield verify demo/marrowby.site.yaml");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    SiteFile file = readWithExpectations(call);
    List<Expectation> expectations = file.expectations();
    if (expectations.isEmpty() && file.guarantees().isEmpty()) {
      terminal
          .err()
          .println(
              "eskerfield: there is nothing to verify: no 'expect' and no 'guarantees' in the site"
                  + " file");
      terminal
          .err()
          .println("  write expect: or guarantees:, and a list, or name a file of expectations");
      return UNUSABLE;
    }
    List<Verdict> verdicts = new ArrayList<>();
    List<Proof> proofs = new ArrayList<>();
    Tracer tracer = Tracer.of(file.site());
    Verifier verifier = new Verifier(tracer);
    Prover prover = new Prover(tracer);
    try (ProgressLine progress = new ProgressLine(terminal)) {
      for (Expectation each : expectations) {
        progress.begins("verifying", verdicts.size(), expectations.size());
        verdicts.add(verifier.verify(each));
      }
      for (Guarantee each : file.guarantees()) {
        progress.begins("proving", proofs.size(), file.guarantees().size());
        proofs.add(prover.prove(each));
      }
    }
    boolean all = call.hasMatchedOption("--all");
    boolean json = call.hasMatchedOption("--json");
    Comparison.Side side = new Comparison.Side(file.site(), file.wanted(), file.policy());
    List<ExplainedProof> explained;
    try (ProgressLine progress = new ProgressLine(terminal)) {
      explained = ExplainedProof.of(side, prover, proofs, all || json, progress::begins);
    }
    VerifyData.Revision revision = revision(call, all || json);
    String junit = call.matchedOptionValue("--junit", null);
    if (junit != null) {
      write(call, "--junit", junit, Screen.text(JUnitXml.of(siteName(call), verdicts, proofs)));
    }
    long held = verdicts.stream().filter(Verdict::holds).count();
    terminal
        .out()
        .print(
            json
                ? Json.of(VerifyData.of(siteName(call), revision, verdicts, explained))
                : text(verdicts, all, terminal.style())
                    + GuaranteeText.all(explained, siteName(call), revision, all, terminal.style())
                    + scores(verdicts, proofs, terminal.style()));
    boolean fine = held == verdicts.size() && proofs.stream().allMatch(Proof::holds);
    return fine ? FINE : NO;
  }

  /**
   * The text that was read: its digest, and the commit that has it.
   *
   * @param whole whether the commit is asked for, for which the repository has to be read
   */
  private static VerifyData.Revision revision(ParseResult call, boolean whole) throws IOException {
    if (siteName(call).equals("-")) {
      return new VerifyData.Revision(null, null);
    }
    Path path = path(call, siteName(call));
    try {
      byte[] digest = MessageDigest.getInstance("SHA-256").digest(Files.readAllBytes(path));
      return new VerifyData.Revision(
          whole ? RevisionReader.of(path) : null, HexFormat.of().formatHex(digest));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java platform has SHA-256", e);
    }
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
    return out.toString();
  }

  private static String scores(List<Verdict> verdicts, List<Proof> proofs, Style style) {
    return (verdicts.isEmpty() ? "" : score(verdicts, style))
        + (proofs.isEmpty() ? "" : scoreOf(proofs, style));
  }

  /** How many guarantees hold, with a line break. */
  static String scoreOf(List<Proof> proofs, Style style) {
    long held = proofs.stream().filter(Proof::holds).count();
    String score = held + " of " + proofs.size() + " guarantees hold";
    return (held == proofs.size() ? style.good(score) : style.bad(score)) + "\n";
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
