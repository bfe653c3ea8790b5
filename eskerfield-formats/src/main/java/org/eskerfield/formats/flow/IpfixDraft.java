// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/** The values of a record of IPFIX as they are read: information elements of RFC 7012. */
final class IpfixDraft {
  /** Seconds between 1900, where NTP begins, and 1970. */
  private static final long NTP = 2_208_988_800L;

  /** The end of the year 9999, in milliseconds since 1970. */
  private static final long LATEST = 253_402_300_799_999L;

  private static final int REVERSE_INITIATOR = 2;

  private final Instant exported;
  private @Nullable Address source;
  private @Nullable Address destination;
  private int sourcePort;
  private int destinationPort;
  private int protocol = -1;
  private int icmp = -1;
  private int icmpType = -1;
  private int icmpCode;
  private int tcpFlags = -1;
  private int backFlags = -1;
  private long packets = -1;
  private long bytes = -1;
  private long backPackets = -1;
  private long backBytes = -1;
  private @Nullable Instant start;
  private @Nullable Instant end;
  private long startUp = -1;
  private long endUp = -1;
  private @Nullable Instant boot;
  private long duration = -1;
  private boolean finer;
  private boolean impossible;
  private int event;
  private final Outer outer = new Outer();
  private String domainName = "";
  private int opener;
  private boolean samples;

  IpfixDraft(Instant exported) {
    this.exported = exported;
  }

  /** Whether the value of an element is used; those of the other direction are negative. */
  static boolean reads(int element) {
    return switch (element) {
      case 1,
          2,
          4,
          6,
          7,
          8,
          11,
          12,
          21,
          22,
          23,
          24,
          27,
          28,
          32,
          34,
          85,
          86,
          139,
          150,
          151,
          152,
          153,
          154,
          155,
          156,
          157,
          158,
          159,
          160,
          161,
          176,
          177,
          178,
          179,
          180,
          181,
          182,
          183,
          225,
          226,
          227,
          228,
          230,
          239,
          281,
          282,
          300,
          305,
          323 ->
          true;
      case -1, -2, -6, -85, -86 -> true;
      default -> false;
    };
  }

  /** Takes a value, which stays where it is read from. */
  void read(int element, ByteBuffer in, int length) {
    switch (element) {
      case 8, 12, 225, 226 -> address(element, in, length, 4);
      case 27, 28, 281, 282 -> address(element, in, length, 16);
      case 300 -> {
        byte[] bytes = new byte[length];
        in.get(in.position(), bytes);
        domainName = new String(bytes, StandardCharsets.UTF_8).replace("\0", "").strip();
      }
      case 150, 151, 152, 153, 154, 155, 156, 157, 158, 159, 160, 323 -> time(element, in, length);
      case 0 -> {}
      default -> {
        if (length >= 1 && length <= 8) {
          number(element, unsigned(in, length));
        }
      }
    }
  }

  /** Unsigned numbers may be sent with fewer bytes (RFC 7011 section 6.2). */
  private static long unsigned(ByteBuffer in, int length) {
    long value = 0;
    for (int i = 0; i < length; i++) {
      value = (value << 8) | (in.get(in.position() + i) & 0xff);
    }
    return value < 0 ? Long.MAX_VALUE : value;
  }

  private void address(int element, ByteBuffer in, int length, int size) {
    if (length != size) {
      return;
    }
    byte[] bytes = new byte[size];
    in.get(in.position(), bytes);
    Address address = Address.ofBytes(bytes);
    // A record may have fields for both families; the one that is not meant is zero.
    boolean none = address.high() == 0 && address.low() == 0;
    switch (element) {
      case 8, 27 -> source = none && source != null ? source : address;
      case 12, 28 -> destination = none && destination != null ? destination : address;
      case 225, 281 -> outer.source = none ? outer.source : address;
      default -> outer.destination = none ? outer.destination : address;
    }
  }

  private void number(int element, long value) {
    switch (element) {
      case 1, 85 -> bytes = value;
      case 23 -> bytes = bytes < 0 ? value : bytes;
      case 2, 86 -> packets = value;
      case 24 -> packets = packets < 0 ? value : packets;
      case -1, -85 -> backBytes = value;
      case -2, -86 -> backPackets = value;
      case 4 -> protocol = (int) Math.min(value, 256);
      case 6 -> tcpFlags = (int) value & 0x3f;
      case -6 -> backFlags = (int) value & 0x3f;
      case 7, 180, 182 -> sourcePort = value == 0 ? sourcePort : (int) value & 0xffff;
      case 11, 181, 183 -> destinationPort = value == 0 ? destinationPort : (int) value & 0xffff;
      case 32, 139 -> icmp = value == 0 && icmp > 0 ? icmp : (int) value & 0xffff;
      case 176, 178 -> icmpType = (int) value & 0xff;
      case 177, 179 -> icmpCode = (int) value & 0xff;
      case 21 -> endUp = value;
      case 22 -> startUp = value;
      case 34, 305 -> samples |= value > 1;
      case 161 -> duration = value;
      case 227 -> outer.sourcePort = (int) value & 0xffff;
      case 228 -> outer.destinationPort = (int) value & 0xffff;
      case 230 -> event = (int) Math.min(value, 256);
      case 239 -> opener = (int) value;
      default -> {}
    }
  }

