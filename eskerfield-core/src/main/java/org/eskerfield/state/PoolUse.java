// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.Arrays;
import java.util.BitSet;
import java.util.List;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;

/** How much of a pool of IPv4 addresses is in use, address by address; positions count from 0. */
final class PoolUse {
  private final long[] firsts;
  private final long[] starts;
  private final long size;
  final AddressSet addresses;

  /** The addresses that are lent as a whole. */
  private final BitSet lent = new BitSet();

  /** How many bindings share each address, as far as any has been shared. */
  private int[] sharers = new int[1];

  PoolUse(AddressSet addresses) {
    this.addresses = addresses;
    List<AddressRange> ranges = addresses.ranges();
    firsts = new long[ranges.size()];
    starts = new long[ranges.size()];
    long before = 0;
    for (int i = 0; i < firsts.length; i++) {
      firsts[i] = ranges.get(i).first().low();
      starts[i] = before;
      before += ranges.get(i).last().low() - firsts[i] + 1;
    }
    size = before;
  }

  /** How many addresses there are. */
  long size() {
    return size;
  }

  int lentCount() {
    return lent.cardinality();
  }

  /** The address at a position. */
  int address(long position) {
    int i = Arrays.binarySearch(starts, position);
    i = i >= 0 ? i : -i - 2;
    return (int) (firsts[i] + position - starts[i]);
  }

  private int position(int address) {
    long value = address & 0xffff_ffffL;
    int i = Arrays.binarySearch(firsts, value);
    i = i >= 0 ? i : -i - 2;
    return (int) (starts[i] + value - firsts[i]);
  }

  /** The lowest position from one on that is not lent; the size of the pool if all are. */
  long nextFree(long from) {
    return Math.min(size, lent.nextClearBit((int) Math.min(from, Integer.MAX_VALUE)));
  }

  void lend(int address) {
    lent.set(position(address));
  }

  void takeBack(int address) {
    lent.clear(position(address));
  }

  /** The position with the fewest sharers, from one on, round the end; the lowest of equals. */
  long leastShared() {
    long best = 0;
    int fewest = Integer.MAX_VALUE;
    for (int i = 0; i < size && fewest > 0; i++) {
      int here = i < sharers.length ? sharers[i] : 0;
      if (here < fewest) {
        fewest = here;
        best = i;
      }
    }
    return best;
  }

  /** Counts sharers of an address. */
  void share(int address, int more) {
    int position = position(address);
    if (position >= sharers.length) {
      sharers = Arrays.copyOf(sharers, Math.max(2 * sharers.length, position + 1));
    }
    sharers[position] += more;
  }

  void forget() {
    lent.clear();
    Arrays.fill(sharers, 0);
  }
}
