// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.nio.charset.StandardCharsets;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.eskerfield.formats.flow.Columns.Field;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * Reads flow records from a log or table, line by line, see {@link LogFields}. Lines that cannot be
 * read are counted, and the first of them shown with their place; a log of which none of the first
 * {@value #MOST_BAD} lines can be read is refused.
 */
public final class LogRecords implements FlowRecords {
  private static final int MOST_BAD = 1000;
  private static final int MOST_SHOWN = 5;
  private static final int LONGEST_LINE = 1 << 16;
  private static final String FLAGS = "FSRPAU";

  private final Site site;
  private final String file;
  private final BufferedReader in;
  private final Columns columns;
  private final LogTimes times;
  private final List<String> bad = new ArrayList<>();
  private @Nullable LogFields form;
  private long line;
  private long number;
  private long unread;

  /**
   * Begins to read.
   *
   * @param site whose hosts may be named instead of their addresses
   * @param file the name that messages call it by
   * @param timeFormat a pattern of {@link java.time.format.DateTimeFormatter}; null for the usual
   *     forms of times
   * @throws UnusableQuestionException if the pattern is none
   */
  public LogRecords(
      Site site, String file, InputStream in, Columns columns, @Nullable String timeFormat)
      throws UnusableQuestionException {
    this.site = site;
    this.file = file;
    this.in = new BufferedReader(new InputStreamReader(in, StandardCharsets.UTF_8), 1 << 16);
    this.columns = columns;
    this.times = new LogTimes(site.timeZone(), timeFormat);
  }

  @Override
  public @Nullable FlowRecord next() throws IOException, UnreadableCaptureException {
    for (String text = read(); text != null; text = read()) {
      if (text.isBlank() || text.startsWith("#")) {
        continue;
      }
      if (form == null) {
        form = LogFields.by(text);
        if (form.hasHeader()) {
          checkHeader(form);
          continue;
        }
      }
      try {
        Map<String, String> values = form.of(text);
        if (values == null) {
          throw new BadLiteralException("it is not in the form of the first line", "");
        }
        return record(values);
      } catch (BadLiteralException | DateTimeException | ArithmeticException e) {
        unread++;
        if (bad.size() < MOST_SHOWN) {
          String why = e instanceof BadLiteralException b ? b.message() : "its time is impossible";
          bad.add("line " + line + ": " + why);
        }
        if (number == 0 && unread == MOST_BAD) {
          throw refused();
        }
      }
    }
    if (number == 0 && unread > 0) {
      throw refused();
    }
    return null;
  }

  private UnreadableCaptureException refused() {
    return new UnreadableCaptureException(
        "no line of " + file + " can be read as a flow; " + String.join("; ", bad),
        "say with --columns which column has what");
  }

  private void checkHeader(LogFields fields) throws UnreadableCaptureException {
    for (String column : columns.all()) {
      if (!fields.header().containsKey(column)) {
        throw new UnreadableCaptureException(
            file + ", line " + line + ": there is no column '" + column + "'",
            Similar.didYouMean(
                column,
                List.copyOf(fields.header().keySet()),
                "the first line names " + String.join(", ", fields.header().keySet())));
      }
    }
  }

  /** A line without its end; of one that is too long its beginning. */
  private @Nullable String read() throws IOException {
    StringBuilder text = new StringBuilder();
    int next = in.read();
    if (next < 0) {
      return null;
    }
    line++;
    for (; next >= 0 && next != '\n'; next = in.read()) {
      if (text.length() < LONGEST_LINE && next != '\r' && next != '\uFEFF') {
        text.append((char) next);
      }
    }
    return text.toString();
  }

  @Override
  public List<String> remarks() {
    if (unread == 0) {
      return List.of();
    }
    List<String> remarks = new ArrayList<>();
    remarks.add(String.format("lines that cannot be read, and were skipped: %,d", unread));
    bad.forEach(each -> remarks.add(file + ", " + each));
    return remarks;
  }

  @Override
  public void close() throws IOException {
    in.close();
  }

  private FlowRecord record(Map<String, String> values) throws BadLiteralException {
    Row row = new Row(values);
    Address source = address(row.needed(Field.FROM));
    Address destination = address(row.needed(Field.TO));
    checkFamilies(source, destination);
    int protocol = protocol(row.needed(Field.PROTOCOL));
    boolean isIcmp = Protocol.isIcmp(protocol);
    int ping = protocol == Protocol.ICMP ? Icmp.ECHO_REQUEST : Icmp.ECHO_REQUEST_V6;
    FlowHeader key =
        new FlowHeader(
            source,
            isIcmp ? 0 : port(row, Field.FROM_PORT),
            destination,
            isIcmp ? 0 : port(row, Field.TO_PORT),
            protocol,
            isIcmp ? ping : Icmp.NO_TYPE,
            0);
    String start = row.given(Field.START);
    String end = row.given(Field.END);
    String lasted = row.given(Field.DURATION);
    Duration duration = lasted == null ? null : duration(lasted);
    Instant last = end == null ? null : times.read(end);
    Instant first =
        start != null
            ? times.read(start)
            : last == null ? null : duration == null ? last : last.minus(duration);
    if (first == null) {
      throw new BadLiteralException("it says neither when the flow began nor when it ended", "");
    }
    if (last == null || last.isBefore(first)) {
      last = duration == null ? first : first.plus(duration);
    }
    return new FlowRecord(
        first,
        last,
        key,
        flags(row),
        new Volume(count(row, Field.PACKETS), count(row, Field.BYTES)),
        new Volume(count(row, Field.BACK_PACKETS), count(row, Field.BACK_BYTES)),
        ++number,
        translated(row, key));
  }

  /** What is not told of the translation was not changed. */
  private @Nullable Translated translated(Row row, FlowHeader key) throws BadLiteralException {
    String from = row.given(Field.FROM_AFTER);
    String to = row.given(Field.TO_AFTER);
    if (from == null && to == null) {
      return null;
    }
    String fromPort = row.given(Field.FROM_PORT_AFTER);
    String toPort = row.given(Field.TO_PORT_AFTER);
    Address source = from == null ? key.source() : address(from);
    Address destination = to == null ? key.destination() : address(to);
    checkFamilies(source, destination);
    FlowHeader after =
        new FlowHeader(
            source,
            fromPort == null || key.isIcmp() ? key.sourcePort() : Literals.port(fromPort),
            destination,
            toPort == null || key.isIcmp() ? key.destinationPort() : Literals.port(toPort),
            key.protocol(),
            key.icmpType(),
            key.icmpCode());
    String device = row.given(Field.DEVICE);
    return new Translated(after, Translated.Event.SESSION, device == null ? "" : device);
  }

  /** The values of a line. */
  private final class Row {
    private final Map<String, String> values;

    Row(Map<String, String> values) {
      this.values = values;
    }

    @Nullable String given(Field field) {
      String column = columns.column(field);
      String value = column == null ? null : values.get(column);
      return value == null || value.isBlank() || value.equals("-") ? null : value.strip();
    }

    String needed(Field field) throws BadLiteralException {
      String value = given(field);
      if (value == null) {
        throw new BadLiteralException("it has no " + field, "");
      }
      return value;
    }
  }

  private Address address(String text) throws BadLiteralException {
    Host host = site.hosts().get(text);
    return host == null ? Literals.address(text) : host.addresses().get(0);
  }

  private static void checkFamilies(Address source, Address destination)
      throws BadLiteralException {
    if (source.family() != destination.family()) {
      throw new BadLiteralException(source + " and " + destination + " are not of one family", "");
    }
  }

  private static int protocol(String text) throws BadLiteralException {
    if (text.matches("[0-9]{1,3}") && Integer.parseInt(text) < 256) {
      return Integer.parseInt(text);
    }
    int number = Protocol.number(text.toLowerCase(Locale.ROOT));
    if (number < 0) {
      throw new BadLiteralException("'" + text + "' is no protocol", "");
    }
    return number;
  }

  private int port(Row row, Field field) throws BadLiteralException {
    String text = row.given(field);
    return text == null ? 0 : Literals.port(text);
  }

  private long count(Row row, Field field) throws BadLiteralException {
    String text = row.given(field);
    if (text == null) {
      return -1;
    }
    if (!text.matches("[0-9]{1,18}")) {
      throw new BadLiteralException(field + ": '" + text + "' is no number", "");
    }
    return Long.parseLong(text);
  }

  /** Plain numbers are seconds. */
  private static Duration duration(String text) throws BadLiteralException {
    if (text.matches("[0-9]{1,9}(\\.[0-9]{1,9})?")) {
      return Duration.ofNanos(Math.round(Double.parseDouble(text) * 1e9));
    }
    Duration read = Times.duration(text);
    if (read == null) {
      throw new BadLiteralException("'" + text + "' is no duration", "");
    }
    return read;
  }

  /** As a number, decimal or hexadecimal, or as letters: {@code SAF}, {@code .A.S.F}. */
  private int flags(Row row) throws BadLiteralException {
    String text = row.given(Field.FLAGS);
    if (text == null) {
      return -1;
    }
    if (text.matches("[0-9]{1,3}")) {
      return Integer.parseInt(text) & 0x3f;
    }
    if (text.matches("0[xX][0-9a-fA-F]{1,4}")) {
      return Integer.parseInt(text.substring(2), 16) & 0x3f;
    }
    int flags = 0;
    for (char each : text.toUpperCase(Locale.ROOT).toCharArray()) {
      int at = FLAGS.indexOf(each);
      if (at < 0 && each != '.' && each != '-') {
        throw new BadLiteralException("'" + text + "' are no TCP flags", "");
      }
      flags |= at < 0 ? 0 : Packet.FIN << at;
    }
    return flags;
  }
}
