// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.StringReader;
import java.util.Map;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.CharRange;
import net.jqwik.api.constraints.Chars;
import org.apache.commons.csv.CSVFormat;
import org.eskerfield.formats.UnusableQuestionException;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** Templates: what strangers wrote into a site stays text in what is made of it. */
class PolicyTemplateTest {
  private static String rendered(String template, String text) throws Exception {
    return PolicyTemplate.render(template, Map.of("x", text));
  }

  /** No field begins as a formula does, and each reads back as it was, less one apostrophe. */
  @Property(tries = 2_000, seed = "20260105")
  void fieldsOfCsvAreNoFormulas(
      @ForAll
          @Chars({'=', '+', '-', '@', '\t', '\r', '\n', '\'', '"', ',', ';', '＝', ' '})
          @CharRange(from = 'a', to = 'c')
          String text)
      throws Exception {
    String line = rendered("{{#csv}}{{{x}}}{{/csv}},end", text);
    String field = CSVFormat.RFC4180.parse(new StringReader(line)).getRecords().get(0).get(0);
    assertThat(field.isEmpty() ? "" : field.substring(0, 1))
        .isNotIn("=", "+", "-", "@", "\t", "\r", "＝");
    assertThat(field.startsWith("'") ? field.substring(1) : field).isEqualTo(text);
  }

  @Test
  void cellsOfTablesStayCells() throws Exception {
    Map<String, String> cells =
        Map.of(
            "a|b", "a\\|b",
            "a\\|b", "a\\\\\\|b",
            "<script>", "&lt;script>",
            "two\n lines", "two lines",
            "\u001b[2J", "\\\\u001b[2J");
    for (Map.Entry<String, String> each : cells.entrySet()) {
      assertThat(rendered("{{#cell}}{{{x}}}{{/cell}}", each.getKey())).isEqualTo(each.getValue());
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "{{}}",
        "{{",
        "{{{",
        "{{#x}}",
        "{{/x}}",
        "{{=}}",
        "{{= =}}",
        "{{>x}}",
        "{{nothing}}",
        "{{&}}"
      })
  void oddTemplatesAreNoFaults(String template) {
    try {
      assertThat(rendered(template, "x")).isEqualTo(template); // some are no tags, but text
    } catch (Exception e) {
      assertThat(e).isInstanceOf(UnusableQuestionException.class).hasMessageMatching("[^\n]+");
    }
  }
}
