// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

/** A change that cannot be, or that nobody should make. */
public final class RefusedChangeException extends Exception {
  private static final long serialVersionUID = 1L;

  private final String remedy;

  RefusedChangeException(String message, String remedy) {
    super(message);
    this.remedy = remedy;
  }

  /** The remedy: a change that would work. */
  public String remedy() {
    return remedy;
  }
}
