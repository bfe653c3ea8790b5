// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import com.samskivert.mustache.Mustache;
import com.samskivert.mustache.MustacheException;
import com.samskivert.mustache.Template;
import java.io.IOException;
import java.io.InputStream;
import java.io.Reader;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.words.Printable;
import org.jspecify.annotations.Nullable;

/**
 * A template that renders a policy as somebody wants it: the Mustache language, without logic and
 * without access to anything but the data of {@link ExplainData}. Nothing is escaped by itself; the
 * sections {@code csv} and {@code cell} do so for a field of CSV (RFC 4180) and for a cell of a
 * Markdown table. A name that the data do not have is an error, so that a slip is no empty line.
 */
public final class PolicyTemplate {
  /** The templates that come with Eskerfield. */
  public enum Shipped {
    /** A work sheet for entering the policy by hand, in Markdown. */
    WORKSHEET("worksheet.md"),
    /** Every rule as a line of CSV. */
    RULES("rules.csv");

    private final String file;

    Shipped(String file) {
      this.file = file + ".mustache";
    }

    /** The text of the template, as a start for one's own. */
    public String text() {
      try (InputStream in = PolicyTemplate.class.getResourceAsStream(file)) {
        return new String(Objects.requireNonNull(in, file).readAllBytes(), StandardCharsets.UTF_8);
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
  }

  private PolicyTemplate() {}

  /**
   * Renders data.
   *
   * @param template the text of the template
   * @param data from {@link ExplainData}
   * @throws UnusableQuestionException if the template has a mistake, or names what there is not
   */
  public static String render(String template, Map<String, @Nullable Object> data)
      throws UnusableQuestionException {
    Map<String, @Nullable Object> all = new LinkedHashMap<>(data);
    Mustache.Lambda csv = (part, out) -> out.write(csv(part.execute()));
    Mustache.Lambda cell = (part, out) -> out.write(cell(part.execute()));
    all.put("csv", csv);
    all.put("cell", cell);
    try {
      Template compiled =
          Mustache.compiler()
              .escapeHTML(false)
              .nullValue("")
              .withLoader(PolicyTemplate::none)
              .compile(template);
      return compiled.execute(all);
    } catch (MustacheException e) {
      throw unusable(Objects.toString(e.getMessage()));
    } catch (RuntimeException | StackOverflowError e) { // it fails so over odd templates: {{}}
      throw unusable("this is no template: its tags are not as they should be");
    }
  }

  private static UnusableQuestionException unusable(String message) {
    return new UnusableQuestionException(
        "template", message, "the names that a template may use are in docs/templates.md");
  }

  private static Reader none(String name) {
    throw new MustacheException("A template cannot include another one: '" + name + "'");
  }

  /** What a spreadsheet takes for the beginning of something to work out, and what wards it off. */
  private static final String FORMULAS = "=+-@\t\r\uff1d\uff0b\uff0d\uff20'";

  /**
   * A field. One that a spreadsheet would work out, or that begins with an apostrophe, gets an
   * apostrophe in front, so that whoever reads it takes one away from a field that has one.
   */
  private static String csv(String text) {
    String safe = !text.isEmpty() && FORMULAS.indexOf(text.charAt(0)) >= 0 ? "'" + text : text;
    boolean quotes =
        safe.chars().anyMatch(c -> ",;\"\n\r\t".indexOf(c) >= 0) || !safe.strip().equals(safe);
    return quotes ? "\"" + safe.replace("\"", "\"\"") + "\"" : safe;
  }

  private static String cell(String text) {
    return Printable.line(text)
        .replace("\\", "\\\\")
        .replace("|", "\\|")
        .replace("&", "&amp;")
        .replace("<", "&lt;");
  }
}
