package org.eskerfield.engine;

import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * One flow through a device, both directions: its first packet as it arrived and as it left.
 * Replies undo what was done between the two.
 */
final class Session {
  /** How far a TCP connection is (RFC 5382 section 2.1, seen from between its ends). */
  private enum Tcp {
    OPENING,
    ANSWERED,
    ESTABLISHED,
    CLOSING
  }

  final Header arrived;
  final Header left;
  final @Nullable TranslationRule destinationRule;
  final @Nullable TranslationRule sourceRule;

  /** The temporary bindings that live while this session does; null where it uses none. */
  final @Nullable Binding binding;

  /** When it was recorded, in milliseconds of the clock. */
  final long since;

  private Tcp tcp = Tcp.OPENING;
  private boolean finFromOpener;
  private boolean finFromOther;
  private long expires;

  Session(
      Header arrived,
      Header left,
      @Nullable TranslationRule destinationRule,
      @Nullable TranslationRule sourceRule,
      @Nullable Binding binding,
      long since,
      StateSettings settings) {
    this.arrived = arrived;
    this.left = left;
    this.destinationRule = destinationRule;
    this.sourceRule = sourceRule;
    this.binding = binding;
    this.since = since;
    this.expires = since + idle(settings);
  }

  /** The first millisecond at which it is gone. */
  long expires() {
    return expires;
  }

  private long idle(StateSettings settings) {
    return switch (arrived.protocol()) {
      case Protocol.UDP -> settings.udp().toMillis();
      case Protocol.ICMP, Protocol.ICMPV6 -> settings.icmp().toMillis();
      case Protocol.TCP ->
          (tcp == Tcp.ESTABLISHED ? settings.tcpEstablished() : settings.tcpTransitory())
              .toMillis();
      default -> settings.other().toMillis();
    };
  }

  /**
   * Whether a packet travels from the inside out: with the opener where its source was translated,
   * against it where its destination was; both ways where nothing was.
   */
  private boolean isOutbound(boolean asReply) {
    return sourceRule != null ? !asReply : destinationRule == null || asReply;
  }

  /**
   * Takes note of a packet of the session. Outbound packets refresh it (RFC 4787 REQ-6, RFC 5382
   * section 5); a reset never does, it only shortens what is left (RFC 7857 section 2.2).
   */
  void saw(Packet packet, boolean asReply, long now, StateSettings settings) {
    Tcp before = tcp;
    if (packet.protocol == Protocol.TCP) {
      if ((packet.tcpFlags & Packet.RST) != 0) {
        tcp = Tcp.CLOSING;
        expires = Math.min(expires, now + idle(settings));
        return;
      }
      advance(packet.tcpFlags, asReply);
    }
    // A step of the handshake or of the close counts from whichever side it comes.
    if (tcp != before || isOutbound(asReply) || settings.inboundRefreshes()) {
      expires = now + idle(settings);
    }
  }

  private void advance(int flags, boolean asReply) {
    boolean syn = (flags & Packet.SYN) != 0;
    boolean ack = (flags & Packet.ACK) != 0;
    if (syn && !ack && !asReply && tcp == Tcp.CLOSING) {
      tcp = Tcp.OPENING; // the same ends begin anew
      finFromOpener = false;
      finFromOther = false;
    } else if (tcp == Tcp.OPENING && syn && asReply) {
      tcp = Tcp.ANSWERED; // with ACK, or a simultaneous open (RFC 5382 REQ-2)
    } else if (tcp == Tcp.ANSWERED && ack && !asReply) {
      tcp = Tcp.ESTABLISHED;
    }
    if ((flags & Packet.FIN) != 0) {
      finFromOpener |= !asReply;
      finFromOther |= asReply;
      if (finFromOpener && finFromOther) {
        tcp = Tcp.CLOSING;
      }
    }
  }
}
