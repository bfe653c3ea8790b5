// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.matches;

import java.time.Duration;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressCounts;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Condition;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * The matches of each rule, list, route and own service of a site in some traffic (RFC 8519 section
 * 4.2 counts them in the same way).
 *
 * <p>A flow matches whatever decides about its first packet; what a known session lets through asks
 * no rule. Of a rule without matches it is known whether another one took packets that it names,
 * since each packet that is decided is put to the rules behind. Cost: as many conditions for each
 * flow as there are rules without matches behind the one that decides.
 *
 * <p>Not safe for use by several threads.
 */
public final class Matches {
  /**
   * The matches of one rule, list, route or own service.
   *
   * @param device the name of its device
   * @param by what matched: a translation rule, an access rule, a list (by its default), an own
   *     service or a route
   * @param flows the number of flows that matched
   * @param packets the packets of these flows, both directions; null where no flow tells them
   * @param bytes their bytes, likewise
   * @param first when the first one came, since the start of the traffic; null for none
   * @param last when the last one came; null for none
   * @param senders the number of flows by source address as sent, the most first
   * @param receivers the number of flows by destination address as sent, the most first
   * @param instead for a rule without matches, what took most of the packets that it names, before
   *     it was asked; null where no packet of the traffic is named by it
   */
  public record Row(
      String device,
      Placed by,
      long flows,
      @Nullable Long packets,
      @Nullable Long bytes,
      @Nullable Duration first,
      @Nullable Duration last,
      Map<Address, Long> senders,
      Map<Address, Long> receivers,
      @Nullable Placed instead) {
    /** Copies the maps. */
    public Row {
      senders = Collections.unmodifiableMap(new LinkedHashMap<>(senders));
      receivers = Collections.unmodifiableMap(new LinkedHashMap<>(receivers));
    }
  }

  private static final class Counter {
    private final Device device;
    private final Placed by;
    private long flows;
    private long packets = -1;
    private long bytes = -1;
    private @Nullable Duration first;
    private @Nullable Duration last;
    private final AddressCounts senders = new AddressCounts();
    private final AddressCounts receivers = new AddressCounts();
    private final IdentityHashMap<Placed, Long> instead = new IdentityHashMap<>();

    Counter(Device device, Placed by) {
      this.device = device;
      this.by = by;
    }

    void count(Duration at, Header sent) {
      flows++;
      first = first == null ? at : first;
      last = at;
      senders.add(sent.source());
      receivers.add(sent.destination());
    }

    Row row() {
      return new Row(
          device.name(),
          by,
          flows,
          packets < 0 ? null : packets,
          bytes < 0 ? null : bytes,
          first,
          last,
          senders.sorted(),
          receivers.sorted(),
          taker());
    }

    void grow(long morePackets, long moreBytes) {
      packets = morePackets < 0 ? packets : Math.max(packets, 0) + morePackets;
      bytes = moreBytes < 0 ? bytes : Math.max(bytes, 0) + moreBytes;
    }

    private @Nullable Placed taker() {
      return flows > 0
          ? null
          : instead.entrySet().stream()
              .max(Map.Entry.comparingByValue())
              .map(Map.Entry::getKey)
              .orElse(null);
    }
  }

  private final SiteProgram program;
  private final IdentityHashMap<Placed, Counter> counters = new IdentityHashMap<>();

  /** The lists that access rules stand in. */
  private final IdentityHashMap<Placed, CompiledList> lists = new IdentityHashMap<>();

  private final List<Counter> order = new ArrayList<>();

  /** What decided about flows of which more may come, by their numbers. */
  private final Map<Long, List<Counter>> open = new HashMap<>();

  private List<Counter> last = List.of();
  private long flows;

  /** Counts nothing yet. */
  public Matches(Tracer tracer) {
    this.program = tracer.program();
    for (Device device : program.site().devices().values()) {
      device.translation().stream().filter(rule -> !rule.disabled()).forEach(r -> add(device, r));
      for (CompiledList list : program.device(device.name()).lists()) {
        list.entries().forEach(entry -> lists.put(entry.rule(), list));
      }
      for (AccessList list : device.access()) {
        list.rules().stream().filter(rule -> !rule.disabled()).forEach(r -> add(device, r));
        add(device, list);
      }
      device.services().forEach(own -> add(device, own));
      device.routes().forEach(route -> add(device, route));
    }
  }

