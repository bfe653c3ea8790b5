// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.regex.MatchResult;
import java.util.regex.Pattern;
import org.eskerfield.formats.Generated;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.site.shape.Shape;
import org.eskerfield.formats.site.shape.SiteShapes;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.formats.yaml.SourceText;
import org.eskerfield.formats.yaml.YamlParser;
import org.eskerfield.model.Place;
import org.junit.jupiter.api.Test;

/** The reference of the site file names every key, and what it shows is true. */
class ReferenceTest {
  private static final Path REFERENCE = Path.of("../docs/site-file.md");
  private static final Pattern TABLE =
      Pattern.compile("(<!-- keys of (.+?) -->\n).*?(<!-- end -->)", Pattern.DOTALL);

  /** Every shape of the grammar, as the reader comes to it from that of a site. */
  private static Map<String, Shape> shapes() {
    Map<String, Shape> shapes = new LinkedHashMap<>();
    meet(SiteShapes.SITE, shapes);
    return shapes;
  }

  private static void meet(Shape shape, Map<String, Shape> met) {
    if (met.putIfAbsent(shape.name(), shape) == null) {
      shape.keys().forEach(key -> meet(key.value(), met));
    }
  }

  private static void meet(Shape.Value value, Map<String, Shape> met) {
    if (value instanceof Shape.Child child) {
      meet(child.shape(), met);
    } else if (value instanceof Shape.Children children) {
      children.shapes().forEach(shape -> meet(shape, met));
    } else if (value instanceof Shape.Named named) {
      meet(named.value(), met);
    } else if (value instanceof Shape.Either either) {
      meet(either.simple(), met);
      meet(either.full(), met);
    }
  }

  private static String table(Shape shape) {
    StringBuilder table =
        new StringBuilder("| key | meaning | value | example |\n|---|---|---|---|\n");
    for (Shape.Key key : shape.keys()) {
      table
          .append("| `" + key.name() + "`" + (key.required() ? " (needed)" : ""))
          .append(" | " + key.purpose() + " | " + key.value().wanted())
          .append(" | `" + key.name() + ": " + key.example() + "` |\n");
    }
    return table.toString();
  }

  @Test
  void everyTableIsWhatTheReaderGoesBy() throws Exception {
    String text = Files.readString(REFERENCE);
    Map<String, Shape> left = shapes();
    String wanted =
        TABLE
            .matcher(text)
            .replaceAll(
                match -> {
                  Shape shape = left.remove(match.group(2));
                  assertThat(shape).as(match.group(2)).isNotNull();
                  return java.util.regex.Matcher.quoteReplacement(
                      match.group(1) + table(shape) + match.group(3));
                });
    assertThat(left.keySet()).as("shapes without a table").isEmpty();
    Generated.mustBe(REFERENCE, wanted);
  }

  @Test
  void everyExampleOfAKeyIsAccepted() throws Exception {
    for (Shape shape : shapes().values()) {
      for (Shape.Key key : shape.keys()) {
        if (key.example().contains("…")) {
          continue; // stands for what other tables show
        }
        SourceText source = source(key.name() + ": " + key.example() + "\n");
        Node root = YamlParser.parse(source).root();
        assertThat(root).isNotNull();
        Problems problems = new Problems(source);
        Fields.check(root, shape, new Place("x", 1, 1), problems);
        assertThat(problems.isEmpty() ? "" : problems.sorted().toString())
            .as("%s of %s", key.name(), shape.name())
            .doesNotContain("'" + key.name() + "'")
            .doesNotContain("is no value");
      }
    }
  }

  @Test
  void everySiteShownInTheDocumentationIsRead() throws Exception {
    int sites = 0;
    for (Path file : new Path[] {REFERENCE, Path.of("../README.md")}) {
      Pattern block = Pattern.compile("```yaml\n(.*?)```", Pattern.DOTALL);
      for (MatchResult match : block.matcher(Files.readString(file)).results().toList()) {
        if (match.group(1).startsWith("eskerfield: 1")) {
          SiteReader.read(file.toString(), match.group(1));
          sites++;
        }
      }
    }
    assertThat(sites).isPositive();
  }

  private static SourceText source(String text) throws Exception {
    return SourceText.read("x", new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)));
  }
}
