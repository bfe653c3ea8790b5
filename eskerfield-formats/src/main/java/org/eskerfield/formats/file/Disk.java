// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.file;

import java.io.IOException;
import java.nio.channels.FileChannel;
import java.nio.file.AtomicMoveNotSupportedException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.OpenOption;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileAttribute;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.util.HexFormat;
import java.util.Set;

/** What files are written with: apart from how, so that tests can let it fail anywhere. */
class Disk {
  private static final Set<OpenOption> NEW =
      Set.of(StandardOpenOption.CREATE_NEW, StandardOpenOption.WRITE, LinkOption.NOFOLLOW_LINKS);

  /** Files with our mark; what stands between is random. */
  static final String BEGIN = ".eskerfield-";

  /** A path beside another one that nobody can foresee. */
  Path beside(Path file, String end) {
    byte[] random = new byte[16];
    new SecureRandom().nextBytes(random);
    return file.resolveSibling(BEGIN + HexFormat.of().formatHex(random) + end);
  }

  /**
   * Makes a file that is not there yet and opens it.
   *
   * @param secret whether nobody else may read it, until somebody says otherwise; else it has what
   *     the user's mask gives new files
   * @throws FileAlreadyExistsException if something stands there
   */
  FileChannel create(Path file, boolean secret) throws IOException {
    boolean posix = file.getFileSystem().supportedFileAttributeViews().contains("posix");
    FileAttribute<?>[] attributes =
        secret && posix
            ? new FileAttribute<?>[] {
              PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------"))
            }
            : new FileAttribute<?>[0];
    return FileChannel.open(file, NEW, attributes);
  }

  /** Opens a file that is there, without changing it. */
  FileChannel open(Path file) throws IOException {
    return FileChannel.open(file, StandardOpenOption.READ, StandardOpenOption.WRITE);
  }

  byte[] read(Path file) throws IOException {
    return Files.readAllBytes(file);
  }

  /** Puts a file in the place of another one, all at once. */
  void move(Path from, Path to) throws IOException {
    try {
      Files.move(from, to, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
    } catch (AtomicMoveNotSupportedException e) {
      Files.move(from, to, StandardCopyOption.REPLACE_EXISTING);
    }
  }

  /** Puts a file where nothing stands; what stands there all the same stays. */
  void moveBeside(Path from, Path to) throws IOException {
    try {
      Files.createLink(to, from);
    } catch (FileAlreadyExistsException e) {
      throw e;
    } catch (IOException | UnsupportedOperationException e) {
      Files.move(from, to); // no links here
    }
  }

  /** Makes sure that what was moved in a folder is there after a loss of power; where that goes. */
  void sync(Path folder) {
    try (FileChannel channel = FileChannel.open(folder, StandardOpenOption.READ)) {
      channel.force(true);
    } catch (IOException e) {
      // Not every system opens folders; there it is the system's own care.
    }
  }
}
