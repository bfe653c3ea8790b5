package org.eskerfield.report;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.engine.Outcome;
import org.eskerfield.engine.PoolFill;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Figures;
import org.eskerfield.trace.Run;

/**
 * How full pools and tables were over the time of a run.
 *
 * <p>Idea: a run may be long; when there are too many samples, every second one is dropped, and
 * from then on half as many are taken.
 */
public final class History {
  private static final int MOST_SAMPLES = 1_000;

  private final ZonedDateTime start;
  private final List<Double> seconds = new ArrayList<>();
  private final Map<String, List<Double>> series = new LinkedHashMap<>();
  private final Map<String, Long> sizes = new LinkedHashMap<>();
  private final Map<String, Long> outcomes = new LinkedHashMap<>();
  private Duration apart = Duration.ZERO;
  private Duration last = Duration.ofSeconds(-1);

  /** A history that begins with a run. */
  public History(ZonedDateTime start) {
    this.start = start;
  }

  /** Counts how a flow ended. */
  public void count(Outcome outcome) {
    outcomes.merge(outcome.toString(), 1L, Long::sum);
  }

  /** Looks at a run, unless it has been looked at only just before. */
  public void look(Run run) {
    if (Duration.between(start, run.now()).minus(last).compareTo(apart) >= 0) {
      lookNow(run);
    }
  }

  /** Looks at a run in any case, such as at its end. */
  public void lookNow(Run run) {
    Duration now = Duration.between(start, run.now());
    last = now;
    seconds.add(now.toMillis() / 1000.0);
    for (String device : run.site().devices().keySet()) {
      Figures figures = run.figures(device);
      add(device + ": sessions", figures.sessions().now());
      for (PoolFill fill : figures.fills()) {
        String what =
            fill.protocol() == 0 ? "addresses" : Protocol.name(fill.protocol()) + " ports";
        String name = device + ": " + fill.rule().name() + ", " + what;
        add(name, (double) fill.taken());
        sizes.put(name, fill.size());
      }
    }
    if (seconds.size() > MOST_SAMPLES) {
      thin();
    }
  }

  private void add(String name, double value) {
    List<Double> values = series.computeIfAbsent(name, key -> new ArrayList<>());
    while (values.size() < seconds.size() - 1) {
      values.add(0.0);
    }
    values.add(value);
  }

  private void thin() {
    thin(seconds);
    series.values().forEach(History::thin);
    Duration whole = Duration.between(start, start.plus(last));
    apart = whole.multipliedBy(2).dividedBy(MOST_SAMPLES);
  }

  private static void thin(List<Double> values) {
    int kept = 0;
    for (int i = 0; i < values.size(); i++) {
      if (i % 2 == 0 || i == values.size() - 1) {
        values.set(kept++, values.get(i));
      }
    }
    values.subList(kept, values.size()).clear();
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
