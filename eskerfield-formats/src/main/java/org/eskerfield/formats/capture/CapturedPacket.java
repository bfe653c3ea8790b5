// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.time.Instant;
import org.eskerfield.packet.Packet;
import org.jspecify.annotations.Nullable;

/**
 * A packet of a capture.
 *
 * @param number its number in the file, from 1
 * @param at when it was captured
 * @param place the name of the interface that the file gives; null where it gives none
 * @param direction whether it arrived or left there
 * @param packet its headers; null where they cannot be read
 * @param skipped why they cannot be read; null where they can
 */
public record CapturedPacket(
    long number,
    Instant at,
    @Nullable String place,
    Direction direction,
    @Nullable Packet packet,
    @Nullable Skipped skipped) {
  /** Which way a packet went at the interface where it was captured. */
  public enum Direction {
    /** The packet came in. */
    INBOUND,
    /** The packet went out. */
    OUTBOUND,
    /** The file does not say. */
    UNKNOWN
  }

  /** Why a packet cannot be sent through a site. */
  public enum Skipped {
    /** The frame is neither IPv4 nor IPv6, such as ARP. */
    NOT_IP,
    /** The frame was cut off before its ports. */
    CUT_OFF,
    /** The lengths in the packet contradict each other. */
    DAMAGED;

    /** In words. */
    @Override
    public String toString() {
      return switch (this) {
        case NOT_IP -> "neither IPv4 nor IPv6";
        case CUT_OFF -> "cut off before the ports";
        case DAMAGED -> "with lengths that contradict each other";
      };
    }
  }
}
