// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import org.eskerfield.formats.site.edit.SiteText.UneditableException;
import org.eskerfield.words.Printable;

/** How values that an edit brings are written as YAML. */
final class YamlValues {
  private final String lineBreak;

  /**
   * @param lineBreak how the lines of the file end
   */
  YamlValues(String lineBreak) {
    this.lineBreak = lineBreak;
  }

  private static final int LONGEST_KEY = 1000;

  /** Text that YAML would take for something else, or that holds what means something to it. */
  private static final Pattern NEEDS_QUOTES =
      Pattern.compile(
          "^$|^[\\s\\-?:,\\[\\]{}#&*!|>'\"%@`].*|.*[:#,\\[\\]{}].*|.*\\s$|"
              + "(?i)true|false|null|yes|no|on|off|~");

  /** Ports, addresses of both families and the like hold a colon, but no blank behind it. */
  private static final Pattern PLAIN_ALL_THE_SAME = Pattern.compile("[\\w./-]+(:[\\w./-]+)*+");

  String item(Object item, int indent, boolean lines) {
    if (!lines || !(item instanceof Map<?, ?> map)) {
      return flow(item);
    }
    List<String> written = new ArrayList<>();
    map.forEach((key, value) -> written.add(name(key) + ": " + flow(value)));
    return String.join(lineBreak + " ".repeat(indent + 2), written);
  }

  /** A value behind its key: a map and a list of maps in lines, all else in the same line. */
  String block(Object value, int indent) {
    String start = lineBreak + " ".repeat(indent);
    StringBuilder out = new StringBuilder();
    if (value instanceof Map<?, ?> map) {
      map.forEach(
          (key, each) ->
              out.append(start)
                  .append(name(key))
                  .append(':')
                  .append(each instanceof List<?> ? block(each, indent + 2) : " " + flow(each)));
      return out.toString();
    }
    if (value instanceof List<?> list && list.stream().allMatch(each -> each instanceof Map)) {
      for (Object each : list) {
        out.append(start).append("- ").append(item(each, indent, /* lines= */ true));
      }
      return out.toString();
    }
    return " " + flow(value);
  }

  /** A key. YAML has none longer than 1,024 characters in a line. */
  static String name(Object key) {
    String written = flow(key);
    if (written.length() > LONGEST_KEY) {
      throw new UneditableException("a name of more than " + LONGEST_KEY + " characters is none");
    }
    return written;
  }

  static String flow(Object value) {
    if (value instanceof Map<?, ?> map) {
      List<String> written = new ArrayList<>();
      map.forEach((key, each) -> written.add(name(key) + ": " + flow(each)));
      return "{ " + String.join(", ", written) + " }";
    }
    if (value instanceof List<?> list) {
      return "[" + String.join(", ", list.stream().map(YamlValues::flow).toList()) + "]";
    }
    String text = value.toString();
    if (value instanceof Boolean || value instanceof Number) {
      return text;
    }
    if (Printable.firstThatIsNot(text) >= 0) { // line breaks, and what only notes may hold
      String escaped = text.replace("\\", "\\\\").replace("\"", "\\\"").replace("\n", "\\n");
      return '"' + Printable.escaped(escaped) + '"';
    }
    return NEEDS_QUOTES.matcher(text).matches() && !PLAIN_ALL_THE_SAME.matcher(text).matches()
        ? "'" + text.replace("'", "''") + "'"
        : text;
  }
}
