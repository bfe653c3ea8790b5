// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.draw;

import java.io.StringWriter;
import java.util.List;
import javax.xml.stream.XMLOutputFactory;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamWriter;
import org.jspecify.annotations.Nullable;

/** A picture that is being drawn, as SVG (W3C SVG 1.1). Lengths are in pixels at 100 percent. */
public final class Svg {
  /** How wide a picture is shown at most; what is wider is shown smaller. */
  private static final double WIDEST = 1280;

  private final StringWriter text = new StringWriter();
  private final XMLStreamWriter xml;

  public Svg() {
    try {
      xml = XMLOutputFactory.newInstance().createXMLStreamWriter(text);
    } catch (XMLStreamException e) {
      throw new IllegalStateException("writing to memory does not fail", e);
    }
  }

  /**
   * Begins the picture.
   *
   * @param title the picture in words, for screen readers
   * @param theme the colours; null to take those of the page around it
   */
  public void begin(double width, double height, String title, @Nullable Theme theme) {
    open("svg");
    put("xmlns", "http://www.w3.org/2000/svg");
    put("viewBox", "0 0 " + number(width) + " " + number(height));
    double scale = Math.min(1, WIDEST / width);
    put("width", number(width * scale));
    put("height", number(height * scale));
    put("role", "img");
    put("aria-label", title);
    put("font-family", Lettering.FACES);
    if (theme != null) {
      open("style");
      characters(theme.css());
      close();
    }
    rectangle("ground", -2, -2, width + 4, height + 4, 0, null);
  }

  /** Ends the picture. */
  public String end() {
    close();
    return text + "\n";
  }

  // So many parameters: they are the attributes of the element.
  public void rectangle(
      String style,
      double x,
      double y,
      double width,
      double height,
      double round,
      @Nullable String tip) {
    open("rect");
    put("class", style);
    put("x", number(x));
    put("y", number(y));
    put("width", number(width));
    put("height", number(height));
    if (round > 0) {
      put("rx", number(round));
    }
    tip(tip);
    close();
  }

  void path(String style, String data, @Nullable String tip) {
    open("path");
    put("class", style);
    put("d", data);
    tip(tip);
    close();
  }

  /** A line of text; {@code y} is its base line, {@code anchor} start, middle or end. */
  // So many parameters: they are the attributes of the element.
  public void text(
      String style,
      double x,
      double y,
      double size,
      String anchor,
      String said,
      @Nullable String tip) {
    open("text");
    put("class", style);
    put("x", number(x));
    put("y", number(y));
    put("font-size", number(size));
    if (!anchor.equals("start")) {
      put("text-anchor", anchor);
    }
    tip(tip);
    characters(said);
    close();
  }

  /** A line through points, with an arrow's head in its middle where one is wanted. */
  public void line(String style, List<double[]> points, boolean arrow, @Nullable String tip) {
    StringBuilder data = new StringBuilder();
    for (double[] point : points) {
      data.append(data.isEmpty() ? "M" : "L").append(number(point[0])).append(' ');
      data.append(number(point[1]));
    }
    path(style, data.toString(), tip);
    if (arrow) {
      head(style + "-head", points);
    }
  }

  private void head(String style, List<double[]> points) {
    double longest = -1;
    int at = 1;
    for (int i = 1; i < points.size(); i++) {
      double[] from = points.get(i - 1);
      double[] to = points.get(i);
      double length = Math.hypot(to[0] - from[0], to[1] - from[1]);
      if (length > longest) {
        longest = length;
        at = i;
      }
    }
    double[] from = points.get(at - 1);
    double[] to = points.get(at);
    double middle = Math.max(longest, 1);
    double alongX = (to[0] - from[0]) / middle;
    double alongY = (to[1] - from[1]) / middle;
    arrow(
        style, from[0] + alongX * middle * 0.55, from[1] + alongY * middle * 0.55, alongX, alongY);
  }

  /**
   * The head of an arrow with its tip a little beyond a point, in the direction of a unit vector.
   */
  public void arrow(String style, double x, double y, double alongX, double alongY) {
    String data =
        "M"
            + number(x + alongX * 7)
            + " "
            + number(y + alongY * 7)
            + "L"
            + number(x - alongX * 5 - alongY * 6)
            + " "
            + number(y - alongY * 5 + alongX * 6)
            + "L"
            + number(x - alongX * 5 + alongY * 6)
            + " "
            + number(y - alongY * 5 - alongX * 6)
            + "Z";
    path(style, data, null);
  }

  /** The sign that something ended here. */
  public void cross(double x, double y, double size, @Nullable String tip) {
    String data =
        "M"
            + number(x - size)
            + " "
            + number(y - size)
            + "L"
            + number(x + size)
            + " "
            + number(y + size)
            + "M"
            + number(x + size)
            + " "
            + number(y - size)
            + "L"
            + number(x - size)
            + " "
            + number(y + size);
    path("cross", data, tip);
  }

  /** Begins a group that is moved. */
  public void group(double x, double y) {
    open("g");
    put("transform", "translate(" + number(x) + " " + number(y) + ")");
  }

  public void close() {
    try {
      xml.writeEndElement();
    } catch (XMLStreamException e) {
      throw new IllegalStateException("writing to memory does not fail", e);
    }
  }

  private void open(String name) {
    try {
      xml.writeStartElement(name);
    } catch (XMLStreamException e) {
      throw new IllegalStateException("writing to memory does not fail", e);
    }
  }

  private void put(String name, String value) {
    try {
      xml.writeAttribute(name, clean(value));
    } catch (XMLStreamException e) {
      throw new IllegalStateException("writing to memory does not fail", e);
    }
  }

  private void tip(@Nullable String tip) {
    if (tip != null) {
      open("title");
      characters(tip);
      close();
    }
  }

  private void characters(String said) {
    try {
      xml.writeCharacters(clean(said));
    } catch (XMLStreamException e) {
      throw new IllegalStateException("writing to memory does not fail", e);
    }
  }

  /** The text without what XML 1.0 cannot say, such as half of a surrogate pair. */
  private static String clean(String said) {
    StringBuilder clean = new StringBuilder(said.length());
    said.codePoints()
        .map(
            code ->
                (code < ' ' && code != '\n' && code != '\t')
                        || (code >= 0xd800 && code <= 0xdfff)
                        || code == 0xfffe
                        || code == 0xffff
                    ? 0xfffd
                    : code)
        .forEach(clean::appendCodePoint);
    return clean.toString();
  }

  /** A length with at most one digit behind the point. */
  public static String number(double value) {
    long tenths = Math.round(value * 10);
    return tenths % 10 == 0
        ? Long.toString(tenths / 10)
        : (tenths < 0 ? "-" : "") + Math.abs(tenths) / 10 + "." + Math.abs(tenths) % 10;
  }
}
