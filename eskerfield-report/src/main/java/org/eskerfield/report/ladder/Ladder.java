// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.ladder;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.report.draw.Lettering;
import org.eskerfield.report.draw.Svg;
import org.eskerfield.report.draw.Theme;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Transit;
import org.jspecify.annotations.Nullable;

/**
 * Packets as rungs of a ladder: a column for each host and device on the way, a row for each
 * packet, with the header before and after everybody who changes it, and where and why it ends.
 * What is sent again and fares as before takes one line.
 */
public final class Ladder {
  private static final double LEFT = 150;

  /** How far columns are apart, at least and at most; between them addresses stand. */
  private static final double LEAST_GAP = 196;

  private static final double MOST_GAP = 400;
  private static final double HEAD = 84;

  /** Remarks stand right of all columns, so that no line runs through them. */
  private static final double NOTES = 330;

  private static final double SIZE = 11;
  private static final double STEP = 14;

  /** Between two pieces of the same packet, one of which goes to the right and one to the left. */
  private static final double RUNG = 40;

  private static final double AGAIN = 26;

  /** One piece of a packet's way, from one column to another. */
  private record Hop(int from, int to, Header header) {}

  /**
   * A row.
   *
   * @param number of its first packet, from 1
   * @param packets one; or several that fare as those before them did, the first of them sent again
   * @param isAgain whether they are repeats
   */
  private record Row(int number, List<Transit> packets, boolean isAgain) {}

  private final String title;
  private final @Nullable String foot;
  private final List<Row> rows;
  private final @Nullable ZonedDateTime start;
  private final Map<String, Leg.Kind> columns = new LinkedHashMap<>();

  private final double gap;

  /** Whether there is anything to remark. */
  private final boolean remarks;

  private Ladder(String title, @Nullable String foot, List<Transit> packets) {
    this.title = title;
    this.foot = foot;
    this.start = packets.isEmpty() ? null : packets.get(0).at();
    double widest = 0;
    for (Transit packet : packets) {
      for (Leg leg : packet.legs()) {
        Header header = leg.decisions().get(leg.decisions().size() - 1).after();
        for (String end : List.of(header.sourceText(), header.destinationText())) {
          widest = Math.max(widest, Lettering.width("from " + end, SIZE, true));
        }
      }
    }
    gap = Math.min(MOST_GAP, Math.max(LEAST_GAP, widest + 34));
    // The conversation itself decides the order of the columns, and not the lookup before it.
    Map<Question, List<Transit>> parts = new LinkedHashMap<>();
    for (Transit packet : packets) {
      parts.computeIfAbsent(packet.question(), question -> new ArrayList<>()).add(packet);
    }
    List<List<Transit>> order = new ArrayList<>(parts.values());
    order.sort(Comparator.comparingInt((List<Transit> part) -> part.size()).reversed());
    for (List<Transit> part : order) {
      for (Transit packet : part) {
        for (Leg leg : packet.legs()) {
          columns.putIfAbsent(leg.where(), leg.kind());
        }
      }
    }
    putTheInternetOutside(packets);
    rows = rows(packets);
    remarks =
        rows.stream().anyMatch(row -> row.isAgain() || !notes(row.packets().get(0)).isEmpty());
  }

  /**
   * Moves the internet, with those who are joined to nothing else, to the end at which packets pass
   * the fewest columns that have no part in them.
   */
  private void putTheInternetOutside(List<Transit> packets) {
    Map<String, Set<String>> neighbours = new LinkedHashMap<>();
    for (Transit packet : packets) {
      for (int i = 0; i + 1 < packet.legs().size(); i++) {
        String one = packet.legs().get(i).where();
        String other = packet.legs().get(i + 1).where();
        neighbours.computeIfAbsent(one, name -> new LinkedHashSet<>()).add(other);
        neighbours.computeIfAbsent(other, name -> new LinkedHashSet<>()).add(one);
      }
    }
    List<String> internet = new ArrayList<>();
    List<String> outside = new ArrayList<>();
    List<String> inside = new ArrayList<>();
    for (Map.Entry<String, Leg.Kind> column : columns.entrySet()) {
      boolean beyond =
          neighbours.getOrDefault(column.getKey(), Set.of("")).stream()
              .allMatch(name -> columns.get(name) == Leg.Kind.INTERNET);
      boolean here = column.getValue() == Leg.Kind.INTERNET;
      (here ? internet : beyond ? outside : inside).add(column.getKey());
    }
    List<String> right = new ArrayList<>(inside);
    right.addAll(internet);
    right.addAll(outside);
    Collections.reverse(outside);
    List<String> left = new ArrayList<>(outside);
    left.addAll(internet);
    left.addAll(inside);
    List<String> best = List.copyOf(columns.keySet());
    for (List<String> order : List.of(left, right)) {
      best = passed(packets, order) < passed(packets, best) ? order : best;
    }
    Map<String, Leg.Kind> kinds = new LinkedHashMap<>(columns);
    columns.clear();
    best.forEach(name -> columns.put(name, Objects.requireNonNull(kinds.get(name))));
  }

