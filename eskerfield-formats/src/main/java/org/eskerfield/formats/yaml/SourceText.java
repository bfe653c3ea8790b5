// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.yaml;

import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.nio.CharBuffer;
import java.nio.charset.CharsetDecoder;
import java.nio.charset.CoderResult;
import java.nio.charset.StandardCharsets;
import org.eskerfield.model.Place;

/**
 * The text of a file, taken in with care: bounded in size, UTF-8 and nothing else, no control
 * characters.
 *
 * @param file the name of the file, for places
 * @param text the text without a byte order mark
 */
public record SourceText(String file, String text) {
  /** The most bytes that a file may have: 8 MiB, some twenty thousand rules and their comments. */
  public static final int MOST_BYTES = 8 << 20;

  /** The longest line in characters: the time of YAML scanners grows with its square. */
  public static final int LONGEST_LINE = 1 << 20;

  /** Says why a text cannot be taken in. */
  public static final class UnusableTextException extends IOException {
    private static final long serialVersionUID = 1L;
    private final transient Place place;
    private final String remedy;

    UnusableTextException(Place place, String message, String remedy) {
      super(message);
      this.place = place;
      this.remedy = remedy;
    }

    /** Where the first wrong thing stands. */
    public Place place() {
      return place;
    }

    /** What would be right. */
    public String remedy() {
      return remedy;
    }
  }

  /**
   * Reads at most {@link #MOST_BYTES} from a stream.
   *
   * @throws UnusableTextException if it is too large, empty, not UTF-8 or not text
   * @throws IOException if the stream cannot be read
   */
  public static SourceText read(String file, InputStream in) throws IOException {
    byte[] bytes = in.readNBytes(MOST_BYTES + 1);
    Place start = new Place(file, 1, 1);
    if (bytes.length > MOST_BYTES) {
      throw new UnusableTextException(
          start,
          "the file is larger than " + (MOST_BYTES >> 20) + " MiB",
          "a site file is text of some kilobytes to megabytes; is this the right file?");
    }
    String text = decode(file, bytes);
    checkCharacters(file, text);
    return new SourceText(file, text);
  }

  private static String decode(String file, byte[] bytes) throws UnusableTextException {
    int skip = startsWith(bytes, 0xef, 0xbb, 0xbf) ? 3 : 0;
    if (startsWith(bytes, 0xff, 0xfe) || startsWith(bytes, 0xfe, 0xff)) {
      throw new UnusableTextException(
          new Place(file, 1, 1), "the file is in UTF-16", "save it as UTF-8");
    }
    CharsetDecoder decoder = StandardCharsets.UTF_8.newDecoder();
    ByteBuffer in = ByteBuffer.wrap(bytes, skip, bytes.length - skip);
    CharBuffer out = CharBuffer.allocate(bytes.length - skip);
    CoderResult result = decoder.decode(in, out, true);
    String text = out.flip().toString();
    if (result.isError()) {
      throw new UnusableTextException(
          placeAt(file, text, text.length()),
          "the file is not UTF-8: byte 0x"
              + Integer.toHexString(in.get(in.position()) & 0xff)
              + " is not part of a character",
          "save it as UTF-8");
    }
    return text;
  }

  private static boolean startsWith(byte[] bytes, int... start) {
    if (bytes.length < start.length) {
      return false;
    }
    for (int i = 0; i < start.length; i++) {
      if ((bytes[i] & 0xff) != start[i]) {
        return false;
      }
    }
    return true;
  }

  /** YAML 1.2 section 5.1: only printable characters, tabs and line breaks. */
  private static void checkCharacters(String file, String text) throws UnusableTextException {
    int lineStart = 0;
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      if (c == '\n') {
        lineStart = i + 1;
      } else if (i - lineStart == LONGEST_LINE) {
        throw new UnusableTextException(
            placeAt(file, text, lineStart),
            "the line has more than " + LONGEST_LINE + " characters",
            "break it; is this the right file?");
      }
      boolean control = c < ' ' && c != '\n' && c != '\r' && c != '\t';
      if (control || (c >= 0x7f && c < 0xa0 && c != 0x85) || c >= 0xfffe) {
        throw new UnusableTextException(
            placeAt(file, text, i),
            "the file holds the control character 0x" + Integer.toHexString(c),
            "a site file is plain text; is this the right file?");
      }
    }
  }

  private static Place placeAt(String file, String text, int index) {
    int line = 1;
    int column = 1;
    for (int i = 0; i < index; i++) {
      if (text.charAt(i) == '\n') {
        line++;
        column = 1;
      } else {
        column++;
      }
    }
    return new Place(file, line, column);
  }

  /** A line of the text, from 1, without its line break; empty beyond the end. */
  public String line(int number) {
    int start = 0;
    for (int i = 1; i < number; i++) {
      start = text.indexOf('\n', start) + 1;
      if (start == 0) {
        return "";
      }
    }
    int end = text.indexOf('\n', start);
    String line = end < 0 ? text.substring(start) : text.substring(start, end);
    return line.endsWith("\r") ? line.substring(0, line.length() - 1) : line;
  }

  /** The same text with one line, from 1, made empty; every other place stays. */
  SourceText withoutLine(int number) {
    int start = 0;
    for (int i = 1; i < number; i++) {
      start = text.indexOf('\n', start) + 1;
      if (start == 0) {
        return this;
      }
    }
    int end = text.indexOf('\n', start);
    return new SourceText(file, text.substring(0, start) + (end < 0 ? "" : text.substring(end)));
  }
}
