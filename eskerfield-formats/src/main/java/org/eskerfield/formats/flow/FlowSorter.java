// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.io.BufferedInputStream;
import java.io.BufferedOutputStream;
import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.EOFException;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.PriorityQueue;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.jspecify.annotations.Nullable;

/**
 * Puts records of flows in the order of their start: exporters write a flow at its end. Of records
 * that start at one time, those to the lower port go first, since whoever answers is on that port;
 * then the order is that of the file.
 *
 * <p>More than fit in memory are sorted in parts that are kept in temporary files, and merged. The
 * files are gone when this is closed.
 */
public final class FlowSorter implements FlowRecords {
  private static final Comparator<FlowRecord> ORDER =
      Comparator.comparing(FlowRecord::start)
          .thenComparing(record -> record.key().destinationPort() > record.key().sourcePort())
          .thenComparing(FlowRecord::number);

  private static final int MOST_IN_MEMORY = 200_000;

  private final FlowRecords from;
  private final List<Path> files = new ArrayList<>();
  private final List<Part> parts = new ArrayList<>();
  private final PriorityQueue<Part> next =
      new PriorityQueue<>(Comparator.comparing(Part::head, ORDER));

  /** Reads all records. */
  public FlowSorter(FlowRecords from) throws IOException, UnreadableCaptureException {
    this(from, MOST_IN_MEMORY);
  }

  /**
   * The same.
   *
   * @param most how many are kept in memory
   */
  FlowSorter(FlowRecords from, int most) throws IOException, UnreadableCaptureException {
    this.from = from;
    try {
      List<FlowRecord> some = new ArrayList<>();
      for (FlowRecord each = from.next(); each != null; each = from.next()) {
        some.add(each);
        if (some.size() == most) {
          spill(some);
          some.clear();
        }
      }
      some.sort(ORDER);
      parts.add(new Part(some, null));
      for (Path file : files) {
        parts.add(
            new Part(
                List.of(),
                new DataInputStream(new BufferedInputStream(Files.newInputStream(file)))));
      }
      for (Part part : parts) {
        offer(part);
      }
    } catch (IOException | UnreadableCaptureException | RuntimeException e) {
      close();
      throw e;
    }
  }

  private void spill(List<FlowRecord> some) throws IOException {
    some.sort(ORDER);
    Path file = Files.createTempFile("flows", ".part");
    files.add(file);
    try (DataOutputStream out =
        new DataOutputStream(new BufferedOutputStream(Files.newOutputStream(file)))) {
      for (FlowRecord each : some) {
        write(out, each);
      }
    }
  }

  private void offer(Part part) throws IOException {
    if (part.advance()) {
      next.add(part);
    }
  }

  @Override
  public @Nullable FlowRecord next() throws IOException {
    Part part = next.poll();
    if (part == null) {
      return null;
    }
    FlowRecord record = part.head();
    offer(part);
    return record;
  }

  @Override
  public List<String> remarks() {
    return from.remarks();
  }

  @Override
  public void close() throws IOException {
    for (Part part : parts) {
      part.close();
    }
    for (Path file : files) {
      Files.deleteIfExists(file);
    }
    from.close();
  }

  /** Records that are in order, in memory or in a file. */
  private static final class Part {
    private final List<FlowRecord> records;
    private final @Nullable DataInputStream in;
    private int at;
    private @Nullable FlowRecord head;

    Part(List<FlowRecord> records, @Nullable DataInputStream in) {
      this.records = records;
      this.in = in;
    }

    FlowRecord head() {
      if (head == null) {
        throw new IllegalStateException("it is at its end");
      }
      return head;
    }

    boolean advance() throws IOException {
      if (in == null) {
        head = at < records.size() ? records.get(at++) : null;
      } else {
        head = read(in);
      }
      return head != null;
    }

    void close() throws IOException {
      if (in != null) {
        in.close();
      }
    }
  }

  // A record in a temporary file.

  private static void write(DataOutputStream out, FlowRecord record) throws IOException {
    write(out, record.start());
    write(out, record.end());
    write(out, record.key());
    out.writeShort(record.tcpFlags());
    write(out, record.there());
    write(out, record.back());
    out.writeLong(record.number());
    Translated translated = record.translated();
    out.writeUTF(translated == null ? "" : translated.event().name());
    if (translated != null) {
      write(out, translated.after());
      out.writeUTF(translated.device());
    }
  }

  private static void write(DataOutputStream out, FlowHeader key) throws IOException {
    out.writeBoolean(key.source().family() == Family.IPV6);
    write(out, key.source());
    out.writeShort(key.sourcePort());
    write(out, key.destination());
    out.writeShort(key.destinationPort());
    out.writeByte(key.protocol());
    out.writeShort(key.icmpType());
    out.writeShort(key.icmpCode());
  }

  private static void write(DataOutputStream out, Instant at) throws IOException {
    out.writeLong(at.getEpochSecond());
    out.writeInt(at.getNano());
  }

  private static void write(DataOutputStream out, Address address) throws IOException {
    out.writeLong(address.high());
    out.writeLong(address.low());
  }

  private static void write(DataOutputStream out, Volume volume) throws IOException {
    out.writeLong(volume.packets());
    out.writeLong(volume.bytes());
  }

  private static @Nullable FlowRecord read(DataInputStream in) throws IOException {
    Instant start;
    try {
      start = instant(in);
    } catch (EOFException e) {
      return null;
    }
    Instant end = instant(in);
    return new FlowRecord(
        start,
        end,
        header(in),
        in.readShort(),
        volume(in),
        volume(in),
        in.readLong(),
        translated(in));
  }

  private static @Nullable Translated translated(DataInputStream in) throws IOException {
    String event = in.readUTF();
    return event.isEmpty()
        ? null
        : new Translated(header(in), Translated.Event.valueOf(event), in.readUTF());
  }

  private static FlowHeader header(DataInputStream in) throws IOException {
    Family family = in.readBoolean() ? Family.IPV6 : Family.IPV4;
    return new FlowHeader(
        address(in, family),
        in.readUnsignedShort(),
        address(in, family),
        in.readUnsignedShort(),
        in.readUnsignedByte(),
        in.readShort(),
        in.readShort());
  }

  private static Instant instant(DataInputStream in) throws IOException {
    return Instant.ofEpochSecond(in.readLong(), in.readInt());
  }

  private static Address address(DataInputStream in, Family family) throws IOException {
    return new Address(family, in.readLong(), in.readLong());
  }

  private static Volume volume(DataInputStream in) throws IOException {
    return new Volume(in.readLong(), in.readLong());
  }
}
