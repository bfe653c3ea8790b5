package org.eskerfield.formats.capture;

/** A file is no capture that can be read, or ends in the middle. */
public final class UnreadableCaptureException extends Exception {
  private static final long serialVersionUID = 1L;
  private final String remedy;

  UnreadableCaptureException(String message, String remedy) {
    super(message);
    this.remedy = remedy;
  }

  /** What would be right. */
  public String remedy() {
    return remedy;
  }
}
