// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import org.eskerfield.words.Printable;

/** A file is no capture that can be read, or ends in the middle. */
public final class UnreadableCaptureException extends Exception {
  private static final long serialVersionUID = 1L;
  private final String remedy;

  UnreadableCaptureException(String message, String remedy) {
    super(Printable.message(message));
    this.remedy = Printable.message(remedy);
  }

  /** The remedy. */
  public String remedy() {
    return remedy;
  }
}
