// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;

/**
 * Files that are made from the code and kept beside it. A test fails where one is out of date; run
 * the tests with {@code -DargLine=-Dregenerate=true} to renew them.
 */
public final class Generated {
  private Generated() {}

  public static void mustBe(Path file, String wanted) throws Exception {
    if (Boolean.getBoolean("regenerate")) {
      Files.createDirectories(file.getParent());
      Files.writeString(file, wanted);
    }
    assertThat(Files.exists(file)).as("%s is there", file).isTrue();
    assertThat(Files.readString(file)).as("%s is what the code says", file).isEqualTo(wanted);
  }
}
