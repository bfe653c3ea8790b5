// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.formats.site.edit.JudgedCure;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.jspecify.annotations.Nullable;

/** Lays out the findings of a check, grouped by what to do first. */
public final class FindingText {
  private static final int INDENT = 4;
  private static final int MOST_LINES = 4;

  private final Site site;
  private final Style style;

  public FindingText(Site site, Style style) {
    this.site = site;
    this.style = style;
  }

  /**
   * The whole answer.
   *
   * @param cures the cures that can be carried out; null if they were not asked for
   */
  public String of(
      String file, List<Finding> findings, @Nullable Map<Finding, List<JudgedCure>> cures) {
    StringBuilder out = new StringBuilder();
    for (Severity severity : Severity.values()) {
      List<Finding> group =
          findings.stream().filter(f -> f.accepted() == null && f.severity() == severity).toList();
      if (!group.isEmpty()) {
        out.append(heading(severity, group.size())).append("\n\n");
        Map<String, List<Finding>> alike = new HashMap<>();
        for (Finding finding : group) {
          List<Finding> before =
              alike.computeIfAbsent(finding.cure().outline(), key -> new ArrayList<>(1));
          append(out, file, finding, mendedWith(finding, before), cures);
          before.add(finding);
        }
      }
    }
    List<Finding> accepted = findings.stream().filter(f -> f.accepted() != null).toList();
    if (!accepted.isEmpty()) {
      out.append(style.strong("Accepted in the file")).append("\n\n");
      for (Finding finding : accepted) {
        out.append("  ").append(style.place(finding.place().toString())).append("  ");
        out.append(style.faint(finding.code().toString())).append('\n');
        line(out, finding.message());
        line(out, "because: " + finding.accepted());
        out.append('\n');
      }
    }
    return out.append(total(file, findings)).toString();
  }

  private String heading(Severity severity, int number) {
    String text =
        switch (severity) {
          case ERROR -> "Errors (" + number + "): this does not work";
          case WARNING -> "Warnings (" + number + "): this is risky, or probably not meant";
          case ADVICE -> "Advice (" + number + "): this could be tidier";
        };
    return severity == Severity.ADVICE ? style.strong(text) : style.bad(text);
  }

  /** The first of the findings before one that the very same change mends; null if none is. */
  private static @Nullable Finding mendedWith(Finding finding, List<Finding> before) {
    for (Finding each : before) {
      boolean same =
          each.code() == finding.code()
              && !each.cure().changes().isEmpty()
              && each.cure().changes().equals(finding.cure().changes());
      if (same) {
        return each;
      }
    }
    return null;
  }

  private void append(
      StringBuilder out,
      String file,
      Finding finding,
      @Nullable Finding with,
      @Nullable Map<Finding, List<JudgedCure>> cures) {
    out.append("  ").append(style.place(finding.place().toString())).append("  ");
    out.append(style.strong(finding.code().toString())).append('\n');
    line(out, finding.message());
    if (with != null) {
      labelled(out, "cure", "the same change as for " + with.place());
      out.append('\n');
      return;
    }
    line(out, finding.code().why());
    if (finding.sample() != null) {
      labelled(out, "sample", sample(finding.sample()));
      out.append(" ".repeat(INDENT)).append(style.faint("trace: "));
      out.append(call(file, finding.sample().attempt())).append('\n');
    }
    List<JudgedCure> tried = cures == null ? null : cures.getOrDefault(finding, List.of());
    if (tried == null || tried.isEmpty()) {
      labelled(out, "cure", finding.cure().summary());
      if (tried != null && !finding.cure().changes().isEmpty()) {
        line(out, style.faint("no patch: carried out alone, the edit would not mend it here"));
      }
    } else {
      for (JudgedCure each : tried) {
        append(out, each, each.equals(tried.get(0)) ? "cure" : "or");
      }
    }
    out.append('\n');
  }

  private void append(StringBuilder out, JudgedCure cure, String label) {
    labelled(out, label, cure.summary());
    out.append(patch(cure.cured().patch(), " ".repeat(INDENT), style));
    String clean = cure.isClean() ? "" : style.bad(", not clean");
    line(out, style.faint("packets affected") + clean);
    Site site = cure.cured().file().site();
    out.append(EffectText.of(cure.effect(), site, INDENT + 2, MOST_LINES, style));
  }

  /** Who sends what to whom, what becomes of it, and why. */
  private static String sample(Conversation sample) {
    Attempt attempt = sample.attempt();
    return attempt.sender().name()
        + " to "
        + attempt.to()
        + ", "
        + attempt.probe()
        + ": "
        + sample.outcome()
        + ", "
        + sample.reason();
  }

  /** The call that follows the sample. */
  private static String call(String file, Attempt attempt) {
    boolean usual = VirtualClock.isStart(attempt.at());
    return "eskerfield trace "
        + file
        + " --from "
        + attempt.sender().name()
        + " \\\n             --to " // to be copied as it stands
        + attempt.to()
        + " --service "
        + attempt.probe()
        + (usual ? "" : " --at " + attempt.at().toLocalDateTime());
  }

  private static void line(StringBuilder out, String text) {
    out.append(" ".repeat(INDENT)).append(Style.wrapped(text, INDENT, INDENT)).append('\n');
  }

  private void labelled(StringBuilder out, String label, String text) {
    int column = INDENT + label.length() + 2;
    out.append(" ".repeat(INDENT)).append(style.faint(label + ": "));
    out.append(Style.wrapped(text, column, column)).append('\n');
  }

  /** A unified diff, its added and removed lines told apart by colour as well. */
  public static String patch(String patch, String indent, Style style) {
    StringBuilder out = new StringBuilder();
    for (String line : patch.lines().toList()) {
      boolean added = line.startsWith("+") && !line.startsWith("+++");
      boolean removed = line.startsWith("-") && !line.startsWith("---");
      out.append(indent);
      out.append(added ? style.good(line) : removed ? style.bad(line) : line).append('\n');
    }
    return out.toString();
  }

  private String total(String file, List<Finding> findings) {
    int translations = 0;
    int access = 0;
    for (Device device : site.devices().values()) {
      translations += device.translation().size();
      access += device.access().stream().mapToInt(list -> list.rules().size()).sum();
    }
    long open = findings.stream().filter(f -> f.accepted() == null).count();
    long accepted = findings.size() - open;
    StringBuilder out = new StringBuilder();
    out.append(open == 0 ? style.good("nothing found") : counted((int) open, "finding"));
    if (accepted > 0) {
      out.append(", ").append(accepted).append(" accepted,");
    }
    out.append(" in ").append(file).append(": ");
    out.append(counted(site.devices().size(), "device")).append(", ");
    out.append(counted(translations, "translation rule")).append(", ");
    return out.append(counted(access, "access rule")).append('\n').toString();
  }

  private static String counted(int number, String noun) {
    return number + " " + noun + (number == 1 ? "" : "s");
  }
}
