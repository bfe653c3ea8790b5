// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.traffic;

import java.io.Closeable;
import java.io.IOException;
import java.io.InputStream;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import org.eskerfield.formats.Problem;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.model.Host;
import org.eskerfield.model.Named;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.jspecify.annotations.Nullable;

/**
 * Reads traffic from CSV (RFC 4180) with a header row, or from a YAML list of mappings, flow by
 * flow: a file of any length takes the memory of one.
 *
 * <p>The columns or keys, in any order: {@code at}, the time since the start, such as {@code 90s}
 * or {@code 2h4m}, never less than that of the flow before; {@code from}, {@code to}, {@code
 * service} as a trace takes them; {@code source-port}, optional; {@code size}, optional, in bytes,
 * and {@code may-fragment}, {@code true} or {@code false}; {@code do}, optional: {@code open} (if
 * left out); {@code close}, which ends a TCP connection that was opened with the same values; or
 * one of the modes of {@link FileTransfer.Mode}, which opens a data connection on a control
 * connection that was opened with the same values; {@code forget}, {@code restart} or {@code save},
 * which needs no more than {@code from}, the device or host, and that only where it is not every
 * device; {@code data-port}, optional, the port that is announced for it.
 */
public final class TrafficReader implements Closeable {
  /** The port that is announced for a data connection where none is named. */
  public static final int DEFAULT_DATA_PORT = 50020;

  private static final String OPEN = "open";
  private static final String CLOSE = "close";
  private static final String FORGET = "forget";
  private static final String RESTART = "restart";
  private static final String SAVE = "save";
  private static final int MOST_KNOWN = 10_000;
  private static final String DO = "do";
  private static final TrafficRows.Names NAMES =
      new TrafficRows.Names(
          names("at", "from", "to", "service"),
          names("source-port", "size", "may-fragment", "do", "data-port"),
          DO);

  private static Set<String> names(String... names) {
    return new LinkedHashSet<>(Arrays.asList(names));
  }

  /** A line of traffic: a flow, or something that befalls a device. */
  public sealed interface Entry permits Flow, Incident {
    /** The time since the start of the run. */
    Duration at();
  }

  /**
   * A device forgets.
   *
   * @param at the time since the start of the run
   * @param what the incident
   * @param who the device, or the host whose sessions and bindings are forgotten everywhere; null
   *     for every device
   */
  public record Incident(Duration at, Kind what, @Nullable Named who) implements Entry {
    /** The incidents of a device. */
    public enum Kind {
      /** The device forgets its state. */
      FORGETS("forgotten"),
      /** It is restarted, after which freed ports do not rest either. */
      RESTARTS("restarted"),
      /** It is told to save what it does. */
      SAVES("saved");

      private final String word;

      Kind(String word) {
        this.word = word;
      }

      /** The word for the incident. */
      @Override
      public String toString() {
        return word;
      }
    }

    /** Lets it happen. */
    public void happen(Run run) {
      List<String> devices =
          who == null ? List.copyOf(run.site().devices().keySet()) : List.of(who.name());
      if (who instanceof Host host) {
        run.forget(host);
        return;
      }
      switch (what) {
        case FORGETS -> devices.forEach(run::forget);
        case RESTARTS -> devices.forEach(run::clear);
        case SAVES -> devices.forEach(run::save);
      }
    }

    /** In words: {@code forgets: skerry}. */
    @Override
    public String toString() {
      String of = who == null ? "everything" : who.name();
      return switch (what) {
        case FORGETS -> "forgotten: " + of;
        case RESTARTS -> "restart of " + of;
        case SAVES -> "saved: " + of;
      };
    }
  }

  /**
   * One flow.
   *
   * @param at the time since the start of the run
   * @param question the packet that opens the flow
   * @param closes whether the connection is closed instead of opened
   * @param transfer which data connection is opened on it; null for none
   * @param dataPort the port that is announced for that, 1 to 65535
   */
  public record Flow(
      Duration at,
      Question question,
      boolean closes,
      FileTransfer.@Nullable Mode transfer,
      int dataPort)
      implements Entry {}

