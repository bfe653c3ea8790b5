// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.traffic;

import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.UncheckedIOException;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.CodingErrorAction;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Iterator;
import java.util.List;
import org.apache.commons.csv.CSVException;
import org.apache.commons.csv.CSVFormat;
import org.apache.commons.csv.CSVParser;
import org.apache.commons.csv.CSVRecord;
import org.apache.commons.csv.DuplicateHeaderMode;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.program.Row;
import org.jspecify.annotations.Nullable;

/** Rows of CSV (RFC 4180) with a header row. */
final class CsvRows implements TrafficRows {
  private final String file;
  private final CSVParser parser;
  private final Iterator<CSVRecord> records;
  private final RowLimit limit;
  private long line = 1;

  CsvRows(String file, InputStream in, Names names) throws UnreadableSiteException, IOException {
    this.file = file;
    this.limit = new RowLimit(in);
    InputStreamReader text =
        new InputStreamReader(
            limit,
            StandardCharsets.UTF_8
                .newDecoder()
                .onMalformedInput(CodingErrorAction.REPORT)
                .onUnmappableCharacter(CodingErrorAction.REPORT));
    CSVFormat format =
        CSVFormat.RFC4180
            .builder()
            .setHeader()
            .setDuplicateHeaderMode(DuplicateHeaderMode.DISALLOW)
            .setSkipHeaderRecord(true)
            .setIgnoreSurroundingSpaces(true)
            .setIgnoreEmptyLines(true)
            .setCommentMarker('#')
            .get();
    String remedy =
        "begin with: "
            + String.join(",", names.needed())
            + " and, where wanted, "
            + String.join(",", names.optional());
    try {
      parser = CSVParser.builder().setReader(text).setFormat(format).get();
    } catch (CharacterCodingException e) {
      throw TrafficReader.problem(file, 1, "the file is not UTF-8", "save it as UTF-8");
    } catch (IOException e) {
      if (limit.isExceeded()) {
        throw TrafficReader.problem(file, 1, RowLimit.MESSAGE, RowLimit.REMEDY);
      }
      if (e instanceof CSVException) {
        throw TrafficReader.problem(
            file, 1, "the header row cannot be read as CSV", "check its quotes; " + remedy);
      }
      throw e;
    } catch (IllegalArgumentException e) {
      throw TrafficReader.problem(
          file, 1, "the header row cannot be used: " + e.getMessage(), remedy);
    }
    records = parser.iterator();
    for (String name : parser.getHeaderNames()) {
      if (!names.has(name)) {
        List<String> known = new ArrayList<>(names.needed());
        known.addAll(names.optional());
        throw TrafficReader.problem(
            file, 1, "unknown column '" + name + "'", Similar.didYouMean(name, known, remedy));
      }
    }
    for (String name : names.needed()) {
      if (!parser.getHeaderNames().contains(name)) {
        throw TrafficReader.problem(
            file, 1, "the header row lacks the column '" + name + "'", remedy);
      }
    }
  }

  @Override
  public @Nullable Row next() throws UnreadableSiteException {
    line = parser.getCurrentLineNumber() + 1;
    limit.ended();
    CSVRecord row;
    try {
      if (!records.hasNext()) {
        return null;
      }
      row = records.next();
    } catch (UncheckedIOException | IllegalStateException e) {
      if (limit.isExceeded()) {
        throw TrafficReader.problem(file, line, RowLimit.MESSAGE, RowLimit.REMEDY);
      }
      throw TrafficReader.problem(
          file, line, "the line cannot be read as CSV", "check its quotes and encoding");
    }
    line = parser.getCurrentLineNumber();
    if (!row.isConsistent()) {
      throw TrafficReader.problem(
          file,
          line,
          "the line has "
              + row.size()
              + " values, the header row "
              + parser.getHeaderNames().size(),
          "give each column a value; it may be empty");
    }
    return name -> row.isMapped(name) ? row.get(name) : "";
  }

  @Override
  public long line() {
    return line;
  }

  @Override
  public void close() throws IOException {
    parser.close();
  }
}