  /** How many columns packets go past in an order. */
  private static int passed(List<Transit> packets, List<String> order) {
    int passed = 0;
    for (Transit packet : packets) {
      for (int i = 0; i + 1 < packet.legs().size(); i++) {
        int from = order.indexOf(packet.legs().get(i).where());
        passed += Math.abs(order.indexOf(packet.legs().get(i + 1).where()) - from) - 1;
      }
    }
    return passed;
  }

  private List<Row> rows(List<Transit> packets) {
    List<Row> rows = new ArrayList<>();
    List<Transit> before = List.of();
    for (int i = 0; i < packets.size(); ) {
      int end = i + 1;
      while (end < packets.size() && !begins(packets.get(end), packets.get(i))) {
        end++;
      }
      List<Transit> attempt = packets.subList(i, end);
      if (isSame(attempt, before)) {
        rows.add(new Row(i + 1, attempt, true));
      } else {
        for (int k = i; k < end; k++) {
          rows.add(new Row(k + 1, List.of(packets.get(k)), false));
        }
      }
      before = attempt;
      i = end;
    }
    return rows;
  }

  /** Whether a packet begins anew: a connection, or something else than the packet before. */
  private static boolean begins(Transit packet, Transit before) {
    return packet.sent().tcpFlags() == Packet.SYN || !packet.question().equals(before.question());
  }

  private boolean isSame(List<Transit> packets, List<Transit> others) {
    boolean same = packets.size() == others.size();
    for (int i = 0; same && i < packets.size(); i++) {
      Transit packet = packets.get(i);
      Transit other = others.get(i);
      same =
          packet.question().equals(other.question())
              && packet.what().equals(other.what())
              && packet.arrived() == other.arrived()
              && packet.end().text().equals(other.end().text())
              && hops(packet).equals(hops(other));
    }
    return same;
  }

  /**
   * A ladder.
   *
   * @param title the heading above the ladder
   * @param foot the line below the ladder, such as the outcome; null for none
   * @param packets in the order in which they were sent, as {@link org.eskerfield.trace.Run#watch}
   *     tells of them
   */
  public static Ladder of(String title, @Nullable String foot, List<Transit> packets) {
    return new Ladder(title, foot, packets);
  }

  /** How wide it is, in pixels. */
  public double width() {
    return Math.max(700, beside() + (remarks ? NOTES + 16 : 0));
  }

  /** Where the columns end. */
  private double beside() {
    return LEFT + Math.max(columns.size() - 1, 1) * gap + 110;
  }

  /** How high it is, in pixels. */
  public double height() {
    double height = HEAD + 16;
    for (Row row : rows) {
      height += height(row);
    }
    return height + footLines().size() * 17;
  }

  /** The picture as a text of SVG. */
  public String svg(Theme theme) {
    Svg svg = new Svg();
    svg.begin(width(), height(), title, theme);
    draw(svg);
    return svg.end();
  }

  /** The picture for a page that has the colours itself. */
  public String figure() {
    Svg svg = new Svg();
    svg.begin(width(), height(), title, null);
    draw(svg);
    return svg.end();
  }

  /** Draws it from the upper left corner. */
  public void draw(Svg svg) {
    svg.text("strong", 16, 26, 16, "start", Lettering.fitted(title, 16, true, width() - 32), null);
    double bottom = height() - footLines().size() * 17 - 10;
    int i = 0;
    for (Map.Entry<String, Leg.Kind> column : columns.entrySet()) {
      column(svg, x(i++), column.getKey(), column.getValue(), bottom);
    }
    double y = HEAD;
    ZonedDateTime before = start;
    for (Row row : rows) {
      boolean later = before != null && row.packets().get(0).at().isAfter(before);
      before = row.packets().get(row.packets().size() - 1).at();
      if (row.isAgain()) {
        again(svg, row, y);
      } else {
        draw(svg, row, later, y);
      }
      y += height(row);
      svg.line(
          "life", List.of(new double[] {16, y - 6}, new double[] {LEFT - 60, y - 6}), false, null);
    }
    y += 22;
    for (String line : footLines()) {
      svg.text("plain", 16, y, 12.5, "start", line, null);
      y += 17;
    }
  }

