// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.explain;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Meaning;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Times;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * The effect of a host's own filter.
 *
 * <p>Idea: hosts of the file ask for what it listens on and what its rules name, one after the
 * other; the first that a rule decides is its example, an answered one before others.
 *
 * @param host the host; it has a filter
 * @param section its rules in order, and its default
 */
public record HostFilter(Host host, Explanation.Section section) {
  /** So many attempts are made for one filter. */
  private static final int MOST_TRIED = 2000;

  /** Each host of a site that has a filter, in the order of the file. */
  public static List<HostFilter> of(Site site) {
    Tracer tracer = Tracer.of(site);
    List<HostFilter> filters = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      AccessList filter = host.filter();
      if (filter != null) {
        List<Trace> traces = host.off() ? List.of() : traces(tracer, host, filter);
        filters.add(new HostFilter(host, section(site, host, filter, traces)));
      }
    }
    return filters;
  }

  /**
   * A rule of the filter, or the filter itself, in depth.
   *
   * @param thing an object of the filter
   * @throws IllegalArgumentException if it is not one
   */
  public RuleDetail detail(Site site, Placed thing) {
    AccessList filter = Objects.requireNonNull(host.filter());
    for (Statement statement : section.statements()) {
      if (statement.of().equals(thing)) {
        boolean rule = thing instanceof AccessRule;
        return new RuleDetail(
            host,
            null,
            rule ? statement.number() : 1,
            rule ? filter.rules().size() : 1,
            statement,
            before(site, filter, thing),
            List.of());
      }
    }
    throw new IllegalArgumentException(
        Labels.of(thing) + " is not of the filter of " + host.name());
  }

  private List<RuleDetail.Earlier> before(Site site, AccessList filter, Placed thing) {
    Sentences sentences = new Sentences(site, host.name());
    List<Schedule> schedules = List.copyOf(site.schedules().values());
    Times times = new Times(schedules, VirtualClock.start(site.timeZone()));
    Meaning meaning = new Meaning(new PacketSpace(1, times));
    return RuleDetail.Earlier.than(thing, CompiledList.of(site, filter), meaning, sentences);
  }

  private static Explanation.Section section(
      Site site, Host host, AccessList filter, List<Trace> traces) {
    Sentences sentences = new Sentences(site, host.name());
    List<Statement> statements = new ArrayList<>();
    for (AccessRule rule : filter.rules()) {
      statements.add(
          new Statement(
              statements.size() + 1,
              rule,
              rule.name(),
              sentences.of(rule),
              example(host, rule, traces)));
    }
    statements.add(
        new Statement(
            statements.size() + 1,
            filter,
            "",
            "Default: " + filter.otherwiseText() + ".",
            example(host, filter, traces)));
    return new Explanation.Section(
        Explanation.Part.FILTER,
        "Filter of " + host.name() + " itself (first match wins)",
        "",
        statements);
  }

  private static Statement.@Nullable Example example(Host host, Placed thing, List<Trace> traces) {
    Statement.Example first = null;
    for (Trace trace : traces) {
      for (Leg leg : trace.request()) {
        for (Decision decision : leg.decisions()) {
          if (leg.where().equals(host.name()) && thing.equals(decision.by())) {
            Statement.Example example = new Statement.Example(trace, decision);
            if (trace.outcome() == Outcome.ANSWERED) {
              return example;
            }
            first = first == null ? example : first;
          }
        }
      }
    }
    return first;
  }

  /** What somebody asks for, and where. */
  private record Wish(Address to, Probe probe) {}

  /** What the hosts of the site meet that ask for what the host offers. */
  private static List<Trace> traces(Tracer tracer, Host host, AccessList filter) {
    List<Trace> traces = new ArrayList<>();
    Site site = tracer.site();
    for (Wish wish : wishes(site, host, filter)) {
      for (Host sender : site.hosts().values()) {
        Address from = sender.address(wish.to.family());
        boolean other = !sender.off() && !sender.name().equals(host.name());
        if (from != null && other && traces.size() < MOST_TRIED) {
          traces.add(
              tracer.trace(
                  new Question(
                      sender,
                      from,
                      wish.to,
                      wish.probe,
                      Question.DEFAULT_SOURCE_PORT,
                      VirtualClock.start(site.timeZone()))));
        }
      }
    }
    return traces;
  }

  /** Its own addresses, and what rules of the devices lead on. */
  private static Set<Wish> wishes(Site site, Host host, AccessList filter) {
    Set<Wish> wishes = new LinkedHashSet<>();
    List<ServiceTerm> asked = new ArrayList<>(host.listens());
    filter.rules().forEach(rule -> asked.addAll(rule.services()));
    for (Address own : host.addresses()) {
      probes(asked, own).forEach(probe -> wishes.add(new Wish(own, probe)));
    }
    for (Device device : site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        Prefix block = rule.block();
        if (block != null) {
          probes(rule.services(), block.first())
              .forEach(probe -> wishes.add(new Wish(block.first(), probe)));
        }
      }
    }
    return wishes;
  }

  /** One for each service, and a ping. */
  private static Set<Probe> probes(List<ServiceTerm> asked, Address to) {
    Set<Probe> probes = new LinkedHashSet<>();
    asked.forEach(term -> probes.add(Probe.of(term.service().parts().get(0), to.family())));
    probes.add(Probe.ping(to.family()));
    return probes;
  }
}
