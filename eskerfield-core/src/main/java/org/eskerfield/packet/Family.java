// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

/** The two families of internet addresses: IPv4 (RFC 791) and IPv6 (RFC 8200). */
public enum Family {
  /** 32-bit addresses. */
  IPV4(32, "IPv4"),
  /** 128-bit addresses. */
  IPV6(128, "IPv6");

  private final int bits;
  private final String label;

  Family(int bits, String label) {
    this.bits = bits;
    this.label = label;
  }

  /** The number of bits of an address: 32 or 128. */
  public int bits() {
    return bits;
  }

  /** {@code IPv4} or {@code IPv6}. */
  @Override
  public String toString() {
    return label;
  }
}
