// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.map;

import java.util.ArrayList;
import java.util.EnumSet;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eclipse.elk.alg.layered.options.LayeredOptions;
import org.eclipse.elk.alg.layered.options.OrderingStrategy;
import org.eclipse.elk.core.RecursiveGraphLayoutEngine;
import org.eclipse.elk.core.math.ElkPadding;
import org.eclipse.elk.core.math.KVector;
import org.eclipse.elk.core.options.CoreOptions;
import org.eclipse.elk.core.options.Direction;
import org.eclipse.elk.core.options.EdgeRouting;
import org.eclipse.elk.core.options.HierarchyHandling;
import org.eclipse.elk.core.options.NodeLabelPlacement;
import org.eclipse.elk.core.options.PortConstraints;
import org.eclipse.elk.core.options.PortLabelPlacement;
import org.eclipse.elk.core.options.SizeConstraint;
import org.eclipse.elk.core.util.BasicProgressMonitor;
import org.eclipse.elk.graph.ElkBendPoint;
import org.eclipse.elk.graph.ElkConnectableShape;
import org.eclipse.elk.graph.ElkEdge;
import org.eclipse.elk.graph.ElkEdgeSection;
import org.eclipse.elk.graph.ElkLabel;
import org.eclipse.elk.graph.ElkNode;
import org.eclipse.elk.graph.ElkPort;
import org.eclipse.elk.graph.util.ElkGraphUtil;
import org.eskerfield.report.draw.Lettering;
import org.jspecify.annotations.Nullable;

/**
 * Gives every box of a map its place.
 *
 * <p>Idea: layers, from the internet inwards, with lines that meet devices at ports; the layout
 * library minimizes crossings (Sugiyama, Tagawa, Toda: Methods for Visual Understanding of
 * Hierarchical System Structures, 1981) and keeps text, boxes and lines apart.
 */
final class MapLayout {
  private static final double PADDING = 8;

  /** How much wider a tunnel is, for its round ends. */
  private static final double ROUND = 24;

  /** Up to how many boxes stand in the order of the file where lines leave it open. */
  private static final int MOST_IN_ORDER = 400;

  final double width;
  final double height;

  /**
   * Where the networks of a zone stand.
   *
   * @param zone its name
   */
  record Area(String zone, double x, double y, double width, double height) {}

  final List<Area> areas = new ArrayList<>();

  /** The points of each link, from its start to its end, by the key of the link. */
  final Map<String, List<double[]>> routes = new LinkedHashMap<>();

  /** Lays out a plan: its boxes and ports get their places. */
  MapLayout(MapPlan plan, boolean downwards) {
    ElkNode root = ElkGraphUtil.createGraph();
    root.setProperty(CoreOptions.ALGORITHM, LayeredOptions.ALGORITHM_ID);
    root.setProperty(CoreOptions.DIRECTION, downwards ? Direction.DOWN : Direction.RIGHT);
    root.setProperty(CoreOptions.HIERARCHY_HANDLING, HierarchyHandling.INCLUDE_CHILDREN);
    root.setProperty(CoreOptions.EDGE_ROUTING, EdgeRouting.ORTHOGONAL);
    root.setProperty(CoreOptions.PADDING, new ElkPadding(14, 28, 14, 14));
    // To keep the order of the file compares every pair of boxes many times over.
    root.setProperty(
        LayeredOptions.CONSIDER_MODEL_ORDER_STRATEGY,
        plan.boxes().size() <= MOST_IN_ORDER
            ? OrderingStrategy.PREFER_NODES
            : OrderingStrategy.NONE);
    double part = plan.detail.isTight() ? 0.5 : 1;
    root.setProperty(LayeredOptions.SPACING_NODE_NODE, 20 * part);
    root.setProperty(LayeredOptions.SPACING_NODE_NODE_BETWEEN_LAYERS, 24 * part);
    root.setProperty(LayeredOptions.SPACING_EDGE_NODE, 16 * part);
    root.setProperty(LayeredOptions.SPACING_EDGE_EDGE, 14 * part);
    root.setProperty(LayeredOptions.SPACING_EDGE_NODE_BETWEEN_LAYERS, 12.0);
    root.setProperty(LayeredOptions.SPACING_EDGE_EDGE_BETWEEN_LAYERS, Math.max(12 * part, 9));
    root.setProperty(LayeredOptions.SPACING_PORT_PORT, 14 * part);
    Map<Box, ElkNode> nodes = new HashMap<>();
    Map<Box.Port, ElkPort> ports = new HashMap<>();
    Map<String, ElkNode> parents = new LinkedHashMap<>();
    for (Box box : plan.boxes()) {
      ElkNode parent =
          box.area.isEmpty() ? root : parents.computeIfAbsent(box.area, zone -> area(root, zone));
      nodes.put(box, node(parent, box, ports));
    }
    Map<String, ElkEdge> edges = new LinkedHashMap<>();
    plan.links.forEach(
        (key, link) ->
            edges.put(
                key,
                ElkGraphUtil.createSimpleEdge(
                    end(link.from(), link.fromPort(), nodes, ports),
                    end(link.to(), link.toPort(), nodes, ports))));
    new RecursiveGraphLayoutEngine().layout(root, new BasicProgressMonitor());
    width = root.getWidth();
    height = root.getHeight();
    nodes.forEach(MapLayout::place);
    parents.forEach(
        (zone, area) ->
            areas.add(new Area(zone, area.getX(), area.getY(), area.getWidth(), area.getHeight())));
    plan.boxes().forEach(box -> box.ports.forEach(port -> place(box, port, required(ports, port))));
    edges.forEach((key, edge) -> routes.put(key, points(edge)));
  }

