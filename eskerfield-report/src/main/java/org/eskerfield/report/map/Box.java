// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.map;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.report.draw.Lettering;
import org.eskerfield.report.draw.Svg;
import org.jspecify.annotations.Nullable;

/** A box of the map: a title, and lines below it. */
final class Box {
  /** What a box stands for. */
  enum Kind {
    INTERNET,
    NETWORK,
    /** Networks that stand together. */
    SEVERAL,
    DEVICE
  }

  /**
   * A line of a box.
   *
   * @param name the host that it is about, by which it is found; empty for other lines
   * @param text what is read
   * @param style how it is drawn
   * @param tip its place in the file and what did not fit
   */
  record Line(String name, String text, String style, @Nullable String tip) {}

  /** A place at the edge of a device where a network meets it. */
  static final class Port {
    final String name;
    final List<String> below;
    final String tip;
    double x;
    double y;
    double labelX;
    double labelY;

    Port(String name, List<String> below, String tip) {
      this.name = name;
      this.below = List.copyOf(below);
      this.tip = tip;
    }

    double labelWidth() {
      double width = Lettering.width(name, SMALL, true);
      for (String line : below) {
        width = Math.max(width, Lettering.width(line, SMALL, false));
      }
      return width;
    }

    double labelHeight() {
      return (1 + below.size()) * SMALL_STEP;
    }
  }

  /** The size of titles. */
  static final double TITLE = 13;

  /** The size of lines. */
  static final double PLAIN = 11;

  /** The size of what stands at ports. */
  static final double SMALL = 10.5;

  /** From one line to the next at ports. */
  static final double SMALL_STEP = 13;

  private static final double TITLE_STEP = 18;
  private static final double STEP = 15.5;
  private static final double WIDEST = 300;
  private static final double GAP = 8;

  /** Whether it is a tunnel, which packets pass and where nobody is. */
  boolean tunnel;

  /** The zone in whose area it stands; empty where the zone has no other network. */
  String area = "";

  final Kind kind;
  final String name;
  final String title;
  final String tip;

  /** The style of the strip that shows the zone; empty for none. */
  final String strip;

  /** What stands beside the title; empty for nothing. */
  String beside = "";

  final List<Line> lines = new ArrayList<>();
  final List<Port> ports = new ArrayList<>();
  double x;
  double y;
  double width;
  double height;
  double textX;
  double textY;

  Box(Kind kind, String name, String title, String strip, String tip) {
    this.kind = kind;
    this.name = name;
    this.title = title;
    this.strip = strip;
    this.tip = tip;
  }

  void add(String style, String text, @Nullable String tip) {
    lines.add(new Line("", text, style, tip));
  }

  double textWidth() {
    double widest = 0;
    for (Line line : lines) {
      widest = Math.max(widest, Lettering.width(line.text(), PLAIN, false));
    }
    return Math.max(Lettering.width(title, TITLE, true) + besideWidth(), widest);
  }

  /** Breaks lines that are too long, so that nothing is cut off. */
  void wrap() {
    List<Line> whole = List.copyOf(lines);
    lines.clear();
    for (Line line : whole) {
      String name = line.name();
      for (String part : Lettering.wrapped(line.text(), PLAIN, WIDEST)) {
        lines.add(new Line(name, part, line.style(), line.tip()));
        name = "";
      }
    }
  }

  private double besideWidth() {
    return beside.isEmpty() ? 0 : GAP + Lettering.width(beside, PLAIN, false);
  }

  double textHeight() {
    return TITLE_STEP + lines.size() * STEP;
  }

  /** The line of a host; null if it is not shown. */
  @Nullable Line lineOf(String host) {
    for (Line line : lines) {
      if (line.name().equals(host)) {
        return line;
      }
    }
    return null;
  }

  /** How high the middle of a host's line is, on the map. */
  double lineY(String host) {
    Line line = lineOf(host);
    return y + textY + TITLE + TITLE_STEP - 5 + (line == null ? 0 : lines.indexOf(line)) * STEP;
  }

  void draw(Svg svg, List<String> marked) {
    String style = kind == Kind.DEVICE ? "device" : tunnel ? "box tunnel" : "box";
    svg.rectangle(style, x, y, width, height, tunnel ? height / 2 : 5, tip);
    if (!strip.isEmpty() && !tunnel) {
      svg.rectangle(strip, x, y, 5, height, 2, tip);
    }
    double widest = Math.max(textWidth(), 1);
    double at = y + textY + TITLE;
    double left = widest - besideWidth();
    svg.text("strong", x + textX, at, TITLE, "start", fitted(title, TITLE, true, left), tip);
    if (!beside.isEmpty()) {
      double start = x + textX + Math.min(left, Lettering.width(title, TITLE, true)) + GAP;
      svg.text("plain", start, at, PLAIN, "start", beside, tip);
    }
    at += TITLE_STEP - 1;
    for (Line line : lines) {
      if (!line.name().isEmpty() && marked.contains(line.name())) {
        svg.rectangle("mark", x + textX - 4, at - 11.5, widest + 8, STEP, 3, null);
      }
      String text = fitted(line.text(), PLAIN, false, widest);
      svg.text(line.style(), x + textX, at, PLAIN, "start", text, line.tip());
      at += STEP;
    }
    for (Port port : ports) {
      svg.rectangle("port", port.x, port.y, PORT, PORT, 1.5, port.tip);
      double base = port.labelY + 10;
      svg.text("strong", port.labelX, base, SMALL, "start", port.name, port.tip);
      for (String line : port.below) {
        base += SMALL_STEP;
        svg.text("faint", port.labelX, base, SMALL, "start", line, port.tip);
      }
    }
  }

  /** How long the sides of a port are. */
  static final double PORT = 8;

  private static String fitted(String text, double size, boolean bold, double widest) {
    return Lettering.fitted(text, size, bold, widest + 0.5);
  }
}