  private Site site;
  private final String file;
  private final TrafficRows rows;
  private Duration last = Duration.ZERO;
  private TrafficRows.@Nullable Row row;
  private boolean ended;

  /** Questions that were asked before, since traffic repeats itself. */
  private final Map<String, Question> known =
      new LinkedHashMap<>(16, 0.75f, true) {
        @Override
        protected boolean removeEldestEntry(Map.Entry<String, Question> eldest) {
          return size() > MOST_KNOWN;
        }
      };

  private TrafficReader(Site site, String file, TrafficRows rows) {
    this.site = site;
    this.file = file;
    this.rows = rows;
  }

  /**
   * Begins to read: YAML if the name ends in {@code .yaml} or {@code .yml}, else CSV.
   *
   * @param file the name that messages call it by
   * @throws UnreadableSiteException if the header row is wrong
   * @throws IOException if the stream fails
   */
  public static TrafficReader open(Site site, String file, InputStream in)
      throws UnreadableSiteException, IOException {
    String name = file.toLowerCase(Locale.ROOT);
    boolean yaml = name.endsWith(".yaml") || name.endsWith(".yml");
    return new TrafficReader(
        site, file, yaml ? new YamlRows(file, in, NAMES) : new CsvRows(file, in, NAMES));
  }

  static UnreadableSiteException problem(String file, long line, String message, String remedy) {
    Place place = new Place(file, (int) Math.min(line, Integer.MAX_VALUE), 1);
    return new UnreadableSiteException(file, List.of(new Problem(place, message, remedy, "")));
  }

  /** From now on names, hosts and addresses are those of another description of the site. */
  public void goOnWith(Site changed) {
    site = changed;
    known.clear();
  }

  /**
   * When the next entry happens, which is read, but not yet understood: a change of the site may
   * come before it.
   *
   * @return null at the end
   * @throws UnreadableSiteException if the line is no row, or its time cannot be used
   */
  public @Nullable Duration ahead() throws UnreadableSiteException {
    if (row == null && !ended) {
      row = rows.next();
      ended = row == null;
      if (row != null) {
        Duration at = time(row.get("at"), rows.line());
        if (at.compareTo(last) < 0) {
          throw problem(
              file,
              rows.line(),
              "the time " + row.get("at") + " is before that of the flow above",
              "sort the flows by time");
        }
        last = at;
      }
    }
    return row == null ? null : last;
  }

  /**
   * The next entry.
   *
   * @return null at the end
   * @throws UnreadableSiteException if the line cannot be used
   */
  public @Nullable Entry next() throws UnreadableSiteException {
    Duration at = ahead();
    TrafficRows.Row given = row;
    if (at == null || given == null) {
      return null;
    }
    row = null;
    String action = given.get("do");
    Incident.Kind incident =
        switch (action) {
          case FORGET -> Incident.Kind.FORGETS;
          case RESTART -> Incident.Kind.RESTARTS;
          case SAVE -> Incident.Kind.SAVES;
          default -> null;
        };
    if (incident != null) {
      return new Incident(at, incident, who(given, action));
    }
    FileTransfer.Mode transfer = null;
    if (!action.isEmpty() && !action.equals(OPEN) && !action.equals(CLOSE)) {
      for (FileTransfer.Mode mode : FileTransfer.Mode.values()) {
        transfer = mode.toString().equals(action) ? mode : transfer;
      }
      if (transfer == null) {
        throw problem(
            file,
            rows.line(),
            "'" + action + "' is nothing to do",
            "write open, close, active, passive, extended-active, extended-passive, forget,"
                + " restart or save");
      }
    }
    Question question = question(given);
    if (transfer != null) {
      check(transfer, question);
    }
    return new Flow(at, question, action.equals(CLOSE), transfer, dataPort(given));
  }

  private @Nullable Named who(TrafficRows.Row given, String action) throws UnreadableSiteException {
    String name = given.get("from");
    try {
      return incident(site, !action.equals(FORGET), name);
    } catch (UnusableQuestionException e) {
      throw problem(file, rows.line(), "from: " + e.getMessage(), e.remedy());
    }
  }

