// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Group;
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.set.Times;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Labels;
import org.jspecify.annotations.Nullable;

/** What nothing uses, and what can never act. */
final class Leftovers {
  private final Inspection check;
  private final Set<String> services = new HashSet<>();
  private final Set<String> names = new HashSet<>();
  private final Set<String> schedules = new HashSet<>();
  private final Set<String> networks = new HashSet<>();

  Leftovers(Inspection check) {
    this.check = check;
  }

  void inspect() {
    check.site.groups().values().forEach(group -> addNames(group.members()));
    for (Host host : check.site.hosts().values()) {
      addServices(host.listens());
      addServices(host.blocked());
      host.networks().forEach(network -> networks.add(network.name()));
      if (host.filter() != null) {
        host.filter().rules().forEach(this::add);
      }
    }
    for (Device device : check.site.devices().values()) {
      add(device);
      conflicts(device);
    }
    report();
    for (Schedule schedule : check.site.schedules().values()) {
      Times times = new Times(List.of(schedule), VirtualClock.start(check.site.timeZone()));
      if (times.covered(schedule).isEmpty()) {
        check.add(
            Code.SCHEDULE_NEVER_ACTS,
            schedule,
            "schedule '"
                + schedule.name()
                + "' never acts: none of its days lies between its first and last day",
            null,
            Cure.byHand("correct its days, or take it away with the rules that name it"));
      }
    }
  }

  /** Schedules whose last day has passed, though rules name them. */
  void over(LocalDate today) {
    for (Device device : check.site.devices().values()) {
      for (TranslationRule rule : device.translation()) {
        if (!rule.disabled() && rule.admit() != null) {
          over(rule.admit().when(), rule, today);
        }
      }
      for (AccessList list : device.access()) {
        for (AccessRule rule : list.rules()) {
          if (!rule.disabled()) {
            over(rule.when(), rule, today);
          }
        }
      }
    }
  }

  private void over(@Nullable Schedule schedule, Placed rule, LocalDate today) {
    LocalDate last = schedule == null ? null : schedule.lastDay();
    if (schedule != null && last != null && last.isBefore(today)) {
      check.add(
          Code.SCHEDULE_NEVER_ACTS,
          schedule,
          "schedule '"
              + schedule.name()
              + "' is over since "
              + last
              + ": "
              + Labels.of(rule)
              + " does not act any more",
          null,
          Cure.byHand("give it a later last day, or take it away with the rules that name it"));
    }
  }

  private void add(Device device) {
    device.interfaces().forEach(own -> networks.add(own.network().name()));
    for (OwnService own : device.services()) {
      services.add(own.service().service().name());
      addNames(own.from());
    }
    for (TranslationRule rule : device.translation()) {
      addNames(rule.from());
      addNames(rule.to());
      addServices(rule.services());
      if (rule.admit() != null) {
        addNames(rule.admit().from());
        add(rule.admit().when());
      }
    }
    for (AccessList list : device.access()) {
      list.rules().forEach(this::add);
    }
  }

  private void add(AccessRule rule) {
    addNames(rule.from());
    addNames(rule.to());
    addServices(rule.services());
    add(rule.when());
  }

  private void add(@Nullable Schedule schedule) {
    if (schedule != null) {
      schedules.add(schedule.name());
    }
  }

  private void addNames(List<AddressTerm> terms) {
    terms.forEach(term -> names.add(term.text()));
  }

  private void addServices(List<ServiceTerm> terms) {
    terms.forEach(term -> services.add(term.service().name()));
  }

  private void report() {
    reportUnused("service", check.site.services().values(), services);
    reportUnused("schedule", check.site.schedules().values(), schedules);
    for (Network network : check.site.networks().values()) {
      boolean used = networks.contains(network.name());
      if (!used && !names.contains(network.name()) && !names.contains(network.zone())) {
        reportUnused("network", network);
      }
    }
    for (Group group : check.site.groups().values()) {
      if (!names.contains(group.name())) {
        reportUnused("group", group);
      }
    }
    // A host is inventory, whoever names it; but one that is off and that nothing names is gone.
    for (Host host : check.site.hosts().values()) {
      if (!host.off()) {
        continue;
      }
      boolean offered = false;
      for (Device device : check.site.devices().values()) {
        for (InwardRule rule : device.inward()) {
          offered |= host.addresses().stream().anyMatch(rule.internalBlock()::contains);
        }
      }
      boolean resolves =
          check.site.names().values().stream()
              .flatMap(name -> name.answers().stream())
              .anyMatch(
                  answer ->
                      host.name().equals(answer.resolver())
                          || answer.addresses().stream().anyMatch(host.addresses()::contains));
      if (!offered && !resolves && !names.contains(host.name())) {
        check.add(
            Code.UNUSED,
            host,
            "host '" + host.name() + "' is switched off, and nothing names it",
            null,
            Cure.of("take it away", new Change.Remove(host)));
      }
    }
  }

  private void reportUnused(String kind, Collection<? extends Named> all, Set<String> used) {
    for (Named thing : all) {
      if (!used.contains(thing.name())) {
        reportUnused(kind, thing);
      }
    }
  }

  private void reportUnused(String kind, Named thing) {
    check.add(
        Code.UNUSED,
        thing,
        "nothing uses " + kind + " '" + thing.name() + "'",
        null,
        Cure.of("take it away", new Change.Remove(thing)));
  }

  /** Two routes for the same block of which only the first is ever taken. */
  private void conflicts(Device device) {
    List<Route> before = new ArrayList<>();
    for (Route route : device.routes()) {
      for (Route other : before) {
        if (other.to().equals(route.to()) && other.preference() == route.preference()) {
          boolean same = Objects.equals(other.via(), route.via());
          check.add(
              Code.ROUTES_CONFLICT,
              route,
              device.name() + " " + route.to(),
              device.name()
                  + " has two routes to "
                  + route.to()
                  + " of the same preference (the other in line "
                  + other.place().line()
                  + (same ? "), which say the same" : "): this one is never taken"),
              null,
              Cure.of(
                  same ? "take it away" : "take it away, or give it another preference",
                  new Change.Remove(route)));
          break;
        }
      }
      before.add(route);
    }
  }
}
