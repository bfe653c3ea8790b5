// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.compare.Comparison;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.file.WholeFile;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.jspecify.annotations.Nullable;

/**
 * A site file with a cure carried out. There is one only if the cure does what it promises: the new
 * file can be read, the finding is gone, and no error or warning has come in its place: what opens
 * more than is meant is no cure.
 *
 * @param before the text as it was
 * @param after the text with the edits
 * @param file the new file, read
 * @param patch the difference as a unified diff
 */
public record CuredSite(String before, String after, SiteFile file, String patch) {
  /**
   * The file cured of a finding.
   *
   * @param path the site file
   * @param name what messages and the patch call it
   * @param all all findings of the file
   * @return null if the cure is for a person to decide, or does not do what it promises
   * @throws IOException if the file cannot be read
   */
  public static @Nullable CuredSite of(Path path, String name, Finding finding, List<Finding> all)
      throws IOException {
    Checked checked = checked(new Known(path, name, all), finding.cure(), finding);
    return checked == null ? null : checked.site;
  }

  /** A file cured of a finding, and what a check says of it. */
  record Checked(CuredSite site, List<Finding> findings) {}

  /** What is known of a file that is to be cured, for each of its cures. */
  static final class Known {
    private final Path path;
    private final String name;
    private final List<Finding> findings;
    private @Nullable Set<String> consequences;

    /**
     * What is known of a file.
     *
     * @param findings all findings of the file
     */
    Known(Path path, String name, List<Finding> findings) {
      this.path = path;
      this.name = name;
      this.findings = List.copyOf(findings);
    }

    List<Finding> findings() {
      return findings;
    }

    /** What follows from the findings, and was not said for that; looked for once. */
    private Set<String> consequences() throws IOException {
      if (consequences == null) {
        consequences = withConsequences(path);
      }
      return consequences;
    }
  }

  static @Nullable Checked checked(Known known, Cure cure, Finding finding) throws IOException {
    CuredSite cured = changed(known.path, known.name, cure.changes());
    if (cured == null) {
      return null;
    }
    Set<String> before = new HashSet<>();
    known.findings().forEach(each -> before.add(key(each)));
    boolean unfolded = false;
    SiteFile file = cured.file;
    List<Finding> now =
        Checker.check(file.site(), file.policy(), file.wanted(), (what, done, of) -> {});
    for (Finding each : now) {
      boolean open = each.accepted() == null;
      boolean same = open && key(each).equals(key(finding));
      boolean fresh = open && each.severity() != Severity.ADVICE;
      if (fresh && !unfolded && !before.contains(key(each))) {
        // What followed from the finding, and was not said for that, may be left.
        unfolded = true;
        before.addAll(known.consequences());
      }
      boolean worse = fresh && !before.contains(key(each));
      if (same || worse) {
        return null;
      }
    }
    return new Checked(cured, now);
  }

  /** What changes from one file to another, for every packet. */
  static Comparison compared(SiteFile before, SiteFile after) {
    return Comparison.of(side(before), side(after), (who, done, of) -> {});
  }

  static Comparison.Side side(SiteFile file) {
    return new Comparison.Side(file.site(), file.wanted(), file.policy());
  }

  /** Whether a change takes nothing away, breaks no expectation, and brings no error or warning. */
  static boolean isClean(Comparison effect) {
    return effect.changedFates().complete()
        && effect.losses().isEmpty()
        && !effect.breaks()
        && effect.appeared().stream().allMatch(each -> each.severity() == Severity.ADVICE);
  }

  private static Set<String> withConsequences(Path path) throws IOException {
    Set<String> all = new HashSet<>();
    try {
      Checker.withConsequences(SiteReader.read(path)).forEach(each -> all.add(key(each)));
    } catch (UnreadableSiteException e) {
      return Set.of(); // it was there a moment ago: nothing is known of it any more
    }
    return all;
  }

  private static String key(Finding finding) {
    return finding.code() + " " + finding.about();
  }

  /**
   * The file with some changes carried out.
   *
   * @return null if there are none, or what they make cannot be read as a site
   * @throws IOException if the file cannot be read
   */
  public static @Nullable CuredSite changed(Path path, String name, List<Change> changes)
      throws IOException {
    return edited(path, name, ChangeEdits.of(changes));
  }

  /**
   * A text of a site file with some changes carried out.
   *
   * @param folder where the file stands, for the files that it names; null if it names none
   * @return null if there are none, or what they make cannot be read as a site
   */
  public static @Nullable CuredSite changed(
      String before, @Nullable Path folder, String name, List<Change> changes) {
    return edited(before, folder, name, ChangeEdits.of(changes));
  }

  /**
   * The file with some edits carried out.
   *
   * @return null if there are none, or what they make cannot be read as a site
   * @throws IOException if the file cannot be read
   */
  public static @Nullable CuredSite edited(Path path, String name, List<Edit> edits)
      throws IOException {
    return edited(Files.readString(path), path.toAbsolutePath().getParent(), name, edits);
  }

  /**
   * A text of a site file with some edits carried out.
   *
   * @param folder where the file stands, for the files that it names; null if it names none
   * @return null if there are none, or what they make cannot be read as a site
   */
  public static @Nullable CuredSite edited(
      String before, @Nullable Path folder, String name, List<Edit> edits) {
    if (edits.isEmpty()) {
      return null;
    }
    try {
      String after = SiteEditor.edited(before, edits);
      byte[] bytes = after.getBytes(StandardCharsets.UTF_8);
      SiteFile file = SiteReader.read(name, new ByteArrayInputStream(bytes), folder);
      return new CuredSite(before, after, file, SiteEditor.patch(name, before, after));
    } catch (UnreadableSiteException | IllegalArgumentException e) {
      return null; // a cure that does not fit this file is none
    } catch (IOException e) {
      throw new UncheckedIOException("reading from memory does not fail", e);
    }
  }

  /**
   * Puts the new text in the place of the file, all at once or not at all, if the text that it was
   * worked out for still stands there; see {@link WholeFile#replace}.
   *
   * @return what there is to say about it, as a clause; null if all went as usual
   * @throws WholeFile.ChangedException if another text stands there
   * @throws IOException if it cannot be written; the file is as it was then
   */
  public @Nullable String write(Path path) throws IOException {
    return WholeFile.replace(
        path, before.getBytes(StandardCharsets.UTF_8), after.getBytes(StandardCharsets.UTF_8));
  }
}
