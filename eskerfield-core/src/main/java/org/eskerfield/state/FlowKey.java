// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

/**
 * What the packets of one direction of a flow are known by, as two words.
 *
 * @param ends source and destination, as {@link AddressNumbers}
 * @param kind from the top: realm (8 bits), IPv6 (8), protocol (16), source port, destination port
 *     (16 each)
 */
record FlowKey(long ends, long kind) {
  static FlowKey of(
      int source, int sourcePort, int destination, int destinationPort, long protocolAndFamily) {
    return new FlowKey(
        (long) source << 32 | (destination & 0xffff_ffffL),
        protocolAndFamily << 32 | (long) sourcePort << 16 | destinationPort);
  }

  /** What is above the ports in a kind. */
  static long above(int realm, boolean ipv6, int protocol) {
    return (long) realm << 24 | (ipv6 ? 1L << 16 : 0) | protocol;
  }

  /** The key of packets the other way. */
  FlowKey swapped() {
    return new FlowKey(
        Long.rotateLeft(ends, 32),
        (kind & 0xffff_ffff_0000_0000L) | (kind & 0xffff) << 16 | (kind >>> 16 & 0xffff));
  }

  /** The same with other ports. */
  FlowKey withPorts(int sourcePort, int destinationPort) {
    return new FlowKey(
        ends, (kind & 0xffff_ffff_0000_0000L) | (long) sourcePort << 16 | destinationPort);
  }

  int source() {
    return (int) (ends >>> 32);
  }

  int destination() {
    return (int) ends;
  }

  int sourcePort() {
    return (int) (kind >>> 16) & 0xffff;
  }

  int destinationPort() {
    return (int) kind & 0xffff;
  }

  int protocol() {
    return (int) (kind >>> 32) & 0xff;
  }

  boolean isIpv6() {
    return (kind >>> 48 & 1) != 0;
  }

  int realm() {
    return (int) (kind >>> 56);
  }
}
