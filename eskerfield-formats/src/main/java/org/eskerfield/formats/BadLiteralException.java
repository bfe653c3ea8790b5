package org.eskerfield.formats;

/** A text cannot be read as what it should be. */
final class BadLiteralException extends Exception {
  private static final long serialVersionUID = 1L;
  private final String remedy;

  BadLiteralException(String message, String remedy) {
    super(message, null, false, false);
    this.remedy = remedy;
  }

  String message() {
    return String.valueOf(getMessage());
  }

  String remedy() {
    return remedy;
  }
}
