// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats;

import org.eskerfield.words.Printable;

/** A question that cannot be traced: which part of it, why, and what would be right. */
public final class UnusableQuestionException extends Exception {
  private static final long serialVersionUID = 1L;
  private final String part;
  private final String remedy;

  /** A part that cannot be used, why, and what would be right. */
  public UnusableQuestionException(String part, String message, String remedy) {
    super(Printable.message(message));
    this.part = part;
    this.remedy = Printable.message(remedy);
  }

  /** {@code from}, {@code to}, {@code service}, {@code source-port} or {@code at}. */
  public String part() {
    return part;
  }

  /** The remedy. */
  public String remedy() {
    return remedy;
  }
}
