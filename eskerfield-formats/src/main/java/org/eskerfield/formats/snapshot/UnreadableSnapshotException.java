// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.snapshot;

/** A text is no snapshot of a run; the message says what is wrong with it, and where. */
public final class UnreadableSnapshotException extends Exception {
  private static final long serialVersionUID = 1L;

  UnreadableSnapshotException(String message, Throwable cause) {
    super(message, cause);
  }
}
