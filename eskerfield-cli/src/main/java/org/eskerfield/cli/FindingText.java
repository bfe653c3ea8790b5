package org.eskerfield.cli;

import java.util.List;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;

/** Lays out the findings of a check, the worst first. */
final class FindingText {
  private FindingText() {}

  static String of(String file, Site site, List<Finding> findings, Style style) {
    StringBuilder out = new StringBuilder();
    for (Finding finding : findings) {
      Severity severity = finding.code().severity();
      String word = severity.toString();
      out.append(severity == Severity.ADVICE ? style.strong(word) : style.bad(word));
      out.append("  ").append(style.place(finding.place().toString())).append("  ");
      out.append(style.faint(finding.code().toString())).append('\n');
      out.append("    ").append(Style.wrapped(finding.message(), 4, 4)).append('\n');
      out.append("    ").append(Style.wrapped(finding.code().why(), 4, 4)).append('\n');
      out.append("    ").append(style.faint("cure: "));
      out.append(Style.wrapped(finding.cure(), 10, 10)).append("\n\n");
    }
    int translations = 0;
    int access = 0;
    for (Device device : site.devices().values()) {
      translations += device.translation().size();
      access += device.access().stream().mapToInt(list -> list.rules().size()).sum();
    }
    out.append(
        findings.isEmpty() ? style.good("nothing found") : counted(findings.size(), "finding"));
    out.append(" in ").append(file).append(": ");
    out.append(counted(site.devices().size(), "device")).append(", ");
    out.append(counted(translations, "translation rule")).append(", ");
    return out.append(counted(access, "access rule")).append('\n').toString();
  }

  private static String counted(int number, String noun) {
    return number + " " + noun + (number == 1 ? "" : "s");
  }
}
