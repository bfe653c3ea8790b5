// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.write;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.util.stream.Stream;
import org.eskerfield.formats.SiteLot;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** What is written is read as what it was written from. */
class SiteWriterTest {
  static Stream<Path> sites() throws Exception {
    return Sites.all();
  }

  @ParameterizedTest
  @MethodSource("sites")
  void toWriteAndToReadIsToKeepTheSite(Path file) throws Exception {
    Site site = SiteReader.readWithoutExpectations(file);
    String text = SiteWriter.write(site);
    Sites.assertSame(SiteReader.read("written", text), site);
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
      Sites.assertSame(SiteReader.read("written", SiteWriter.write(site)), site);
      kept++;
    }
    assertThat(kept).isGreaterThan(30);
  }
}
