// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.formats.literal.WellKnownServices;
import org.eskerfield.formats.site.shape.Shape;
import org.eskerfield.formats.site.shape.SiteShapes;
import org.eskerfield.model.Site;
import org.snakeyaml.engine.v2.api.Load;
import org.snakeyaml.engine.v2.api.LoadSettings;

/** Says in JSON Schema what {@link SiteShapes} says to the reader. */
final class SchemaGenerator {
  private static final ObjectMapper JSON = new ObjectMapper();
  private static final Load YAML = new Load(LoadSettings.builder().build());
  private final Map<String, ObjectNode> definitions = new LinkedHashMap<>();

  static String siteSchema() throws Exception {
    SchemaGenerator generator = new SchemaGenerator();
    ObjectNode root = JSON.createObjectNode();
    root.put("$schema", "https://json-schema.org/draft/2020-12/schema");
    root.put("title", "Eskerfield site file");
    root.setAll(generator.object(SiteShapes.SITE));
    ObjectNode definitions = root.putObject("$defs");
    generator.definitions.forEach(definitions::set);
    return JSON.writerWithDefaultPrettyPrinter().writeValueAsString(root) + "\n";
  }

  private ObjectNode object(Shape shape) {
    ObjectNode object = JSON.createObjectNode();
    object.put("description", shape.name());
    object.put("type", "object");
    ObjectNode properties = object.putObject("properties");
    ArrayNode required = JSON.createArrayNode();
    for (Shape.Key key : shape.keys()) {
      ObjectNode value = value(key.value());
      ObjectNode described = JSON.createObjectNode();
      String purpose = key.purpose();
      String begun = purpose.substring(0, 1).toUpperCase(Locale.ROOT) + purpose.substring(1);
      described.put("description", begun + " (" + key.value().wanted() + ").");
      described.putArray("examples").add(JSON.valueToTree(YAML.loadFromString(key.example())));
      described.setAll(value);
      properties.set(key.name(), described);
      if (key.required()) {
        required.add(key.name());
      }
    }
    if (!required.isEmpty()) {
      object.set("required", required);
    }
    if (shape.oneOf().size() > 1) {
      ArrayNode choices = object.putArray("oneOf");
      shape.oneOf().forEach(key -> choices.addObject().putArray("required").add(key));
    }
    object.put("additionalProperties", false);
    return object;
  }

  private ObjectNode reference(Shape shape) {
    String name = shape.name().replaceFirst("^an? ", "").replace(' ', '-');
    if (!definitions.containsKey(name)) {
      definitions.put(name, JSON.createObjectNode());
      definitions.put(name, object(shape));
    }
    return JSON.createObjectNode().put("$ref", "#/$defs/" + name);
  }

  /** Any text, with what editors should offer to complete. */
  private void suggest(ObjectNode item, String wanted) {
    boolean services = wanted.startsWith("a service such as");
    if (!services && !wanted.startsWith("any, an address")) {
      item.put("type", "string");
      return;
    }
    String name = services ? "a-service" : "an-address-or-name";
    if (!definitions.containsKey(name)) {
      ObjectNode either = JSON.createObjectNode();
      ArrayNode choices = either.putArray("anyOf");
      ArrayNode words = choices.addObject().putArray("enum");
      (services ? WellKnownServices.names() : List.of(Site.ANY, Site.INTERNET)).forEach(words::add);
      choices.addObject().put("type", "string");
      definitions.put(name, either);
    }
    item.put("$ref", "#/$defs/" + name);
  }

  private ObjectNode value(Shape.Value value) {
    ObjectNode schema = JSON.createObjectNode();
    if (value instanceof Shape.Text text) {
      schema.put("type", "string");
      if (text.pattern() != null) {
        schema.put("pattern", text.pattern().pattern());
      }
    } else if (value instanceof Shape.Word word) {
      ArrayNode words = schema.putArray("enum");
      word.words().forEach(words::add);
    } else if (value instanceof Shape.Words words) {
      ObjectNode item = JSON.createObjectNode();
      ArrayNode some = item.putArray("enum");
      words.words().forEach(some::add);
      ObjectNode list = JSON.createObjectNode().put("type", "array").put("minItems", 1);
      list.set("items", item.deepCopy());
      schema.putArray("anyOf").add(item).add(list);
    } else if (value instanceof Shape.Whole whole) {
      schema.put("type", "integer").put("minimum", whole.lowest()).put("maximum", whole.highest());
    } else if (value instanceof Shape.Truth) {
      schema.put("type", "boolean");
    } else if (value instanceof Shape.Texts texts) {
      ObjectNode item = JSON.createObjectNode();
      if (texts.numbers()) {
        item.putArray("type").add("string").add("integer");
      } else {
        suggest(item, texts.wanted());
      }
      ObjectNode list = JSON.createObjectNode().put("type", "array").put("minItems", 1);
      list.set("items", item.deepCopy());
      schema.putArray("anyOf").add(item).add(list);
    } else if (value instanceof Shape.Child child) {
      return reference(child.shape());
    } else if (value instanceof Shape.Children children) {
      ObjectNode item = JSON.createObjectNode();
      if (children.shapes().size() == 1) {
        item = reference(children.shapes().get(0));
      } else {
        ArrayNode choices = item.putArray("oneOf");
        children.shapes().forEach(shape -> choices.add(reference(shape)));
      }
      ObjectNode list = JSON.createObjectNode().put("type", "array");
      list.set("items", item);
      if (!children.alone()) {
        return list;
      }
      schema.putArray("anyOf").add(item.deepCopy()).add(list);
    } else if (value instanceof Shape.Named named) {
      schema.put("type", "object");
      schema.putObject("propertyNames").put("pattern", named.names().pattern());
      schema.set("additionalProperties", value(named.value()));
      if (named.needed() != null) {
        schema.putArray("required").add(named.needed());
      }
    } else if (value instanceof Shape.Either either) {
      schema.putArray("anyOf").add(value(either.simple())).add(value(either.full()));
    }
    return schema;
  }
}
