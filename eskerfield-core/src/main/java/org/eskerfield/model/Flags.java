// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.eskerfield.packet.Packet;

/**
 * Which flags a TCP segment has for a rule to match (RFC 9293 section 3.1). Each group is a sum of
 * flags as in {@link Packet}; 0 where the rule does not ask.
 *
 * @param any one of them is set, at least
 * @param all every one of them is set
 * @param none not one of them is set
 * @param place where it stands
 */
public record Flags(int any, int all, int none, Place place) implements Placed {
  /** The flags, the lowest bit first, as a site file names them. */
  public enum Flag {
    /** No more data comes from the sender. */
    FIN(Packet.FIN),
    /** The opening of a connection. */
    SYN(Packet.SYN),
    /** The connection is reset. */
    RST(Packet.RST),
    /** The data so far is to be handed to the application. */
    PSH(Packet.PSH),
    /** The acknowledgement field counts. */
    ACK(Packet.ACK),
    /** The urgent pointer counts. */
    URG(Packet.URG);

    /** The bit of the flag. */
    public final int bit;

    Flag(int bit) {
      this.bit = bit;
    }

    /** The word of the file, in lower case. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /** The names of a sum of flags, the lowest bit first. */
  public static List<String> names(int flags) {
    List<String> names = new ArrayList<>();
    for (Flag flag : Flag.values()) {
      if ((flags & flag.bit) != 0) {
        names.add(flag.toString());
      }
    }
    return names;
  }

  /** Whether a segment with these flags matches. */
  public boolean match(int tcpFlags) {
    return (any == 0 || (tcpFlags & any) != 0) && (tcpFlags & all) == all && (tcpFlags & none) == 0;
  }

  /** As a site file says it: {@code any of ack, rst; none of syn}. */
  @Override
  public String toString() {
    List<String> groups = new ArrayList<>();
    add(groups, "any of ", any);
    add(groups, "all of ", all);
    add(groups, "none of ", none);
    return String.join("; ", groups);
  }

  private static void add(List<String> groups, String which, int flags) {
    if (flags != 0) {
      groups.add(which + String.join(", ", names(flags)));
    }
  }
}
