// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

/** The ICMP message types that Eskerfield follows: echo and errors, of RFC 792 and of RFC 4443. */
public final class Icmp {
  /** Any type, where a rule does not ask; also the type of a packet that is not ICMP. */
  public static final int NO_TYPE = -1;

  /** In place of a code: whichever it is. */
  public static final int NO_CODE = -1;

  /** Echo reply of IPv4. */
  public static final int ECHO_REPLY = 0;

  /** Echo request of IPv4. */
  public static final int ECHO_REQUEST = 8;

  /** Echo request of IPv6. */
  public static final int ECHO_REQUEST_V6 = 128;

  /** Echo reply of IPv6. */
  public static final int ECHO_REPLY_V6 = 129;

  /** Error of IPv4: the destination is unreachable, or sending to it is forbidden. */
  public static final int UNREACHABLE = 3;

  /** Error of IPv4: the hop count was used up. */
  public static final int TIME_EXCEEDED = 11;

  /** Query of IPv4 for the time (RFC 792). */
  public static final int TIMESTAMP = 13;

  /** A timestamp reply. */
  public static final int TIMESTAMP_REPLY = 14;

  /** Query of IPv4 for the network (RFC 792); its reply is one more. */
  private static final int INFORMATION = 15;

  /** Query of IPv4 for the netmask (RFC 950); its reply is one more. */
  private static final int ADDRESS_MASK = 17;

  /** Error of IPv6: the destination is unreachable, or sending to it is forbidden. */
  public static final int UNREACHABLE_V6 = 1;

  /** The code of {@link #UNREACHABLE} that says: too large, and not to be fragmented (RFC 1191). */
  public static final int TOO_LARGE_CODE = 4;

  /** Error of IPv6: the packet is too large for the next link (RFC 4443 section 3.2). */
  public static final int TOO_LARGE_V6 = 2;

  /** Error of IPv6: the hop count was used up. */
  public static final int TIME_EXCEEDED_V6 = 3;

  /** Error of IPv6: something in the header is not understood, as the protocol (RFC 4443 3.4). */
  public static final int PARAMETER_PROBLEM_V6 = 4;

  private Icmp() {}

  /** What an error says; only asked of errors. */
  static String errorName(int protocol, int type, int code) {
    boolean ipv4 = protocol == Protocol.ICMP;
    if (type == (ipv4 ? TIME_EXCEEDED : TIME_EXCEEDED_V6)) {
      return "time exceeded";
    }
    if (ipv4 ? type == UNREACHABLE && code == TOO_LARGE_CODE : type == TOO_LARGE_V6) {
      return "packet too large";
    }
    if (!ipv4 && type == PARAMETER_PROBLEM_V6 && code == 1) {
      return "protocol unreachable";
    }
    if (type != (ipv4 ? UNREACHABLE : UNREACHABLE_V6)) {
      return "error type " + type + " code " + code;
    }
    String what =
        switch (ipv4 ? code : V6_CODES.length > code ? V6_CODES[code] : -1) {
          case 0 -> "network ";
          case 1 -> "host ";
          case 2 -> "protocol ";
          case 3 -> "port ";
          case 13 -> "administratively ";
          default -> "";
        };
    return what.startsWith("admin") ? what + "prohibited" : what + "unreachable";
  }

  /** The codes of IPv4 that say what codes 0 to 4 of RFC 4443 section 3.1 say. */
  private static final int[] V6_CODES = {0, 13, -1, 1, 3};

  /** Whether a type is a request for an echo, in either family. */
  public static boolean isEchoRequest(int type) {
    return type == ECHO_REQUEST || type == ECHO_REQUEST_V6;
  }

  /** The echo request of a protocol; {@link #NO_TYPE} for one that is not ICMP. */
  public static int query(int protocol) {
    return switch (protocol) {
      case Protocol.ICMP -> ECHO_REQUEST;
      case Protocol.ICMPV6 -> ECHO_REQUEST_V6;
      default -> NO_TYPE;
    };
  }

  /** Whether a type is an echo reply, in either family. */
  public static boolean isEchoReply(int type) {
    return type == ECHO_REPLY || type == ECHO_REPLY_V6;
  }

  /**
   * Whether a message may open a session: only a query does, never a reply (RFC 5508 section 3.1).
   *
   * @param type the type; {@link #NO_TYPE} for a message whose type nobody asked for, which counts
   *     as a query
   */
  public static boolean isQuery(int type) {
    return type == NO_TYPE
        || isEchoRequest(type)
        || type == TIMESTAMP
        || type == INFORMATION
        || type == ADDRESS_MASK;
  }
}
