// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.replay;

import java.io.IOException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.TreeMap;
import org.eskerfield.compare.DeviceComparison;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.eskerfield.formats.flow.FlowHeader;
import org.eskerfield.formats.flow.FlowRecord;
import org.eskerfield.formats.flow.FlowRecords;
import org.eskerfield.formats.flow.FlowSorter;
import org.eskerfield.formats.flow.SessionRecords;
import org.eskerfield.formats.flow.Translated;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.eskerfield.model.StateSettings;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * What real devices have translated, beside what the devices of a site do with the same traffic.
 *
 * <p>Where only the sessions of the real devices are known, each is sent as a flow whose last
 * packet came as late as its end allows by the idle times of the site: for UDP its idle time
 * before, a TCP connection is closed its transitory time before. So a real session that ended
 * earlier than it may here is found, and one that lasted longer is taken to have been used.
 */
public final class DeviceReplay {
  private final Site site;
  private final Duration within;
  private final Map<String, DeviceComparison> comparisons = new LinkedHashMap<>();
  private final List<FlowRecord> sessions = new ArrayList<>();
  private final Map<String, Long> strange = new TreeMap<>();
  private final List<String> remarks;
  private long untold;

  /**
   * Reads what real devices have recorded, and closes the records.
   *
   * @param records records that say what became of their flows, in any order
   * @param device the device that wrote what does not say so; null if they all do, or if the site
   *     has only one
   * @param within how far times may differ
   * @throws UnusableQuestionException if it is not known who wrote them
   */
  public DeviceReplay(Site site, FlowRecords records, @Nullable Device device, Duration within)
      throws IOException, UnreadableCaptureException, UnusableQuestionException {
    this.site = site;
    this.within = within;
    Device alone =
        device == null && site.devices().size() == 1
            ? site.devices().values().iterator().next()
            : device;
    try (FlowRecords sorted = new FlowSorter(new SessionRecords(new FlowSorter(records)))) {
      for (FlowRecord each = sorted.next(); each != null; each = sorted.next()) {
        add(each, alone);
      }
      remarks = new ArrayList<>(sorted.remarks());
    }
    if (sessions.isEmpty() && untold > 0) {
      throw new UnusableQuestionException(
          "sessions",
          "none of the records says what became of its flow",
          "name the columns that do: from-after, from-port-after, to-after, to-port-after");
    }
    if (untold > 0) {
      remarks.add(
          String.format("records of flows without a word about their translation: %,d", untold));
    }
    strange.forEach(
        (name, count) ->
            remarks.add(
                String.format(
                    "sessions of '%s', which is no device of the site: %,d", name, count)));
  }

  private void add(FlowRecord record, @Nullable Device alone) throws UnusableQuestionException {
    Translated translated = record.translated();
    if (translated == null) {
      untold++;
      return;
    }
    String name = translated.device();
    if (!site.devices().containsKey(name)) {
      if (!name.isEmpty() && alone == null) {
        strange.merge(name, 1L, Long::sum);
        return;
      }
      if (alone == null) {
        throw new UnusableQuestionException(
            "device",
            "the records do not say which device wrote them",
            "name one of " + String.join(", ", site.devices().keySet()));
      }
      name = alone.name();
    }
    sessions.add(
        record.until(record.end(), new Translated(translated.after(), translated.event(), name)));
  }

  /**
   * The sessions as traffic, for want of other: those that another device has handed on are not
   * sent once more.
   */
  public Traffic traffic() throws IOException, UnreadableCaptureException {
    boolean packets = true;
    Map<FlowHeader, String> handedOn = new HashMap<>();
    for (FlowRecord each : sessions) {
      Translated translated = each.translated();
      if (translated != null) {
        handedOn.put(translated.after(), translated.device());
      }
    }
    List<FlowRecord> flows = new ArrayList<>();
    for (FlowRecord each : sessions) {
      Translated translated = each.translated();
      String by = handedOn.get(each.key());
      if (translated != null && by != null && !by.equals(translated.device())) {
        continue;
      }
      if (translated != null && translated.event() == Translated.Event.SESSION) {
        packets = false;
        flows.add(upToLastPacket(each, translated.device()));
      } else {
        flows.add(each);
      }
    }
    return new RecordTraffic(
        site, new InMemory(flows), packets ? RecordTraffic.JOINS : Duration.ZERO, true);
  }

  private FlowRecord upToLastPacket(FlowRecord record, String device) {
    StateSettings.Timers timers =
        Objects.requireNonNull(site.devices().get(device)).state().timers();
    Duration idle =
        switch (record.key().protocol()) {
          case Protocol.TCP -> timers.tcpTransitory();
          case Protocol.UDP -> timers.udp();
          case Protocol.ICMP, Protocol.ICMPV6 -> timers.icmp();
          default -> timers.other();
        };
    Instant last = record.end().minus(idle);
    return record.until(last.isBefore(record.start()) ? record.start() : last, null);
  }

  /**
   * Sends traffic through the site, and compares.
   *
   * @param traffic the traffic, see {@link #traffic}
   * @param whole whether it is other traffic than that
   * @return by the name of the device, in the order of the site; only those with records
   */
  public Map<String, DeviceComparison> compare(
      Traffic traffic, boolean whole, Replay.Listener listener)
      throws IOException,
          UnreadableSiteException,
          UnusableQuestionException,
          UnreadableCaptureException {
    Tracer tracer = Tracer.of(site);
    Run run = tracer.run(traffic.start());
    for (Device device : site.devices().values()) {
      comparisons.put(
          device.name(),
          new DeviceComparison(tracer.program().device(device.name()), within, whole));
    }
    run.eventsTo(
        event -> {
          DeviceComparison comparison = comparisons.get(event.device());
          if (comparison != null) {
            comparison.here(event);
          }
        });
    Instant latest = traffic.start().toInstant();
    for (FlowRecord each : sessions) {
      Translated translated = each.translated();
      DeviceComparison comparison =
          translated == null ? null : comparisons.get(translated.device());
      if (translated != null && comparison != null) {
        boolean told =
            translated.event() == Translated.Event.SESSION && each.end().isAfter(each.start());
        comparison.real(
            new DeviceComparison.Session(
                each.start(), told ? each.end() : null, header(each), after(translated)));
        latest = each.end().isAfter(latest) ? each.end() : latest;
      }
    }
    Replay.onEach(
        List.of(run),
        traffic,
        (at, number, happened) -> {
          Happened here = happened.get(0);
          Trace begun = here == null ? null : here.begun();
          if (begun != null) {
            comparisons.values().forEach(each -> each.here(begun));
          }
          listener.happened(number, here);
        });
    Duration rest = Duration.between(run.now().toInstant(), latest.plus(within).plusMillis(1));
    run.advance(rest.isNegative() ? Duration.ZERO : rest);
    comparisons.values().forEach(DeviceComparison::finish);
    comparisons.values().removeIf(each -> each.sessions() == 0);
    return comparisons;
  }

  private static Header header(FlowRecord record) {
    return record.key().packet().header();
  }

  private static Header after(Translated translated) {
    return translated.after().packet().header();
  }

  /** What could not be read or used, a sentence each. */
  public List<String> remarks() {
    return List.copyOf(remarks);
  }

  /** Records that are in order. */
  private static final class InMemory implements FlowRecords {
    private final Iterator<FlowRecord> records;

    InMemory(List<FlowRecord> records) {
      this.records = records.iterator();
    }

    @Override
    public @Nullable FlowRecord next() {
      return records.hasNext() ? records.next() : null;
    }

    @Override
    public List<String> remarks() {
      return List.of();
    }

    @Override
    public void close() {}
  }
}
