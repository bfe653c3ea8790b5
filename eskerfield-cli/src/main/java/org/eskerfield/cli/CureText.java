// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Cure;
import org.eskerfield.check.Opening;
import org.eskerfield.formats.site.edit.CuredSite;
import org.eskerfield.formats.site.edit.SiteEditor;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Attempt;
import org.eskerfield.walk.Outcome;
import org.jspecify.annotations.Nullable;

/**
 * What would let an attempt through, as a patch of the site file: obstacle after obstacle is cured
 * in the text, and the attempt traced on what comes of it, until it is answered.
 */
final class CureText {
  private static final int MOST = 10;

  private CureText() {}

  /**
   * The cure of an attempt that failed, in words and as a patch.
   *
   * @param path the site file
   * @param name what the patch calls it
   */
  static String of(Path path, String name, Site site, Diagnosis diagnosis, Style style)
      throws IOException {
    Attempt attempt = diagnosis.conversation().attempt();
    List<String> steps = new ArrayList<>();
    String before = Files.readString(path);
    String text = before;
    Site now = site;
    Diagnosis left = diagnosis;
    while (left.conversation().outcome() != Outcome.ANSWERED && steps.size() < MOST) {
      Obstacle obstacle = left.obstacles().isEmpty() ? null : left.obstacles().get(0);
      Cure cure = obstacle == null ? null : obstacle.cure();
      CuredSite cured =
          cure == null
              ? null
              : CuredSite.changed(text, path.toAbsolutePath().getParent(), name, cure.changes());
      if (cure == null || cured == null || steps.contains(cure.summary())) {
        return none(steps, cure, obstacle, style);
      }
      steps.add(cure.summary());
      text = cured.after();
      now = cured.file().site();
      left = Diagnosis.of(now, attempt.on(now));
    }
    return left.conversation().outcome() == Outcome.ANSWERED
        ? text(
            steps,
            SiteEditor.patch(name, before, text),
            left,
            Opening.between(site, now),
            Opening.between(now, site),
            now,
            style)
        : none(steps, null, null, style);
  }

  private static String none(
      List<String> steps, @Nullable Cure cure, @Nullable Obstacle obstacle, Style style) {
    StringBuilder out = new StringBuilder();
    out.append(style.bad("no edit of the file is known that lets it through")).append('\n');
    for (String step : steps) {
      out.append("  ").append(Style.wrapped("this would help so far: " + step, 2, 2)).append('\n');
    }
    if (obstacle != null) {
      String why = cure == null || cure.summary().isEmpty() ? "" : "; " + cure.summary();
      out.append("  ");
      out.append(Style.wrapped("then: " + obstacle.cause().title() + why, 2, 2)).append('\n');
    }
    return out.toString();
  }

  private static String text(
      List<String> steps,
      String patch,
      Diagnosis after,
      @Nullable List<Opening> openings,
      @Nullable List<Opening> closings,
      Site site,
      Style style) {
    StringBuilder out = new StringBuilder();
    out.append(style.strong("What would let it through")).append('\n');
    for (String step : steps) {
      out.append("  ").append(Style.wrapped(step, 2, 2)).append('\n');
    }
    out.append('\n').append(FindingText.patch(patch, "  ", style)).append('\n');
    out.append("  ").append(style.good("with that")).append(": ");
    out.append(Style.wrapped(after.conversation().reason(), 2, 13)).append("\n\n");
    if (openings == null) {
      return out.append("What else that lets in was not worked out.\n").toString();
    }
    if (openings.isEmpty()) {
      out.append("No device lets anything in by that which it did not let in before.\n");
    } else {
      out.append(style.strong("All that this lets in")).append(", this packet included\n");
      append(out, openings, site);
    }
    if (closings != null && !closings.isEmpty()) {
      out.append(style.bad("What it takes away"))
          .append(": this is let in today, and then no more\n");
      append(out, closings, site);
    }
    return out.toString();
  }

  private static void append(StringBuilder out, List<Opening> parts, Site site) {
    for (Opening part : parts) {
      out.append("  ").append(part.device()).append(", arriving on ");
      out.append(part.arriving()).append('\n');
      for (String line : part.lines(site)) {
        out.append("    ").append(Style.wrapped(line, 4, 4)).append('\n');
      }
    }
  }
}
