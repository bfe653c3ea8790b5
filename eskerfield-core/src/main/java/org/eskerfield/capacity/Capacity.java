// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.capacity;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.Consumer;
import org.eskerfield.model.Pool;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.program.Translations;
import org.eskerfield.state.TranslationEvent;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * How much of its external addresses and ports each device has given out over the time of a run:
 * ports by external address and protocol, and by pool where one has several addresses; whole
 * addresses by pool. Ports at rest do not count. Cost: constant for each event.
 *
 * <p>Not safe for use by several threads.
 */
public final class Capacity implements Consumer<TranslationEvent> {
  /**
   * The use of something that is given out.
   *
   * @param device the name of the device
   * @param what an external address, or the addresses of a pool
   * @param protocol the protocol whose ports or identifiers are given out; 0 for whole addresses
   * @param rules the names of the rules that have given it out, or had nothing left
   * @param size how many there are, what is claimed not counted
   * @param most how many were in use at once, at most
   * @param at when that was for the first time, since the start; null for never
   * @param refused for how many packets nothing was left
   * @param limited how many packets were refused since their sender had as many as it may
   * @param first when the first packet of both kinds was refused, since the start; null for none
   * @param sender who sent that one; null for none
   * @param highest the most in use in each interval of time
   */
  public record Use(
      String device,
      String what,
      int protocol,
      List<String> rules,
      long size,
      long most,
      @Nullable Duration at,
      long refused,
      long limited,
      @Nullable Duration first,
      @Nullable Address sender,
      List<Long> highest) {
    /** Copies the lists. */
    public Use {
      rules = List.copyOf(rules);
      highest = List.copyOf(highest);
    }
  }

  private record Key(String device, String what, int protocol) {}

  private static final class Count {
    private final long size;
    private final Set<String> rules = new LinkedHashSet<>();
    private final Levels levels = new Levels();
    private long most;
    private @Nullable Duration at;
    private long refused;
    private long limited;
    private @Nullable Duration first;
    private @Nullable Address sender;

    Count(long size) {
      this.size = size;
    }
  }

  private final SiteProgram program;
  private final ZonedDateTime start;
  private final Map<Key, Count> counts = new LinkedHashMap<>();

  /** What each rule gives out. */
  private final IdentityHashMap<TranslationRule, AddressSet> addresses = new IdentityHashMap<>();

  private Capacity(Tracer tracer, ZonedDateTime start) {
    this.program = tracer.program();
    this.start = start;
  }

  /**
   * Counts what happens in a run from now on.
   *
   * @param tracer the tracer that the run is of
   */
  public static Capacity of(Tracer tracer, Run run) {
    Capacity capacity = new Capacity(tracer, run.now());
    run.eventsTo(capacity);
    return capacity;
  }

  @Override
  public void accept(TranslationEvent event) {
    Duration at = Duration.between(start, event.at());
    TranslationRule rule = event.sourceRule();
    switch (event.kind()) {
      case BINDING_BEGINS, BINDING_ENDS -> {
        int by = event.kind() == TranslationEvent.Kind.BINDING_BEGINS ? 1 : -1;
        for (Count count : shared(event, rule)) {
          change(count, rule, at, by);
        }
      }
      case ADDRESS_LENT, ADDRESS_RETURNED -> {
        int by = event.kind() == TranslationEvent.Kind.ADDRESS_LENT ? 1 : -1;
        change(lent(event, rule), rule, at, by);
      }
      case ADDRESSES_USED_UP -> refuse(lent(event, rule), event, at, false);
      case PORTS_USED_UP -> shared(event, rule).forEach(count -> refuse(count, event, at, false));
      case LIMIT_REACHED -> refuse(limited(event, rule), event, at, true);
      case ALL_FORGOTTEN ->
          counts.forEach(
              (key, count) -> {
                if (key.device().equals(event.device())) {
                  count.levels.clear(at.toMillis());
                }
              });
      case SESSION_BEGINS, SESSION_ENDS -> {}
    }
  }

  private static void change(Count count, @Nullable TranslationRule rule, Duration at, int by) {
    if (rule != null) {
      count.rules.add(rule.name());
    }
    count.levels.change(at.toMillis(), by);
    if (count.levels.level() > count.most) {
      count.most = count.levels.level();
      count.at = at;
    }
  }

