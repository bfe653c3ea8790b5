// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.file;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assumptions.assumeThat;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyBoolean;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.spy;
import static org.mockito.Mockito.when;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.AccessDeniedException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.FileSystemException;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileTime;
import java.nio.file.attribute.PosixFilePermissions;
import java.nio.file.attribute.UserDefinedFileAttributeView;
import java.time.Instant;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** Files that are written whole or not at all, on disks that fail anywhere. */
class WholeFileTest {
  private static final byte[] OLD = "old".getBytes(StandardCharsets.UTF_8);
  private static final byte[] NEW = "new and longer".getBytes(StandardCharsets.UTF_8);
  private static final IOException FULL = new IOException("No space left on device");

  @TempDir private Path folder;

  private Path old() throws IOException {
    return Files.write(folder.resolve("site.yaml"), OLD);
  }

  private List<String> names() throws IOException {
    try (Stream<Path> all = Files.list(folder)) {
      return all.map(each -> String.valueOf(each.getFileName())).sorted().toList();
    }
  }

  private static String mode(Path file) throws IOException {
    return PosixFilePermissions.toString(Files.getPosixFilePermissions(file));
  }

  /** A disk on which the first bytes of a new file can be written, and no more. */
  private static Disk thatFillsInTheMiddle() throws IOException {
    Disk disk = spy(new Disk());
    doAnswer(
            made -> {
              FileChannel real = (FileChannel) made.callRealMethod();
              FileChannel channel = mock(FileChannel.class);
              when(channel.write(any(ByteBuffer.class)))
                  .thenAnswer(
                      write -> {
                        ByteBuffer bytes = write.getArgument(0);
                        real.write(bytes.slice(0, 2));
                        bytes.position(bytes.position() + 2);
                        real.close();
                        return 2;
                      })
                  .thenThrow(FULL);
              return channel;
            })
        .when(disk)
        .create(any(), anyBoolean());
    return disk;
  }

  @Test
  void aNewFileHasWhatTheMaskGives() throws IOException {
    Path control = Files.createFile(folder.resolve("control"));
    Path file = folder.resolve("report.html");
    WholeFile.write(file, NEW);
    assertThat(file).hasBinaryContent(NEW);
    assertThat(mode(file)).isEqualTo(mode(control));
    assertThat(names()).containsExactly("control", "report.html");
  }

