// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.ArrayList;
import org.eskerfield.model.Named;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.walk.FileTransferGateway;
import org.jspecify.annotations.Nullable;

/**
 * The control connection of a file transfer (RFC 959, RFC 2428): who announces an endpoint on it,
 * and who opens the data connection to that.
 */
final class ControlConnection {
  /** How lines end (RFC 959 section 5.3). */
  private static final String LINE_END = "\r\n";

  /** The port that servers open data connections from (RFC 959 section 3.2). */
  private static final int FTP_DATA_PORT = 20;

  private final Exchange exchange;
  private final Question question;

  ControlConnection(Exchange exchange) {
    this.exchange = exchange;
    this.question = exchange.question;
  }

  /**
   * Announces an endpoint on the control connection, and opens the data connection to it as far as
   * it gets.
   *
   * @param dataTo where a passive client opens it to
   * @param encrypted whether nobody on the way can read what is said
   * @param port the port that is announced
   */
  FileTransfer transfer(
      FileTransfer.Mode mode,
      FileTransfer.DataTo dataTo,
      boolean encrypted,
      int port,
      Exchange.Factory factory) {
    Packet request = exchange.request(Packet.ACK);
    String said =
        mode.isPassive()
            ? mode == FileTransfer.Mode.PASSIVE ? "PASV" : "EPSV"
            : mode.announcement(question.source(), port);
    String heard = say(question.sender(), request, said, encrypted, /* asReply= */ false);
    Named server = exchange.receiver();
    Header atServer = exchange.packet.header();
    if (server == null || heard == null) {
      return new FileTransfer(mode, encrypted, said, null, null);
    }
    if (mode.isPassive()) {
      said = mode.announcement(atServer.destination(), port);
      Packet answer = exchange.mirrored(atServer, Packet.ACK);
      heard = say(server, answer, said, encrypted, /* asReply= */ true);
      if (heard == null || !exchange.isAccepted()) {
        return new FileTransfer(mode, encrypted, said, null, null);
      }
    }
    FileTransferGateway.Announced announced = FileTransferGateway.read(heard);
    Address listener = mode.isPassive() ? atServer.destination() : question.source();
    Address to =
        announced == null
            ? null
            : mode.isPassive() && dataTo == FileTransfer.DataTo.CONTROL
                ? question.to()
                : announcedBy(announced, listener);
    if (announced == null || to == null) {
      return new FileTransfer(mode, encrypted, said, heard, null);
    }
    Question data =
        new Question(
            mode.isPassive() ? question.sender() : server,
            mode.isPassive() ? question.source() : atServer.destination(),
            to,
            Probe.of(Protocol.TCP, announced.port()),
            mode.isPassive() ? question.sourcePort() + 1 : FTP_DATA_PORT,
            question.at());
    Trace trace = open(data, listening(listener, port), factory);
    return new FileTransfer(mode, encrypted, said, heard, trace);
  }

  /** Opens the data connection as far as it gets, and uses it where it is open. */
  private Trace open(Question data, Header listening, Exchange.Factory factory) {
    Exchange connection = factory.of(data);
    connection.open(listening);
    Trace trace = connection.run();
    if (trace.outcome() == Outcome.ANSWERED) {
      if (exchange.isWatched()) {
        connection.goOn(Talk.TCP, new ArrayList<>());
        connection.finish(new ArrayList<>());
      } else {
        factory.of(data).acknowledge();
      }
    }
    return trace;
  }

  /** Says a line; what the other end hears of it, null for nothing. */
  private @Nullable String say(
      Named speaker, Packet packet, String said, boolean encrypted, boolean asReply) {
    packet.payload = encrypted ? null : said + LINE_END;
    exchange.send(speaker, packet, asReply, "announcement");
    String heard = exchange.packet.payload;
    return encrypted ? said : heard == null ? null : heard.strip();
  }

  /**
   * Lets the server of a control connection announce a port, as it answers {@code PASV}.
   *
   * @param port the port, 1 to 65535
   * @return where it waits, as the source of a header; null if no server is reached
   */
  @Nullable Header announce(FileTransfer.Mode mode, int port) {
    exchange.segment("ACK", Packet.ACK);
    Named server = exchange.receiver();
    if (server == null) {
      return null;
    }
    Header atServer = exchange.packet.header();
    String said = mode.announcement(atServer.destination(), port);
    say(server, exchange.mirrored(atServer, Packet.ACK), said, false, /* asReply= */ true);
    return listening(atServer.destination(), port);
  }

  /** The header by which an endpoint that listens is told. */
  static Header listening(Address listener, int port) {
    return new Header(
        listener, port, listener, 0, Protocol.TCP, Icmp.NO_TYPE, 0, 0, 0, null, null, null);
  }

  /** Where the other end opens the data connection to; null if that cannot be. */
  private @Nullable Address announcedBy(FileTransferGateway.Announced announced, Address listener) {
    if (announced.address() == null) {
      return question.to(); // the address that the control connection is open to
    }
    return announced.address().equals(listener.toString()) ? listener : announced.ipv4();
  }
}
