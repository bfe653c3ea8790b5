// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import org.eskerfield.model.Named;
import org.jspecify.annotations.Nullable;

/** Says that a question about sets would take more room than it may, so that it has no answer. */
public final class UndeterminedException extends RuntimeException {
  private static final long serialVersionUID = 1L;
  private final transient @Nullable Named subject;

  /**
   * A question that is given up.
   *
   * @param nodes how much room it may take
   */
  public UndeterminedException(int nodes, @Nullable Named subject) {
    super("the sets need more than " + nodes + " nodes", null, false, false);
    this.subject = subject;
  }

  /** The rule whose packets were joined to those of others when the room was used up, if known. */
  public @Nullable Named subject() {
    return subject;
  }
}
