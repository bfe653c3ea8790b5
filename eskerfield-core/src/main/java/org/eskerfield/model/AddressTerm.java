// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Prefix;

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

  /** Every address. */
  public static AddressTerm any() {
    return new AddressTerm(Kind.ANY, Site.ANY, AddressSet.NONE, Place.IN_CODE);
  }

  /** A prefix as such. */
  public static AddressTerm of(Prefix prefix) {
    AddressSet literal = AddressSet.ofPrefixes(List.of(prefix));
    return new AddressTerm(Kind.LITERAL, prefix.toString(), literal, Place.IN_CODE);
  }

  /** A range as such; an address if it has only one. */
  public static AddressTerm of(AddressRange range) {
    AddressSet literal = AddressSet.of(List.of(range));
    return new AddressTerm(Kind.LITERAL, range.toString(), literal, Place.IN_CODE);
  }

  /** An address as such. */
  public static AddressTerm of(Address address) {
    return new AddressTerm(Kind.LITERAL, address.toString(), AddressSet.of(address), Place.IN_CODE);
  }

  /** A host by its name. */
  public static AddressTerm of(Host host) {
    return new AddressTerm(Kind.HOST, host.name(), AddressSet.NONE, Place.IN_CODE);
  }

  /** A network by its name. */
  public static AddressTerm of(Network network) {
    return new AddressTerm(Kind.NETWORK, network.name(), AddressSet.NONE, Place.IN_CODE);
  }
}
