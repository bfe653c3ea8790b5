// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.git;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.InvalidPathException;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.Objects;
import java.util.stream.Collectors;
import org.eclipse.jgit.errors.AmbiguousObjectException;
import org.eclipse.jgit.errors.IncorrectObjectTypeException;
import org.eclipse.jgit.errors.LargeObjectException;
import org.eclipse.jgit.errors.RevisionSyntaxException;
import org.eclipse.jgit.lib.ObjectId;
import org.eclipse.jgit.lib.Repository;
import org.eclipse.jgit.revwalk.RevCommit;
import org.eclipse.jgit.revwalk.RevWalk;
import org.eclipse.jgit.storage.file.FileRepositoryBuilder;
import org.eclipse.jgit.treewalk.TreeWalk;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.formats.yaml.SourceText;
import org.jspecify.annotations.Nullable;

/** Reads site files as a revision of a git repository has them: {@code HEAD~1:site.yaml}. */
public final class RevisionReader {
  private RevisionReader() {}

  /** Whether a text names a revision and a path in it, rather than a file. */
  public static boolean isRevision(String text) {
    int colon = text.indexOf(':');
    if (colon < 1) {
      return false;
    }
    try {
      return !Files.exists(Path.of(text));
    } catch (InvalidPathException e) {
      return true;
    }
  }

  /**
   * Reads the site file of a revision.
   *
   * @param text {@code REVISION:PATH}, the path from the root of the repository or from the folder
   * @param folder a folder of the repository
   * @throws UnusableQuestionException if there is no such repository, revision or file, or the
   *     repository is damaged
   * @throws UnreadableSiteException if the file has problems
   */
  public static SiteFile read(String text, Path folder)
      throws UnusableQuestionException, UnreadableSiteException {
    FileRepositoryBuilder builder =
        new FileRepositoryBuilder().findGitDir(folder.toAbsolutePath().toFile());
    if (builder.getGitDir() == null) {
      throw new UnusableQuestionException(
          "revision",
          "'" + text + "' names a revision, but this folder is in no git repository",
          "name a file, or run this within the repository");
    }
    try (Repository repository = builder.build()) {
      return read(text, folder, repository);
    } catch (IOException | IllegalArgumentException e) { // its configuration, for one
      throw broken(text, e);
    }
  }

  /**
   * Which commit a file is of: {@code commit 1a2b3c4d5e6f}, or the same with {@code changed since}.
   *
   * @return null if no repository has it, or none can be read
   */
  public static @Nullable String of(Path file) {
    Path path = file.toAbsolutePath().normalize();
    FileRepositoryBuilder builder = new FileRepositoryBuilder().findGitDir(path.toFile());
    if (builder.getGitDir() == null) {
      return null;
    }
    try (Repository repository = builder.build()) {
      ObjectId head = resolved(repository, "HEAD");
      Path folder = path.getParent();
      if (head == null || folder == null || repository.isBare()) {
        return null;
      }
      String named = fromRoot(repository, folder, String.valueOf(path.getFileName()));
      byte[] then = bytes(repository, "HEAD", named, folder);
      boolean same = Arrays.equals(then, Files.readAllBytes(path));
      return "commit " + head.abbreviate(12).name() + (same ? "" : ", changed since");
    } catch (IOException | RuntimeException | UnusableQuestionException e) {
      return null; // that it is in none, or in a damaged one, keeps nobody from his page
    }
  }

  /** The same, of a repository that is open. */
  static SiteFile read(String text, Path folder, Repository repository)
      throws UnusableQuestionException, UnreadableSiteException, IOException {
    String revision = text.substring(0, text.indexOf(':'));
    String path = text.substring(text.indexOf(':') + 1);
    byte[] bytes;
    Path beside;
    try {
      bytes = bytes(repository, revision, path, folder.toAbsolutePath().normalize());
      beside = repository.isBare() ? null : repository.getWorkTree().toPath().resolve(path);
    } catch (IOException | RuntimeException e) { // damaged objects let the library fail anyhow
      throw broken(text, e);
    }
    return SiteReader.read(
        text, new ByteArrayInputStream(bytes), beside == null ? null : beside.getParent());
  }

  private static UnusableQuestionException broken(String text, Exception fault) {
    return new UnusableQuestionException(
        "revision",
        "the git repository breaks off before '"
            + text
            + "' is read: "
            + Objects.toString(fault.getMessage(), fault.getClass().getSimpleName()),
        "git fsck names what is missing or damaged; fetch that again");
  }

  private static byte[] bytes(Repository repository, String revision, String path, Path folder)
      throws UnusableQuestionException, IOException {
    ObjectId id = resolved(repository, revision);
    if (id == null) {
      throw new UnusableQuestionException(
          "revision",
          "there is no revision '" + revision + "'",
          "name a commit, branch or tag, such as HEAD or HEAD~1");
    }
    try (RevWalk walk = new RevWalk(repository)) {
      RevCommit commit = walk.parseCommit(id);
      for (String candidate : new String[] {path, fromRoot(repository, folder, path)}) {
        try (TreeWalk tree =
            candidate.replace("/", "").isEmpty()
                ? null
                : TreeWalk.forPath(repository, candidate, commit.getTree())) {
          if (tree != null && !tree.isSubtree()) {
            return repository.open(tree.getObjectId(0)).getBytes(SourceText.MOST_BYTES + 1);
          }
        }
      }
    } catch (LargeObjectException e) {
      throw new UnusableQuestionException(
          "revision",
          "'" + path + "' is larger there than " + (SourceText.MOST_BYTES >> 20) + " MiB",
          "is this the right file?");
    } catch (IllegalArgumentException e) {
      // A path that no git can have: there is no such file.
    }
    throw new UnusableQuestionException(
        "revision",
        "revision " + revision + " has no file '" + path + "'",
        "write the path from the root of the repository");
  }

  private static @Nullable ObjectId resolved(Repository repository, String revision)
      throws UnusableQuestionException, IOException {
    try {
      return repository.resolve(revision + "^{commit}");
    } catch (AmbiguousObjectException e) {
      throw new UnusableQuestionException(
          "revision",
          "'" + revision + "' is the beginning of several revisions",
          "write more of it: " + candidates(e));
    } catch (RevisionSyntaxException | IncorrectObjectTypeException e) {
      return null; // what is no commit has no files of its own either
    }
  }

  private static String candidates(AmbiguousObjectException e) {
    return e.getCandidates().stream()
        .limit(5)
        .map(each -> each.abbreviate(12).name())
        .sorted()
        .collect(Collectors.joining(", "));
  }

  private static String fromRoot(Repository repository, Path folder, String path) {
    if (repository.isBare()) {
      return "";
    }
    Path root = repository.getWorkTree().toPath().toAbsolutePath().normalize();
    Path file;
    try {
      file = folder.resolve(path).normalize();
    } catch (InvalidPathException e) {
      return "";
    }
    return file.startsWith(root) ? root.relativize(file).toString().replace('\\', '/') : "";
  }
}
