// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.io.ByteArrayOutputStream;
import java.nio.ByteBuffer;
import java.time.Instant;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;

/** Messages of IPFIX, put together by hand. */
public final class IpfixBytes {
  /** A usual record of IPv4: 8, 12, 7, 11, 4, 6, 152, 153, 2, 1. */
  public static final int[][] USUAL = {
    {8, 4}, {12, 4}, {7, 2}, {11, 2}, {4, 1}, {6, 1}, {152, 8}, {153, 8}, {2, 4}, {1, 4}
  };

  private final ByteArrayOutputStream file = new ByteArrayOutputStream();
  private ByteArrayOutputStream sets = new ByteArrayOutputStream();
  private final Instant exported;

  public IpfixBytes(Instant exported) {
    this.exported = exported;
  }

  /** Numbers and their sizes in bytes, in turn. */
  public static byte[] bytes(long... valuesAndSizes) {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    for (int i = 0; i < valuesAndSizes.length; i += 2) {
      for (long at = valuesAndSizes[i + 1] - 1; at >= 0; at--) {
        out.write((int) (valuesAndSizes[i] >> (8 * at)));
      }
    }
    return out.toByteArray();
  }

  /** The bytes of an address. */
  public static byte[] address(Address address) {
    ByteBuffer out = ByteBuffer.allocate(16).putLong(address.high()).putLong(address.low());
    byte[] all = out.array();
    return address.family() == Family.IPV6 ? all : new byte[] {all[12], all[13], all[14], all[15]};
  }

  public static byte[] join(byte[]... parts) {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    for (byte[] part : parts) {
      out.writeBytes(part);
    }
    return out.toByteArray();
  }

  public IpfixBytes set(int id, byte[]... parts) {
    byte[] body = join(parts);
    sets.writeBytes(bytes(id, 2, body.length + 4, 2));
    sets.writeBytes(body);
    return this;
  }

  /** A template; fields of an enterprise have it as a third number. */
  public IpfixBytes template(int id, int[]... fields) {
    ByteArrayOutputStream body = new ByteArrayOutputStream();
    body.writeBytes(bytes(id, 2, fields.length, 2));
    for (int[] field : fields) {
      boolean own = field.length > 2;
      body.writeBytes(bytes(field[0] | (own ? 0x8000 : 0), 2, field[1], 2));
      if (own) {
        body.writeBytes(bytes(field[2], 4));
      }
    }
    return set(2, body.toByteArray());
  }

  /** A record of {@link #USUAL}. */
  public static byte[] usual(
      Address source, int port, Address to, int toPort, int protocol, int flags, long... rest) {
    return join(
        address(source),
        address(to),
        bytes(port, 2, toPort, 2, protocol, 1, flags, 1),
        bytes(rest[0], 8, rest[1], 8, rest[2], 4, rest[3], 4));
  }

  /** Ends the message and begins another. */
  public IpfixBytes message() {
    byte[] body = sets.toByteArray();
    file.writeBytes(bytes(10, 2, body.length + 16, 2, exported.getEpochSecond(), 4, 0, 4, 7, 4));
    file.writeBytes(body);
    sets = new ByteArrayOutputStream();
    return this;
  }

  /** The whole file. */
  public byte[] toArray() {
    if (sets.size() > 0) {
      message();
    }
    return file.toByteArray();
  }
}
