// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.Locale;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.walk.FileTransferGateway;
import org.jspecify.annotations.Nullable;

/**
 * A data connection of a file transfer (RFC 959): what the control connection said of it, and what
 * became of it.
 *
 * @param mode who opens it, and how it is announced
 * @param encrypted whether nobody on the way can read what is said (RFC 4217)
 * @param said the data address as announced by the sender
 * @param heard the data address as the other end received it; null if it did not arrive
 * @param data the first segments of the data connection; null if the announcement did not arrive
 */
public record FileTransfer(
    Mode mode, boolean encrypted, String said, @Nullable String heard, @Nullable Trace data) {
  /** Who opens the data connection, and by which words it is announced. */
  public enum Mode {
    /** The server, to the endpoint that the client names: {@code PORT}. */
    ACTIVE,
    /** The client, to the endpoint that the server names: {@code PASV}. */
    PASSIVE,
    /** As active, with the words of RFC 2428: {@code EPRT}. */
    EXTENDED_ACTIVE,
    /** As passive, with the words of RFC 2428: {@code EPSV}. */
    EXTENDED_PASSIVE;

    /** The word of a traffic file: {@code extended-active}. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT).replace('_', '-');
    }

    /** Whether the client opens the data connection. */
    public boolean isPassive() {
      return this == PASSIVE || this == EXTENDED_PASSIVE;
    }

    /** Whether its words are those of RFC 2428, which know IPv6, too. */
    public boolean isExtended() {
      return this == EXTENDED_ACTIVE || this == EXTENDED_PASSIVE;
    }

    /** The line that announces an endpoint of its sender; PORT and PASV know IPv4 only. */
    String announcement(Address at, int port) {
      if (at.family() == Family.IPV6 && !isExtended()) {
        throw new IllegalArgumentException(
            this + " file transfer is for IPv4 only; use extended-" + this);
      }
      String model =
          switch (this) {
            case ACTIVE -> "PORT 0,0,0,0,0,1";
            case PASSIVE -> "227 Entering Passive Mode (0,0,0,0,0,1)";
            case EXTENDED_ACTIVE -> "EPRT |1|0.0.0.0|1|";
            case EXTENDED_PASSIVE -> "229 Entering Extended Passive Mode (|||1|)";
          };
      return FileTransferGateway.rewritten(model, at, port);
    }
  }

  /** Where a client opens a passive data connection to, of what the answer 227 says. */
  public enum DataTo {
    /** The address and port that the answer names (RFC 959). */
    ANSWER,
    /** The port that the answer names, at the address of the control connection. */
    CONTROL;

    /** The word of an expectation. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /** Whether the data connection was opened. */
  public boolean succeeded() {
    return data != null && data.outcome() == Outcome.ANSWERED;
  }
}
