// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.file;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFileAttributeView;
import java.nio.file.attribute.PosixFileAttributes;
import java.nio.file.attribute.UserDefinedFileAttributeView;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/**
 * What a file has beside its text: owner, group, mode, extended attributes of users. Lists of
 * access beyond the mode (POSIX.1e) are not told to Java and are not seen.
 *
 * @param posix owner, group and mode; null where the system knows none
 * @param extended extended attributes by name
 * @param names how many names lead to the file
 */
record Attributes(@Nullable PosixFileAttributes posix, Map<String, byte[]> extended, int names) {
  static Attributes of(Path file) throws IOException {
    PosixFileAttributeView view = Files.getFileAttributeView(file, PosixFileAttributeView.class);
    int names = 1;
    if (file.getFileSystem().supportedFileAttributeViews().contains("unix")) {
      names = (Integer) Files.getAttribute(file, "unix:nlink");
    }
    return new Attributes(view == null ? null : view.readAttributes(), extended(file), names);
  }

  private static Map<String, byte[]> extended(Path file) {
    Map<String, byte[]> all = new LinkedHashMap<>();
    UserDefinedFileAttributeView view =
        Files.getFileAttributeView(file, UserDefinedFileAttributeView.class);
    try {
      for (String name : view == null ? List.<String>of() : view.list()) {
        ByteBuffer value = ByteBuffer.allocate(view.size(name));
        view.read(name, value);
        all.put(name, value.array());
      }
    } catch (IOException e) {
      return Map.of(); // this file system has none
    }
    return all;
  }

  /** Whether the file has more names than one, which a new file would not have. */
  boolean hasOtherNames() {
    return names > 1;
  }

  /**
   * Gives another file the same.
   *
   * @return what it could not have, as a list in words; null if it has everything
   */
  @Nullable String carryTo(Path file) {
    List<String> left = new ArrayList<>();
    if (posix != null) {
      PosixFileAttributeView view = Files.getFileAttributeView(file, PosixFileAttributeView.class);
      try {
        PosixFileAttributes now = view.readAttributes();
        if (!now.group().equals(posix.group())) {
          carry("its group", left, () -> view.setGroup(posix.group()));
        }
        if (!now.owner().equals(posix.owner())) {
          carry("its owner", left, () -> view.setOwner(posix.owner()));
        }
        carry("its mode", left, () -> view.setPermissions(posix.permissions()));
      } catch (IOException e) {
        left.add("its owner and mode");
      }
    }
    UserDefinedFileAttributeView view =
        Files.getFileAttributeView(file, UserDefinedFileAttributeView.class);
    extended.forEach(
        (name, value) ->
            carry(
                "its extended attribute " + name,
                left,
                () -> view.write(name, ByteBuffer.wrap(value))));
    return left.isEmpty() ? null : String.join(", ", left);
  }

  private interface Step {
    void run() throws IOException;
  }

  private static void carry(String what, List<String> left, Step step) {
    try {
      step.run();
    } catch (IOException e) {
      left.add(what);
    }
  }
}