  private static void refuse(Count count, TranslationEvent event, Duration at, boolean limited) {
    TranslationRule rule = event.sourceRule();
    if (rule != null) {
      count.rules.add(rule.name());
    }
    count.refused += limited ? 0 : 1;
    count.limited += limited ? 1 : 0;
    if (count.first == null) {
      count.first = at;
      count.sender = event.before().source();
    }
  }

  /** The external address whose ports an event is about, and its pool if that has more of them. */
  private List<Count> shared(TranslationEvent event, @Nullable TranslationRule rule) {
    Header after = event.after();
    List<Count> all = new ArrayList<>();
    if (after != null) {
      all.add(shared(event, AddressSet.of(after.source()), after.source().toString(), rule));
    }
    AddressSet pool = addresses(event.device(), rule);
    if (pool.countIpv4() > 1) {
      all.add(shared(event, pool, name(event.device(), rule), rule));
    }
    return all;
  }

  private Count shared(
      TranslationEvent event, AddressSet addresses, String name, @Nullable TranslationRule rule) {
    int protocol = event.before().protocol();
    return counts.computeIfAbsent(
        new Key(event.device(), name, protocol),
        key -> {
          DeviceProgram device = program.device(event.device());
          String realm = rule == null ? null : realm(device, rule);
          long claimed = device.claims.countPorts(addresses, protocol, realm);
          return new Count(65535 * addresses.countIpv4() - claimed);
        });
  }

  private Count lent(TranslationEvent event, @Nullable TranslationRule rule) {
    return counts.computeIfAbsent(
        new Key(event.device(), name(event.device(), rule), 0),
        key -> new Count(addresses(event.device(), rule).countIpv4()));
  }

  private Count limited(TranslationEvent event, @Nullable TranslationRule rule) {
    AddressSet pool = addresses(event.device(), rule);
    return shared(event, pool, name(event.device(), rule), rule);
  }

  private static @Nullable String realm(DeviceProgram device, TranslationRule rule) {
    for (Translations.Outbound each : device.translations.outbound) {
      if (each.rule().equals(rule)) {
        return each.leaving().interfaces().get(0).network().realm();
      }
    }
    return null;
  }

  private AddressSet addresses(String device, @Nullable TranslationRule rule) {
    return rule == null
        ? AddressSet.NONE
        : addresses.computeIfAbsent(rule, each -> givenBy(device, each));
  }

  private AddressSet givenBy(String device, TranslationRule rule) {
    DeviceProgram compiled = program.device(device);
    return compiled.translations.givenBy(rule, compiled);
  }

  /** A pool as it is written; where there is none, the addresses. */
  private String name(String device, @Nullable TranslationRule rule) {
    Pool pool = rule == null ? null : rule.pool();
    return pool == null
        ? String.join(
            ", ",
            addresses(device, rule).ranges().stream()
                .map(
                    range ->
                        range.first().equals(range.last())
                            ? range.first().toString()
                            : range.first() + "-" + range.last())
                .toList())
        : String.join(", ", pool.terms().stream().map(term -> term.text()).toList());
  }

  /**
   * What was given out: by device in the order of the site, by address or pool, by protocol.
   *
   * @param every the width of an interval, at least a millisecond
   * @param elapsed how long the run lasted
   */
  public List<Use> uses(Duration every, Duration elapsed) {
    List<Use> uses = new ArrayList<>();
    counts.forEach(
        (key, count) -> {
          count.levels.passTo(elapsed.toMillis());
          List<Long> highest = new ArrayList<>();
          for (long each : count.levels.highest(every.toMillis(), elapsed.toMillis())) {
            highest.add(each);
          }
          uses.add(
              new Use(
                  key.device(),
                  key.what(),
                  key.protocol(),
                  List.copyOf(count.rules),
                  count.size,
                  count.most,
                  count.at,
                  count.refused,
                  count.limited,
                  count.first,
                  count.sender,
                  highest));
        });
    List<String> devices = List.copyOf(program.devices().keySet());
    uses.sort(
        Comparator.comparing((Use use) -> devices.indexOf(use.device()))
            .thenComparing(Use::what)
            .thenComparing(Use::protocol));
    return uses;
  }

  /** The unit in which something is counted: ports, identifiers or addresses. */
  public static String unit(int protocol) {
    return protocol == 0
        ? "addresses"
        : Protocol.name(protocol) + (Protocol.hasPorts(protocol) ? " ports" : " identifiers");
  }
}
