// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.capture.CapturedPacket.Direction;
import org.jspecify.annotations.Nullable;

/**
 * Reads captures, pcap (draft-ietf-opsawg-pcap) and pcapng (draft-ietf-opsawg-pcapng), in either
 * byte order, packet by packet.
 *
 * <p>A capture comes from anywhere: no length of it is believed before it is checked, and no more
 * memory is taken than the largest packet needs.
 */
public final class CaptureReader implements AutoCloseable {
  private static final int PCAP = 0xa1b2c3d4;
  private static final int PCAP_NANOSECONDS = 0xa1b23c4d;
  private static final int SECTION = 0x0a0d0d0a;
  private static final int BYTE_ORDER = 0x1a2b3c4d;
  private static final int LARGEST_BLOCK = 16 << 20;
  private static final long MILLION = 1_000_000;
  private static final String WHOLE =
      "take the capture again, or send on the part that is whole, with an analyser";

  /**
   * An interface of a section.
   *
   * @param link the kind of link, as captures number them
   * @param name its name, or null
   * @param perSecond how many units of time a second has
   * @param offset seconds to be added
   */
  private record Port(int link, @Nullable String name, long perSecond, long offset) {}

  private final String file;
  private final InputStream in;
  private final List<Port> ports = new ArrayList<>();
  private final boolean blocks;
  private ByteOrder order = ByteOrder.BIG_ENDIAN;
  private long position;
  private long number;
  private Instant last = Instant.EPOCH;

  /**
   * Begins to read.
   *
   * @param file the name that messages call it by
   * @throws UnreadableCaptureException if it is neither pcap nor pcapng
   * @throws IOException if the stream cannot be read
   */
  public CaptureReader(String file, InputStream in) throws UnreadableCaptureException, IOException {
    this.file = file;
    this.in = new BufferedInputStream(in, 1 << 16);
    ByteBuffer magic = read(4, "the file's first bytes");
    int begin = magic.getInt(0);
    blocks = begin == SECTION;
    if (blocks) {
      section();
      return;
    }
    boolean swapped =
        begin == Integer.reverseBytes(PCAP) || begin == Integer.reverseBytes(PCAP_NANOSECONDS);
    order = swapped ? ByteOrder.LITTLE_ENDIAN : ByteOrder.BIG_ENDIAN;
    int kind = swapped ? Integer.reverseBytes(begin) : begin;
    if (kind != PCAP && kind != PCAP_NANOSECONDS) {
      throw new UnreadableCaptureException(
          file + " is no capture: it begins with neither the mark of pcap nor that of pcapng",
          "save it as pcapng, or give flows as .csv or .yaml");
    }
    ByteBuffer rest = read(20, "the header of the file");
    ports.add(port(rest.getInt(16) & 0xfffffff, null, kind == PCAP ? MILLION : MILLION * 1000, 0));
  }

  /** Whether a stream's first four bytes are those of a capture. */
  public static boolean begins(byte[] start) {
    if (start.length < 4) {
      return false;
    }
    int begin = ByteBuffer.wrap(start).getInt();
    return begin == SECTION
        || begin == PCAP
        || begin == PCAP_NANOSECONDS
        || begin == Integer.reverseBytes(PCAP)
        || begin == Integer.reverseBytes(PCAP_NANOSECONDS);
  }

  /**
   * The next packet; null at the end.
   *
   * @throws UnreadableCaptureException if the file is damaged here, or ends in the middle
   * @throws IOException if the stream cannot be read
   */
  public @Nullable CapturedPacket next() throws UnreadableCaptureException, IOException {
    while (true) {
      in.mark(1);
      if (in.read() < 0) {
        return null;
      }
      in.reset();
      CapturedPacket packet = blocks ? block() : record();
      if (packet != null) {
        return packet;
      }
    }
  }

  /** Closes the stream. */
  @Override
  public void close() throws IOException {
    in.close();
  }

  // pcap.

