// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.function.Consumer;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.jspecify.annotations.Nullable;

/** The log of a run: kept, or handed to somebody line by line. */
final class Logbook {
  /** The sites that the run goes on with; more may come. */
  private final List<Site> sites;

  private final IdentityHashMap<AccessRule, AccessList> lists = new IdentityHashMap<>();

  /** How many of the sites are in {@link #lists}. */
  private int learnt;

  private final List<LogEntry> lines = new ArrayList<>();
  private Consumer<LogEntry> reader = lines::add;

  Logbook(List<Site> sites) {
    this.sites = sites;
  }

  void to(Consumer<LogEntry> another) {
    reader = another;
  }

  List<LogEntry> lines() {
    return List.copyOf(lines);
  }

  /** Writes what belongs there of a way. */
  void note(List<Leg> path, ZonedDateTime now) {
    for (Leg leg : path) {
      if (leg.kind() != Leg.Kind.DEVICE) {
        continue;
      }
      for (Decision decision : leg.decisions()) {
        if (LegRecorder.isForLog(decision.ruling(), decision.by())) {
          AccessList list =
              decision.by() instanceof AccessRule rule
                  ? listOf(rule)
                  : decision.by() instanceof AccessList itself ? itself : null;
          reader.accept(new LogEntry(now, leg.where(), list, decision));
        }
      }
    }
  }

  /** The list that has a rule, in whatever site of the run; they are gone through once asked. */
  private @Nullable AccessList listOf(AccessRule rule) {
    for (; learnt < sites.size(); learnt++) {
      for (Device device : sites.get(learnt).devices().values()) {
        for (AccessList list : device.access()) {
          list.rules().forEach(each -> lists.put(each, list));
        }
      }
    }
    return lists.get(rule);
  }
}
