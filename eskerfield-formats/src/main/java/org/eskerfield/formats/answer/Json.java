// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.util.DefaultIndenter;
import com.fasterxml.jackson.core.util.DefaultPrettyPrinter;
import java.io.IOException;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.util.Collection;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** Writes answers as JSON (RFC 8259). Their shapes are fixed by the schemas. */
public final class Json {
  private static final JsonFactory FACTORY = new JsonFactory();

  private Json() {}

  /**
   * An answer, indented: maps become objects in their order, lists arrays, null is null, and what
   * is neither a number nor a truth value is written as text; with a line break at the end.
   */
  public static String of(Object answer) {
    DefaultIndenter indenter = new DefaultIndenter("  ", "\n");
    return written(
            answer,
            new DefaultPrettyPrinter().withObjectIndenter(indenter).withArrayIndenter(indenter))
        + '\n';
  }

  /** The same in one line, without a line break. */
  public static String line(Object answer) {
    return written(answer, null);
  }

  private static String written(Object answer, @Nullable DefaultPrettyPrinter printer) {
    StringWriter text = new StringWriter();
    try (JsonGenerator json = FACTORY.createGenerator(text)) {
      json.setPrettyPrinter(printer);
      write(json, answer);
    } catch (IOException e) {
      throw new UncheckedIOException("writing to memory does not fail", e);
    }
    return text.toString();
  }

  private static void write(JsonGenerator json, @Nullable Object value) throws IOException {
    if (value instanceof Map<?, ?> map) {
      json.writeStartObject();
      for (Map.Entry<?, ?> entry : map.entrySet()) {
        json.writeFieldName(String.valueOf(entry.getKey()));
        write(json, entry.getValue());
      }
      json.writeEndObject();
    } else if (value instanceof Collection<?> list) {
      json.writeStartArray();
      for (Object item : list) {
        write(json, item);
      }
      json.writeEndArray();
    } else if (value instanceof Boolean truth) {
      json.writeBoolean(truth);
    } else if (value instanceof Integer || value instanceof Long || value instanceof BigInteger) {
      json.writeNumber(value.toString());
    } else if (value instanceof BigDecimal number) {
      json.writeNumber(number.toPlainString());
    } else if (value == null) {
      json.writeNull();
    } else {
      json.writeString(value.toString());
    }
  }
}
