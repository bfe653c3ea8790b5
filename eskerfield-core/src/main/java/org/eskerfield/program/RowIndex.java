// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.program;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.TreeSet;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * Finds the first entry of a long row that holds for a packet without asking all of them.
 *
 * <p>Idea: each entry is filed under one of the fields that it asks for: source, destination, or
 * service, and there under each interval of its values; under the field in which the fewest others
 * share them. So a packet meets, of all entries, only those that are filed under its own values.
 * Intervals are kept in a segment tree (Bentley, 1977): their ends cut the field into segments, and
 * an interval is noted at the few nodes that make it up. Cost: O(n log n) to build; a look-up
 * visits the nodes above one segment of each field, and asks the entries that are filed there, of
 * which those behind the best so far are left out.
 */
final class RowIndex {
  /** A value of a field: an address, or protocol and port, as 128 unsigned bits. */
  private record Value(long high, long low) implements Comparable<Value> {
    @Override
    public int compareTo(Value other) {
      int upper = Long.compareUnsigned(high, other.high);
      return upper != 0 ? upper : Long.compareUnsigned(low, other.low);
    }

    /** The next value; the lowest after the highest. */
    Value next() {
      return new Value(low == -1 ? high + 1 : high, low + 1);
    }
  }

  private record Interval(Value first, Value last) {}

  /** One field of packets, and the entries that are filed under it. */
  private static final class Field {
    private static final Value LOWEST = new Value(0, 0);

    /** For each entry what it asks for; null for nothing. */
    private final List<@Nullable List<Interval>> asked;

    /** The first value of each segment, ascending. */
    private final long[] highs;

    private final long[] lows;

    /** How many intervals cover the segments before one, all together. */
    private final long[] covered;

    /**
     * The tree: the root is 1, the children of n are 2n and 2n+1, segments are the leaves. At each
     * node the entries that are filed there, ascending, and how many they are.
     */
    private final int[][] filed;

    private final int[] counts;

    Field(List<@Nullable List<Interval>> asked) {
      this.asked = asked;
      TreeSet<Value> starts = new TreeSet<>();
      starts.add(LOWEST);
      for (List<Interval> intervals : asked) {
        for (Interval each : intervals == null ? List.<Interval>of() : intervals) {
          starts.add(each.first);
          starts.add(each.last.next());
        }
      }
      highs = starts.stream().mapToLong(Value::high).toArray();
      lows = starts.stream().mapToLong(Value::low).toArray();
      filed = new int[2 * highs.length][];
      counts = new int[2 * highs.length];
      long[] change = new long[highs.length + 1];
      for (List<Interval> intervals : asked) {
        for (Interval each : intervals == null ? List.<Interval>of() : intervals) {
          change[start(each)]++;
          change[end(each)]--;
        }
      }
      covered = new long[highs.length + 1];
      long here = 0;
      for (int i = 0; i < highs.length; i++) {
        here += change[i];
        covered[i + 1] = covered[i] + here;
      }
    }

    private int start(Interval interval) {
      return segment(interval.first.high, interval.first.low);
    }

    /** The segment behind an interval. */
    private int end(Interval interval) {
      return segment(interval.last.high, interval.last.low) + 1;
    }

    /** The segment of a value. */
    private int segment(long high, long low) {
      int from = 0;
      int to = highs.length - 1;
      while (from < to) { // the last that does not begin behind the value
        int middle = (from + to + 1) >>> 1;
        int upper = Long.compareUnsigned(highs[middle], high);
        if (upper > 0 || (upper == 0 && Long.compareUnsigned(lows[middle], low) > 0)) {
          to = middle - 1;
        } else {
          from = middle;
        }
      }
      return from;
    }

    /** How many intervals a value that an entry asks for lies in, on average. */
    double crowd(int entry) {
      List<Interval> intervals = asked.get(entry);
      if (intervals == null) {
        return Double.MAX_VALUE;
      }
      long intervalsThere = 0;
      long segments = 0;
      for (Interval each : intervals) {
        intervalsThere += covered[end(each)] - covered[start(each)];
        segments += end(each) - start(each);
      }
      return segments == 0 ? 0 : (double) intervalsThere / segments;
    }