  private void add(Device device, Placed by) {
    Counter counter = new Counter(device, by);
    counters.put(by, counter);
    order.add(counter);
  }

  /** How many flows were counted, whatever decided about them. */
  public long flows() {
    return flows;
  }

  /**
   * Counts a flow.
   *
   * @param at when it came, since the start of the traffic
   * @param trace its first packet on this site
   */
  public void add(Duration at, Trace trace) {
    flows++;
    last = new ArrayList<>();
    Header sent = trace.request().get(0).decisions().get(0).before();
    for (Leg leg : trace.request()) {
      Device device = program.site().devices().get(leg.where());
      if (leg.kind() != Leg.Kind.DEVICE || device == null) {
        continue;
      }
      Set<Placed> met = Collections.newSetFromMap(new IdentityHashMap<>());
      for (Decision decision : leg.decisions()) {
        Placed by = decision.by();
        Counter counter = by == null ? null : counters.get(by);
        if (counter != null && isOfNewFlow(decision) && met.add(counter.by)) {
          counter.count(at, sent);
          last.add(counter);
          behind(program.device(device.name()), leg, decision, counter.by, trace);
        }
      }
    }
  }

  /**
   * Counts a flow of which more may come, see {@link #grow}.
   *
   * @param flow its number, unlike that of others which have not ended
   * @param at when it came, since the start of the traffic
   * @param trace its first packet on this site
   */
  public void begin(long flow, Duration at, Trace trace) {
    add(at, trace);
    open.put(flow, last);
  }

  /**
   * Adds to the size of a flow.
   *
   * @param flow the number by which it began
   * @param packets packets of both directions; negative if unknown
   * @param bytes their bytes; negative if unknown
   */
  public void grow(long flow, long packets, long bytes) {
    open.getOrDefault(flow, List.of()).forEach(counter -> counter.grow(packets, bytes));
  }

  /** Nothing more comes of a flow. */
  public void end(long flow) {
    open.remove(flow);
  }

  /**
   * Whether a rule took a new flow: not what is known, restored, or named by no rule, nor what an
   * own service does not let in.
   */
  private static boolean isOfNewFlow(Decision decision) {
    return switch (decision.ruling()) {
      case DESTINATION_RESTORED, SOURCE_RESTORED, DESTINATION_UNMATCHED, DEVICE_SERVICE_CLOSED ->
          false;
      default -> decision.ruling().step() != Step.STATE;
    };
  }

  /** Puts a packet to the rules behind the one that decided. */
  private void behind(DeviceProgram device, Leg leg, Decision decision, Placed by, Trace trace) {
    Interface arriving = leg.arriving();
    Interface leaving = leg.leaving();
    switch (decision.ruling().step()) {
      case DESTINATION -> {
        if (arriving != null) {
          behind(
              device.translations.from(arriving, device.number(arriving)).entries(),
              entry -> entry.rule(),
              decision.before(),
              by,
              trace);
        }
      }
      case SOURCE -> {
        if (leaving != null) {
          behind(
              device.translations.towards(leaving, device.number(leaving)).entries(),
              entry -> entry.rule(),
              decision.before(),
              by,
              trace);
        }
      }
      case ACCESS, DEVICE -> {
        Header seen =
            device.device.seesOriginal() ? leg.decisions().get(0).before() : decision.before();
        CompiledList list = lists.get(by);
        if (list != null) {
          behind(list.entries(), CompiledList.Entry::rule, seen, by, trace);
        }
      }
      default -> {}
    }
  }

  /** What an entry of a row is of the file. */
  private interface Of<E> {
    Placed rule(E entry);
  }

  @SuppressWarnings("ReferenceEquality") // the very object that decided
  private <E extends Condition> void behind(
      List<E> row, Of<E> of, Header header, Placed by, Trace trace) {
    Packet packet = null;
    boolean later = false;
    for (E entry : row) {
      Placed rule = of.rule(entry);
      if (rule == by) {
        later = true;
        continue;
      }
      Counter counter = later ? counters.get(rule) : null;
      if (counter == null || counter.flows > 0) {
        continue;
      }
      packet = packet == null ? Packet.of(header) : packet;
      if (entry.holds(packet, false, trace.question().at())) {
        counter.instead.merge(by, 1L, Long::sum);
      }
    }
  }

  /** Everything that may match, in the order of the file, device by device. */
  public List<Row> rows() {
    return order.stream().map(Counter::row).toList();
  }
}
