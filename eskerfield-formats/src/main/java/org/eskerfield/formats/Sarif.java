package org.eskerfield.formats;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.util.DefaultIndenter;
import com.fasterxml.jackson.core.util.DefaultPrettyPrinter;
import java.io.IOException;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.util.Arrays;
import java.util.List;
import org.eskerfield.check.Code;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.model.Place;

/**
 * Writes findings and problems as SARIF 2.1.0 (OASIS Static Analysis Results Interchange Format),
 * from which code hosts annotate the lines of a file.
 */
public final class Sarif {
  /** The rule of what keeps a file from being read. */
  private static final String PROBLEM = "unreadable";

  private final JsonGenerator json;
  private final String uri;

  private Sarif(JsonGenerator json, String uri) {
    this.json = json;
    this.uri = uri;
  }

  /**
   * The document, with a line break at the end.
   *
   * @param file the path of the site file as the caller names it
   * @param problems what keeps the file from being read; empty if it could be
   * @param findings what was found
   */
  public static String of(String file, List<Problem> problems, List<Finding> findings) {
    StringWriter text = new StringWriter();
    DefaultPrettyPrinter printer =
        new DefaultPrettyPrinter()
            .withObjectIndenter(new DefaultIndenter("  ", "\n"))
            .withArrayIndenter(new DefaultIndenter("  ", "\n"));
    try (JsonGenerator json = new JsonFactory().createGenerator(text)) {
      json.setPrettyPrinter(printer);
      new Sarif(json, uri(file)).write(problems, findings);
    } catch (IOException e) {
      throw new UncheckedIOException("writing to memory does not fail", e);
    }
    return text.append('\n').toString();
  }

  /** A relative reference of RFC 3986: blanks and the like are written as octets. */
  private static String uri(String file) {
    StringBuilder uri = new StringBuilder();
    byte[] octets = file.replace('\\', '/').getBytes(java.nio.charset.StandardCharsets.UTF_8);
    for (byte octet : octets) {
      char c = (char) (octet & 0xff);
      boolean plain = c < 128 && (Character.isLetterOrDigit(c) || "-._~/".indexOf(c) >= 0);
      uri.append(plain ? Character.toString(c) : "%" + hex(octet));
    }
    return uri.toString();
  }

  private static String hex(byte octet) {
    String digits = Integer.toHexString(octet & 0xff).toUpperCase(java.util.Locale.ROOT);
    return digits.length() == 1 ? "0" + digits : digits;
  }

  private void write(List<Problem> problems, List<Finding> findings) throws IOException {
    json.writeStartObject();
    json.writeStringField("version", "2.1.0");
    json.writeStringField("$schema", "https://json.schemastore.org/sarif-2.1.0.json");
    json.writeArrayFieldStart("runs");
    json.writeStartObject();
    json.writeObjectFieldStart("tool");
    json.writeObjectFieldStart("driver");
    json.writeStringField("name", "Eskerfield");
    rules();
    json.writeEndObject();
    json.writeEndObject();
    json.writeStringField("columnKind", "unicodeCodePoints");
    json.writeArrayFieldStart("results");
    for (Problem problem : problems) {
      begin(PROBLEM, 0, "error", problem.message() + textOf(problem.remedy()), problem.place());
      json.writeEndObject();
    }
    for (Finding finding : findings) {
      result(finding);
    }
    json.writeEndArray();
    json.writeEndObject();
    json.writeEndArray();
    json.writeEndObject();
  }

  private static String textOf(String remedy) {
    return remedy.isEmpty() ? "." : ". " + remedy + ".";
  }

  private void rules() throws IOException {
    json.writeArrayFieldStart("rules");
    rule(PROBLEM, "What the file says cannot be understood.", "error");
    for (Code code : Code.values()) {
      rule(code.toString(), code.why(), level(code.severity()));
    }
    json.writeEndArray();
  }

  private void rule(String id, String why, String level) throws IOException {
    json.writeStartObject();
    json.writeStringField("id", id);
    message("shortDescription", why);
    json.writeObjectFieldStart("defaultConfiguration");
    json.writeStringField("level", level);
    json.writeEndObject();
    json.writeEndObject();
  }

  private static String level(Severity severity) {
    return severity == Severity.ADVICE ? "note" : severity.toString();
  }

  private void message(String field, String text) throws IOException {
    json.writeObjectFieldStart(field);
    json.writeStringField("text", text);
    json.writeEndObject();
  }

  private void begin(String rule, int index, String level, String text, Place place)
      throws IOException {
    json.writeStartObject();
    json.writeStringField("ruleId", rule);
    json.writeNumberField("ruleIndex", index);
    json.writeStringField("level", level);
    message("message", text);
    json.writeArrayFieldStart("locations");
    json.writeStartObject();
    json.writeObjectFieldStart("physicalLocation");
    json.writeObjectFieldStart("artifactLocation");
    json.writeStringField("uri", uri);
    json.writeEndObject();
    json.writeObjectFieldStart("region");
    json.writeNumberField("startLine", place.line());
    json.writeNumberField("startColumn", place.column());
    json.writeEndObject();
    json.writeEndObject();
    json.writeEndObject();
    json.writeEndArray();
  }

  private void result(Finding finding) throws IOException {
    int index = 1 + Arrays.asList(Code.values()).indexOf(finding.code());
    String cure = finding.cure().summary();
    begin(
        finding.code().toString(),
        index,
        level(finding.severity()),
        finding.message() + ". " + finding.code().why() + " Cure: " + cure + ".",
        finding.place());
    json.writeObjectFieldStart("partialFingerprints");
    json.writeStringField("about/v1", finding.code() + " " + finding.about());
    json.writeEndObject();
    if (finding.accepted() != null) {
      json.writeArrayFieldStart("suppressions");
      json.writeStartObject();
      json.writeStringField("kind", "external");
      json.writeStringField("justification", finding.accepted());
      json.writeEndObject();
      json.writeEndArray();
    }
    json.writeEndObject();
  }
}
