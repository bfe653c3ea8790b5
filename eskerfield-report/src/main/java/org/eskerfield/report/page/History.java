// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.page;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.PoolFill;
import org.eskerfield.trace.Run;

/**
 * How full pools and tables were over the time of a run.
 *
 * <p>Idea: a run may be long; when there are too many samples, every second one is dropped, and
 * from then on half as many are taken, but for moments at which there are more sessions than at the
 * last one: a peak, however short, is seen.
 */
public final class History {
  private static final int MOST_SAMPLES = 1_000;

  /** By which part of them sessions may grow unseen: to look takes as long as there are many. */
  private static final int GROWTH = 50;

  private final ZonedDateTime start;
  private final List<Double> seconds = new ArrayList<>();
  private final Map<String, List<Double>> series = new LinkedHashMap<>();
  private final Map<String, Long> sizes = new LinkedHashMap<>();
  private final Map<String, Long> outcomes = new LinkedHashMap<>();
  private final Map<String, Long> most = new LinkedHashMap<>();

  /** How many sessions each device had when it was looked at last. */
  private final Map<String, Integer> sessions = new LinkedHashMap<>();

  private Duration apart = Duration.ZERO;
  private Duration last = Duration.ofSeconds(-1);

  /** A history that begins with a run. */
  public History(ZonedDateTime start) {
    this.start = start;
  }

  /** Counts how flows ended. */
  public void count(Map<Outcome, Long> ended) {
    ended.forEach((outcome, flows) -> outcomes.merge(outcome.toString(), flows, Long::sum));
  }

  /** Looks at a run, unless it has been looked at only just before, and nothing has grown. */
  public void look(Run run) {
    boolean due = Duration.between(start, run.now()).minus(last).compareTo(apart) >= 0;
    for (String device : run.site().devices().keySet()) {
      int before = sessions.getOrDefault(device, 0);
      due |= counted(run, device) > before + before / GROWTH;
    }
    if (due) {
      lookNow(run);
    }
  }

  /** Looks at a run in any case, such as at its end. */
  public void lookNow(Run run) {
    Duration now = Duration.between(start, run.now());
    last = now;
    seconds.add(now.toMillis() / 1000.0);
    for (String device : run.site().devices().keySet()) {
      int count = counted(run, device);
      sessions.put(device, count);
      add(sessions(device), count);
      for (PoolFill fill : run.fills(device)) {
        String what =
            fill.protocol() == 0 ? "addresses" : Protocol.name(fill.protocol()) + " ports";
        String name = device + ": " + fill.rule().name() + ", " + what;
        add(name, (double) fill.taken());
        most.merge(name, fill.taken(), Math::max);
        sizes.put(name, fill.size());
      }
    }
    if (seconds.size() > MOST_SAMPLES) {
      thin();
    }
  }

  private int counted(Run run, String device) {
    int count = run.sessionCount(device);
    most.merge(sessions(device), (long) count, Math::max);
    return count;
  }

  private static String sessions(String device) {
    return device + ": sessions";
  }

  private void add(String name, double value) {
    List<Double> values = series.computeIfAbsent(name, key -> new ArrayList<>());
    while (values.size() < seconds.size() - 1) {
      values.add(0.0);
    }
    values.add(value);
  }

  /** Leaves out every other moment, but the last; what was highest at either stays. */
  private void thin() {
    thin(seconds, /* highest= */ false);
    series.values().forEach(values -> thin(values, /* highest= */ true));
    apart = last.multipliedBy(2).dividedBy(MOST_SAMPLES);
  }

  private static void thin(List<Double> values, boolean highest) {
    int kept = 0;
    int last = values.size() - 1;
    for (int i = 0; i < last; i += 2) {
      double value = values.get(i);
      values.set(kept++, highest && i + 1 < last ? Math.max(value, values.get(i + 1)) : value);
    }
    values.set(kept++, values.get(last));
    values.subList(kept, values.size()).clear();
  }

  /** Whether it was looked at less often than something happened. */
  boolean isThinned() {
    return !apart.isZero();
  }

  /** The most there was of a series; of pools at the moments at which they were looked at. */
  long most(String name) {
    return most.getOrDefault(name, 0L);
  }

  /** The moments of the samples, in seconds since the start, in order. */
  List<Double> seconds() {
    return List.copyOf(seconds);
  }

  /** What was counted at each moment, by name; only what was ever more than nothing. */
  Map<String, List<Double>> series() {
    Map<String, List<Double>> used = new LinkedHashMap<>();
    series.forEach(
        (name, values) -> {
          if (values.stream().anyMatch(value -> value > 0)) {
            used.put(name, List.copyOf(values));
          }
        });
    return used;
  }

  /** How much a pool has at all; not for sessions. */
  Map<String, Long> sizes() {
    return new LinkedHashMap<>(sizes);
  }

  /** How many flows ended how. */
  Map<String, Long> outcomes() {
    return new LinkedHashMap<>(outcomes);
  }
}
