// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Collections;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.state.BindingRow;
import org.eskerfield.state.PoolFill;
import org.eskerfield.walk.DeviceMachine;
import org.jspecify.annotations.Nullable;

/** Counts what one device decides in a run. */
final class Tally {
  /** A number that goes up. */
  private static final class Counter {
    private long count;
  }

  /** A rule, and a protocol whose ports it gives out; 0 for whole addresses. */
  private record Key(TranslationRule rule, int protocol) {}

  /** How much was given out at most, and how many flows found nothing. */
  private static final class Level {
    private long most;
    private @Nullable ZonedDateTime at;
    private long refused;
    private @Nullable ZonedDateTime refusedAt;
  }

  private final DeviceMachine machine;
  private final IdentityHashMap<Placed, Counter> hits = new IdentityHashMap<>();
  private final Map<String, Counter> arrivals = new LinkedHashMap<>();
  private final Map<Ruling, Long> ended = new EnumMap<>(Ruling.class);
  private final Map<Key, Level> pools = new HashMap<>();

  /** Rules that may have given out more since anybody looked. */
  private final Set<TranslationRule> lent = Collections.newSetFromMap(new IdentityHashMap<>());

  private final List<Key> refused = new ArrayList<>();
  private long gotNothing;
  private Figures.Level sessions;
  private Figures.Level bindings;

  Tally(DeviceMachine machine, ZonedDateTime now) {
    this.machine = machine;
    this.sessions = new Figures.Level(0, 0, now);
    this.bindings = sessions;
  }

  /** Counts a decision. */
  void count(Ruling ruling, @Nullable Placed by, @Nullable Interface arriving, int protocol) {
    if (by instanceof TranslationRule rule && rule.outward() != null) {
      if (ruling == Ruling.SOURCE_TRANSLATED) {
        lent.add(rule);
      } else if (ruling.ends() == Outcome.EXHAUSTED) {
        refused.add(new Key(rule, rule.lends() ? 0 : protocol));
      }
    }
    if (ruling == Ruling.ARRIVED && arriving != null) {
      arrivals.computeIfAbsent(arriving.name(), name -> new Counter()).count++;
    }
    if (ruling.ends() != null) {
      ended.merge(ruling, 1L, Long::sum);
    }
    if (ruling.ends() == Outcome.EXHAUSTED) {
      gotNothing++;
    } else if (by != null && isHit(ruling)) {
      Counter counter = hits.get(by);
      if (counter == null) {
        counter = new Counter();
        hits.put(by, counter);
      }
      counter.count++;
    }
  }

  private static boolean isHit(Ruling ruling) {
    return switch (ruling) {
      case DESTINATION_TRANSLATED,
          UNTOUCHED,
          SOURCE_TRANSLATED,
          ACCEPTED_BY_RULE,
          DROPPED_BY_RULE,
          REJECTED_BY_RULE,
          DEVICE_ACCEPTED_BY_RULE,
          ACCEPTED_OTHERWISE,
          DROPPED_OTHERWISE,
          REJECTED_OTHERWISE,
          DEVICE_ACCEPTED_OTHERWISE,
          NOT_ADMITTED ->
          true;
      default -> false;
    };
  }

  /** Looks how many there are now. */
  void look(ZonedDateTime now) {
    sessions = sessions.moved(machine.state().sessionCount(), now);
    bindings = bindings.moved(machine.state().bindingCount(), now);
    for (TranslationRule rule : lent) {
      for (PoolFill fill : machine.state().fills(rule)) {
        Level level = level(fill);
        if (fill.taken() > level.most) {
          level.most = fill.taken();
          level.at = now;
        }
      }
    }
    lent.clear();
    for (Key key : refused) {
      Level level = pools.computeIfAbsent(key, each -> new Level());
      level.refused++;
      level.refusedAt = level.refusedAt == null ? now : level.refusedAt;
    }
    refused.clear();
  }

  private Level level(PoolFill fill) {
    return pools.computeIfAbsent(new Key(fill.rule(), fill.protocol()), each -> new Level());
  }

  private Figures.Pool pool(PoolFill fill) {
    Level level = level(fill);
    return new Figures.Pool(fill, level.most, level.at, level.refused, level.refusedAt);
  }

  /** The figures at a moment. */
  Figures figures(ZonedDateTime now) {
    look(now);
    List<Figures.Hit> all = new ArrayList<>();
    hits.forEach((by, counter) -> all.add(new Figures.Hit(by, counter.count)));
    Map<String, Long> packetsByInterface = new LinkedHashMap<>();
    for (Interface own : machine.program().device().interfaces()) {
      Counter counter = arrivals.get(own.name());
      packetsByInterface.put(own.name(), counter == null ? 0 : counter.count);
    }
    Map<String, Long> endedByRuling = new LinkedHashMap<>();
    ended.forEach((ruling, count) -> endedByRuling.put(ruling.code(), count));
    Map<String, Long> bindingsByKind = new LinkedHashMap<>();
    for (BindingRow row : machine.state().bindings()) {
      bindingsByKind.merge(row.rule().kind(), 1L, Long::sum);
    }
    return new Figures(
        sessions,
        bindings,
        machine.state().sessionsAged(),
        machine.state().bindingsAged(),
        gotNothing,
        all,
        machine.state().fills().stream().map(this::pool).toList(),
        bindingsByKind,
        packetsByInterface,
        endedByRuling);
  }
}
