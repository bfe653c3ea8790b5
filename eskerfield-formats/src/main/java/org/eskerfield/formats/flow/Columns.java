// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.literal.Similar;
import org.jspecify.annotations.Nullable;

/** Which column or key of a log has which field of a flow: {@code start=first seen,from=src}. */
public final class Columns {
  /** The fields of a flow that a log may have. */
  enum Field {
    START,
    END,
    DURATION,
    FROM,
    FROM_PORT,
    TO,
    TO_PORT,
    PROTOCOL,
    FLAGS,
    PACKETS,
    BYTES,
    BACK_PACKETS,
    BACK_BYTES,
    FROM_AFTER,
    FROM_PORT_AFTER,
    TO_AFTER,
    TO_PORT_AFTER,
    DEVICE;

    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT).replace('_', '-');
    }
  }

  private static final int LONGEST_HEADER = 1024;
  private static final List<Field> NEEDED = List.of(Field.FROM, Field.TO, Field.PROTOCOL);

  private final Map<Field, String> names;

  private Columns(Map<Field, String> names) {
    this.names = names;
  }

  /**
   * Reads the option.
   *
   * @throws UnusableQuestionException if a field is unknown, named twice or missing
   */
  public static Columns of(String text) throws UnusableQuestionException {
    Map<Field, String> names = new EnumMap<>(Field.class);
    List<String> fields = new ArrayList<>();
    for (Field field : Field.values()) {
      fields.add(field.toString());
    }
    for (String part : text.split(",", -1)) {
      int equals = part.indexOf('=');
      String name = equals < 0 ? part.strip() : part.substring(0, equals).strip();
      String column = equals < 0 ? name : part.substring(equals + 1).strip();
      int at = fields.indexOf(name);
      if (at < 0 || column.isEmpty()) {
        throw wrong(
            at < 0
                ? "'" + name + "' is no field of a flow"
                : "'" + part.strip() + "' names no column",
            Similar.didYouMean(
                name, fields, "write FIELD=COLUMN; fields are " + String.join(", ", fields)));
      }
      if (names.put(Field.values()[at], column) != null) {
        throw wrong("'" + name + "' is there twice", "name each field once");
      }
    }
    for (Field field : NEEDED) {
      if (!names.containsKey(field)) {
        throw wrong("'" + field + "' is missing", "add " + field + "=COLUMN");
      }
    }
    if (!names.containsKey(Field.START) && !names.containsKey(Field.END)) {
      throw wrong("neither 'start' nor 'end' is there", "add start=COLUMN");
    }
    return new Columns(names);
  }

  /**
   * The columns of a log whose header row names the fields themselves.
   *
   * @param in the log, which stays where it is; it can be marked
   * @return null if its first line does not
   */
  public static @Nullable Columns ofHeader(InputStream in) throws IOException {
    in.mark(LONGEST_HEADER);
    String begin = new String(in.readNBytes(LONGEST_HEADER), StandardCharsets.UTF_8);
    in.reset();
    String line = begin.lines().findFirst().orElse("");
    Map<Field, String> names = new EnumMap<>(Field.class);
    for (String name : line.strip().split("\\s*[,;\t]\\s*", -1)) {
      for (Field field : Field.values()) {
        if (field.toString().equals(name)) {
          names.put(field, name);
        }
      }
    }
    return names.keySet().containsAll(NEEDED)
            && (names.containsKey(Field.START) || names.containsKey(Field.END))
        ? new Columns(names)
        : null;
  }

  private static UnusableQuestionException wrong(String message, String remedy) {
    return new UnusableQuestionException("columns", message, remedy);
  }

  /** The name of the column of a field; null where the log does not have it. */
  @Nullable String column(Field field) {
    return names.get(field);
  }

  /** The names of all columns. */
  List<String> all() {
    return List.copyOf(names.values());
  }
}
