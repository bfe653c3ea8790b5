// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.io.FilterOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.util.Locale;

/**
 * An output of which no byte is lost without a word: the first that cannot be written ends the
 * work, since a {@link java.io.PrintWriter} above it would only make a note of it.
 */
public final class WatchedStream extends FilterOutputStream {
  /** Says that an output could not be written. */
  public static final class LostException extends RuntimeException {
    private static final long serialVersionUID = 1L;

    LostException(String what, IOException cause) {
      super(what + " cannot be written: " + ProblemText.reason(cause), cause);
    }

    /** Whether nobody reads any more, as behind {@code | head -1}: then nobody wants to know. */
    public boolean isPipeClosed() {
      // Not of the message, which names the file: pipeline.log
      String reason = getCause() == null ? null : getCause().getMessage();
      return String.valueOf(reason).toLowerCase(Locale.ROOT).contains("pipe");
    }
  }

  private final String what;
  private boolean lost;

  /**
   * @param what what it is, for the message
   */
  public WatchedStream(OutputStream out, String what) {
    super(out);
    this.what = what;
  }

  private interface Attempt {
    void run() throws IOException;
  }

  private void attempt(Attempt attempt) {
    if (lost) {
      return; // said already
    }
    try {
      attempt.run();
    } catch (IOException e) {
      lost = true;
      throw new LostException(what, e);
    }
  }

  @Override
  public void write(int one) {
    attempt(() -> out.write(one));
  }

  @Override
  public void write(byte[] bytes, int offset, int length) {
    attempt(() -> out.write(bytes, offset, length));
  }

  @Override
  public void flush() {
    attempt(out::flush);
  }

  @Override
  public void close() {
    attempt(out::close);
  }
}
