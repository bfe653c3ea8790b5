// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.check.Finding;
import org.eskerfield.compare.GuaranteeChange;
import org.eskerfield.explain.Sentences;
import org.eskerfield.formats.site.edit.PlannedChange;
import org.eskerfield.formats.site.edit.PlannedChange.Proved;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.offer.Plan;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Moments;
import org.eskerfield.verify.Verdict;

/** A planned change in words. */
public final class ChangeText {
  private static final int MOST_LINES = 12;

  private final Style style;

  public ChangeText(Style style) {
    this.style = style;
  }

  public String of(Plan plan, PlannedChange change) {
    StringBuilder out = new StringBuilder();
    String device = "";
    for (Plan.Step step : plan.steps()) {
      if (!step.device().equals(device)) {
        device = step.device();
        out.append(style.strong(device)).append('\n');
      }
      out.append("  ").append(Style.wrapped(step.what(), 4, 2)).append('\n');
      if (!step.where().isEmpty()) {
        out.append("    ").append(style.faint(Style.wrapped(step.where(), 4, 4))).append('\n');
      }
    }
    for (String text : change.tidied()) {
      out.append("  ").append(Style.wrapped("also removed: " + text, 4, 2)).append('\n');
    }
    out.append(inPlainLanguage(change));
    out.append('\n').append(style.strong("Patch")).append('\n');
    String patch = change.changed().patch();
    out.append(patch.isEmpty() ? "  none\n" : FindingText.patch(patch, "  ", style));
    out.append('\n').append(style.strong("Findings")).append('\n');
    findings(out, "new", change.effect().appeared());
    findings(out, "gone", change.effect().resolved());
    if (change.effect().appeared().isEmpty()) {
      out.append("  ").append(style.good("no new findings")).append('\n');
    }
    Site site = change.changed().file().site();
    out.append('\n').append(style.strong("Packets affected")).append('\n');
    String effects = EffectText.of(change.effect().noticed(), site, 2, MOST_LINES, style);
    out.append(effects.isEmpty() ? "  none\n" : effects);
    if (!change.besides().isEmpty()) {
      out.append('\n').append(style.bad("Affected, but not asked for")).append('\n');
      out.append(EffectText.of(change.besides(), site, 2, MOST_LINES, style));
    }
    out.append('\n').append(style.strong("Proofs")).append('\n');
    change.proofs().forEach(each -> proof(out, each));
    change.management().forEach(each -> proof(out, each));
    for (Verdict verdict : change.broken()) {
      out.append("  ").append(style.bad("✗ ")).append("an expectation no longer holds: ");
      out.append(Style.wrapped(verdict.expectation().text(), 6, 45)).append('\n');
    }
    for (GuaranteeChange each : change.effect().guarantees()) {
      if (each.held() && !each.holds()) {
        out.append("  ").append(style.bad("✗ ")).append("a guarantee no longer holds: ");
        out.append(Style.wrapped(each.text(), 6, 45)).append('\n');
      }
    }
    int held = change.changed().file().expectations().size() - change.broken().size();
    if (held > 0 && change.broken().isEmpty()) {
      out.append("  ").append(style.good("✓ "));
      boolean some = change.tidied().stream().anyMatch(text -> text.startsWith("expectation: "));
      out.append("every ").append(some ? "other " : "");
      out.append("expectation that held before still holds\n");
    }
    return out.toString();
  }

  private static void findings(StringBuilder out, String word, List<Finding> findings) {
    for (Finding finding : findings) {
      String start = word + " " + finding.severity() + ": ";
      out.append("  ").append(start);
      out.append(
          Style.wrapped(
              finding.message()
                  + " ("
                  + finding.code()
                  + ")"
                  + (word.equals("new") ? "; " + finding.cure().summary() : ""),
              4,
              2 + start.length()));
      out.append('\n');
    }
  }

  private void proof(StringBuilder out, Proved proved) {
    var conversation = proved.conversation();
    var attempt = conversation.attempt();
    boolean usual = VirtualClock.isStart(attempt.at());
    String what =
        proved.what()
            + ": "
            + attempt.sender().name()
            + " to "
            + attempt.to()
            + " "
            + attempt.probe()
            + (usual ? " is " : ", " + Moments.text(attempt.at()) + ", is ");
    out.append("  ").append(proved.holds() ? style.good("✓ ") : style.bad("✗ "));
    out.append(Style.wrapped(what + conversation.outcome(), 4, 4)).append('\n');
    if (!proved.holds()) {
      out.append("    ").append(Style.wrapped(conversation.reason(), 4, 4)).append('\n');
    }
  }

  /** The rules that the change brings, in sentences. */
  private String inPlainLanguage(PlannedChange change) {
    StringBuilder out = new StringBuilder();
    Site before = change.before().site();
    Site after = change.changed().file().site();
    for (Device device : after.devices().values()) {
      Sentences sentences = new Sentences(after, device);
      Device was = before.devices().get(device.name());
      List<String> known = was == null ? List.of() : names(was);
      for (TranslationRule rule : device.translation()) {
        add(out, device, known, rule.name(), sentences.of(rule));
      }
      for (AccessList list : device.access()) {
        for (AccessRule rule : list.rules()) {
          add(out, device, known, list.name() + "/" + rule.name(), sentences.of(rule));
        }
      }
    }
    return out.length() == 0 ? "" : "\n" + style.strong("New rules in words") + "\n" + out;
  }

  private static void add(
      StringBuilder out, Device device, List<String> known, String name, String sentence) {
    if (!known.contains(name)) {
      out.append("  ").append(Style.wrapped(device.name() + ": " + sentence, 4, 2)).append('\n');
    }
  }

  private static List<String> names(Device device) {
    List<String> names = new ArrayList<>();
    device.translation().forEach(rule -> names.add(rule.name()));
    for (AccessList list : device.access()) {
      list.rules().forEach(rule -> names.add(list.name() + "/" + rule.name()));
    }
    return names;
  }
}
