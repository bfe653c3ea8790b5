// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.Locale;
import org.eskerfield.packet.Protocol;

/** How a conversation goes on after its first packet. */
public enum Talk {
  /** An echo request and its reply. */
  PING,
  /** A connection that is opened and closed. */
  TCP,
  /** A datagram and its answer. */
  UDP,
  /** A connection with a request and a response. */
  WEB,
  /** A control connection that opens a data connection (RFC 959). */
  FILE_TRANSFER,
  /** The same over TLS (RFC 4217), so that nobody on the way reads what it says. */
  ENCRYPTED_FILE_TRANSFER,
  /** One packet each way, of a protocol without ports. */
  PACKET;

  /** The protocol usually spoken on a port. */
  public static Talk of(Probe probe) {
    if (probe.echo()) {
      return PING;
    }
    return switch (probe.protocol()) {
      case Protocol.UDP -> UDP;
      case Protocol.TCP ->
          switch (probe.port()) {
            case 21 -> FILE_TRANSFER;
            case 990 -> ENCRYPTED_FILE_TRANSFER;
            case 80, 443, 8080, 8443 -> WEB;
            default -> TCP;
          };
      default -> PACKET;
    };
  }

  /** Whether it is a control connection that opens a data connection. */
  public boolean isTransfer() {
    return this == FILE_TRANSFER || this == ENCRYPTED_FILE_TRANSFER;
  }

  /** In words: {@code file transfer}. */
  @Override
  public String toString() {
    return switch (this) {
      case TCP, UDP -> name();
      default -> name().toLowerCase(Locale.ROOT).replace('_', ' ');
    };
  }
}
