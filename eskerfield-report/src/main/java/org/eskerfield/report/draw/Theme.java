// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.draw;

import java.util.List;
import java.util.Locale;
import java.util.stream.Collectors;

/**
 * The colours of a picture.
 *
 * <p>Meaning never hangs on a colour alone: the request is a full line and the reply a broken one,
 * ends are crosses, zones are written out. All text has a contrast of 4.5 or more on its ground
 * (WCAG 2.2, 1.4.3).
 */
public enum Theme {
  /** Dark on light. */
  LIGHT,
  /** Light on dark. */
  DARK,
  /** What the reader's system asks for; light where it says nothing. */
  SYSTEM;

  /** What is told apart by colour. */
  private record Colours(
      String ground,
      String box,
      String device,
      String text,
      String faint,
      String line,
      String request,
      String reply,
      String end,
      String mark,
      List<String> zones) {}

  private static final Colours DAY =
      new Colours(
          "#fbfaf7",
          "#ffffff",
          "#e9edf2",
          "#1d2430",
          "#555f6e",
          "#9aa4b2",
          "#1454b8",
          "#a04a00",
          "#a3124f",
          "#fff3c4",
          List.of(
              "#2a7f78", "#6a4fa3", "#8a6d1a", "#a8456b", "#4d6580", "#5a7d2a", "#7a4a2f",
              "#2f6db0"));

  private static final Colours NIGHT =
      new Colours(
          "#14181f",
          "#1d232d",
          "#2a3340",
          "#eceff4",
          "#a9b4c2",
          "#5f6b7a",
          "#7ab0ff",
          "#ffb066",
          "#ff8fb8",
          "#4a4210",
          List.of(
              "#5cc4ba", "#b79df0", "#d9bd62", "#f095b6", "#9db6d3", "#a9cf72", "#d9a987",
              "#86b5ea"));

  /** How many colours there are for zones. */
  public static final int ZONES = 8;

  /** The rules of style; to be put into the picture, or into the page that holds it. */
  String css() {
    return switch (this) {
      case LIGHT -> css(DAY);
      case DARK -> css(NIGHT);
      case SYSTEM -> css(DAY) + "@media (prefers-color-scheme: dark) {\n" + css(NIGHT) + "}\n";
    };
  }

  /**
   * The rules of style for a page that can be told which colours it has: {@code data-theme} of its
   * root is {@code light} or {@code dark}; without it, the reader's system decides. Paper is light.
   */
  public static String pageCss() {
    return css(DAY)
        + "@media screen and (prefers-color-scheme: dark) {\n"
        + within(":root:not([data-theme=light]) ", css(NIGHT))
        + "}\n@media screen {\n"
        + within(":root[data-theme=dark] ", css(NIGHT))
        + "}\n";
  }

  /** Rules, one a line, each of which holds only within a selector. */
  private static String within(String selector, String css) {
    return css.lines().map(line -> selector + line + "\n").collect(Collectors.joining());
  }

  private static String css(Colours of) {
    StringBuilder css = new StringBuilder();
    css.append(".ground { fill: ").append(of.ground).append("; }\n");
    css.append(".box { fill: ").append(of.box).append("; stroke: ").append(of.line);
    css.append("; stroke-width: 1.2; }\n");
    css.append(".device { fill: ").append(of.device).append("; stroke: ").append(of.text);
    css.append("; stroke-width: 1.6; }\n");
    css.append(".plain { fill: ").append(of.text).append("; }\n");
    css.append(".faint { fill: ").append(of.faint).append("; }\n");
    css.append(".strong { fill: ").append(of.text).append("; font-weight: bold; }\n");
    css.append(".link { fill: none; stroke: ").append(of.line).append("; stroke-width: 1.6; }\n");
    css.append(".pipe { stroke-width: 4; stroke-dasharray: 9 4; }\n");
    css.append(".tunnel { stroke-width: 2; stroke-dasharray: 9 4; }\n");
    css.append(".area { fill: ").append(of.line).append("; fill-opacity: .22; stroke: ");
    css.append(of.line).append("; }\n.area-title { fill: ").append(of.text);
    css.append("; font-weight: bold; }\n");
    css.append(".down { stroke-dasharray: 3 4; }\n");
    css.append(".port { fill: ").append(of.text).append("; }\n");
    css.append(".mark { fill: ").append(of.mark).append("; }\n");
    css.append(".request { fill: none; stroke: ")
        .append(of.request)
        .append("; stroke-width: 2.6; }\n");
    css.append(".reply { fill: none; stroke: ").append(of.reply);
    css.append("; stroke-width: 2.6; stroke-dasharray: 7 4; }\n");
    css.append(".request-head { fill: ").append(of.request).append("; }\n");
    css.append(".reply-head { fill: ").append(of.reply).append("; }\n");
    css.append(".cross { fill: none; stroke: ").append(of.end).append("; stroke-width: 3.2; }\n");
    css.append(".end { fill: ").append(of.end).append("; font-weight: bold; }\n");
    css.append(".changed { fill: ").append(of.text).append("; font-weight: bold; }\n");
    css.append(".badge { fill: ").append(of.text).append("; }\n");
    css.append(".badge-text { fill: ").append(of.ground).append("; font-weight: bold; }\n");
    css.append(".life { fill: none; stroke: ").append(of.line).append("; stroke-width: 1; }\n");
    for (int i = 0; i < ZONES; i++) {
      css.append(".zone-").append(i).append(" { fill: ").append(of.zones.get(i)).append("; }\n");
    }
    css.append(".zone-internet { fill: ").append(of.faint).append("; }\n");
    return css.toString();
  }

  /** The word in lower case. */
  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT);
  }
}
