package org.eskerfield.formats;

import java.io.Closeable;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.UncheckedIOException;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.CodingErrorAction;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Iterator;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.apache.commons.csv.CSVFormat;
import org.apache.commons.csv.CSVParser;
import org.apache.commons.csv.CSVRecord;
import org.apache.commons.csv.DuplicateHeaderMode;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Question;
import org.jspecify.annotations.Nullable;

/**
 * Reads traffic from CSV (RFC 4180) with a header row, line by line: a file of any length takes the
 * memory of one line.
 *
 * <p>The columns, in any order: {@code at}, the time since the start, such as {@code 90s} or {@code
 * 2h4m}, never less than the line before; {@code from}, {@code to}, {@code service} as a trace
 * takes them; {@code source-port}, optional; {@code do}, optional: {@code open} (if left out) or
 * {@code close}, which ends a TCP connection that was opened with the same values.
 */
public final class TrafficReader implements Closeable {
  private static final List<String> NEEDED = List.of("at", "from", "to", "service");
  private static final List<String> OPTIONAL = List.of("source-port", "do");
  private static final Pattern TIME =
      Pattern.compile(
          "(?:(\\d{1,4})d)?(?:(\\d{1,6})h)?(?:(\\d{1,6})m)?(?:(\\d{1,9})(?:\\.(\\d{1,3}))?s)?");

  /**
   * One line.
   *
   * @param at the time since the start of the run
   * @param question who sends what to whom
   * @param closes whether the connection is closed instead of opened
   */
  public record Flow(Duration at, Question question, boolean closes) {}

  private final Site site;
  private final String file;
  private final CSVParser parser;
  private final Iterator<CSVRecord> records;
  private Duration last = Duration.ZERO;

  private TrafficReader(Site site, String file, CSVParser parser) {
    this.site = site;
    this.file = file;
    this.parser = parser;
    this.records = parser.iterator();
  }

  /**
   * Begins to read.
   *
   * @param file the name that messages call it by
   * @throws UnreadableSiteException if the header row is not as it should be
   * @throws IOException if the stream fails
   */
  public static TrafficReader open(Site site, String file, InputStream in)
      throws UnreadableSiteException, IOException {
    InputStreamReader text =
        new InputStreamReader(
            in,
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
    CSVParser parser;
    try {
      parser = CSVParser.builder().setReader(text).setFormat(format).get();
    } catch (CharacterCodingException e) {
      throw problem(file, 1, "the file is not UTF-8", "save it as UTF-8");
    } catch (IllegalArgumentException e) {
      throw problem(file, 1, "the header row cannot be used: " + e.getMessage(), header());
    }
    List<String> names = parser.getHeaderNames();
    for (String name : names) {
      if (!NEEDED.contains(name) && !OPTIONAL.contains(name)) {
        List<String> known = new ArrayList<>(NEEDED);
        known.addAll(OPTIONAL);
        throw problem(
            file, 1, "unknown column '" + name + "'", Similar.didYouMean(name, known, header()));
      }
    }
    for (String name : NEEDED) {
      if (!names.contains(name)) {
        throw problem(file, 1, "the header row lacks the column '" + name + "'", header());
      }
    }
    return new TrafficReader(site, file, parser);
  }

  private static String header() {
    return "begin with: at,from,to,service and, where wanted, source-port,do";
  }

  private static UnreadableSiteException problem(
      String file, long line, String message, String remedy) {
    Place place = new Place(file, (int) line, 1);
    return new UnreadableSiteException(file, List.of(new Problem(place, message, remedy, "")));
  }

  /**
   * The next line.
   *
   * @return null at the end
   * @throws UnreadableSiteException if the line cannot be used
   */
  public @Nullable Flow next() throws UnreadableSiteException {
    long line = parser.getCurrentLineNumber() + 1;
    CSVRecord row;
    try {
      if (!records.hasNext()) {
        return null;
      }
      row = records.next();
    } catch (UncheckedIOException | IllegalStateException e) {
      throw problem(file, line, "the line cannot be read as CSV", "check its quotes and encoding");
    }
    line = parser.getCurrentLineNumber();
    if (!row.isConsistent()) {
      throw problem(
          file,
          line,
          "the line has "
              + row.size()
              + " values, the header row "
              + parser.getHeaderNames().size(),
          "give each column a value; it may be empty");
    }
    Duration at = time(row.get("at"), line);
    if (at.compareTo(last) < 0) {
      throw problem(
          file,
          line,
          "the time " + row.get("at") + " is before that of the line above",
          "sort the lines by time");
    }
    last = at;
    String action = optional(row, "do");
    if (!action.isEmpty() && !action.equals("open") && !action.equals("close")) {
      throw problem(file, line, "'" + action + "' is nothing to do", "write open or close");
    }
    try {
      QuestionReader question =
          QuestionReader.on(site)
              .from(row.get("from"))
              .to(row.get("to"))
              .service(row.get("service"));
      String port = optional(row, "source-port");
      if (!port.isEmpty()) {
        question.sourcePort(Literals.port(port));
      }
      return new Flow(at, question.read(), action.equals("close"));
    } catch (UnusableQuestionException e) {
      throw problem(file, line, e.part() + ": " + e.getMessage(), e.remedy());
    } catch (BadLiteralException e) {
      throw problem(file, line, "source-port: " + e.message(), e.remedy());
    }
  }

  private static String optional(CSVRecord row, String name) {
    return row.isMapped(name) ? row.get(name) : "";
  }

  private Duration time(String text, long line) throws UnreadableSiteException {
    Duration time = duration(text);
    if (time == null) {
      throw problem(
          file, line, "'" + text + "' is no time since the start", "write 0s, 90s, 5m or 2h4m");
    }
    return time;
  }

  /** A duration such as {@code 2h4m} or {@code 1.5s}; null if the text is none. */
  public static @Nullable Duration duration(String text) {
    Matcher matcher = TIME.matcher(text.strip());
    if (text.isBlank() || !matcher.matches()) {
      return null;
    }
    String millis = matcher.group(5) == null ? "0" : (matcher.group(5) + "00").substring(0, 3);
    return Duration.ofDays(number(matcher.group(1)))
        .plusHours(number(matcher.group(2)))
        .plusMinutes(number(matcher.group(3)))
        .plusSeconds(number(matcher.group(4)))
        .plusMillis(number(millis));
  }

  private static long number(@Nullable String digits) {
    return digits == null ? 0 : Long.parseLong(digits);
  }

  @Override
  public void close() throws IOException {
    parser.close();
  }
}
