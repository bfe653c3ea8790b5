// SPDX-License-Identifier: Apache-2.0
/**
 * Eskerfield's core: the model of a site, what happens to packets on it, and what is asked of that.
 *
 * <p>Stable, as {@code docs/stability.md} says, are the packages that are exported to everybody.
 * Those that are exported to named modules are of Eskerfield's own house and may change at any
 * time.
 */
module org.eskerfield.core {
  requires static transitive java.compiler;
  requires static io.soabase.recordbuilder.core;
  requires static transitive org.jspecify;

  exports org.eskerfield.capacity;
  exports org.eskerfield.cause;
  exports org.eskerfield.change;
  exports org.eskerfield.check;
  exports org.eskerfield.compare;
  exports org.eskerfield.explain;
  exports org.eskerfield.guarantee;
  exports org.eskerfield.ledger;
  exports org.eskerfield.matches;
  exports org.eskerfield.model;
  exports org.eskerfield.offer;
  exports org.eskerfield.outcome;
  exports org.eskerfield.packet;
  exports org.eskerfield.reach;
  exports org.eskerfield.set;
  exports org.eskerfield.state;
  exports org.eskerfield.trace;
  exports org.eskerfield.verify;
  exports org.eskerfield.program to
      org.eskerfield.formats,
      org.eskerfield.cli;
  exports org.eskerfield.words to
      org.eskerfield.formats,
      org.eskerfield.report,
      org.eskerfield.cli;
}
