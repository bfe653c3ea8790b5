// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.Collections;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * An immutable set of addresses of both families.
 *
 * <p>Idea: disjoint ranges in ascending order with a gap between neighbours, so that equal sets
 * have equal ranges and membership is one binary search. Cost: {@code contains} O(log n), union and
 * complement O(n log n) and O(n), for n ranges.
 */
public final class AddressSet {
  /** No address at all. */
  public static final AddressSet NONE = new AddressSet(new AddressRange[0]);

  /** Every address of both families. */
  public static final AddressSet ALL = NONE.complement();

  private final AddressRange[] ranges;

  private AddressSet(AddressRange[] ranges) {
    this.ranges = ranges;
  }

  /** The set of the addresses of all these ranges, which may overlap and stand in any order. */
  public static AddressSet of(Collection<AddressRange> ranges) {
    List<AddressRange> sorted = new ArrayList<>(ranges);
    sorted.sort((a, b) -> a.first().compareTo(b.first()));
    List<AddressRange> merged = new ArrayList<>(sorted.size());
    for (AddressRange range : sorted) {
      if (!merged.isEmpty() && touches(merged.get(merged.size() - 1), range)) {
        AddressRange before = merged.remove(merged.size() - 1);
        Address last = before.last().compareTo(range.last()) < 0 ? range.last() : before.last();
        merged.add(new AddressRange(before.first(), last));
      } else {
        merged.add(range);
      }
    }
    return new AddressSet(merged.toArray(new AddressRange[0]));
  }

  private static boolean touches(AddressRange lower, AddressRange upper) {
    if (lower.last().family() != upper.first().family()) {
      return false;
    }
    Address next = lower.last().next();
    return next == null || next.compareTo(upper.first()) >= 0;
  }

  /** Every address of a family. */
  public static AddressSet all(Family family) {
    return of(List.of(new AddressRange(Address.lowest(family), Address.highest(family))));
  }

  /** The set of these addresses. */
  public static AddressSet of(Address... addresses) {
    List<AddressRange> ranges = new ArrayList<>(addresses.length);
    for (Address address : addresses) {
      ranges.add(new AddressRange(address, address));
    }
    return of(ranges);
  }

  /** The set of these addresses. */
  public static AddressSet ofAddresses(Collection<Address> addresses) {
    return of(addresses.toArray(new Address[0]));
  }

  /** The set of the addresses of these blocks. */
  public static AddressSet ofPrefixes(Collection<Prefix> prefixes) {
    List<AddressRange> ranges = new ArrayList<>(prefixes.size());
    for (Prefix prefix : prefixes) {
      ranges.add(prefix.range());
    }
    return of(ranges);
  }

  /** The addresses of this set, of the other, and of both. */
  public AddressSet union(AddressSet other) {
    List<AddressRange> all = new ArrayList<>(ranges());
    all.addAll(other.ranges());
    return of(all);
  }

  /** Every address of both families that is not in this set. */
  public AddressSet complement() {
    List<AddressRange> gaps = new ArrayList<>(ranges.length + 2);
    for (Family family : Family.values()) {
      Address start = Address.lowest(family);
      for (AddressRange range : ranges) {
        if (range.first().family() != family || start == null) {
          continue;
        }
        Address before = range.first().previous();
        if (before != null && before.compareTo(start) >= 0) {
          gaps.add(new AddressRange(start, before));
        }
        start = range.last().next();
      }
      if (start != null) {
        gaps.add(new AddressRange(start, Address.highest(family)));
      }
    }
    return new AddressSet(gaps.toArray(new AddressRange[0]));
  }

  /** The addresses that are in both sets. */
  public AddressSet intersection(AddressSet other) {
    return complement().union(other.complement()).complement();
  }

  /** Whether the two sets have an address in common. */
  public boolean intersects(AddressSet other) {
    int i = 0;
    int j = 0;
    while (i < ranges.length && j < other.ranges.length) {
      if (ranges[i].last().compareTo(other.ranges[j].first()) < 0) {
        i++;
      } else if (other.ranges[j].last().compareTo(ranges[i].first()) < 0) {
        j++;
      } else {
        return true;
      }
    }
    return false;
  }

  /** Whether the set holds the address. */
  public boolean contains(Address address) {
    return contains(address.family(), address.high(), address.low());
  }

  /** As {@link #contains(Address)}, for an address that exists only as its parts. */
  public boolean contains(Family family, long high, long low) {
    int from = 0;
    int to = ranges.length;
    while (from < to) {
      int middle = (from + to) >>> 1;
      if (Address.compare(family, high, low, ranges[middle].first()) < 0) {
        to = middle;
      } else if (Address.compare(family, high, low, ranges[middle].last()) > 0) {
        from = middle + 1;
      } else {
        return true;
      }
    }
    return false;
  }

  /** The lowest address of a family; null if it holds none. */
  public @Nullable Address lowest(Family family) {
    for (AddressRange range : ranges()) {
      if (range.first().family() == family) {
        return range.first();
      }
    }
    return null;
  }

  /** How many IPv4 addresses the set holds: 0 to 2^32. */
  public long countIpv4() {
    long count = 0;
    for (AddressRange range : ranges) {
      if (range.first().family() == Family.IPV4) {
        count += range.last().low() - range.first().low() + 1;
      }
    }
    return count;
  }

  /** Whether the set holds no address. */
  public boolean isEmpty() {
    return ranges.length == 0;
  }

  /** The ranges in ascending order, IPv4 first; neighbours neither overlap nor touch. */
  public List<AddressRange> ranges() {
    return Collections.unmodifiableList(Arrays.asList(ranges));
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof AddressSet that && Arrays.equals(ranges, that.ranges);
  }

  @Override
  public int hashCode() {
    int hash = 1;
    for (AddressRange range : ranges) {
      hash = 31 * (31 * hash + range.first().hashCode()) + range.last().hashCode();
    }
    return hash;
  }

  /** The ranges, separated by commas. */
  @Override
  public String toString() {
    StringBuilder text = new StringBuilder();
    for (AddressRange range : ranges) {
      text.append(text.length() == 0 ? "" : ", ").append(range);
    }
    return text.toString();
  }
}