  private CapturedPacket record() throws UnreadableCaptureException, IOException {
    long start = position;
    ByteBuffer header = read(16, "the header of packet " + (number + 1));
    Port port = ports.get(0);
    int length = header.getInt(8);
    checkLength(start, length);
    byte[] frame = read(length, "packet " + (number + 1)).array();
    long seconds = header.getInt(0) & 0xffffffffL;
    long parts = header.getInt(4) & 0xffffffffL;
    return packet(
        port,
        Instant.ofEpochSecond(seconds, parts * (1000 * MILLION / port.perSecond())),
        frame,
        Direction.UNKNOWN);
  }

  private void checkLength(long start, int length) throws UnreadableCaptureException {
    if (length < 0 || length > LARGEST_BLOCK) {
      throw damaged(
          start, "packet " + (number + 1) + " claims to have " + (length & 0xffffffffL) + " bytes");
    }
  }

  // pcapng.

  private void section() throws UnreadableCaptureException, IOException {
    long start = position - 4;
    ByteBuffer header = read(8, "the header of the section");
    int mark = header.getInt(4);
    if (mark != BYTE_ORDER && mark != Integer.reverseBytes(BYTE_ORDER)) {
      throw damaged(start, "a section does not say in which order its bytes are");
    }
    order = mark == BYTE_ORDER ? ByteOrder.BIG_ENDIAN : ByteOrder.LITTLE_ENDIAN;
    int length = header.order(order).getInt(0);
    if (length < 28 || length > LARGEST_BLOCK || length % 4 != 0) {
      throw damaged(start, "the header of a section claims to have " + length + " bytes");
    }
    ByteBuffer rest = read(length - 12, "the header of the section");
    if (rest.getShort(0) != 1) {
      throw new UnreadableCaptureException(
          file + " is pcapng of version " + rest.getShort(0) + ", which is not known",
          "save it as version 1");
    }
    ports.clear();
  }

  private @Nullable CapturedPacket block() throws UnreadableCaptureException, IOException {
    long start = position;
    int type = read(4, "a block").getInt(0);
    if (type == SECTION) {
      section();
      return null;
    }
    int length = read(4, "the length of a block").getInt(0);
    if (length < 12 || length > LARGEST_BLOCK || length % 4 != 0) {
      throw damaged(start, "a block claims to have " + (length & 0xffffffffL) + " bytes");
    }
    ByteBuffer body = read(length - 12, "a block");
    if (read(4, "the end of a block").getInt(0) != length) {
      throw damaged(
          start, "a block says " + length + " bytes at its start and something else at its end");
    }
    return switch (type) {
      case 1 -> {
        port(start, body);
        yield null;
      }
      case 3 -> simple(start, body);
      case 6 -> enhanced(start, body);
      default -> null;
    };
  }

  private void port(long start, ByteBuffer body) throws UnreadableCaptureException {
    if (body.limit() < 8) {
      throw damaged(start, "the description of an interface is too short");
    }
    String name = null;
    long perSecond = MILLION;
    long offset = 0;
    body.position(8);
    for (Option option = option(start, body); option != null; option = option(start, body)) {
      byte[] value = option.value();
      if (option.code() == 2) {
        name = new String(value, StandardCharsets.UTF_8);
      } else if (option.code() == 9 && value.length == 1) {
        perSecond = resolution(start, value[0]);
      } else if (option.code() == 14 && value.length == 8) {
        offset = ByteBuffer.wrap(value).order(order).getLong();
      }
    }
    ports.add(port(body.getShort(0) & 0xffff, name, perSecond, offset));
  }

  private long resolution(long start, byte value) throws UnreadableCaptureException {
    int power = value & 0x7f;
    if (value < 0 ? power > 62 : power > 18) {
      throw damaged(start, "an interface counts time in units that are too small");
    }
    long perSecond = 1;
    for (int i = 0; i < power; i++) {
      perSecond *= value < 0 ? 2 : 10;
    }
    return perSecond;
  }

  private Port port(int link, @Nullable String name, long perSecond, long offset)
      throws UnreadableCaptureException {
    if (!FrameReader.reads(link)) {
      throw new UnreadableCaptureException(
          file + " has packets of link type " + link + ", which cannot be read",
          "capture on Ethernet, or as raw IP");
    }
    return new Port(link, name, perSecond, offset);
  }

