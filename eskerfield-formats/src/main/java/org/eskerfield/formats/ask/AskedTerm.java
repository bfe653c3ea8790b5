// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.ask;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.eskerfield.packet.AddressSet;

/** Reads who is meant: {@code any}, a zone, network, host, group or device, or an address. */
final class AskedTerm {
  private AskedTerm() {}

  /**
   * The terms of a list.
   *
   * @param part which part of the question it is, for problems
   * @param texts the texts, separated by commas
   * @param devices whether a device can be meant
   */
  static List<AddressTerm> all(Site site, String part, String texts, boolean devices)
      throws UnusableQuestionException {
    List<AddressTerm> all = new ArrayList<>();
    for (String text : texts.split(",", -1)) {
      all.add(of(site, part, text.strip(), devices));
    }
    return all;
  }

  private static AddressTerm of(Site site, String part, String text, boolean devices)
      throws UnusableQuestionException {
    AddressTerm.Kind kind =
        text.equals(Site.ANY)
            ? AddressTerm.Kind.ANY
            : site.zones().contains(text)
                ? AddressTerm.Kind.ZONE
                : site.networks().containsKey(text)
                    ? AddressTerm.Kind.NETWORK
                    : site.hosts().containsKey(text)
                        ? AddressTerm.Kind.HOST
                        : site.groups().containsKey(text) ? AddressTerm.Kind.GROUP : null;
    kind =
        kind == null && devices && site.devices().containsKey(text)
            ? AddressTerm.Kind.DEVICE
            : kind;
    if (kind != null) {
      return new AddressTerm(kind, text, AddressSet.NONE, Place.IN_CODE);
    }
    if (!Literals.looksLikeAddress(text)) {
      List<String> names = new ArrayList<>(site.hosts().keySet());
      names.addAll(site.groups().keySet());
      names.addAll(site.zones());
      names.addAll(site.networks().keySet());
      names.addAll(devices ? site.devices().keySet() : List.of());
      names.add(Site.ANY);
      throw new UnusableQuestionException(
          part,
          "nobody is called '" + text + "'",
          Similar.didYouMean(text, names, "name a host, group or network, an address, or 'any'"));
    }
    try {
      return new AddressTerm(
          AddressTerm.Kind.LITERAL, text, Literals.addresses(text), Place.IN_CODE);
    } catch (BadLiteralException e) {
      throw new UnusableQuestionException(part, e.message(), e.remedy());
    }
  }
}
