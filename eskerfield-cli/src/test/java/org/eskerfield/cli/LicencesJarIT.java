// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.jar.JarFile;
import java.util.zip.ZipEntry;
import org.junit.jupiter.api.Test;

/** The jar names every library in it, and brings its licence. */
class LicencesJarIT {
  @Test
  void everyLibraryOfTheBillOfMaterialsHasItsLicence() throws Exception {
    try (JarFile jar = new JarFile("target/eskerfield.jar")) {
      List<String> files = jar.stream().map(ZipEntry::getName).toList();
      String texts = text(jar, "META-INF/licences/texts/README.txt");
      JsonNode bill = new ObjectMapper().readTree(text(jar, "META-INF/sbom/eskerfield.cdx.json"));
      assertThat(bill.path("bomFormat").asText()).isEqualTo("CycloneDX");
      List<String> without = new ArrayList<>();
      int libraries = 0;
      for (JsonNode each : bill.path("components")) {
        String name = each.path("name").asText();
        if (each.path("group").asText().equals("org.eskerfield")) {
          continue;
        }
        libraries++;
        assertThat(each.path("version").asText()).as(name).isNotEmpty();
        assertThat(each.path("licenses")).as(name).isNotEmpty();
        String own = "META-INF/licences/" + name + "-" + each.path("version").asText() + "-jar/";
        boolean brought = files.stream().anyMatch(f -> f.startsWith(own) && !f.endsWith("/"));
        if (!brought && !texts.contains(name.replaceAll("-(classic|core|terminal)$", ""))) {
          without.add(name);
        }
      }
      assertThat(libraries).isGreaterThan(20);
      assertThat(without).isEmpty();
      for (String text : List.of("Apache-2.0.txt", "EPL-1.0.txt", "EPL-2.0.md")) {
        assertThat(text(jar, "META-INF/licences/texts/" + text).length()).isGreaterThan(9_000);
      }
    }
  }

  private static String text(JarFile jar, String name) throws Exception {
    ZipEntry entry = Objects.requireNonNull(jar.getEntry(name), name);
    try (InputStream in = jar.getInputStream(entry)) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }
}
