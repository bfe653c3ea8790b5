// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.git;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.spy;
import static org.mockito.Mockito.when;

import java.io.EOFException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.stream.Stream;
import org.eclipse.jgit.api.Git;
import org.eclipse.jgit.lib.Constants;
import org.eclipse.jgit.lib.ObjectInserter;
import org.eclipse.jgit.lib.ObjectLoader;
import org.eclipse.jgit.lib.Repository;
import org.eskerfield.formats.UnusableQuestionException;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Site files as a git repository has them, in good repositories and in damaged ones. */
class RevisionReaderTest {
  @Test
  void aFileOfARevisionIsReadAsItWasThen(@TempDir Path folder, @TempDir Path other)
      throws Exception {
    Path site = folder.resolve("sub/site.yaml");
    Files.createDirectories(site.getParent());
    String text = Files.readString(Path.of("../demo/skerry.site.yaml"));
    try (Git git = Git.init().setDirectory(folder.toFile()).call()) {
      for (String title : List.of("First", "Second")) {
        Files.writeString(site, text.replace("site: Marrowby Ferries", "site: " + title));
        git.add().addFilepattern(".").call();
        git.commit().setMessage(title).setAuthor("a", "a@example.net").setSign(false).call();
      }
    }
    assertThat(RevisionReader.read("HEAD~1:sub/site.yaml", folder).site().name())
        .startsWith("First");
    assertThat(RevisionReader.read("HEAD:site.yaml", site.getParent()).site().name())
        .startsWith("Second");
    assertThat(RevisionReader.isRevision("HEAD:x")).isTrue();
    assertThat(RevisionReader.isRevision(site.toString())).isFalse();
    assertThatThrownBy(() -> RevisionReader.read("nope:site.yaml", folder))
        .isInstanceOf(UnusableQuestionException.class)
        .hasMessageContaining("no revision 'nope'");
    assertThatThrownBy(() -> RevisionReader.read("HEAD:nope.yaml", folder))
        .hasMessageContaining("has no file 'nope.yaml'");
    // Odd ones, of which the library of git says something else each time.
    try (Repository repository = Git.open(folder.toFile()).getRepository();
        ObjectInserter more = repository.newObjectInserter()) {
      for (int i = 0; i < 600; i++) {
        more.insert(Constants.OBJ_BLOB, new byte[] {(byte) i, (byte) (i >> 8)});
      }
      more.flush();
    }
    for (String odd :
        List.of(
            "4f:sub/site.yaml",
            "HEAD^{tree}:sub/site.yaml",
            "HEAD^{blob}:sub/site.yaml",
            "HEAD^{:sub/site.yaml",
            "HEAD^{/x}:sub/site.yaml",
            "HEAD~99999999999:x",
            "@{99}:x",
            "HEAD:/",
            "HEAD:",
            "HEAD://sub//site.yaml",
            "HEAD:sub",
            "HEAD:sub/",
            "HEAD:../../x",
            "HEAD:a\0b",
            "HE\0AD:x",
            "..:x",
            "-:x",
            " :x")) {
      assertThatThrownBy(() -> RevisionReader.read(odd, folder))
          .as(odd)
          .isInstanceOf(UnusableQuestionException.class);
    }
    Path elsewhere = Files.createDirectories(other.resolve("none"));
    assertThatThrownBy(() -> RevisionReader.read("HEAD:x", elsewhere))
        .hasMessageContaining("in no git repository");
  }

  /** Bytes come, and then no more: the disk is gone, or a partial clone cannot fetch the rest. */
  @Test
  void aRepositoryThatBreaksOffIsToldInASentence(@TempDir Path folder) throws Exception {
    try (Git git = begun(folder)) {
      ObjectLoader loader = mock(ObjectLoader.class);
      when(loader.getBytes(anyInt())).thenThrow(new EOFException("Short read of block"));
      Repository repository = spy(git.getRepository());
      doReturn(loader).when(repository).open(any());
      assertThatThrownBy(() -> RevisionReader.read("HEAD:site.yaml", folder, repository))
          .isInstanceOfSatisfying(
              UnusableQuestionException.class,
              e -> {
                assertThat(e)
                    .hasMessageContaining("breaks off before 'HEAD:site.yaml'")
                    .hasMessageContaining("Short read of block");
                assertThat(e.remedy()).contains("git fsck");
              });
    }
  }

  /** Whatever is damaged: the objects, what names them, the index or the configuration. */
  @Test
  void aDamagedRepositoryIsReadOrRefused(@TempDir Path folder) throws Exception {
    begun(folder).close();
    List<Path> files;
    try (Stream<Path> all = Files.walk(folder.resolve(".git"))) {
      files = all.filter(Files::isRegularFile).sorted().toList();
    }
    Random random = new Random(17);
    int refused = 0;
    for (Path file : files) {
      byte[] whole = Files.readAllBytes(file);
      if (!file.toFile().setWritable(true)) {
        throw new IllegalStateException("not writable: " + file);
      }
      for (int i = 0; i < 12; i++) {
        byte[] damaged = i < 3 ? Arrays.copyOf(whole, whole.length * i / 3) : whole.clone();
        for (int hit = 0; i >= 3 && hit < 1 + i / 4 && damaged.length > 0; hit++) {
          damaged[random.nextInt(damaged.length)] = (byte) random.nextInt(256);
        }
        Files.write(file, damaged);
        try {
          assertThat(RevisionReader.read("HEAD:site.yaml", folder).site().name()).isNotEmpty();
        } catch (UnusableQuestionException e) {
          refused++;
          assertThat(e.getMessage()).isNotBlank();
        }
      }
      Files.write(file, whole);
    }
    assertThat(refused).isGreaterThan(20);
    assertThat(RevisionReader.read("HEAD:site.yaml", folder).site().name()).contains("Skerry");
  }

  private static Git begun(Path folder) throws Exception {
    Git git = Git.init().setDirectory(folder.toFile()).call();
    Files.writeString(
        folder.resolve("site.yaml"), Files.readString(Path.of("../demo/skerry.site.yaml")));
    git.add().addFilepattern(".").call();
    git.commit().setMessage("Begin").setAuthor("a", "a@example.net").setSign(false).call();
    return git;
  }
}
