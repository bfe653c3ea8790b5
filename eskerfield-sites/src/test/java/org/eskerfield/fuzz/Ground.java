// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.fuzz;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.eclipse.jgit.api.Git;
import org.eclipse.jgit.api.errors.GitAPIException;
import org.eskerfield.explain.Explainer;
import org.eskerfield.explain.Explanation;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.answer.ExplainData;
import org.eskerfield.formats.capture.Viewpoint;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * What inputs are about: the demo site, and a folder of one's own with a repository in it.
 *
 * @param policy what templates are given
 */
record Ground(
    Site site,
    Tracer tracer,
    Viewpoint uplink,
    Map<String, @Nullable Object> policy,
    Path folder,
    Path repository) {

  /** The ground, with its files below an empty folder. */
  static Ground in(Path folder) {
    Path demo = Path.of("../demo/skerry.site.yaml");
    Path repository = folder.resolve("repository");
    try (Git git = Git.init().setDirectory(repository.toFile()).call()) {
      SiteFile file = SiteReader.readFile(demo);
      Files.createDirectories(repository.resolve("sites"));
      Files.copy(demo, repository.resolve("sites/skerry.site.yaml"));
      Files.writeString(repository.resolve("notes"), "no site file\n");
      git.add().addFilepattern(".").call();
      git.commit().setMessage("Begin").setSign(false).setAuthor("a", "a@example.net").call();
      git.tag().setName("first").setAnnotated(false).call();
      Explainer explainer = Explainer.of(file.site());
      List<Explanation> explained =
          file.site().devices().values().stream().map(explainer::explain).toList();
      return new Ground(
          file.site(),
          Tracer.of(file.site()),
          Viewpoint.of(file.site(), "arriving", "skerry uplink").get(0),
          ExplainData.of("skerry.site.yaml", file, explained, List.of()),
          folder,
          repository);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    } catch (GitAPIException | UnreadableSiteException | UnusableQuestionException e) {
      throw new IllegalStateException(e);
    }
  }
}
