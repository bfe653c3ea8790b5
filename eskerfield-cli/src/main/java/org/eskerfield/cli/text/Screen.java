// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.io.IOException;
import java.io.PrintWriter;
import java.io.Writer;
import java.nio.charset.StandardCharsets;
import org.eskerfield.words.Printable;

/**
 * Lets through what is printable, and writes out the rest ({@link Printable}): names of files and
 * hosts, notes, what is in captures, whatever a message quotes. What we ourselves want of a
 * terminal or a log is said by marks that mean nothing elsewhere.
 */
public final class Screen extends PrintWriter {
  /** Stands for the character that begins a command to the terminal. */
  static final char ESCAPE = '\ufdd0';

  /** Stands for the way back to the beginning of the line. */
  static final char RETURN = '\ufdd1';

  /** Stands for the mark that tells readers of a log that UTF-8 follows (RFC 5424 section 6.4). */
  public static final char MARK = '\ufdd2';

  private final PrintWriter target;

  private Screen(PrintWriter target) {
    super(new Filter(target));
    this.target = target;
  }

  /** What stands between a command and the one who reads it; the same if that is one already. */
  public static PrintWriter before(PrintWriter out) {
    return out instanceof Screen ? out : new Screen(out);
  }

  /** What stands behind: for help, which quotes nobody and brings its own colours. */
  static PrintWriter behind(PrintWriter out) {
    return out instanceof Screen screen ? screen.target : out;
  }

  /** A text for a file: what does not show is written out in it, but for tabs and line breaks. */
  public static byte[] text(String text) {
    return Printable.lines(text).getBytes(StandardCharsets.UTF_8);
  }

  private static final class Filter extends Writer {
    private final Writer out;
    private char pending;

    Filter(Writer out) {
      this.out = out;
    }

    @Override
    public void write(char[] chars, int offset, int length) throws IOException {
      write(new String(chars, offset, length));
    }

    @Override
    public void write(String text, int offset, int length) throws IOException {
      write(text.substring(offset, offset + length));
    }

    @Override
    public void write(String text) throws IOException {
      String all = pending == 0 ? text : pending + text;
      pending = 0;
      int done = 0;
      for (int i = 0; i < all.length(); ) {
        char c = all.charAt(i);
        if ((c >= ' ' && c < 0x7f) || c == '\n' || c == '\t') {
          i++;
          continue;
        }
        boolean half = Character.isHighSurrogate(c) && i + 1 == all.length();
        int codePoint = all.codePointAt(i);
        int next = i + Character.charCount(codePoint);
        boolean lineBreak = c == '\r' && all.startsWith("\n", next);
        if (half || !(lineBreak || Printable.is(codePoint))) {
          out.write(all, done, i - done);
          done = next;
          if (half) {
            pending = c; // the other half comes with what is written next
          } else if (c == ESCAPE) {
            out.write('\u001b');
          } else if (c == RETURN) {
            out.write('\r');
          } else if (c == MARK) {
            out.write('\ufeff');
          } else {
            out.write(Printable.escaped(all.substring(i, next)));
          }
        }
        i = next;
      }
      out.write(all, done, all.length() - done);
    }

    @Override
    public void flush() throws IOException {
      out.flush();
    }

    @Override
    public void close() throws IOException {
      out.close();
    }
  }
}
