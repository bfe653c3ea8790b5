// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;

/** A finding shows a sample and the command that follows it: the two tell the same. */
class FindingSampleTest {
  private static final Path MISTAKES = Path.of("../demo/mistakes");

  /** Who sends what to whom, how it ends, and why; then the command, in two lines. */
  private static final Pattern SAMPLE =
      Pattern.compile(
          "\\n    sample: (?<sample>(?:.*\\n)+?)    trace: eskerfield (?<call>.*\\n.*)\\n");

  private static final Pattern END = Pattern.compile(".*?: (?<outcome>[a-z]+), (?<why>.*)");

  @Test
  void theCommandOfAFindingEndsAsItsSample() throws Exception {
    List<Path> files;
    try (Stream<Path> all = Files.list(MISTAKES)) {
      files = all.filter(file -> file.toString().endsWith(".site.yaml")).sorted().toList();
    }
    int samples = 0;
    for (Path file : files) {
      Matcher found = SAMPLE.matcher(MainTest.run("check", file.toString()).out());
      while (found.find()) {
        samples++;
        String sample = flat(found.group("sample"));
        String call = flat(found.group("call").replace("\\\n", " "));
        MainTest.Result traced = MainTest.run(MainTest.words(call));
        Matcher end = END.matcher(sample);
        assertThat(end.matches()).as(sample).isTrue();
        String why = end.group("why");
        assertThat(flat(traced.out()))
            .as(call)
            .startsWith(end.group("outcome") + " " + why.substring(0, Math.min(60, why.length())));
      }
    }
    assertThat(samples).isGreaterThan(40);
  }

  private static String flat(String text) {
    return text.strip().replaceAll("\\s+", " ");
  }
}