  /**
   * Who forgets or is restarted.
   *
   * @param name a device or, if it is not restarted, a host; empty for every device
   * @return null for every device
   * @throws UnusableQuestionException if nothing has this name
   */
  public static @Nullable Named incident(Site site, boolean restarts, String name)
      throws UnusableQuestionException {
    Named device = site.devices().get(name);
    Named who = device != null || restarts ? device : site.hosts().get(name);
    if (who == null && !name.isEmpty()) {
      List<String> all = new ArrayList<>(site.devices().keySet());
      if (!restarts) {
        all.addAll(site.hosts().keySet());
      }
      throw new UnusableQuestionException(
          "from",
          "no device" + (restarts ? "" : " or host") + " is called '" + name + "'",
          Similar.didYouMean(name, all, "there is: " + String.join(", ", all)));
    }
    return who;
  }

  private void check(FileTransfer.Mode transfer, Question control) throws UnreadableSiteException {
    if (control.probe().protocol() != Protocol.TCP) {
      throw problem(
          file,
          rows.line(),
          "'" + transfer + "' needs a control connection, and " + control.probe() + " is none",
          "write service 21/tcp");
    }
    boolean extended = transfer.toString().startsWith("extended");
    if (control.to().family() == Family.IPV6 && !extended) {
      throw problem(
          file,
          rows.line(),
          "'" + transfer + "' is for IPv4 only, and " + control.to() + " is not",
          "write extended-" + transfer);
    }
  }

  private Question question(TrafficRows.Row row) throws UnreadableSiteException {
    String key =
        String.join(
            "\n",
            row.get("from"),
            row.get("to"),
            row.get("service"),
            row.get("source-port"),
            row.get("size"),
            row.get("may-fragment"));
    Question before = known.get(key);
    if (before != null) {
      return before;
    }
    try {
      QuestionReader reader =
          QuestionReader.on(site)
              .from(row.get("from"))
              .to(row.get("to"))
              .service(row.get("service"));
      if (!row.get("source-port").isEmpty()) {
        reader.sourcePort(Literals.port(row.get("source-port")));
      }
      size(row, reader);
      Question question = reader.read();
      known.put(key, question);
      return question;
    } catch (UnusableQuestionException e) {
      throw problem(file, rows.line(), e.part() + ": " + e.getMessage(), e.remedy());
    } catch (BadLiteralException e) {
      throw problem(file, rows.line(), "source-port: " + e.message(), e.remedy());
    }
  }

  private void size(TrafficRows.Row row, QuestionReader reader) throws UnreadableSiteException {
    String size = row.get("size");
    if (!size.isEmpty()) {
      if (!size.matches("[0-9]{1,5}")) {
        throw problem(
            file, rows.line(), "size: '" + size + "' is no number of bytes", "write 1 to 65535");
      }
      reader.size(Integer.parseInt(size));
    }
    switch (row.get("may-fragment")) {
      case "", "false" -> {}
      case "true" -> reader.mayFragment();
      default ->
          throw problem(
              file,
              rows.line(),
              "may-fragment: '" + row.get("may-fragment") + "' is neither true nor false",
              "write true or false");
    }
  }

  private int dataPort(TrafficRows.Row row) throws UnreadableSiteException {
    String text = row.get("data-port");
    if (text.isEmpty()) {
      return DEFAULT_DATA_PORT;
    }
    try {
      int port = Literals.port(text);
      if (port > 0) {
        return port;
      }
    } catch (BadLiteralException e) {
      throw problem(file, rows.line(), "data-port: " + e.message(), e.remedy());
    }
    throw problem(file, rows.line(), "data-port: nothing listens on port 0", "write 1 to 65535");
  }

  private Duration time(String text, long line) throws UnreadableSiteException {
    Duration time = Times.duration(text);
    if (time == null) {
      throw problem(
          file, line, "'" + text + "' is no time since the start", "write 0s, 90s, 5m or 2h4m");
    }
    return time;
  }

  @Override
  public void close() throws IOException {
    rows.close();
  }
}
