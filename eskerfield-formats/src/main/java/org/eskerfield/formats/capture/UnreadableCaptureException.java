// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import org.eskerfield.words.Printable;

/** A capture or a file of flow records cannot be read, or ends in the middle. */
public final class UnreadableCaptureException extends Exception {
  private static final long serialVersionUID = 1L;
  private final String remedy;

  /** Makes one, of a sentence that says what is wrong and one that says what to do. */
  public UnreadableCaptureException(String message, String remedy) {
    super(Printable.message(message));
    this.remedy = Printable.message(remedy);
  }

  /** The remedy. */
  public String remedy() {
    return remedy;
  }
}
