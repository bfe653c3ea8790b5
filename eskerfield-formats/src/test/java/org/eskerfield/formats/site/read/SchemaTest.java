// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ContainerNode;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.databind.node.ObjectNode;
import com.networknt.schema.JsonSchema;
import com.networknt.schema.JsonSchemaFactory;
import com.networknt.schema.SpecVersion;
import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.check.Checker;
import org.eskerfield.formats.Generated;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.answer.CheckData;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.TraceData;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.schema.Schemas;
import org.eskerfield.formats.site.shape.SiteShapes;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.formats.yaml.SourceText;
import org.eskerfield.formats.yaml.YamlParser;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** The shipped schemas say what the reader accepts and what the writers write. */
class SchemaTest {
  private static final ObjectMapper JSON = new ObjectMapper();
  private static final JsonSchema SITE = schema(Schemas.SITE);

  private static JsonSchema schema(Schemas which) {
    return JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012).getSchema(which.text());
  }

  @Test
  void theSiteSchemaIsWhatTheReaderGoesBy() throws Exception {
    Generated.mustBe(
        Path.of("src/main/resources/org/eskerfield/formats/schema/site.schema.json"),
        SchemaGenerator.siteSchema());
  }

  /** Editors show examples and complete by them, so each must be a value that fits. */
  @Test
  void everyKeyOfTheSiteSchemaIsDescribedAndItsExamplesFit() throws Exception {
    JsonNode site = JSON.readTree(Schemas.SITE.text());
    List<JsonNode> objects = new ArrayList<>(List.of(site));
    site.get("$defs").forEach(objects::add);
    int keys = 0;
    for (JsonNode object : objects) {
      for (Map.Entry<String, JsonNode> key : object.path("properties").properties()) {
        ObjectNode alone = key.getValue().deepCopy();
        alone.set("$defs", site.get("$defs"));
        alone.put("$schema", site.get("$schema").asText());
        assertThat(alone.get("description").asText()).as(key.getKey()).endsWith(".");
        for (JsonNode example : alone.get("examples")) {
          assertThat(
                  JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012)
                      .getSchema(alone)
                      .validate(example))
              .as("%s: %s", key.getKey(), example)
              .isEmpty();
          keys++;
        }
      }
    }
    assertThat(keys).isGreaterThan(150);
  }

  /**
   * Takes a site that uses every key, breaks or bends it at random places, and asks both. The
   * reader is asked for what a schema can express; what names and numbers mean is its own business.
   */
  @Property(tries = 2500, seed = "20260105")
  void theSchemaAndTheReaderAgreeOnEveryMutation(@ForAll long seed, @ForAll("times") int times)
      throws Exception {
    Random random = new Random(seed);
    ObjectNode document = (ObjectNode) json(Sites.everything());
    for (int i = 0; i < times; i++) {
      mutate(document, random);
    }
    String text = JSON.writeValueAsString(document);
    boolean schema = SITE.validate(document).isEmpty();
    SourceText source =
        SourceText.read("x", new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)));
    Problems problems = new Problems(source);
    Node root = YamlParser.parse(source).root();
    assertThat(root).isNotNull();
    Fields.check(root, SiteShapes.SITE, new Place("x", 1, 1), problems);
    assertThat(problems.isEmpty())
        .as("%s%nreader: %s", text, problems.isEmpty() ? "fine" : problems.sorted())
        .isEqualTo(schema);
  }

  @net.jqwik.api.Provide
  net.jqwik.api.Arbitrary<Integer> times() {
    return net.jqwik.api.Arbitraries.integers().between(0, 2);
  }

  private static void mutate(ObjectNode root, Random random) {
    List<ContainerNode<?>> places = new ArrayList<>();
    collect(root, places);
    ContainerNode<?> place = places.get(random.nextInt(places.size()));
    JsonNodeFactory make = JsonNodeFactory.instance;
    JsonNode[] values = {
      make.numberNode(1),
      make.numberNode(70000),
      make.booleanNode(true),
      make.nullNode(),
      make.textNode("any"),
      make.textNode(""),
      make.textNode("12"),
      make.arrayNode(),
      make.arrayNode().add("any"),
      make.arrayNode().add(7),
      make.objectNode(),
      make.objectNode().put("otherwise", "drop"),
      make.objectNode().put("from", "any")
    };
    JsonNode value = values[random.nextInt(values.length)];
    if (place instanceof ArrayNode array) {
      if (array.isEmpty() || random.nextBoolean()) {
        array.add(value);
      } else {
        array.set(random.nextInt(array.size()), value);
      }
      return;
    }
    ObjectNode object = (ObjectNode) place;
    List<String> names = new ArrayList<>();
    object.fieldNames().forEachRemaining(names::add);
    String[] strange = {
      "note", "discard", "drop", "two words", "a/b", "destination", "from", "zone"
    };
    String name =
        names.isEmpty() || random.nextInt(4) == 0
            ? strange[random.nextInt(strange.length)]
            : names.get(random.nextInt(names.size()));
    if (random.nextInt(3) == 0) {
      object.remove(name);
    } else {
      object.set(name, value);
    }
  }

  private static void collect(JsonNode node, List<ContainerNode<?>> places) {
    if (node instanceof ContainerNode<?> container) {
      places.add(container);
      container.forEach(child -> collect(child, places));
    }
  }

  /** The tree of a YAML text as JSON. */
  private static JsonNode json(String yaml) throws Exception {
    SourceText source =
        SourceText.read("x", new ByteArrayInputStream(yaml.getBytes(StandardCharsets.UTF_8)));
    Node root = YamlParser.parse(source).root();
    assertThat(root).isNotNull();
    return json(root);
  }

  private static JsonNode json(Node node) {
    JsonNodeFactory make = JsonNodeFactory.instance;
    if (node instanceof Node.Mapping mapping) {
      ObjectNode object = make.objectNode();
      mapping.entries().forEach(entry -> object.set(entry.key().text(), json(entry.value())));
      return object;
    }
    if (node instanceof Node.Sequence sequence) {
      ArrayNode array = make.arrayNode();
      sequence.items().forEach(item -> array.add(json(item)));
      return array;
    }
    Node.Scalar scalar = (Node.Scalar) node;
    if (scalar.isInteger()) {
      return make.numberNode(Integer.parseInt(scalar.text()));
    }
    return scalar.isBoolean()
        ? make.booleanNode(Boolean.parseBoolean(scalar.text()))
        : make.textNode(scalar.text());
  }

  @ParameterizedTest
  @CsvSource({
    "kiosk,       hydrographic,      8883/tcp, monday",
    "kiosk,       hydrographic,      ping,     monday",
    "kiosk,       hydrographic,      gre,      monday",
    "contractor,  198.51.100.140,    1502/tcp, sunday",
    "contractor,  198.51.100.140,    1502/tcp, monday",
    "passenger,   10.77.4.9,         502/tcp,  monday",
    "skerry,      192.0.2.9,         53/udp,   monday",
    "kiosk,       skerry,            ssh,      monday",
  })
  void everyTraceFitsItsSchema(String from, String to, String service, String at) throws Exception {
    Site site = Sites.skerry();
    String json =
        Json.of(
            TraceData.of(
                Diagnosis.of(
                    site,
                    QuestionReader.on(site).from(from).to(to).service(service).at(at).attempt())));
    assertThat(schema(Schemas.TRACE).validate(JSON.readTree(json))).as(json).isEmpty();
  }

  @Test
  void everyCheckFitsItsSchema() throws Exception {
    JsonSchema schema = schema(Schemas.CHECK);
    Site unused = SiteReader.read("x", Sites.skerryText().replace("service: ramp-control", ""));
    String findings = Json.of(CheckData.of("x", Checker.check(unused), Map.of()));
    assertThat(schema.validate(JSON.readTree(findings))).isEmpty();
    try {
      SiteReader.read("x", "site: [");
    } catch (UnreadableSiteException e) {
      String problems = Json.of(CheckData.problems("x", e.problems()));
      assertThat(schema.validate(JSON.readTree(problems))).as(problems).isEmpty();
      assertThat(JSON.readTree(problems).get("problems")).isNotEmpty();
    }
  }
}
