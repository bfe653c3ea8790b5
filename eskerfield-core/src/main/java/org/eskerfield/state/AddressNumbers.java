// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.Arrays;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;

/**
 * Numbers of 32 bits for the addresses in the tables, so that these are of one kind for both
 * families: an IPv4 address is its own number, IPv6 addresses are numbered while they are in use.
 */
final class AddressNumbers extends Index {
  private static final int WORDS = 3;

  /** For each number the address, and how many uses it has; of free numbers the next free one. */
  private long[] records = new long[WORDS * 8];

  private int count;
  private int firstFree = NONE;

  @Override
  int hashOf(int number) {
    return hash(records[WORDS * number], records[WORDS * number + 1]);
  }

  /** The number of an IPv6 address; {@link #NONE} if it has none. */
  int find(long high, long low) {
    int hash = hash(high, low);
    for (int slot = start(hash); ; slot = next(slot)) {
      int number = at(slot, hash);
      if (number == NONE
          || (number != OTHER
              && records[WORDS * number] == high
              && records[WORDS * number + 1] == low)) {
        return number;
      }
    }
  }

  /** The number of an IPv6 address, given if it has none; counts one use more. */
  int use(long high, long low) {
    int number = find(high, low);
    if (number == NONE) {
      number = firstFree;
      if (number != NONE) {
        firstFree = (int) records[WORDS * number + 2];
      } else {
        number = count++;
        if (WORDS * count > records.length) {
          records = Arrays.copyOf(records, 2 * records.length);
        }
      }
      records[WORDS * number] = high;
      records[WORDS * number + 1] = low;
      records[WORDS * number + 2] = 0;
      add(number);
    }
    records[WORDS * number + 2]++;
    return number;
  }

  /** Counts one use less. */
  void release(int number) {
    if (--records[WORDS * number + 2] == 0) {
      remove(number);
      records[WORDS * number + 2] = firstFree;
      firstFree = number;
    }
  }

  /** The address of a number. */
  Address address(boolean ipv6, int number) {
    return ipv6
        ? new Address(Family.IPV6, records[WORDS * number], records[WORDS * number + 1])
        : new Address(Family.IPV4, 0, number & 0xffff_ffffL);
  }

  /** Forgets every number. */
  void forget() {
    clear();
    count = 0;
    firstFree = NONE;
  }
}
