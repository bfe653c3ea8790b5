// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.io.ByteArrayOutputStream;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;

/** Bytes in the order of the network. */
final class Bytes {
  private final ByteArrayOutputStream out = new ByteArrayOutputStream(64);

  Bytes put8(int value) {
    out.write(value);
    return this;
  }

  Bytes put16(int value) {
    return put8(value >> 8).put8(value);
  }

  Bytes put32(long value) {
    return put16((int) (value >> 16)).put16((int) value);
  }

  Bytes put(byte[] bytes) {
    out.writeBytes(bytes);
    return this;
  }

  Bytes put(Address address) {
    if (address.family() == Family.IPV6) {
      put32(address.high() >>> 32).put32(address.high()).put32(address.low() >>> 32);
    }
    return put32(address.low());
  }

  byte[] toArray() {
    return out.toByteArray();
  }

  /**
   * The checksum of RFC 1071 over bytes, to be put where they have zeros.
   *
   * @param sum what was summed up before, such as a pseudo header
   */
  static int checksum(byte[] bytes, long sum) {
    long folded = sum + sum(bytes);
    while (folded >> 16 != 0) {
      folded = (folded & 0xffff) + (folded >> 16);
    }
    return (int) ~folded & 0xffff;
  }

  /** The sum of 16-bit words, a last single byte padded (RFC 1071 section 1). */
  static long sum(byte[] bytes) {
    long sum = 0;
    for (int i = 0; i < bytes.length; i++) {
      sum += (bytes[i] & 0xffL) << (i % 2 == 0 ? 8 : 0);
    }
    return sum;
  }

  static void set16(byte[] bytes, int at, int value) {
    bytes[at] = (byte) (value >> 8);
    bytes[at + 1] = (byte) value;
  }
}
