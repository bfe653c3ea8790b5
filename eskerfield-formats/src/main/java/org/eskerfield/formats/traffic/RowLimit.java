// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.traffic;

import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;

/**
 * A stream of rows that breaks off where one of them does not end: a file of gigabytes without a
 * line break, packed into a few megabytes, is not to take the memory.
 */
final class RowLimit extends FilterInputStream {
  /** How many bytes a row may have, more or less those that are read ahead. */
  static final int MOST_BYTES = 64 << 10;

  /** Says that a row does not end; told with its line by those who read it. */
  static final String MESSAGE = "a row here is longer than " + (MOST_BYTES >> 10) + " KiB";

  static final String REMEDY = "is this the right file? Each flow stands in a row of its own";

  private int read;
  private boolean exceeded;

  RowLimit(InputStream in) {
    super(in);
  }

  /** A row has ended. */
  void ended() {
    read = 0;
  }

  /** Whether the stream broke off. */
  boolean isExceeded() {
    return exceeded;
  }

  @Override
  public int read(byte[] bytes, int offset, int length) throws IOException {
    if (read > MOST_BYTES) {
      exceeded = true;
      throw new IOException(MESSAGE);
    }
    int count = super.read(bytes, offset, Math.min(length, MOST_BYTES));
    read += Math.max(0, count);
    return count;
  }

  @Override
  public int read() throws IOException {
    byte[] one = new byte[1];
    return read(one, 0, 1) < 0 ? -1 : one[0] & 0xff;
  }
}
