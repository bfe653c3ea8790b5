// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** Reads blocks of addresses as people write them. */
public final class BlockReader {
  private BlockReader() {}

  /**
   * Reads {@code address/length}, {@code address/netmask}, {@code address/host-bits-mask}, {@code
   * first-last} or an address; a blank may stand before a mask.
   *
   * @return the blocks that hold exactly these addresses, in ascending order; for an address with a
   *     length the one block that holds it, whatever its host bits
   * @throws UnusableQuestionException if it is none of these
   */
  public static List<Prefix> read(String written) throws UnusableQuestionException {
    try {
      String text = written.strip().replaceFirst("(?<=[0-9])\\s+(?=[0-9]+\\.)", "/");
      int slash = text.indexOf('/');
      if (slash >= 0) {
        Address address = Literals.address(text.substring(0, slash).strip());
        return List.of(Prefix.around(address, length(address, text.substring(slash + 1).strip())));
      }
      AddressRange range = Literals.addresses(text.strip()).ranges().get(0);
      return covering(range);
    } catch (BadLiteralException e) {
      throw new UnusableQuestionException("prefix", e.message(), e.remedy());
    }
  }

  /**
   * Reads one address.
   *
   * @throws UnusableQuestionException if it is none
   */
  public static Address address(String text) throws UnusableQuestionException {
    try {
      return Literals.address(text.strip());
    } catch (BadLiteralException e) {
      throw new UnusableQuestionException("address", e.message(), e.remedy());
    }
  }

  private static int length(Address address, String text) throws BadLiteralException {
    if (text.indexOf('.') < 0 && text.indexOf(':') < 0) {
      int bits = address.family().bits();
      if (!text.matches("[0-9]{1,3}") || Integer.parseInt(text) > bits) {
        throw new BadLiteralException(
            "'" + text + "' is no prefix length of " + address.family(),
            "write a number from 0 to " + bits + ", or a mask");
      }
      return Integer.parseInt(text);
    }
    Address mask = Literals.address(text);
    int length = mask.family() == address.family() ? masked(mask) : -1;
    if (length >= 0) {
      return length;
    }
    throw new BadLiteralException(
        "'" + text + "' is no mask of " + address.family(),
        "a netmask is ones and then zeros, as in " + Prefix.around(address, 26).netmask());
  }

  /** The prefix length that a netmask or a mask of host bits stands for; -1 for no mask. */
  static int masked(Address mask) {
    for (int length = 0; length <= mask.family().bits(); length++) {
      Prefix block = Prefix.around(mask, length);
      if (mask.equals(block.netmask()) || mask.equals(block.hostMask())) {
        return length;
      }
    }
    return -1;
  }

  /**
   * The fewest blocks that make up a range: always the widest that begins at its start and fits.
   */
  private static List<Prefix> covering(AddressRange range) {
    List<Prefix> blocks = new ArrayList<>();
    Address start = range.first();
    for (@Nullable Address at = start; at != null && at.compareTo(range.last()) <= 0; ) {
      int length = at.family().bits();
      while (length > 0) {
        Prefix wider = Prefix.around(at, length - 1);
        if (!wider.first().equals(at) || wider.last().compareTo(range.last()) > 0) {
          break;
        }
        length--;
      }
      Prefix block = Prefix.around(at, length);
      blocks.add(block);
      at = block.last().next();
    }
    return blocks;
  }
}
