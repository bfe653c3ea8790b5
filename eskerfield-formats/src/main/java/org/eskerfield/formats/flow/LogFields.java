// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonToken;
import java.io.IOException;
import java.util.HashMap;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.apache.commons.csv.CSVFormat;
import org.apache.commons.csv.CSVParser;
import org.apache.commons.csv.CSVRecord;
import org.jspecify.annotations.Nullable;

/**
 * The named values of a line of a log, in whichever form it has: JSON objects, one a line; the
 * Syslog Protocol (RFC 5424) or any text, with {@code key=value} or {@code key="value"}; or CSV
 * (RFC 4180) with a header row, its values between commas, semicolons or tabs.
 */
final class LogFields {
  private static final Pattern PAIR =
      Pattern.compile("([A-Za-z0-9_.@/-]+)=(?:\"((?:[^\"\\\\]|\\\\.)*)\"|([^\\s,;\\]]*))");
  private static final Pattern SYSLOG = Pattern.compile("<\\d{1,3}>1 (\\S+) (\\S+) .*");
  private static final JsonFactory JSON = new JsonFactory();
  private static final int DEEPEST = 20;

  private final @Nullable CSVFormat csv;
  private final Map<String, Integer> header;

  private final int width;

  private LogFields(@Nullable CSVFormat csv, Map<String, Integer> header, int width) {
    this.csv = csv;
    this.header = header;
    this.width = width;
  }

  /** The form of a log, by its first line that is not empty. */
  static LogFields by(String first) {
    String line = first.strip();
    if (line.startsWith("{")
        || SYSLOG.matcher(line).matches()
        || (PAIR.matcher(line).find() && line.indexOf('=') > 0)) {
      return new LogFields(null, Map.of(), 0);
    }
    char[] separators = {',', ';', '\t'};
    char most = ',';
    for (char each : separators) {
      most = count(line, each) > count(line, most) ? each : most;
    }
    CSVFormat csv =
        CSVFormat.RFC4180
            .builder()
            .setDelimiter(most)
            .setIgnoreSurroundingSpaces(most != '\t')
            .get();
    Map<String, Integer> header = new HashMap<>();
    CSVRecord names = record(csv, line);
    for (int i = 0; names != null && i < names.size(); i++) {
      header.putIfAbsent(names.get(i), i);
    }
    return new LogFields(csv, header, names == null ? 0 : names.size());
  }

  private static long count(String line, char separator) {
    return line.chars().filter(each -> each == separator).count();
  }

  /** Whether the first line has names rather than values. */
  boolean hasHeader() {
    return csv != null;
  }

  /** The names of the header row. */
  Map<String, Integer> header() {
    return header;
  }

  /** The values of a line by their names; null if it cannot be read. */
  @Nullable Map<String, String> of(String line) {
    if (csv != null) {
      CSVRecord record = record(csv, line);
      if (record == null || record.size() != width) {
        return null;
      }
      Map<String, String> values = new HashMap<>();
      header.forEach((name, at) -> values.put(name, record.get(at)));
      return values;
    }
    String text = line.strip();
    return text.startsWith("{") ? json(text) : pairs(text);
  }

  private static @Nullable CSVRecord record(CSVFormat csv, String line) {
    try (CSVParser parser = CSVParser.parse(line, csv)) {
      for (CSVRecord record : parser) {
        return record;
      }
      return null;
    } catch (IOException | RuntimeException e) {
      return null; // told with its place by whoever reads the lines
    }
  }

  private static Map<String, String> pairs(String line) {
    Map<String, String> values = new HashMap<>();
    Matcher syslog = SYSLOG.matcher(line);
    if (syslog.matches()) {
      values.put("timestamp", syslog.group(1));
      values.put("hostname", syslog.group(2));
    }
    Matcher pair = PAIR.matcher(line);
    while (pair.find()) {
      String quoted = pair.group(2);
      values.putIfAbsent(
          pair.group(1), quoted == null ? pair.group(3) : quoted.replaceAll("\\\\(.)", "$1"));
    }
    return values;
  }

  /** Keys of inner objects follow on those of the outer one after a dot. */
  private static @Nullable Map<String, String> json(String line) {
    Map<String, String> values = new HashMap<>();
    String[] names = new String[DEEPEST];
    int depth = 0;
    try (JsonParser parser = JSON.createParser(line)) {
      if (parser.nextToken() != JsonToken.START_OBJECT) {
        return null;
      }
      for (JsonToken token = parser.nextToken(); token != null; token = parser.nextToken()) {
        switch (token) {
          case FIELD_NAME ->
              names[depth] =
                  depth == 0 ? parser.currentName() : names[depth - 1] + "." + parser.currentName();
          case START_OBJECT -> {
            if (++depth == DEEPEST) {
              return null;
            }
          }
          case END_OBJECT -> {
            if (--depth < 0) {
              return parser.nextToken() == null ? values : null;
            }
          }
          case START_ARRAY -> parser.skipChildren();
          default -> values.put(names[depth], parser.getText());
        }
      }
      return null;
    } catch (IOException e) {
      return null; // told with its place by whoever reads the lines
    }
  }
}