  private static ElkNode area(ElkNode root, String zone) {
    ElkNode area = ElkGraphUtil.createNode(root);
    area.setProperty(CoreOptions.PADDING, new ElkPadding(24, 10, 10, 10));
    area.setProperty(CoreOptions.NODE_SIZE_CONSTRAINTS, EnumSet.of(SizeConstraint.MINIMUM_SIZE));
    area.setProperty(
        CoreOptions.NODE_SIZE_MINIMUM,
        new KVector(Lettering.width(areaTitle(zone), Box.PLAIN, true) + 20, 40));
    return area;
  }

  /** What stands above the networks of a zone. */
  static String areaTitle(String zone) {
    return "zone " + zone;
  }

  private static ElkNode node(ElkNode root, Box box, Map<Box.Port, ElkPort> ports) {
    ElkNode node = ElkGraphUtil.createNode(root);
    double strip = box.strip.isEmpty() ? 0 : 4;
    ElkLabel text = ElkGraphUtil.createLabel("text", node);
    double beside = strip + (box.ports.isEmpty() ? 6 : 10) + (box.tunnel ? ROUND : 0);
    text.setDimensions(box.textWidth() + beside, box.textHeight());
    node.setProperty(CoreOptions.NODE_LABELS_PLACEMENT, NodeLabelPlacement.insideCenter());
    node.setProperty(CoreOptions.NODE_LABELS_PADDING, new ElkPadding(PADDING - 3, PADDING));
    node.setProperty(
        CoreOptions.NODE_SIZE_CONSTRAINTS,
        EnumSet.of(
            SizeConstraint.NODE_LABELS,
            SizeConstraint.PORTS,
            SizeConstraint.PORT_LABELS,
            SizeConstraint.MINIMUM_SIZE));
    node.setProperty(CoreOptions.NODE_SIZE_MINIMUM, new KVector(90, 40));
    node.setProperty(CoreOptions.PORT_CONSTRAINTS, PortConstraints.FREE);
    node.setProperty(CoreOptions.SPACING_LABEL_PORT_HORIZONTAL, 3.0);
    node.setProperty(CoreOptions.SPACING_LABEL_PORT_VERTICAL, 3.0);
    node.setProperty(CoreOptions.PORT_LABELS_PLACEMENT, PortLabelPlacement.inside());
    for (Box.Port port : box.ports) {
      ElkPort at = ElkGraphUtil.createPort(node);
      at.setDimensions(Box.PORT, Box.PORT);
      at.setProperty(CoreOptions.PORT_BORDER_OFFSET, -Box.PORT / 2);
      ElkLabel label = ElkGraphUtil.createLabel(port.name, at);
      label.setDimensions(port.labelWidth(), port.labelHeight());
      ports.put(port, at);
    }
    return node;
  }

  private static ElkConnectableShape end(
      Box box, Box.@Nullable Port port, Map<Box, ElkNode> nodes, Map<Box.Port, ElkPort> ports) {
    return port == null ? required(nodes, box) : required(ports, port);
  }

  private static <K, V> V required(Map<K, V> all, K key) {
    V found = all.get(key);
    if (found == null) {
      throw new IllegalStateException("not on the map: " + key);
    }
    return found;
  }

  private static void place(Box box, ElkNode node) {
    ElkNode parent = node.getParent();
    boolean within = parent != null && parent.getParent() != null;
    box.x = node.getX() + (within ? parent.getX() : 0);
    box.y = node.getY() + (within ? parent.getY() : 0);
    box.width = node.getWidth();
    box.height = node.getHeight();
    ElkLabel text = node.getLabels().get(0);
    box.textX = box.ports.isEmpty() ? PADDING + 4 + (box.tunnel ? ROUND / 2 : 0) : text.getX() + 5;
    box.textY = text.getY();
  }

  private static void place(Box box, Box.Port port, ElkPort at) {
    port.x = box.x + at.getX();
    port.y = box.y + at.getY();
    ElkLabel label = at.getLabels().get(0);
    port.labelX = port.x + label.getX();
    port.labelY = port.y + label.getY();
  }

  private static List<double[]> points(ElkEdge edge) {
    ElkEdgeSection section = edge.getSections().get(0);
    List<double[]> points = new ArrayList<>();
    points.add(new double[] {section.getStartX(), section.getStartY()});
    for (ElkBendPoint bend : section.getBendPoints()) {
      points.add(new double[] {bend.getX(), bend.getY()});
    }
    points.add(new double[] {section.getEndX(), section.getEndY()});
    ElkNode within = edge.getContainingNode(); // where a line within an area is counted from
    if (within != null && within.getParent() != null) {
      for (double[] point : points) {
        point[0] += within.getX();
        point[1] += within.getY();
      }
    }
    return points;
  }
}
