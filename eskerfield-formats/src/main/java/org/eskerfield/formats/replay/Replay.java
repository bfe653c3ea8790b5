// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.replay;

import java.io.IOException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.compare.ChangedFlows;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * The result of a replay.
 *
 * @param elapsed the time that has passed since its start
 * @param outcomes the number of flows by outcome; without zeros
 */
public record Replay(Duration elapsed, Map<Outcome, Long> outcomes) {
  /** Learns what happens, as it happens. */
  public interface Listener {
    /**
     * Something has happened.
     *
     * @param number how many happened before
     * @param what what there is to tell of it; null if there is nothing, or nobody wants to know
     */
    void happened(int number, @Nullable Happened what);
  }

  /**
   * Leads traffic through a run, in the order of time.
   *
   * @param incidents what happens besides, in the order of time; of what happens at one time it
   *     goes before the traffic
   * @param until the time since the start at which it stops; null for the end of the traffic
   */
  public static Replay of(
      Run run,
      Traffic traffic,
      List<? extends Traffic.Event> incidents,
      @Nullable Duration until,
      Listener listener)
      throws IOException,
          UnreadableSiteException,
          UnusableQuestionException,
          UnreadableCaptureException {
    Map<Outcome, Long> outcomes = new EnumMap<>(Outcome.class);
    Duration elapsed = Duration.ZERO;
    int next = 0;
    for (int number = 0; ; number++) {
      Duration sent = traffic.ahead();
      Duration befalls = next < incidents.size() ? incidents.get(next).at() : null;
      boolean own = befalls != null && (sent == null || befalls.compareTo(sent) <= 0);
      Duration at = own ? befalls : sent;
      if (at == null || (until != null && at.compareTo(until) > 0)) {
        break;
      }
      Traffic.Event event = own ? incidents.get(next++) : Objects.requireNonNull(traffic.next());
      run.advance(event.at().minus(elapsed));
      elapsed = event.at();
      listener.happened(number, event.happen(run, outcomes));
    }
    if (until != null && until.compareTo(elapsed) > 0) {
      run.advance(until.minus(elapsed));
      elapsed = until;
    }
    return new Replay(elapsed, outcomes);
  }

  /**
   * Leads traffic through two sites at once, to see which flows change their fate. What is told of
   * flows has to be asked for when the traffic is opened.
   *
   * @param before a run on the old site, by which the traffic was opened
   * @param after a run on the new site, at the same time
   */
  public static ChangedFlows compared(Run before, Run after, Traffic traffic, Listener listener)
      throws IOException,
          UnreadableSiteException,
          UnusableQuestionException,
          UnreadableCaptureException {
    ChangedFlows changed = new ChangedFlows();
    onEach(
        List.of(before, after),
        traffic,
        (at, number, happened) -> {
          Happened was = happened.get(0);
          Happened is = happened.get(1);
          Trace then = was == null ? null : was.begun();
          Trace now = is == null ? null : is.begun();
          if (then != null && now != null) {
            changed.add(at, then, now);
          }
          listener.happened(number, is);
        });
    return changed;
  }

  /** Learns what happens on several runs. */
  public interface Listeners {
    /**
     * Something has happened.
     *
     * @param at the time since the start
     * @param number how many happened before
     * @param happened what there is to tell of it on each run; null as for {@link Listener}
     */
    void happened(Duration at, int number, List<@Nullable Happened> happened);
  }

  /**
   * Sends the same traffic through several runs that begin at the same time.
   *
   * @return how long it took
   */
  public static Duration onEach(List<Run> runs, Traffic traffic, Listeners listeners)
      throws IOException,
          UnreadableSiteException,
          UnusableQuestionException,
          UnreadableCaptureException {
    Map<Outcome, Long> outcomes = new EnumMap<>(Outcome.class);
    Duration elapsed = Duration.ZERO;
    int number = 0;
    for (Traffic.Event event = traffic.next(); event != null; event = traffic.next()) {
      List<@Nullable Happened> happened = new ArrayList<>();
      for (Run run : runs) {
        run.advance(event.at().minus(elapsed));
        happened.add(event.happen(run, outcomes));
      }
      elapsed = event.at();
      listeners.happened(elapsed, number++, happened);
    }
    return elapsed;
  }
}
