package org.eskerfield.packet;

/** The ICMP message types that Eskerfield follows: echo and errors, of RFC 792 and of RFC 4443. */
public final class Icmp {
  /** Any type, where a rule does not ask; also the type of a packet that is not ICMP. */
  public static final int NO_TYPE = -1;

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

  /** Error of IPv6: the destination is unreachable, or sending to it is forbidden. */
  public static final int UNREACHABLE_V6 = 1;

  /** Error of IPv6: the hop count was used up. */
  public static final int TIME_EXCEEDED_V6 = 3;

  private Icmp() {}

  /** What an error says; only asked of errors. */
  static String errorName(int protocol, int type) {
    int exceeded = protocol == Protocol.ICMP ? TIME_EXCEEDED : TIME_EXCEEDED_V6;
    return type == exceeded ? "time exceeded" : "unreachable";
  }

  /** Whether a type is a request for an echo, in either family. */
  public static boolean isEchoRequest(int type) {
    return type == ECHO_REQUEST || type == ECHO_REQUEST_V6;
  }

  /** Whether a type is an echo reply, in either family. */
  public static boolean isEchoReply(int type) {
    return type == ECHO_REPLY || type == ECHO_REPLY_V6;
  }
}
