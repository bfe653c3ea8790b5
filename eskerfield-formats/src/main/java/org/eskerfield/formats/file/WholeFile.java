// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.file;

import java.io.Closeable;
import java.io.FilterOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.channels.Channels;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.channels.OverlappingFileLockException;
import java.nio.file.AccessDeniedException;
import java.nio.file.DirectoryIteratorException;
import java.nio.file.DirectoryStream;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.FileSystemException;
import java.nio.file.FileSystemLoopException;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileTime;
import java.time.Duration;
import java.time.Instant;
import java.util.Arrays;
import org.jspecify.annotations.Nullable;

/**
 * A file that is written whole or not at all: what is written goes into a new file in the same
 * folder, under a name that nobody can foresee, and takes the place of the old one when it is
 * complete. It is at no time readable by more people than what stood or will stand there. Links are
 * written through. What is no file, such as a pipe, is written as it comes.
 */
public final class WholeFile implements Closeable {
  private static final String PART = ".part";
  private static final int MOST_LINKS = 40;

  /** Parts of runs that were killed are left alone so long, in case they were only just made. */
  private static final Duration YOUNG = Duration.ofHours(1);

  private final Disk disk;
  private final Path target;
  private final @Nullable Path part;
  private final @Nullable FileChannel channel;
  private final OutputStream stream;
  private boolean complete;

  private WholeFile(
      Disk disk,
      Path target,
      @Nullable Path part,
      @Nullable FileChannel channel,
      OutputStream stream) {
    this.disk = disk;
    this.target = target;
    this.part = part;
    this.channel = channel;
    this.stream = stream;
  }

  /**
   * Begins to write a file; nothing stands there before {@link #complete}.
   *
   * @throws IOException if it cannot be written there
   */
  public static WholeFile open(Path path) throws IOException {
    return open(path, new Disk());
  }

  static WholeFile open(Path path, Disk disk) throws IOException {
    Path target = target(path);
    boolean exists = Files.exists(target, LinkOption.NOFOLLOW_LINKS);
    if (Files.isDirectory(target)) {
      throw new FileSystemException(path.toString(), null, "it is a folder");
    }
    if (exists && !Files.isRegularFile(target)) {
      return asItComes(disk, target);
    }
    tidy(target);
    Path part = disk.beside(target, PART);
    FileChannel channel;
    try {
      channel = disk.create(part, exists);
    } catch (AccessDeniedException e) {
      if (exists && Files.isWritable(target)) {
        return asItComes(disk, target); // a file of one's own in a folder of somebody else's
      }
      throw new AccessDeniedException(path.toString());
    }
    try {
      channel.tryLock(); // says to other runs that somebody still works on it
    } catch (IOException | RuntimeException e) {
      // A file system without locks: by its age alone it is left alone.
    }
    return new WholeFile(disk, target, part, channel, Channels.newOutputStream(channel));
  }

  private static WholeFile asItComes(Disk disk, Path target) throws IOException {
    return new WholeFile(disk, target, null, null, Files.newOutputStream(target));
  }

  /** Writes a file, whole or not at all. */
  public static void write(Path path, byte[] bytes) throws IOException {
    write(path, bytes, new Disk());
  }

  static void write(Path path, byte[] bytes, Disk disk) throws IOException {
    try (WholeFile file = open(path, disk)) {
      file.stream().write(bytes);
      file.complete();
    }
  }

  /**
   * Writes a file that is not there yet, whole or not at all.
   *
   * @throws FileAlreadyExistsException if something stands there; it stays
   */
  public static void create(Path path, byte[] bytes) throws IOException {
    create(path, bytes, new Disk());
  }

  static void create(Path path, byte[] bytes, Disk disk) throws IOException {
    if (Files.exists(path, LinkOption.NOFOLLOW_LINKS)) {
      throw new FileAlreadyExistsException(path.toString());
    }
    Path part = disk.beside(path.toAbsolutePath(), PART);
    try {
      try (FileChannel channel = disk.create(part, false)) {
        Channels.newOutputStream(channel).write(bytes);
        channel.force(true);
      }
      disk.moveBeside(part, path);
      disk.sync(folder(path));
    } finally {
      Files.deleteIfExists(part);
    }
  }

  /** Where links lead in the end, also to where nothing is yet. */
  private static Path target(Path path) throws IOException {
    Path target = path.toAbsolutePath();
    for (int links = 0; Files.isSymbolicLink(target); links++) {
      if (links == MOST_LINKS) {
        throw new FileSystemLoopException(path.toString());
      }
      target = target.resolveSibling(Files.readSymbolicLink(target)).normalize();
    }
    return target;
  }

  /** What is written goes here. Closing it closes nothing; {@link #complete} does. */
  public OutputStream stream() {
    return new FilterOutputStream(stream) {
      @Override
      public void write(byte[] bytes, int offset, int length) throws IOException {
        out.write(bytes, offset, length);
      }

      @Override
      public void close() throws IOException {
        flush();
      }
    };
  }

  /**
   * Everything is written: now it stands there.
   *
   * @throws IOException if it cannot; what stood there before still does then
   */
  public void complete() throws IOException {
    stream.flush();
    if (part == null || channel == null) {
      stream.close();
      complete = true;
      return;
    }
    if (Files.exists(target)) {
      Attributes.of(target).carryTo(part); // what cannot be carried over is no reason not to write
    }
    channel.force(true);
    channel.close();
    disk.move(part, target);
    complete = true;
    disk.sync(folder(target));
  }

