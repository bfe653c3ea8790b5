// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.replay;

import java.io.IOException;
import java.time.Duration;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.function.Consumer;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.eskerfield.trace.Run;
import org.eskerfield.walk.Outcome;
import org.jspecify.annotations.Nullable;

/**
 * What a replay came to.
 *
 * @param elapsed the time that has passed since its start
 * @param outcomes how many flows ended how; none is counted that did not happen
 */
public record Replay(Duration elapsed, Map<Outcome, Long> outcomes) {
  /**
   * Leads traffic through a run, in the order of time.
   *
   * @param incidents what happens besides, in the order of time; of what happens at one time it
   *     goes before the traffic
   * @param until when it stops, since the start; null for the end of the traffic
   * @param told is given what there is to tell of each, or null for nothing
   */
  public static Replay of(
      Run run,
      Traffic traffic,
      List<? extends Traffic.Event> incidents,
      @Nullable Duration until,
      Consumer<@Nullable Happened> told)
      throws IOException,
          UnreadableSiteException,
          UnusableQuestionException,
          UnreadableCaptureException {
    Map<Outcome, Long> outcomes = new EnumMap<>(Outcome.class);
    Duration elapsed = Duration.ZERO;
    int next = 0;
    while (true) {
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
      told.accept(event.happen(run, outcomes));
    }
    if (until != null && until.compareTo(elapsed) > 0) {
      run.advance(until.minus(elapsed));
      elapsed = until;
    }
    return new Replay(elapsed, outcomes);
  }
}
