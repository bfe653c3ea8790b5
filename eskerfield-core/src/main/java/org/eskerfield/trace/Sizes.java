// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.Named;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.program.SiteProgram;
import org.jspecify.annotations.Nullable;

/**
 * How large the packets of one exchange are, and what its ends have learnt of sizes. Where nobody
 * asks for a size and the site says nothing of any, no packet has one.
 */
final class Sizes {
  private final SiteProgram program;
  private final Probe probe;
  private final Family family;

  /** What the SYN and its answer said when they arrived; null where they said nothing. */
  private @Nullable Size opened;

  private @Nullable Size answered;

  /** The MTU that the sender of the last packet heard of; 0 for none. */
  int told;

  /** Earlier requests that were too large, of which the sender heard. */
  final List<Trace> tooLarge = new ArrayList<>();

  @Nullable Passed passed;

  Sizes(SiteProgram program, Question question) {
    this.program = program;
    this.probe = question.probe();
    this.family = question.to().family();
  }

  private int headers() {
    return Size.headers(family, probe.protocol());
  }

  /** Gives a request its size: a SYN says what segments fit, others have some length. */
  void give(Packet request, Named sender, int length) {
    if (request.protocol == Protocol.TCP) {
      request.size = opening(sender, request.destination());
    } else if (length > 0) {
      request.size = Size.of(Math.max(headers(), length), mayFragment());
    }
  }

  /** Gives a reply its size: an answered SYN is one itself, and an echo returns what it got. */
  void give(Packet reply, Named server, Header got) {
    opened = got.protocol() == Protocol.TCP ? got.size() : null;
    if (opened != null && (reply.tcpFlags & Packet.SYN) != 0) {
      reply.size = opening(server, got.source());
    } else if (probe.echo() && got.size() != null) {
      reply.size = Size.of(got.size().length(), family == Family.IPV4);
    }
  }

  /** What a SYN says; null where no size matters. */
  private @Nullable Size opening(Named sender, Address to) {
    return program.hasSizes() || probe.length() > 0
        ? Size.opening(family, program.linkMtu(sender, to) - headers())
        : null;
  }

  /** The reply was accepted. */
  void accepted(Header got, Packet reply) {
    answered = reply.size;
    if (reply.protocol != Protocol.TCP && got.size() != null) {
      passed = new Passed(got.size().length(), reply.size == null ? 0 : reply.length());
    }
  }

  /** Whether the connection is one on which full segments are sent. */
  boolean matter() {
    return opened != null;
  }

  /** Whether devices may cut what has a size. */
  boolean mayFragment() {
    return probe.mayFragment() && family == Family.IPV4;
  }

  /**
   * How long a full segment is: as long as the link of its sender and the other end allow.
   *
   * @param asReply whether it goes to who began
   */
  int fullSegment(Named sender, Address to, boolean asReply) {
    int most = probe.length() > 0 ? probe.length() : program.linkMtu(sender, to);
    Size other = asReply ? opened : answered;
    int fits = other == null ? most : Math.min(most, other.largestSegment() + headers());
    return Math.max(headers() + 1, fits);
  }

  /** Whether the sender of a request of this size is to send a smaller one, as it was told. */
  boolean isToBeSmaller(@Nullable Size sent) {
    return sent != null && told > headers() && told < sent.length();
  }
}
