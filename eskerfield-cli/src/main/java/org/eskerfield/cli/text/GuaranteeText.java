// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.model.Guarantee;

/** Whether guarantees hold, as text for a terminal. */
public final class GuaranteeText {
  private static final String INDENT = " ".repeat(7);

  private GuaranteeText() {}

  /**
   * A proof: the guarantee, and why it does not hold.
   *
   * @param all whether it is told, too, what was looked at for one that holds
   */
  public static String of(Proof proof, boolean all, Style style) {
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
      line(out, String.format("%,d senders can do so", example.senders()), style);
    }
    if (!proof.packets().isEmpty()) {
      line(out, "all such packets:", style);
      for (String each : proof.packets()) {
        line(out, "  " + each, style);
      }
    }
    return out.toString();
  }

  /** What proofs take for granted, each once. */
  public static String assumptions(List<Proof> proofs, Style style) {
    Set<String> all = new LinkedHashSet<>();
    proofs.forEach(proof -> all.addAll(proof.assumptions()));
    String text = "Assumed by the proofs: " + String.join("; ", all) + ".";
    return all.isEmpty() ? "" : style.faint(Style.wrapped(text, 2, 0)) + "\n";
  }

  /** The guarantee with the word that says what must hold. */
  public static String title(Guarantee guarantee) {
    return guarantee.kind() + ": " + guarantee.name();
  }

  private static void line(StringBuilder out, String text, Style style) {
    out.append(INDENT).append(style.placed(text, null, 7, 7)).append('\n');
  }
}
