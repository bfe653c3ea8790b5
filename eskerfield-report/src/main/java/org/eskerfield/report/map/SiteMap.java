// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.map;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.report.draw.Lettering;
import org.eskerfield.report.draw.Svg;
import org.eskerfield.report.draw.Theme;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * The map of a site: networks with their hosts, devices with their interfaces and what they offer,
 * carriers and the internet; and on it, where one is given, the way of a packet there and back.
 */
public final class SiteMap {
  /** The size at which a map is to be readable, in pixels. */
  private static final double WIDTH = 1280;

  private static final double HEIGHT = 800;

  /** How small a map may become before it says less. */
  private static final double SMALLEST = 0.78;

  private static final double HEAD = 40;
  private static final double LINE = 17;

  private final Site site;
  private final @Nullable Device focus;
  private final @Nullable Trace trace;
  private final MapPlan plan;
  private final MapLayout layout;
  private final List<String> caption = new ArrayList<>();

  private SiteMap(Site site, @Nullable Device focus, @Nullable Trace trace) {
    this.site = site;
    this.focus = focus;
    this.trace = trace;
    List<Host> kept = trace == null ? List.of() : ends(site, trace);
    MapPlan chosen = new MapPlan(site, MapPlan.DETAILS.get(0), focus, kept);
    MapLayout best = new MapLayout(chosen, true);
    for (MapPlan.Detail detail : MapPlan.DETAILS) {
      for (boolean downwards : new boolean[] {true, false}) {
        MapPlan planned = new MapPlan(site, detail, focus, kept);
        MapLayout laid = new MapLayout(planned, downwards);
        if (scale(laid) > scale(best)) {
          chosen = planned;
          best = laid;
        }
      }
      if (scale(best) >= SMALLEST) {
        break;
      }
    }
    plan = chosen;
    layout = best;
    if (trace != null) {
      String text = trace.outcome() + ": " + trace.reason();
      caption.addAll(Lettering.wrapped(text, 12.5, Math.max(layout.width, 560) - 40));
    }
  }

  /** The map of a site. */
  public static SiteMap of(Site site) {
    return new SiteMap(site, null, null);
  }

  /** The map of one device of a site: its networks, and the other devices on them. */
  public static SiteMap around(Site site, Device device) {
    return new SiteMap(site, device, null);
  }

  /**
   * The map of a site with the way of a packet.
   *
   * @param trace of the same site
   */
  public static SiteMap of(Site site, Trace trace) {
    return new SiteMap(site, null, trace);
  }

  private static double scale(MapLayout laid) {
    return Math.min(1, Math.min(WIDTH / laid.width, (HEIGHT - HEAD) / laid.height));
  }

  /** The ends of a trace that a site may not name. */
  private static List<Host> ends(Site site, Trace trace) {
    List<Host> ends = new ArrayList<>();
    if (trace.question().sender() instanceof Host host) {
      ends.add(host);
    }
    Endpoint to = trace.deliveredTo();
    if (to != null && (to.name() == null || !site.devices().containsKey(to.name()))) {
      Host host = site.hosts().get(String.valueOf(to.name()));
      ends.add(host != null ? host : Host.unnamed(to.address(), site.networkOf(to.address())));
    }
    return ends;
  }

  /** How wide it is, in pixels. */
  public double width() {
    return Math.ceil(Math.max(layout.width, 560));
  }

  /** How high it is, in pixels. */
  public double height() {
    return HEAD + Math.ceil(layout.height) + (trace == null ? 0 : 34 + caption.size() * LINE);
  }

  /** What it shows, in words. */
  public String title() {
    return trace == null
        ? "Map of " + site.name() + (focus == null ? "" : ", around " + focus.name())
        : trace.question().sender().name()
            + " to "
            + trace.question().to()
            + ", "
            + trace.question().probe();
  }

  /** The picture as a text of SVG. */
  public String svg(Theme theme) {
    Svg svg = new Svg();
    svg.begin(width(), height(), title(), theme);
    draw(svg);
    return svg.end();
  }

  /** The picture for a page that has the colours itself. */
  public String figure() {
    Svg svg = new Svg();
    svg.begin(width(), height(), title(), null);
    draw(svg);
    return svg.end();
  }

  /** Draws it from the upper left corner. */
  public void draw(Svg svg) {
    svg.text("strong", 16, 26, 16, "start", fitted(title(), 16), site.place().toString());
    svg.group(0, HEAD);
    for (MapLayout.Area area : layout.areas) {
      svg.rectangle("area", area.x(), area.y(), area.width(), area.height(), 8, null);
      String zone = MapLayout.areaTitle(area.zone());
      svg.text("area-title", area.x() + 10, area.y() + 16, Box.PLAIN, "start", zone, null);
    }
    plan.links.forEach((key, link) -> svg.line(style(link), route(key), false, tip(link)));
    List<String> marked = new ArrayList<>();
    PathOnMap path = trace == null ? null : new PathOnMap(plan, layout.routes, trace);
    if (path != null) {
      marked.addAll(path.ends());
    }
    for (Box box : plan.boxes()) {
      box.draw(svg, marked);
    }
    if (path != null) {
      path.draw(svg);
      foot(svg);
    }
    svg.close();
  }

  private String fitted(String text, double size) {
    return Lettering.fitted(text, size, true, width() - 32);
  }

  private void foot(Svg svg) {
    double y = layout.height + 14;
    svg.line("request", List.of(new double[] {20, y}, new double[] {60, y}), true, null);
    svg.text("plain", 68, y + 4, 11.5, "start", "there", null);
    svg.line("reply", List.of(new double[] {120, y}, new double[] {160, y}), true, null);
    svg.text("plain", 168, y + 4, 11.5, "start", "and back", null);
    svg.cross(240, y, 5, null);
    svg.text("plain", 252, y + 4, 11.5, "start", "where it ended, if not there", null);
    y += 24;
    for (String line : caption) {
      svg.text("plain", 20, y, 12.5, "start", line, null);
      y += LINE;
    }
  }

  private List<double[]> route(String key) {
    List<double[]> route = layout.routes.get(key);
    if (route == null) {
      throw new IllegalStateException("no line is called " + key);
    }
    return route;
  }

  private static String style(MapPlan.Link link) {
    String style = link.from().tunnel || link.to().tunnel ? "link pipe" : "link";
    return link.down() ? style + " down" : style;
  }

  private static String tip(MapPlan.Link link) {
    Box.Port port = link.fromPort() != null ? link.fromPort() : link.toPort();
    return port == null ? link.to().tip : port.tip;
  }
}
