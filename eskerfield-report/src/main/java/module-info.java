// SPDX-License-Identifier: Apache-2.0
/** Pictures and pages: the map of a site, the path of packets, and the report. */
module org.eskerfield.report {
  requires com.fasterxml.jackson.core;
  requires com.github.weisj.jsvg;
  requires com.samskivert.jmustache;
  requires java.desktop;
  requires org.eclipse.elk.alg.layered;
  requires org.eclipse.elk.core;
  requires org.eclipse.elk.graph;
  requires org.eclipse.emf.common;
  requires transitive org.eskerfield.formats;
  requires static transitive org.jspecify;

  exports org.eskerfield.report.draw;
  exports org.eskerfield.report.ladder;
  exports org.eskerfield.report.map;
  exports org.eskerfield.report.page;
}
