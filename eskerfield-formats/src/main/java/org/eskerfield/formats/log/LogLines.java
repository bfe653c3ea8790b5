// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.log;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.time.format.DateTimeFormatter;
import java.util.Locale;
import org.eskerfield.model.Named;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.LogEntry;
import org.jspecify.annotations.Nullable;

/** Writes lines of a log in open formats. */
public final class LogLines {
  private static final JsonFactory FACTORY = new JsonFactory();

  /** Facility "local use 0" of RFC 5424 section 6.2.1. */
  private static final int FACILITY = 16;

  /** The element of our own fields; 32473 is the enterprise number for documents (RFC 5612). */
  private static final String ELEMENT = "flow@32473";

  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("uuuu-MM-dd'T'HH:mm:ss.SSSXXX", Locale.ROOT);

  private LogLines() {}

  /** A message of the Syslog Protocol, RFC 5424, without a line break. */
  public static String rfc5424(LogEntry entry) {
    int severity = // warning, notice, informational
        switch (entry.done()) {
          case EXHAUSTED -> 4;
          case DROPPED, REJECTED -> 5;
          case ACCEPTED -> 6;
        };
    Header header = entry.decision().before();
    StringBuilder line = new StringBuilder(256);
    line.append('<').append(FACILITY * 8 + severity).append(">1 ");
    line.append(TIME.format(entry.at())).append(' ').append(printable(entry.device()));
    line.append(" eskerfield - ").append(entry.done()).append(" [").append(ELEMENT);
    parameter(line, "list", entry.list() == null ? null : entry.list().name());
    parameter(line, "rule", rule(entry));
    parameter(line, "proto", Protocol.name(header.protocol()));
    parameter(line, "src", header.source().toString());
    parameter(line, "dst", header.destination().toString());
    if (Protocol.hasPorts(header.protocol())) {
      parameter(line, "sport", Integer.toString(header.sourcePort()));
      parameter(line, "dport", Integer.toString(header.destinationPort()));
    }
    // Text in UTF-8 begins with a byte order mark (section 6.4).
    return line.append("] \ufeff").append(entry.decision().text()).toString();
  }

  private static @Nullable String rule(LogEntry entry) {
    return entry.decision().by() instanceof Named named ? named.name() : null;
  }

  /** A name of printable ASCII characters, as the header of a message wants it (section 6.2.4). */
  private static String printable(String name) {
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < name.length(); i++) {
      char c = name.charAt(i);
      text.append(c > ' ' && c < 127 ? c : '_');
    }
    return text.toString();
  }

  private static void parameter(StringBuilder line, String name, @Nullable String value) {
    if (value != null) {
      line.append(' ').append(name).append("=\"");
      line.append(value.replaceAll("([\"\\\\\\]])", "\\\\$1")).append('"');
    }
  }

  /** One JSON object (RFC 8259), without a line break. */
  public static String json(LogEntry entry) {
    StringWriter text = new StringWriter();
    Header header = entry.decision().before();
    try (JsonGenerator json = FACTORY.createGenerator(text)) {
      json.writeStartObject();
      json.writeStringField("at", TIME.format(entry.at()));
      json.writeStringField("device", entry.device());
      json.writeStringField("done", entry.done().toString());
      json.writeStringField("list", entry.list() == null ? null : entry.list().name());
      json.writeStringField("rule", rule(entry));
      if (entry.decision().by() == null) {
        json.writeNullField("line");
      } else {
        json.writeNumberField("line", entry.decision().by().place().line());
      }
      json.writeStringField("protocol", Protocol.name(header.protocol()));
      json.writeStringField("source", header.source().toString());
      json.writeStringField("destination", header.destination().toString());
      if (Protocol.hasPorts(header.protocol())) {
        json.writeNumberField("sourcePort", header.sourcePort());
        json.writeNumberField("destinationPort", header.destinationPort());
      }
      json.writeStringField("text", entry.decision().text());
      json.writeEndObject();
    } catch (IOException e) {
      throw new UncheckedIOException("writing to memory does not fail", e);
    }
    return text.toString();
  }
}
