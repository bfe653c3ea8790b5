// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.fuzz;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatCode;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

/** Every input that was kept, one by one: beginnings for the fuzzer, and what it found. */
class CorpusTest {
  @TempDir static Path folder;
  private static Ground ground;

  @BeforeAll
  static void begin() {
    ground = Ground.in(folder);
  }

  @ParameterizedTest
  @EnumSource
  void everyInputIsUsedOrRefused(Target target) throws Exception {
    List<Path> inputs;
    try (Stream<Path> files = Files.list(target.corpus())) {
      inputs = files.sorted().toList();
    }
    assertThat(inputs).isNotEmpty();
    for (Path input : inputs) {
      byte[] bytes = Files.readAllBytes(input);
      assertThatCode(() -> target.take(bytes, ground))
          .as("%s/%s", target, input.getFileName())
          .doesNotThrowAnyException();
    }
  }
}
