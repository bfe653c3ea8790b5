// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

/** A text cannot be read as what it should be. */
public final class BadLiteralException extends Exception {
  private static final long serialVersionUID = 1L;
  private final String remedy;

  public BadLiteralException(String message, String remedy) {
    super(message, null, false, false);
    this.remedy = remedy;
  }

  public String message() {
    return String.valueOf(getMessage());
  }

  public String remedy() {
    return remedy;
  }
}
