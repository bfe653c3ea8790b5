package org.eskerfield.formats;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.stream.Stream;
import org.assertj.core.api.recursive.comparison.RecursiveComparisonConfiguration;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** What is written is read as what it was written from. */
class SiteWriterTest {
  static Stream<Path> sites() throws Exception {
    Path all = Path.of("src/test/resources/org/eskerfield/formats/everything.site.yaml");
    return Stream.concat(
        Stream.of(all),
        Stream.of("../demo", "../demo/mistakes")
            .flatMap(folder -> files(Path.of(folder)).filter(f -> f.toString().endsWith(".yaml"))));
  }

  private static Stream<Path> files(Path folder) {
    try {
      return Files.list(folder).sorted();
    } catch (java.io.IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  static void assertSame(Site read, Site site) {
    assertThat(read)
        .usingRecursiveComparison(
            RecursiveComparisonConfiguration.builder()
                .withIgnoredFieldsOfTypes(Place.class)
                .build())
        .isEqualTo(site);
  }

  @ParameterizedTest
  @MethodSource("sites")
  void toWriteAndToReadIsToKeepTheSite(Path file) throws Exception {
    Site site = SiteReader.readWithoutExpectations(file);
    String text = SiteWriter.write(site);
    assertSame(SiteReader.read("written", text), site);
  }

  @Test
  void drawnSitesAreKept() throws Exception {
    int kept = 0;
    for (int seed = 0; seed < 60; seed++) {
      Site site;
      try {
        site = SiteReader.read("drawn", new SiteLot(seed).site());
      } catch (UnreadableSiteException e) {
        continue; // the lot has drawn what no site may say
      }
      assertSame(SiteReader.read("written", SiteWriter.write(site)), site);
      kept++;
    }
    assertThat(kept).isGreaterThan(30);
  }
}
