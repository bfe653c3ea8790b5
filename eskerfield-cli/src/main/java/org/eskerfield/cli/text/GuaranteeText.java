// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.compare.ExplainedProof;
import org.eskerfield.compare.GuaranteeCure;
import org.eskerfield.formats.answer.VerifyData;
import org.eskerfield.guarantee.Evidence;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.model.Guarantee;

/** Whether guarantees hold, as text for a terminal. */
public final class GuaranteeText {
  private static final int MOST_LINES = 8;
  private static final int DIGITS = 12;
  private static final String INDENT = " ".repeat(7);

  private GuaranteeText() {}

  /**
   * Proofs, and what they take for granted.
   *
   * @param site the name of the site file
   * @param revision its text
   * @param all whether those that hold are shown, too, with what they rest on
   */
  public static String all(
      List<ExplainedProof> proofs,
      String site,
      VerifyData.Revision revision,
      boolean all,
      Style style) {
    StringBuilder out = new StringBuilder();
    for (ExplainedProof each : proofs) {
      if (!each.proof().holds() || all) {
        out.append(of(each, all, style)).append(all ? "" : "\n");
      }
    }
    Set<String> assumed = new LinkedHashSet<>();
    proofs.forEach(each -> assumed.addAll(each.proof().assumptions()));
    if (!assumed.isEmpty()) {
      String digest = revision.digest();
      String text =
          "Proved of "
              + site
              + (revision.commit() == null ? "" : ", " + revision.commit())
              + (digest == null ? "" : ", SHA-256 " + digest.substring(0, DIGITS))
              + ". Assumed:";
      out.append(style.faint(Style.wrapped(text, 2, 0))).append('\n');
      for (String each : assumed) {
        out.append(style.faint("  " + Style.wrapped(each, 4, 2))).append('\n');
      }
    }
    return out.toString();
  }

  private static String of(ExplainedProof explained, boolean all, Style style) {
    Proof proof = explained.proof();
    Guarantee guarantee = proof.guarantee();
    String word = proof.status().toString();
    String gap = " ".repeat(Math.max(2, 7 - word.length()));
    StringBuilder out = new StringBuilder();
    out.append(proof.holds() ? style.good(word) : style.bad(word)).append(gap);
    String place = guarantee.place().toString();
    out.append(style.placed(title(guarantee), place, word.length() + gap.length(), 7));
    out.append('\n');
    if (!proof.holds() || all) {
      line(out, proof.reason(), style);
    }
    Proof.Example example = proof.example();
    if (example != null && example.senders() > 1) {
      boolean never = guarantee.kind() != Guarantee.Kind.ALWAYS;
      String can = never ? "%,d senders can do so" : "%,d senders have no answer";
      line(out, String.format(can, example.senders()), style);
    }
    if (all && example != null) {
      line(out, "its way:", style);
      String way = new TraceText(example.trace(), style).legs();
      way.lines().forEach(each -> out.append(each.isBlank() ? "" : INDENT + each).append('\n'));
    }
    if (!proof.packets().isEmpty()) {
      line(out, "all such packets:", style);
      for (String each : proof.packets()) {
        line(out, "  " + each, style);
      }
    }
    evidence(out, explained, style);
    cures(out, explained, style);
    return out.toString();
  }

  /** The lines on which a proof rests; of one that breaks, they are told already. */
  private static void evidence(StringBuilder out, ExplainedProof explained, Style style) {
    Evidence evidence = explained.evidence();
    if (evidence == null || !explained.proof().holds()) {
      return;
    }
    List<String> lines = evidence.lines().stream().map(Evidence.Line::text).toList();
    int more = lines.size() - MOST_LINES;
    String rests =
        lines.isEmpty()
            ? "rests on no rule: "
                + (explained.proof().guarantee().kind() == Guarantee.Kind.PASSES
                    ? "no other way leads there"
                    : "nothing would arrive if every device accepted everything")
            : "rests on "
                + String.join("; ", lines.subList(0, Math.min(MOST_LINES, lines.size())))
                + (more > 0
                    ? " and " + more + " more"
                    : evidence.complete() ? "" : " and more, not told apart");
    line(out, rests, style);
  }

  private static void cures(StringBuilder out, ExplainedProof explained, Style style) {
    List<GuaranteeCure> cures = explained.cures();
    if (cures == null && explained.proof().example() != null) {
      line(out, "cure: not all changes were tried; verify this guarantee alone", style);
    }
    if (cures == null) {
      return;
    }
    for (GuaranteeCure each : cures) {
      line(out, (each.isClean() ? "cure: " : "possible cure: ") + each.cure().summary(), style);
      int more = each.objections().size() - 1;
      String then =
          each.isClean()
              ? each.takes() == 0
                  ? ", and everything that was answered still is"
                  : "; only traffic that it forbids is no longer answered"
              : ", but " + each.objections().get(0) + (more > 0 ? "; and " + more + " more" : "");
      line(out, "  tried: the guarantee holds then" + then, style);
    }
    if (cures.isEmpty()) {
      line(out, "cure: none is known", style);
    }
  }

  /** The guarantee with the word that says what must hold. */
  public static String title(Guarantee guarantee) {
    return guarantee.kind() + ": " + guarantee.name();
  }

  private static void line(StringBuilder out, String text, Style style) {
    out.append(INDENT).append(style.placed(text, null, 7, 7)).append('\n');
  }
}
