// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.yaml;

import java.io.FilterReader;
import java.io.IOException;
import java.io.Reader;

/**
 * A reader that leaves room for the second half of a character beyond the basic plane: the YAML
 * scanner fills its buffer to the brim, and where it ends between two halves, asks for one more
 * than it has room for.
 */
public final class WholeCharacters extends FilterReader {
  /** Reads from another reader. */
  public WholeCharacters(Reader in) {
    super(in);
  }

  @Override
  public int read(char[] chars, int offset, int length) throws IOException {
    return super.read(chars, offset, Math.max(Math.min(length, 1), length - 1));
  }
}