  private @Nullable CapturedPacket enhanced(long start, ByteBuffer body)
      throws UnreadableCaptureException {
    if (body.limit() < 20) {
      throw damaged(start, "packet " + (number + 1) + " is too short");
    }
    Port port = portOf(start, body.getInt(0));
    int length = body.getInt(12);
    if (length < 0 || length > body.limit() - 20) {
      throw damaged(
          start, "packet " + (number + 1) + " claims to have " + (length & 0xffffffffL) + " bytes");
    }
    byte[] frame = new byte[length];
    body.position(20);
    body.get(frame);
    body.position(Math.min(body.limit(), 20 + length + (-length & 3)));
    Direction direction = Direction.UNKNOWN;
    for (Option option = option(start, body); option != null; option = option(start, body)) {
      if (option.code() == 2 && option.value().length == 4) {
        int flags = ByteBuffer.wrap(option.value()).order(order).getInt();
        direction =
            switch (flags & 3) {
              case 1 -> Direction.INBOUND;
              case 2 -> Direction.OUTBOUND;
              default -> Direction.UNKNOWN;
            };
      }
    }
    long units = ((body.getInt(4) & 0xffffffffL) << 32) | (body.getInt(8) & 0xffffffffL);
    return packet(port, instant(start, port, units), frame, direction);
  }

  private Instant instant(long start, Port port, long units) throws UnreadableCaptureException {
    long seconds = Long.divideUnsigned(units, port.perSecond());
    long rest = Long.remainderUnsigned(units, port.perSecond());
    long nanos = (long) (rest * (1e9 / port.perSecond()));
    long since = seconds + port.offset();
    if (since < 0 || since > LATEST) {
      throw damaged(start, "packet " + (number + 1) + " has an impossible time");
    }
    return Instant.ofEpochSecond(since, nanos);
  }

  /** The end of the year 9999, in seconds since 1970. */
  private static final long LATEST = 253_402_300_799L;

  /** A packet without a time of its own: it gets that of the one before. */
  private CapturedPacket simple(long start, ByteBuffer body) throws UnreadableCaptureException {
    if (body.limit() < 4) {
      throw damaged(start, "packet " + (number + 1) + " is too short");
    }
    Port port = portOf(start, 0);
    long original = body.getInt(0) & 0xffffffffL;
    byte[] frame = new byte[(int) Math.min(original, body.limit() - 4)];
    body.position(4);
    body.get(frame);
    return packet(port, last, frame, Direction.UNKNOWN);
  }

  private Port portOf(long start, int index) throws UnreadableCaptureException {
    if (index < 0 || index >= ports.size()) {
      throw damaged(
          start,
          "packet "
              + (number + 1)
              + " is of interface "
              + (index & 0xffffffffL)
              + ", which nothing describes");
    }
    return ports.get(index);
  }

  @SuppressWarnings("ArrayRecordComponent") // nobody compares options
  private record Option(int code, byte[] value) {}

  private @Nullable Option option(long start, ByteBuffer body) throws UnreadableCaptureException {
    if (body.remaining() < 4) {
      return null;
    }
    int code = body.getShort() & 0xffff;
    int length = body.getShort() & 0xffff;
    if (code == 0) {
      return null;
    }
    if (length > body.remaining()) {
      throw damaged(start, "an option of a block is longer than the block");
    }
    byte[] value = new byte[length];
    body.get(value);
    body.position(Math.min(body.limit(), body.position() + (-length & 3)));
    return new Option(code, value);
  }

  // Both.

  private CapturedPacket packet(Port port, Instant at, byte[] frame, Direction direction) {
    FrameReader read = FrameReader.of(port.link(), frame);
    last = at;
    number++;
    return new CapturedPacket(number, at, port.name(), direction, read.packet, read.skipped);
  }

  private ByteBuffer read(int length, String what) throws UnreadableCaptureException, IOException {
    byte[] bytes = in.readNBytes(length);
    if (bytes.length < length) {
      throw new UnreadableCaptureException(
          file + " ends at byte " + (position + bytes.length) + ", in the middle of " + what,
          WHOLE);
    }
    position += length;
    return ByteBuffer.wrap(bytes).order(order);
  }

  private UnreadableCaptureException damaged(long at, String what) {
    return new UnreadableCaptureException(file + " is damaged at byte " + at + ": " + what, WHOLE);
  }
}
