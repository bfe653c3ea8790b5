// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

/**
 * The fields by which sets tell packets apart, in the order in which diagrams ask. Values are
 * unsigned numbers from 0 on; a dimension that a protocol does not have is never asked of its
 * packets.
 */
public enum Dimension {
  /** The address family: 0 for IPv4, 1 for IPv6. */
  FAMILY(0, 1),
  /** The protocol number. */
  PROTOCOL(1, 255),
  /** The upper half of an IPv6 destination; never asked of IPv4. */
  DESTINATION_HIGH(2, -1),
  /** An IPv4 destination, or the lower half of an IPv6 one. */
  DESTINATION(3, -1),
  /** The destination port of TCP and UDP. */
  DESTINATION_PORT(4, 65535),
  /** The type of an ICMP message. */
  ICMP_TYPE(5, 255),
  /** The code of an ICMP message. */
  ICMP_CODE(6, 255),
  /** The flags of a TCP segment, from FIN to URG. */
  TCP_FLAGS(7, 63),
  /** The upper half of an IPv6 source; never asked of IPv4. */
  SOURCE_HIGH(8, -1),
  /** An IPv4 source, or the lower half of an IPv6 one. */
  SOURCE(9, -1),
  /** The source port of TCP and UDP, or the identifier of an ICMP query (RFC 5508). */
  SOURCE_PORT(10, 65535),
  /** The number of the interface by which a packet arrives; the highest for the device itself. */
  ARRIVING(11, 65535),
  /** The number of the interface by which it leaves. */
  LEAVING(12, 65535),
  /** The number of a stretch of time, see {@link Times}. */
  TIME(13, 65535);

  /** Its place in the order, from 0 on. */
  final int position;

  /** The highest value, unsigned; -1 for that of 64 bits. */
  final long highest;

  Dimension(int position, long highest) {
    this.position = position;
    this.highest = highest;
  }
}
