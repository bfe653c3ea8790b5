// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import java.util.Arrays;
import java.util.BitSet;

/**
 * An immutable set of ports, each 0 to 65535 (RFC 6335).
 *
 * <p>Kept as ascending pairs of first and last port with a gap between neighbours; {@code contains}
 * is a binary search.
 */
public final class PortSet {
  /** The highest port. */
  public static final int HIGHEST = 65535;

  /** Every port. */
  public static final PortSet ALL = new PortSet(new int[] {0, HIGHEST});

  private final int[] ends;

  private PortSet(int[] ends) {
    this.ends = ends;
  }

  /** One port. */
  public static PortSet of(int port) {
    return range(port, port);
  }

  /**
   * All ports from one to another.
   *
   * @throws IllegalArgumentException if an end is outside 0 to 65535, or they are in wrong order
   */
  public static PortSet range(int first, int last) {
    if (first < 0 || last > HIGHEST || first > last) {
      throw new IllegalArgumentException(first + "-" + last + " is no range within 0-65535");
    }
    return new PortSet(new int[] {first, last});
  }

  /** The ports of this set, of the other, and of both. */
  public PortSet union(PortSet other) {
    BitSet bits = new BitSet(HIGHEST + 2);
    for (PortSet set : new PortSet[] {this, other}) {
      for (int i = 0; i < set.ends.length; i += 2) {
        bits.set(set.ends[i], set.ends[i + 1] + 1);
      }
    }
    int[] ends = new int[0];
    for (int first = bits.nextSetBit(0); first >= 0; ) {
      int end = bits.nextClearBit(first);
      ends = Arrays.copyOf(ends, ends.length + 2);
      ends[ends.length - 2] = first;
      ends[ends.length - 1] = end - 1;
      first = bits.nextSetBit(end);
    }
    return new PortSet(ends);
  }

  /** Adds the ports to a set of bits. */
  public void addTo(BitSet bits) {
    for (int i = 0; i < ends.length; i += 2) {
      bits.set(ends[i], ends[i + 1] + 1);
    }
  }

  /** Whether the set holds the port. */
  public boolean contains(int port) {
    int from = 0;
    int to = ends.length >> 1;
    while (from < to) {
      int middle = (from + to) >>> 1;
      if (port < ends[2 * middle]) {
        to = middle;
      } else if (port > ends[2 * middle + 1]) {
        from = middle + 1;
      } else {
        return true;
      }
    }
    return false;
  }

  /** Whether the two sets have a port in common. */
  public boolean intersects(PortSet other) {
    for (int i = 0, j = 0; i < ends.length && j < other.ends.length; ) {
      if (ends[i + 1] < other.ends[j]) {
        i += 2;
      } else if (other.ends[j + 1] < ends[i]) {
        j += 2;
      } else {
        return true;
      }
    }
    return false;
  }

  /** How many ports the set holds: 1 to 65536. */
  public int size() {
    int size = 0;
    for (int i = 0; i < ends.length; i += 2) {
      size += ends[i + 1] - ends[i] + 1;
    }
    return size;
  }

  /** The lowest port. */
  public int first() {
    return ends[0];
  }

  /** The highest port. */
  public int last() {
    return ends[ends.length - 1];
  }

  /** Whether the set is a single run of ports without a gap. */
  public boolean isRange() {
    return ends.length == 2;
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof PortSet that && Arrays.equals(ends, that.ends);
  }

  @Override
  public int hashCode() {
    return Arrays.hashCode(ends);
  }

  /** Ports and ranges, separated by commas: {@code 80,443,8000-8010}. */
  @Override
  public String toString() {
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < ends.length; i += 2) {
      text.append(i == 0 ? "" : ",").append(ends[i]);
      if (ends[i + 1] != ends[i]) {
        text.append('-').append(ends[i + 1]);
      }
    }
    return text.toString();
  }
}