  private List<String> footLines() {
    return foot == null ? List.of() : Lettering.wrapped(foot, 12.5, width() - 40);
  }

  private double x(int column) {
    return LEFT + column * gap;
  }

  private void column(Svg svg, double x, String name, Leg.Kind kind, double bottom) {
    svg.line("life", List.of(new double[] {x, HEAD - 12}, new double[] {x, bottom}), false, null);
    String shown = Lettering.fitted(name, 12, true, gap - 40);
    double width = Lettering.width(shown, 12, true) + 20;
    svg.rectangle(
        kind == Leg.Kind.DEVICE ? "device" : "box", x - width / 2, HEAD - 38, width, 26, 5, name);
    svg.text("strong", x, HEAD - 21, 12, "middle", shown, name);
  }

  // One row.

  private double height(Row row) {
    return row.isAgain()
        ? Math.max(AGAIN, lines(again(row), SIZE).size() * STEP + 12)
        : height(row.packets().get(0));
  }

  private void again(Svg svg, Row row, double y) {
    int last = row.number() + row.packets().size() - 1;
    String numbers = row.packets().size() == 1 ? "" + last : row.number() + " to " + last;
    svg.text("strong", 16, y + 13, 12, "start", numbers, null);
    double at = y + 13;
    for (String line : lines(again(row), SIZE)) {
      svg.text("plain", beside(), at, SIZE, "start", line, null);
      at += STEP;
    }
  }

  private String again(Row row) {
    List<String> kinds = row.packets().stream().map(Transit::what).toList();
    return time(row.packets().get(0))
        + " sent again, with the same result: "
        + String.join(", ", kinds);
  }

  private static List<String> lines(String text, double size) {
    return Lettering.wrapped(text, size, NOTES);
  }

  private void draw(Svg svg, Row row, boolean later, double y) {
    Transit packet = row.packets().get(0);
    Header sent = packet.sent();
    svg.text("strong", 16, y + 20, 12, "start", row.number() + "  " + packet.what(), null);
    String kind =
        sent.size() != null && sent.size().largestSegment() == 0
            ? sent.size().nextMtu() > 0
                ? "MTU " + sent.size().nextMtu()
                : sent.size().length() + " bytes"
            : sent.kind().endsWith(packet.what()) ? Protocol.name(sent.protocol()) : sent.kind();
    if (!kind.equals(packet.what())) {
      String shown = Lettering.fitted(kind, SIZE, false, LEFT - 60);
      svg.text("faint", 16, y + 20 + STEP, SIZE, "start", shown, kind);
    }
    if (later) {
      svg.text("faint", 16, y + 20 + 2 * STEP, SIZE, "start", time(packet), null);
    }
    List<Hop> hops = hops(packet);
    double at = y + 22;
    Header before = null;
    for (int i = 0; i < hops.size(); i++) {
      Hop hop = hops.get(i);
      if (i > 0 && turns(hops.get(i - 1), hop)) {
        at += RUNG;
      }
      draw(svg, packet, hop, at, before);
      before = hop.header();
    }
    end(svg, packet, at, y);
  }

  private void draw(Svg svg, Transit packet, Hop hop, double y, @Nullable Header before) {
    double from = x(hop.from());
    double to = x(hop.to());
    double side = to > from ? 1 : -1;
    String style = packet.isReply() ? "reply" : "request";
    List<double[]> line = new ArrayList<>();
    line.add(new double[] {from + side * 4, y});
    // What goes past a column that stands between does so in an arch: that one never sees it.
    for (double x = from + side * gap; Math.abs(x - to) > 1; x += side * gap) {
      line.add(new double[] {x - side * 12, y});
      line.add(new double[] {x - side * 7, y - 9});
      line.add(new double[] {x + side * 7, y - 9});
      line.add(new double[] {x + side * 12, y});
    }
    line.add(new double[] {to - side * 9, y});
    svg.line(style, line, false, null);
    svg.arrow(style + "-head", to - side * 10, y, side, 0);
    Header header = hop.header();
    double middle = from + side * gap / 2;
    boolean newSource = before != null && !before.sourceText().equals(header.sourceText());
    boolean newTarget =
        before != null && !before.destinationText().equals(header.destinationText());
    label(svg, middle, y - 6, "from " + header.sourceText(), newSource);
    label(svg, middle, y + 15, "to " + header.destinationText(), newTarget);
  }

