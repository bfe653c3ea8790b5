// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Objects;
import java.util.stream.Stream;
import org.assertj.core.api.recursive.comparison.RecursiveComparisonConfiguration;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;

/** The site files that tests read. */
public final class Sites {
  private Sites() {}

  public static String skerryText() throws Exception {
    return Files.readString(Path.of("../demo/skerry.site.yaml"));
  }

  public static Site skerry() throws Exception {
    return SiteReader.read("skerry.site.yaml", skerryText());
  }

  /** A text with its pieces replaced, each of which must be there: a piece, its replacement, ... */
  public static String edited(String text, String... piecesAndReplacements) {
    String edited = text;
    for (int i = 0; i < piecesAndReplacements.length; i += 2) {
      assertThat(edited).contains(piecesAndReplacements[i]);
      edited = edited.replace(piecesAndReplacements[i], piecesAndReplacements[i + 1]);
    }
    return edited;
  }

  /** A site that uses every key. */
  public static String everything() throws Exception {
    try (InputStream in =
        Objects.requireNonNull(Sites.class.getResourceAsStream("everything.site.yaml"))) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }

  /** Every site file there is: the one of every key, and those of the demo. */
  public static Stream<Path> all() throws Exception {
    Path every =
        Path.of(
            "../eskerfield-formats/src/test/resources/org/eskerfield/formats/everything.site.yaml");
    return Stream.concat(
        Stream.of(every),
        Stream.of("../demo", "../demo/mistakes")
            .flatMap(
                folder -> files(Path.of(folder)).filter(f -> f.toString().endsWith(".site.yaml"))));
  }

  private static Stream<Path> files(Path folder) {
    try {
      return Files.list(folder).sorted();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** That two sites say the same, wherever it stands. */
  public static void assertSame(Site read, Site site) {
    assertThat(read)
        .usingRecursiveComparison(
            RecursiveComparisonConfiguration.builder()
                .withIgnoredFieldsOfTypes(Place.class)
                .build())
        .isEqualTo(site);
  }
}
