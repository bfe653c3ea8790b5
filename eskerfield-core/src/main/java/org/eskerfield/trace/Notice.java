// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/**
 * What a packet's sender is told when it was not delivered: an ICMP error of the packet's family
 * (RFC 792, RFC 1812 section 5.2.7, RFC 4443 section 3).
 *
 * @param type the ICMP type
 * @param code its code
 */
record Notice(int type, int code) {
  /**
   * What is told when a ruling ended a packet; null for nothing. Never told are packets that are
   * dropped, that a route discards, and that are errors or go to many (RFC 1122 section 3.2.2).
   */
  static @Nullable Notice of(Ruling ruling, Packet about) {
    if (about.inner != null
        || (about.size != null && !about.size.hasFirst())
        || SpecialAddresses.MULTICAST_OR_BROADCAST.contains(about.destination())) {
      return null;
    }
    boolean ipv4 = about.family == Family.IPV4;
    return switch (ruling) {
      // An address without a counterpart is one that cannot be reached (RFC 6296 section 3.2).
      case NO_ROUTE, ROUTE_DOWN, DESTINATION_UNTRANSLATABLE, SOURCE_UNTRANSLATABLE ->
          unreachable(ipv4, 0, 0);
      // Who got no address or port is told what RFC 6888 REQ-11 asks for.
      case NOBODY_THERE, POOL_USED_UP, PORTS_USED_UP, PORT_LIMIT_REACHED, ENDPOINT_IN_USE ->
          unreachable(ipv4, 1, 3);
      case HOST_REFUSES, DEVICE_REFUSES, DEVICE_REFUSES_LATER ->
          Protocol.hasPorts(about.protocol)
              ? unreachable(ipv4, 3, 4)
              : ipv4 ? new Notice(Icmp.UNREACHABLE, 2) : new Notice(Icmp.PARAMETER_PROBLEM_V6, 1);
      case REJECTED_BY_RULE, REJECTED_OTHERWISE, REJECTED_BY_STANCE, HOST_REJECTED ->
          unreachable(ipv4, 13, 1);
      case TOO_LARGE ->
          ipv4
              ? new Notice(Icmp.UNREACHABLE, Icmp.TOO_LARGE_CODE)
              : new Notice(Icmp.TOO_LARGE_V6, 0);
      case HOPS_USED_UP -> new Notice(ipv4 ? Icmp.TIME_EXCEEDED : Icmp.TIME_EXCEEDED_V6, 0);
      default -> null;
    };
  }

  private static Notice unreachable(boolean ipv4, int code, int codeOfIpv6) {
    return ipv4 ? new Notice(Icmp.UNREACHABLE, code) : new Notice(Icmp.UNREACHABLE_V6, codeOfIpv6);
  }
}
