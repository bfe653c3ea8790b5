package org.eskerfield.model;

import org.eskerfield.packet.AddressSet;

/**
 * Addresses where a rule names them.
 *
 * @param kind what the text is the name of
 * @param text the name or literal as written
 * @param literal the addresses of a literal; empty for a name, which {@link Site#addresses}
 *     resolves
 * @param place where it is named
 */
public record AddressTerm(Kind kind, String text, AddressSet literal, Place place)
    implements Placed {
  /** The kinds of names. */
  public enum Kind {
    /** Every address: {@code any}. */
    ANY,
    /** An address, prefix or range as such. */
    LITERAL,
    /** The addresses of a zone's networks. */
    ZONE,
    /** The prefixes of a network. */
    NETWORK,
    /** The addresses of a host. */
    HOST,
    /** The members of a group. */
    GROUP,
    /** The own addresses of a named device. */
    DEVICE,
    /** The device whose rule this is: {@code device}. Only packets that it sends itself match. */
    SELF
  }
}
