package org.eskerfield.set;

/** Says that a question about sets would take more room than it may, so that it has no answer. */
public final class UndeterminedException extends RuntimeException {
  private static final long serialVersionUID = 1L;

  UndeterminedException(int nodes) {
    super("the sets need more than " + nodes + " nodes", null, false, false);
  }
}
