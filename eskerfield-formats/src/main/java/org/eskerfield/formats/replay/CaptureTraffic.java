// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.replay;

import java.io.IOException;
import java.io.InputStream;
import java.time.Duration;
import java.time.Instant;
import java.time.ZonedDateTime;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.capture.CaptureReader;
import org.eskerfield.formats.capture.CapturedTraffic;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.eskerfield.formats.capture.Viewpoint;
import org.eskerfield.formats.flow.Volume;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Header;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** The packets of a capture as traffic; the clock starts when the first one was captured. */
public final class CaptureTraffic implements Traffic {
  private final CapturedTraffic packets;
  private final boolean told;
  private final ZonedDateTime start;
  private CapturedTraffic.@Nullable Arrival ahead;
  private Instant latest;

  /** How many packets within flows got nowhere, by how they ended. */
  private final Map<Outcome, Long> lost = new EnumMap<>(Outcome.class);

  CaptureTraffic(Site site, String name, InputStream in, @Nullable String arriving, boolean told)
      throws UnusableQuestionException, UnreadableCaptureException, IOException {
    this.told = told;
    List<Viewpoint> places =
        arriving == null ? List.of() : Viewpoint.of(site, "arriving", arriving);
    if (places.size() > 1) {
      throw new UnusableQuestionException(
          "arriving", "'" + arriving + "' has several interfaces", "write '" + places.get(0) + "'");
    }
    packets =
        new CapturedTraffic(
            site, new CaptureReader(name, in), places.isEmpty() ? null : places.get(0));
    ahead = packets.next();
    start =
        ahead == null ? VirtualClock.start(site.timeZone()) : ahead.at().atZone(site.timeZone());
    latest = start.toInstant();
  }

  @Override
  public ZonedDateTime start() {
    return start;
  }

  @Override
  public @Nullable Duration ahead() {
    return ahead == null ? null : at(ahead);
  }

  /** Captures of several processors are not always in order. */
  private Duration at(CapturedTraffic.Arrival arrival) {
    Instant at = arrival.at().isAfter(latest) ? arrival.at() : latest;
    return Duration.between(start.toInstant(), at);
  }

  @Override
  public @Nullable Event next()
      throws UnusableQuestionException, UnreadableCaptureException, IOException {
    CapturedTraffic.Arrival arrival = ahead;
    if (arrival == null) {
      return null;
    }
    ahead = packets.next();
    Duration at = at(arrival);
    latest = start.toInstant().plus(at);
    return new Came(arrival, at);
  }

  private final class Came implements Event {
    private final CapturedTraffic.Arrival arrival;
    private final Duration at;

    Came(CapturedTraffic.Arrival arrival, Duration at) {
      this.arrival = arrival;
      this.at = at;
    }

    @Override
    public Duration at() {
      return at;
    }

    @Override
    public @Nullable Happened happen(Run run, Map<Outcome, Long> outcomes) {
      Header header = arrival.packet().header();
      Trace trace = arrival.isBack() ? null : arrival.happen(run);
      if (arrival.isFirst() && trace != null) {
        outcomes.merge(trace.outcome(), 1L, Long::sum);
        return told
            ? Happened.of(at, trace, header.line() + ": " + trace.reason()).with(part(true))
            : null;
      }
      if (trace == null || trace.outcome() == Outcome.ANSWERED) {
        return told ? new Happened(at, null, "more", header.line()).with(part(false)) : null;
      }
      lost.merge(trace.outcome(), 1L, Long::sum);
      String text = header.line() + ", within a flow: " + trace.reason();
      return told ? Happened.of(at, trace, text).with(part(false)) : null;
    }

    private FlowPart part(boolean begins) {
      return new FlowPart(arrival.flow(), new Volume(1, arrival.bytes()), begins, false);
    }
  }

  @Override
  public String afterwards() {
    StringBuilder text = new StringBuilder();
    lost.forEach(
        (outcome, count) ->
            text.append(text.isEmpty() ? "lost within flows: " : ", ")
                .append(count)
                .append(count == 1 ? " packet " : " packets ")
                .append(outcome));
    text.append(text.isEmpty() || packets.notSent().isEmpty() ? "" : "\n");
    int before = text.length();
    packets
        .notSent()
        .forEach(
            (why, count) ->
                text.append(text.length() == before ? "not sent: " : "; ")
                    .append(count)
                    .append(count == 1 ? " packet " : " packets ")
                    .append(why));
    return text.toString();
  }

  @Override
  public void close() throws IOException {
    packets.close();
  }
}