    void file(int entry) {
      List<Interval> intervals = asked.get(entry);
      for (Interval each : intervals == null ? List.<Interval>of() : intervals) {
        int from = start(each) + highs.length;
        int to = end(each) + highs.length;
        for (; from < to; from >>= 1, to >>= 1) {
          if ((from & 1) == 1) {
            note(from++, entry);
          }
          if ((to & 1) == 1) {
            note(--to, entry);
          }
        }
      }
    }

    private void note(int node, int entry) {
      int count = counts[node]++;
      if (count == 0) {
        filed[node] = new int[1];
      } else if (count == filed[node].length) {
        filed[node] = Arrays.copyOf(filed[node], 2 * count);
      }
      filed[node][count] = entry;
    }
  }

  private final List<? extends Condition> entries;
  private final Field sources;
  private final Field destinations;
  private final Field services;

  /** The entries that ask for none of the fields. */
  private final int[] others;

  RowIndex(List<? extends Condition> entries) {
    this.entries = entries;
    List<@Nullable List<Interval>> from = new ArrayList<>();
    List<@Nullable List<Interval>> to = new ArrayList<>();
    List<@Nullable List<Interval>> by = new ArrayList<>();
    for (Condition entry : entries) {
      Needs needs = entry.needs();
      from.add(intervals(needs.sources()));
      to.add(intervals(needs.destinations()));
      by.add(intervals(needs.services()));
    }
    sources = new Field(from);
    destinations = new Field(to);
    services = new Field(by);
    List<Integer> rest = new ArrayList<>();
    for (int i = 0; i < entries.size(); i++) {
      Field best = null;
      for (Field field : List.of(destinations, sources, services)) {
        boolean asks = field.asked.get(i) != null;
        if (asks && (best == null || field.crowd(i) < best.crowd(i))) {
          best = field;
        }
      }
      if (best == null) {
        rest.add(i);
      } else {
        best.file(i);
      }
    }
    others = rest.stream().mapToInt(Integer::intValue).toArray();
  }

  private static @Nullable List<Interval> intervals(@Nullable AddressSet addresses) {
    if (addresses == null) {
      return null;
    }
    List<Interval> all = new ArrayList<>();
    for (AddressRange range : addresses.ranges()) {
      Value first = new Value(range.first().high(), range.first().low());
      all.add(new Interval(first, new Value(range.last().high(), range.last().low())));
    }
    return all;
  }

  private static @Nullable List<Interval> intervals(List<ServiceTerm> terms) {
    List<Interval> all = new ArrayList<>();
    for (ServiceTerm term : terms) {
      for (ServicePart part : term.service().parts()) {
        int protocol = part.protocol();
        if (protocol == ServicePart.ANY_PROTOCOL) {
          return null;
        }
        boolean ports = Protocol.hasPorts(protocol);
        int first = ports ? part.ports().first() : 0;
        int last = ports ? part.ports().last() : PortSet.HIGHEST;
        all.add(new Interval(service(protocol, first), service(protocol, last)));
      }
    }
    return terms.isEmpty() ? null : all;
  }

  private static Value service(int protocol, int port) {
    return new Value(0, (long) protocol << 16 | port);
  }

  /** As {@link Row#first}. */
  int first(Packet packet, boolean own, ZonedDateTime now) {
    int best = first(others, others.length, entries.size(), packet, own, now);
    best =
        first(destinations, packet.destinationHigh, packet.destinationLow, best, packet, own, now);
    best = first(sources, packet.sourceHigh, packet.sourceLow, best, packet, own, now);
    int port = Protocol.hasPorts(packet.protocol) ? packet.destinationPort : 0;
    best = first(services, 0, (long) packet.protocol << 16 | port, best, packet, own, now);
    return best == entries.size() ? Row.NONE : best;
  }

  // So many parameters: it is asked of every packet, where an object for them would cost more than
  // the rest.
  // So many parameters: it is done for every packet, without an object.
  private int first(
      Field field, long high, long low, int best, Packet packet, boolean own, ZonedDateTime now) {
    for (int node = field.segment(high, low) + field.highs.length; node > 0; node >>= 1) {
      if (field.counts[node] > 0) {
        best = first(field.filed[node], field.counts[node], best, packet, own, now);
      }
    }
    return best;
  }

  private int first(
      int[] candidates, int count, int best, Packet packet, boolean own, ZonedDateTime now) {
    for (int i = 0; i < count; i++) {
      int candidate = candidates[i];
      if (candidate >= best) {
        return best;
      }
      if (entries.get(candidate).holds(packet, own, now)) {
        return candidate;
      }
    }
    return best;
  }
}