  /** A half of a header; what has just been rewritten stands out. */
  private void label(Svg svg, double x, double y, String text, boolean isNew) {
    String shown = Lettering.fitted(text, SIZE, isNew, gap - 30);
    if (isNew) {
      double width = Lettering.width(shown, SIZE, true) + 8;
      svg.rectangle("mark", x - width / 2, y - 11, width, 15, 3, null);
    }
    svg.text(isNew ? "changed" : "faint", x, y, SIZE, "middle", shown, text);
  }

  /** What was decided where, beside the rung: translations, and why it ended. */
  private void end(Svg svg, Transit packet, double at, double top) {
    double y = top + 13;
    for (Note note : notes(packet)) {
      if (note.ends()) {
        svg.cross(x(note.column()), at, 7, note.text());
      }
      for (String line : note.lines()) {
        svg.text(note.ends() ? "end" : "plain", beside(), y, SIZE, "start", line, note.tip());
        y += STEP;
      }
      y += 3;
    }
  }

  /**
   * A remark beside a rung.
   *
   * @param column the column whose lifeline it stands at
   * @param lines the text, wrapped
   * @param ends whether the packet ended here
   */
  private record Note(int column, String text, List<String> lines, boolean ends, String tip) {}

  private List<Note> notes(Transit packet) {
    List<Note> notes = new ArrayList<>();
    int left = packet.legs().size();
    for (Leg leg : packet.legs()) {
      left--;
      for (int i = 0; i < leg.decisions().size(); i++) {
        Decision decision = leg.decisions().get(i);
        boolean isLast = left == 0 && i == leg.decisions().size() - 1;
        boolean ends = isLast && (!packet.arrived() || decision.ruling().ends() != null);
        boolean changes =
            decision.ruling() == Ruling.DESTINATION_TRANSLATED
                || decision.ruling() == Ruling.SOURCE_TRANSLATED
                || decision.ruling() == Ruling.TEXT_TRANSLATED;
        if (ends || changes) {
          Placed by = decision.by();
          String place = by == null || by.place().line() == 0 ? "" : ", line " + by.place().line();
          String text = leg.where() + " " + decision.text() + place;
          notes.add(
              new Note(
                  column(leg.where()),
                  text,
                  lines(text, ends ? SIZE * 1.15 : SIZE),
                  ends,
                  by == null ? text : text + " (" + by.place() + ")"));
        }
      }
    }
    return notes;
  }

  private double height(Transit packet) {
    double height = 22 + 44;
    List<Hop> hops = hops(packet);
    for (int i = 1; i < hops.size(); i++) {
      height += turns(hops.get(i - 1), hops.get(i)) ? RUNG : 0;
    }
    double beside = 8;
    for (Note note : notes(packet)) {
      beside += note.lines().size() * STEP + 3;
    }
    return Math.max(height, beside);
  }

  private static boolean turns(Hop before, Hop next) {
    return Integer.signum(before.to() - before.from()) != Integer.signum(next.to() - next.from());
  }

  private List<Hop> hops(Transit packet) {
    List<Hop> hops = new ArrayList<>();
    for (int i = 0; i + 1 < packet.legs().size(); i++) {
      Leg from = packet.legs().get(i);
      Leg to = packet.legs().get(i + 1);
      List<Decision> decisions = from.decisions();
      hops.add(
          new Hop(
              column(from.where()),
              column(to.where()),
              decisions.get(decisions.size() - 1).after()));
    }
    return hops;
  }

  private int column(String where) {
    int i = 0;
    for (String name : columns.keySet()) {
      if (name.equals(where)) {
        return i;
      }
      i++;
    }
    throw new IllegalStateException("no column is called " + where);
  }

  private String time(Transit packet) {
    long millis = start == null ? 0 : Duration.between(start, packet.at()).toMillis();
    return "after " + Svg.number(millis / 1000.0) + " s";
  }
}