  @ParameterizedTest
  @ValueSource(strings = {"rw-------", "rw-rw-rw-", "r--r-----"})
  void aFileKeepsItsModeAndIsNeverOpenToMore(String mode) throws IOException {
    Path file = old();
    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString(mode));
    Disk disk = spy(new Disk());
    doAnswer(
            made -> {
              Object channel = made.callRealMethod();
              assertThat(mode(made.getArgument(0))).isEqualTo("rw-------");
              return channel;
            })
        .when(disk)
        .create(any(), anyBoolean());
    doAnswer(
            move -> {
              assertThat(mode(move.getArgument(0))).isEqualTo(mode);
              assertThat(file).hasBinaryContent(OLD);
              return move.callRealMethod();
            })
        .when(disk)
        .move(any(), any());
    WholeFile.write(file, NEW, disk);
    assertThat(file).hasBinaryContent(NEW);
    assertThat(mode(file)).isEqualTo(mode);
  }

  @Test
  void namesOfPartsCannotBeForeseen() {
    Disk disk = new Disk();
    Path one = disk.beside(folder.resolve("a"), ".part");
    assertThat(one.getParent()).isEqualTo(folder);
    assertThat(one.getFileName().toString()).matches("[.]eskerfield-[0-9a-f]{32}[.]part");
    assertThat(disk.beside(folder.resolve("a"), ".part")).isNotEqualTo(one);
  }

  @Test
  void linksAreWrittenThrough() throws IOException {
    Path real = old();
    Path deep = Files.createDirectory(folder.resolve("deep"));
    Path link = Files.createSymbolicLink(deep.resolve("link"), Path.of("../site.yaml"));
    WholeFile.write(link, NEW);
    assertThat(link).isSymbolicLink();
    assertThat(real).hasBinaryContent(NEW);
    // Also where nothing stands yet; a circle is an error.
    Path dangling = Files.createSymbolicLink(folder.resolve("dangling"), Path.of("deep/later"));
    WholeFile.write(dangling, NEW);
    assertThat(dangling).isSymbolicLink();
    assertThat(deep.resolve("later")).hasBinaryContent(NEW);
    Path circle = Files.createSymbolicLink(folder.resolve("circle"), Path.of("circle"));
    assertThatThrownBy(() -> WholeFile.write(circle, NEW)).isInstanceOf(FileSystemException.class);
    assertThatThrownBy(() -> WholeFile.write(deep, NEW)).hasMessageContaining("it is a folder");
  }

  @Test
  void whatFailsLeavesWhatStood() throws IOException {
    Path file = old();
    assertThatThrownBy(() -> WholeFile.write(file, NEW, thatFillsInTheMiddle())).isSameAs(FULL);
    Disk stuck = spy(new Disk());
    doThrow(FULL).when(stuck).move(any(), any());
    doThrow(FULL).when(stuck).moveBeside(any(), any());
    assertThatThrownBy(() -> WholeFile.write(file, NEW, stuck)).isSameAs(FULL);
    assertThatThrownBy(() -> WholeFile.replace(file, OLD, NEW, thatFillsInTheMiddle()))
        .isSameAs(FULL);
    assertThatThrownBy(() -> WholeFile.replace(file, OLD, NEW, stuck)).isSameAs(FULL);
    Path other = folder.resolve("other");
    assertThatThrownBy(() -> WholeFile.create(other, NEW, thatFillsInTheMiddle())).isSameAs(FULL);
    assertThatThrownBy(() -> WholeFile.create(other, NEW, stuck)).isSameAs(FULL);
    assertThat(file).hasBinaryContent(OLD);
    assertThat(names()).containsExactly("site.yaml");
  }

  /** Whoever breaks off in the middle leaves nothing behind either. */
  @Test
  void whatIsNotCompletedIsTakenAway() throws IOException {
    Path file = old();
    try (WholeFile whole = WholeFile.open(file)) {
      whole.stream().write(NEW);
      assertThat(names()).hasSize(2);
    }
    assertThat(file).hasBinaryContent(OLD);
    assertThat(names()).containsExactly("site.yaml");
  }

  @Test
  void aFileThatStandsThereIsNotCreatedAgain() throws IOException {
    Path file = old();
    assertThatThrownBy(() -> WholeFile.create(file, NEW))
        .isInstanceOf(FileAlreadyExistsException.class);
    // Nor where it appears between the look and the writing.
    Disk disk = spy(new Disk());
    Path late = folder.resolve("late");
    doAnswer(
            move -> {
              Files.write(late, OLD);
              return move.callRealMethod();
            })
        .when(disk)
        .moveBeside(any(), any());
    assertThatThrownBy(() -> WholeFile.create(late, NEW, disk))
        .isInstanceOf(FileAlreadyExistsException.class);
    assertThat(late).hasBinaryContent(OLD);
    assertThat(names()).containsExactly("late", "site.yaml");
  }

  @Test
  void aTextThatChangedInTheMeantimeIsNotReplaced() throws IOException {
    Path file = old();
    assertThatThrownBy(() -> WholeFile.replace(file, NEW, OLD))
        .isInstanceOf(WholeFile.ChangedException.class);
    // Or while the new one was written: it is compared again just before it takes the place.
    Disk disk = spy(new Disk());
    doReturn(OLD).doReturn(NEW).when(disk).read(any());
    assertThatThrownBy(() -> WholeFile.replace(file, OLD, NEW, disk))
        .isInstanceOf(WholeFile.ChangedException.class);
    assertThat(file).hasBinaryContent(OLD);
    assertThat(names()).containsExactly("site.yaml");
  }

  @Test
  void aFileThatAnotherOneWritesIsLeftAlone() throws IOException {
    Path file = old();
    try (FileChannel other = FileChannel.open(file, StandardOpenOption.WRITE)) {
      other.lock();
      assertThatThrownBy(() -> WholeFile.replace(file, OLD, NEW))
          .hasMessageContaining("it is being written");
    }
    assertThat(WholeFile.replace(file, OLD, NEW)).isNull();
    assertThat(file).hasBinaryContent(NEW);
  }

  @Test
  void otherNamesOfAFileGetTheTextToo() throws IOException {
    Path file = old();
    Path other = Files.createLink(folder.resolve("other"), file);
    assertThat(WholeFile.replace(file, OLD, NEW))
        .isEqualTo("written in place, since a new file could not have other names of the file");
    assertThat(other).hasBinaryContent(NEW);
    // Shorter than before: nothing of the old text is left at the end.
    WholeFile.replace(file, NEW, OLD);
    assertThat(other).hasBinaryContent(OLD);
    assertThat(names()).containsExactly("other", "site.yaml");
  }

  @Test
  void whereNoFileCanBeMadeItIsWrittenInPlaceAfterACopy() throws IOException {
    Path file = old();
    Disk disk = spy(new Disk());
    doAnswer(
            made -> {
              if (made.<Path>getArgument(0).startsWith(folder)) {
                throw new AccessDeniedException("no");
              }
              return made.callRealMethod();
            })
        .when(disk)
        .create(any(), anyBoolean());
    assertThat(WholeFile.replace(file, OLD, NEW, disk)).contains("a file of its own");
    assertThat(file).hasBinaryContent(NEW);
    WholeFile.write(file, OLD, disk);
    assertThat(file).hasBinaryContent(OLD);
    assertThat(names()).containsExactly("site.yaml");
  }

  @Test
  void ownerAndExtendedAttributesStay() throws IOException {
    Path file = old();
    UserDefinedFileAttributeView view =
        Files.getFileAttributeView(file, UserDefinedFileAttributeView.class);
    assumeThat(view).isNotNull();
    try {
      view.write("ticket", ByteBuffer.wrap(OLD));
      var nobody =
          file.getFileSystem().getUserPrincipalLookupService().lookupPrincipalByName("nobody");
      Files.setOwner(file, nobody);
    } catch (IOException e) {
      assumeThat(e).as("only where the file system and the user can").isNull();
    }
    Object owner = Files.getOwner(file);
    assertThat(WholeFile.replace(file, OLD, NEW)).isNull();
    assertThat(Files.getOwner(file)).isEqualTo(owner);
    assertThat((byte[]) Files.getAttribute(file, "user:ticket")).isEqualTo(OLD);
  }

  @Test
  void onlyOldPartsThatNobodyHoldsAreTidied() throws IOException {
    String end = "0123456789abcdef0123456789abcde";
    FileTime yesterday = FileTime.from(Instant.now().minusSeconds(86_400));
    Path left = Files.write(folder.resolve(".eskerfield-" + end + "0.part"), OLD);
    Path held = Files.write(folder.resolve(".eskerfield-" + end + "1.part"), OLD);
    Path young = Files.write(folder.resolve(".eskerfield-" + end + "2.part"), OLD);
    Path others = Files.write(folder.resolve(".eskerfield-mine.part"), OLD);
    Path mine = Files.write(folder.resolve("site.yaml.part"), OLD);
    Path link = Files.createSymbolicLink(folder.resolve(".eskerfield-" + end + "3.part"), mine);
    for (Path each : List.of(left, held, others, mine)) {
      Files.setLastModifiedTime(each, yesterday);
    }
    try (FileChannel channel = FileChannel.open(held, StandardOpenOption.WRITE)) {
      channel.lock();
      WholeFile.write(folder.resolve("site.yaml"), NEW);
    }
    assertThat(left).doesNotExist();
    assertThat(List.of(held, young, others, mine)).allMatch(Files::exists);
    assertThat(Files.exists(link, LinkOption.NOFOLLOW_LINKS)).isTrue();
  }
}
