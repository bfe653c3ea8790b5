// SPDX-License-Identifier: Apache-2.0
/**
 * What Eskerfield reads and writes: site files, questions, traffic, captures, answers as data.
 *
 * <p>Stable are the packages that are exported to everybody; what is exported to named modules is
 * of Eskerfield's own house and may change at any time.
 */
module org.eskerfield.formats {
  requires com.fasterxml.jackson.core;
  requires com.samskivert.jmustache;
  requires inet.ipaddr;
  requires io.github.javadiffutils;
  requires org.apache.commons.csv;
  requires java.xml;
  requires transitive org.eskerfield.core;
  requires static transitive org.jspecify;
  requires org.snakeyaml.engine.v2;

  exports org.eskerfield.formats;
  exports org.eskerfield.formats.answer;
  exports org.eskerfield.formats.ask;
  exports org.eskerfield.formats.capture;
  exports org.eskerfield.formats.flow;
  exports org.eskerfield.formats.replay;
  exports org.eskerfield.formats.schema;
  exports org.eskerfield.formats.site.edit;
  exports org.eskerfield.formats.site.read;
  exports org.eskerfield.formats.site.write;
  exports org.eskerfield.formats.snapshot;
  exports org.eskerfield.formats.traffic;
  exports org.eskerfield.formats.file to
      org.eskerfield.cli;
  exports org.eskerfield.formats.literal to
      org.eskerfield.cli;
  exports org.eskerfield.formats.log to
      org.eskerfield.cli;
  exports org.eskerfield.formats.yaml to
      org.eskerfield.git;
}
