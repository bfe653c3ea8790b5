// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.fuzz;

import java.io.IOException;
import java.nio.file.Files;
import java.util.Locale;
import org.jspecify.annotations.Nullable;

/** What a coverage-guided fuzzer calls; which {@link Target} it tries is its one argument. */
public final class Fuzz {
  private static @Nullable Target target;
  private static @Nullable Ground ground;

  private Fuzz() {}

  /** Called once by the fuzzer. */
  public static void fuzzerInitialize(String[] args) throws IOException {
    target = Target.valueOf(args[0].toUpperCase(Locale.ROOT));
    ground = Ground.in(Files.createTempDirectory("eskerfield-fuzz"));
  }

  /** Called by the fuzzer for every input. */
  public static void fuzzerTestOneInput(byte[] input) throws Exception {
    target.take(input, ground);
  }
}
