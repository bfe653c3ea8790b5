// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats;

import org.eskerfield.model.Place;
import org.eskerfield.words.Printable;

/**
 * Something in a file that keeps it from being used.
 *
 * @param place where it stands
 * @param message the problem in one sentence that quotes the offending text
 * @param remedy what to write instead; may be empty
 * @param excerpt the line of the file; empty if there is none
 */
public record Problem(Place place, String message, String remedy, String excerpt) {
  private static final int LONGEST_EXCERPT = 160;

  /** Writes out what is not printable, and leaves out the end of what is too long to be read. */
  public Problem {
    message = Printable.message(message);
    remedy = Printable.message(remedy);
    // Column by column, so that the mark below it stands where it should.
    excerpt =
        Printable.shortened(
            excerpt
                .codePoints()
                .map(Problem::visible)
                .collect(StringBuilder::new, StringBuilder::appendCodePoint, StringBuilder::append)
                .toString(),
            LONGEST_EXCERPT);
  }

  private static int visible(int codePoint) {
    return codePoint == '\t' ? ' ' : Printable.is(codePoint) ? codePoint : 0xfffd;
  }
}
