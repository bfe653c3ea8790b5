// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.map;

import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.report.draw.Svg;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** The way of a packet and of its reply, drawn along the lines of a map. */
final class PathOnMap {
  /** How far ways on the same line are apart. */
  private static final double APART = 6;

  /** One way along one line. */
  private record Pass(boolean isReply, boolean forwards) {}

  /** A way straight from one host to another. */
  private record Straight(Leg from, Leg to, boolean isReply) {}

  private final MapPlan plan;
  private final Map<String, List<double[]>> routes;
  private final Trace trace;
  private final Map<String, List<Pass>> passes = new LinkedHashMap<>();

  /** Ways straight from host to host on the same network. */
  private final List<Straight> straight = new ArrayList<>();

  PathOnMap(MapPlan plan, Map<String, List<double[]>> routes, Trace trace) {
    this.plan = plan;
    this.routes = routes;
    this.trace = trace;
    add(trace.request(), false);
    add(trace.reply(), true);
  }

  /** The hosts at both ends. */
  List<String> ends() {
    List<String> ends = new ArrayList<>();
    ends.add(trace.question().sender().name());
    Endpoint to = trace.deliveredTo();
    if (to != null) {
      ends.add(to.name() == null ? to.address().toString() : to.name());
    }
    return ends;
  }

  private void add(List<Leg> legs, boolean isReply) {
    for (int i = 0; i + 1 < legs.size(); i++) {
      Leg from = legs.get(i);
      Leg to = legs.get(i + 1);
      if (from.kind() == Leg.Kind.HOST && to.kind() == Leg.Kind.HOST) {
        straight.add(new Straight(from, to, isReply));
      }
      if (from.leaving() != null) {
        pass(from.leaving().network(), from.where(), from.leaving(), isReply, true);
      }
      if (from.kind() == Leg.Kind.INTERNET && to.arriving() != null) {
        pass(to.arriving().network(), null, null, isReply, false);
      }
      if (to.kind() == Leg.Kind.INTERNET && from.leaving() != null) {
        pass(from.leaving().network(), null, null, isReply, true);
      }
      if (to.arriving() != null) {
        pass(to.arriving().network(), to.where(), to.arriving(), isReply, false);
      }
    }
  }

  /** Notes a way along a line; outwards is from a device, and from a network to the internet. */
  private void pass(
      Network network,
      @Nullable String device,
      @Nullable Interface own,
      boolean isReply,
      boolean outwards) {
    String key = MapPlan.key(network, device, own);
    MapPlan.Link link = plan.links.get(key);
    if (link == null) {
      return; // a network of the internet's zone without a carrier has no line
    }
    boolean startsOutwards = own != null && link.fromPort() != null;
    Pass pass = new Pass(isReply, startsOutwards == outwards);
    List<Pass> here = passes.computeIfAbsent(key, k -> new ArrayList<>());
    if (!here.contains(pass)) {
      here.add(pass);
    }
  }

  void draw(Svg svg) {
    passes.forEach(
        (key, here) -> {
          for (int i = 0; i < here.size(); i++) {
            Pass pass = here.get(i);
            List<double[]> route = routes.getOrDefault(key, List.of());
            List<double[]> line = shifted(route, (i - (here.size() - 1) / 2.0) * APART);
            List<double[]> points = new ArrayList<>(line);
            if (!pass.forwards()) {
              Collections.reverse(points);
            }
            svg.line(pass.isReply() ? "reply" : "request", points, true, null);
          }
        });
    for (Straight each : straight) {
      bow(svg, each);
    }
    if (trace.outcome() != Outcome.ANSWERED) {
      // What comes back otherwise tells of the end, and is not where it was.
      boolean backwards = trace.outcome() == Outcome.UNANSWERED && !trace.reply().isEmpty();
      List<Leg> last = backwards ? trace.reply() : trace.request();
      end(svg, last.get(last.size() - 1));
    }
  }

  /** Draws a bow beside the box of both hosts. */
  private void bow(Svg svg, Straight each) {
    Box box = box(each.from());
    Box other = box(each.to());
    if (box == null || other == null || !box.name.equals(other.name)) {
      return;
    }
    double x = box.x + box.width + 1;
    double from = box.lineY(each.from().where());
    double to = box.lineY(each.to().where());
    double out = each.isReply() ? 19 : 10;
    svg.line(
        each.isReply() ? "reply" : "request",
        List.of(
            new double[] {x, from},
            new double[] {x + out, from},
            new double[] {x + out, to},
            new double[] {x, to}),
        true,
        each.from().where() + " straight to " + each.to().where());
  }

  /** Marks where the packet ended. */
  private void end(Svg svg, Leg leg) {
    Decision decision = leg.decisions().get(leg.decisions().size() - 1);
    Box box = box(leg);
    if (box == null) {
      return;
    }
    // On the edge, where nothing is written; where no line has the name, on the corner.
    double y = box.lineOf(leg.where()) == null ? box.y : box.lineY(leg.where());
    svg.cross(box.x + box.width, y, 6, leg.where() + " " + decision.text());
  }

  private @Nullable Box box(Leg leg) {
    return switch (leg.kind()) {
      case DEVICE -> plan.devices.get(leg.where());
      case INTERNET -> plan.networks.get(MapPlan.INTERNET);
      case HOST -> {
        for (Box box : plan.networks.values()) {
          if (box.lineOf(leg.where()) != null) {
            yield box;
          }
        }
        yield null;
      }
    };
  }

  /** An orthogonal line beside another. */
  private static List<double[]> shifted(List<double[]> points, double by) {
    List<double[]> moved = new ArrayList<>();
    int last = points.size() - 1;
    for (int i = 0; i <= last; i++) {
      double[] before = normal(points, Math.max(i - 1, 0));
      double[] after = normal(points, Math.min(i, last - 1));
      boolean turns = before[0] * after[0] + before[1] * after[1] < 0.5;
      double x = turns ? before[0] + after[0] : before[0];
      double y = turns ? before[1] + after[1] : before[1];
      moved.add(new double[] {points.get(i)[0] + x * by, points.get(i)[1] + y * by});
    }
    return moved;
  }

  /** The unit vector to the left of the piece that begins at a point. */
  private static double[] normal(List<double[]> points, int at) {
    double x = points.get(at + 1)[0] - points.get(at)[0];
    double y = points.get(at + 1)[1] - points.get(at)[1];
    double length = Math.max(Math.hypot(x, y), 0.001);
    return new double[] {-y / length, x / length};
  }
}
