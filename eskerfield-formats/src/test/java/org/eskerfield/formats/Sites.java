package org.eskerfield.formats;

import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Objects;
import org.eskerfield.model.Site;

/** The site files that tests read. */
final class Sites {
  private Sites() {}

  static String skerryText() throws Exception {
    return Files.readString(Path.of("../demo/skerry.site.yaml"));
  }

  static Site skerry() throws Exception {
    return SiteReader.read("skerry.site.yaml", skerryText());
  }

  /** A site that uses every key. */
  static String everything() throws Exception {
    try (InputStream in =
        Objects.requireNonNull(Sites.class.getResourceAsStream("everything.site.yaml"))) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }
}