  private void time(int element, ByteBuffer in, int length) {
    Instant at;
    switch (element) {
      case 150, 151 -> at = millis(unsigned(in, length) * 1000);
      case 158, 159 -> at = exported.minusNanos(unsigned(in, length) * 1000);
      case 154, 155, 156, 157 -> {
        if (length != 8) {
          return;
        }
        long seconds = (in.getInt(in.position()) & 0xffffffffL) - NTP;
        long fraction = in.getInt(in.position() + 4) & 0xffffffffL;
        // RFC 7011 section 6.1.9: of microseconds the last 11 bits say nothing.
        long shown = element < 156 ? fraction & ~0x7ffL : fraction;
        long nanos = (shown * 1_000_000_000L) >>> 32;
        at = seconds < 0 ? null : Instant.ofEpochSecond(seconds, nanos);
      }
      default -> at = length == 8 ? millis(unsigned(in, length)) : null;
    }
    if (at == null) {
      impossible = true;
      return;
    }
    finer |= element > 151 && element != 160;
    switch (element) {
      case 160 -> boot = at;
      case 150, 152, 154, 156, 158, 323 -> start = at;
      default -> end = at;
    }
  }

  private static @Nullable Instant millis(long millis) {
    return millis < 0 || millis > LATEST ? null : Instant.ofEpochMilli(millis);
  }

  /** What follows a translation. */
  private static final class Outer {
    private @Nullable Address source;
    private @Nullable Address destination;
    private int sourcePort = -1;
    private int destinationPort = -1;
  }

  /** The name of the observation domain; empty if the record does not tell it. */
  String domainName() {
    return domainName;
  }

  /** Whether packets were sampled. */
  boolean samples() {
    return samples;
  }

  /** Whether its times are in whole seconds. */
  boolean wholeSeconds() {
    return !finer && startUp < 0;
  }

  /** Why it is no record of a flow, as a plural; null if it is one. */
  @Nullable String lacks(boolean events) {
    Translated.Event told = told();
    if (event != 0 && !(events && told != Translated.Event.PACKETS)) {
      return events
          ? "records of other address translation events than those of sessions"
          : "records of address translation events, which are no flows";
    }
    if (source == null || destination == null || source.family() != destination.family()) {
      return "records without two addresses of one family";
    }
    if (protocol < 0 || protocol > 255) {
      return "records without a protocol";
    }
    return impossible ? "records with an impossible time" : null;
  }

  /** RFC 8158 section 4.3, with what RFC 7270 and its like had before. */
  private Translated.Event told() {
    return switch (event) {
      case 1, 4, 6 -> Translated.Event.BEGINS;
      case 2, 5, 7 -> Translated.Event.ENDS;
      default -> Translated.Event.PACKETS;
    };
  }

  /** What is told of the translation; a part that is not there was not changed. */
  private @Nullable Translated translated(FlowHeader key, String device) {
    if (outer.source == null && outer.destination == null && event == 0) {
      return null;
    }
    Address from = outer.source == null ? key.source() : outer.source;
    Address to = outer.destination == null ? key.destination() : outer.destination;
    if (from.family() != to.family()) {
      return null;
    }
    boolean isIcmp = Protocol.isIcmp(protocol);
    FlowHeader after =
        new FlowHeader(
            from,
            outer.sourcePort < 0 || isIcmp ? key.sourcePort() : outer.sourcePort,
            to,
            outer.destinationPort < 0 || isIcmp ? key.destinationPort() : outer.destinationPort,
            protocol,
            key.icmpType(),
            key.icmpCode());
    return new Translated(after, told(), device);
  }

  /**
   * The record; only where it lacks nothing.
   *
   * @param device the name of the device that wrote it; empty if unknown
   */
  FlowRecord record(long number, String device) {
    if (source == null || destination == null) {
      throw new IllegalStateException("it lacks an address");
    }
    Instant to = end != null ? end : up(endUp);
    Instant from = start != null ? start : up(startUp);
    if (from == null) {
      Instant last = to == null ? exported : to;
      from = duration > 0 ? last.minusMillis(duration) : last;
    }
    if (to == null) {
      to = duration > 0 ? from.plusMillis(duration) : from;
    }
    to = to.isBefore(from) ? from : to;
    boolean isIcmp = Protocol.isIcmp(protocol);
    FlowHeader key =
        new FlowHeader(
            source,
            isIcmp ? 0 : sourcePort,
            destination,
            isIcmp ? 0 : destinationPort,
            protocol,
            isIcmp ? type() : Icmp.NO_TYPE,
            isIcmp ? code() : 0);
    Volume there = new Volume(packets, bytes);
    Volume back = new Volume(backPackets, backBytes);
    boolean turned = opener == REVERSE_INITIATOR;
    return new FlowRecord(
        from,
        to,
        turned ? key.mirrored() : key,
        turned ? backFlags : tcpFlags,
        turned ? back : there,
        turned ? there : back,
        number,
        turned ? null : translated(key, device));
  }

  private @Nullable Instant up(long millis) {
    return boot == null || millis < 0 ? null : boot.plus(Duration.ofMillis(millis & 0xffffffffL));
  }

  /** Many exporters write type and code where other protocols have the destination port. */
  private int type() {
    if (event != 0 && icmpType < 0 && icmp < 0) {
      // Events have the identifier of a query where others have ports.
      return protocol == Protocol.ICMP ? Icmp.ECHO_REQUEST : Icmp.ECHO_REQUEST_V6;
    }
    return icmpType >= 0 ? icmpType : (icmp >= 0 ? icmp : destinationPort) >> 8;
  }

  private int code() {
    if (event != 0 && icmpType < 0 && icmp < 0) {
      return 0;
    }
    return icmpType >= 0 ? icmpCode : (icmp >= 0 ? icmp : destinationPort) & 0xff;
  }
}