  /** Takes away what is not complete. */
  @Override
  public void close() throws IOException {
    if (complete) {
      return;
    }
    if (channel != null) {
      channel.close();
    }
    if (part == null) {
      stream.close();
    } else {
      Files.deleteIfExists(part);
    }
  }

  private static Path folder(Path file) {
    Path folder = file.toAbsolutePath().getParent();
    return folder == null ? file : folder;
  }

  /** Takes away parts of runs that were killed: with our mark, old, and locked by nobody. */
  private static void tidy(Path target) {
    Instant young = Instant.now().minus(YOUNG);
    try (DirectoryStream<Path> parts =
        Files.newDirectoryStream(folder(target), Disk.BEGIN + "*" + PART)) {
      for (Path each : parts) {
        String name = String.valueOf(each.getFileName());
        FileTime changed = Files.getLastModifiedTime(each, LinkOption.NOFOLLOW_LINKS);
        if (name.matches("[.]eskerfield-[0-9a-f]{32}[.]part")
            && Files.isRegularFile(each, LinkOption.NOFOLLOW_LINKS)
            && changed.toInstant().isBefore(young)
            && isUnlocked(each)) {
          Files.deleteIfExists(each);
        }
      }
    } catch (IOException | UncheckedIOException | DirectoryIteratorException e) {
      // Tidying is a courtesy.
    }
  }

  private static boolean isUnlocked(Path file) {
    try (FileChannel channel =
            FileChannel.open(file, StandardOpenOption.WRITE, LinkOption.NOFOLLOW_LINKS);
        FileLock lock = channel.tryLock()) {
      return lock != null;
    } catch (IOException | OverlappingFileLockException e) {
      return false;
    }
  }

  /** Says that a file is not what it was when a change of it was worked out. */
  public static final class ChangedException extends IOException {
    private static final long serialVersionUID = 1L;

    ChangedException(Path path) {
      super(path + " was changed in the meantime");
    }
  }

  /**
   * Puts a new text in the place of the one that a change was worked out for. Runs of the tool wait
   * for each other; the text that stands there is compared when the new one is complete, directly
   * before it takes its place. Owner, group, mode and extended attributes stay; where a new file
   * cannot have them, or other names lead to the same file, it is written in place, after a copy.
   *
   * @return what there is to say about that, as a clause; null if all went as usual
   * @throws ChangedException if another text stands there
   * @throws IOException if it cannot be written; the file is as it was then
   */
  public static @Nullable String replace(Path path, byte[] before, byte[] after)
      throws IOException {
    return replace(path, before, after, new Disk());
  }

  static @Nullable String replace(Path path, byte[] before, byte[] after, Disk disk)
      throws IOException {
    Path real = path.toRealPath();
    if (!Files.isWritable(real)) { // to replace it would need no permission of its own
      throw new AccessDeniedException(path.toString());
    }
    try (FileChannel held = disk.open(real)) {
      FileLock lock = lock(held, path);
      try {
        compare(path, real, before, disk);
        Attributes attributes = Attributes.of(real);
        Path part = disk.beside(real, PART);
        String left = attributes.hasOtherNames() ? "other names of the file" : null;
        try {
          if (left == null) {
            try (FileChannel channel = disk.create(part, true)) {
              Channels.newOutputStream(channel).write(after);
              left = attributes.carryTo(part);
              channel.force(true);
            } catch (AccessDeniedException e) {
              left = "a file of its own in this folder";
            }
          }
          if (left != null) {
            return inPlace(path, real, before, after, left, disk);
          }
          compare(path, real, before, disk);
          disk.move(part, real);
          disk.sync(folder(real));
          return null;
        } finally {
          Files.deleteIfExists(part);
        }
      } finally {
        if (lock != null) {
          lock.release();
        }
      }
    }
  }

  /** Waits for other runs; null where the file system knows no locks. */
  private static @Nullable FileLock lock(FileChannel held, Path path) throws IOException {
    try {
      return held.lock();
    } catch (OverlappingFileLockException e) {
      throw new FileSystemException(path.toString(), null, "it is being written");
    } catch (IOException e) {
      return null;
    }
  }

  private static void compare(Path path, Path real, byte[] before, Disk disk) throws IOException {
    if (!Arrays.equals(disk.read(real), before)) {
      throw new ChangedException(path);
    }
  }

  private static String inPlace(
      Path path, Path real, byte[] before, byte[] after, String left, Disk disk)
      throws IOException {
    Path copy = disk.beside(real, ".copy");
    try {
      copy(copy, before, disk);
    } catch (AccessDeniedException | FileAlreadyExistsException e) {
      copy = disk.beside(Path.of(System.getProperty("java.io.tmpdir"), "x"), ".copy");
      copy(copy, before, disk);
    }
    compare(path, real, before, disk);
    try (FileChannel channel = disk.open(real)) {
      Channels.newOutputStream(channel).write(after);
      channel.truncate(after.length);
      channel.force(true);
    } catch (IOException e) {
      throw new FileSystemException(
          path.toString(), null, e.getMessage() + "; what stood there stands in " + copy);
    }
    Files.deleteIfExists(copy);
    return "written in place, since a new file could not have " + left;
  }

  private static void copy(Path copy, byte[] bytes, Disk disk) throws IOException {
    try (FileChannel channel = disk.create(copy, true)) {
      Channels.newOutputStream(channel).write(bytes);
      channel.force(true);
    }
    disk.sync(folder(copy));
  }
}
