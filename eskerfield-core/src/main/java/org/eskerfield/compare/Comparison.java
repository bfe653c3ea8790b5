// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Policy;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.program.Translations;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Expectation;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.eskerfield.verify.Wanted;

/**
 * The differences between two sites, in text and in effect.
 *
 * @param differences the differences between the files
 * @param changedFates every packet whose fate changes
 * @param expectations expectations whose outcome changes
 * @param guarantees guarantees that hold on one site only, and new ones that do not hold
 * @param appeared findings that the old site did not have
 * @param resolved findings that the new site does not have
 * @param pools pools whose capacity differs
 * @param transfers connections that open on both sites and then go differently
 * @param names names that hosts resolve differently
 * @param moved connections of hosts and devices whose addresses differ
 */
public record Comparison(
    List<Difference> differences,
    ChangedFates changedFates,
    List<ExpectationChange> expectations,
    List<GuaranteeChange> guarantees,
    List<Finding> appeared,
    List<Finding> resolved,
    List<PoolChange> pools,
    Transfers transfers,
    List<NameChange> names,
    MovedEnds moved) {
  /**
   * One of the two sites.
   *
   * @param site the site
   * @param wanted its expectations and guarantees
   * @param policy the severities and acceptances of its file
   */
  public record Side(Site site, Wanted wanted, Policy policy) {}

  /**
   * An expectation that ends otherwise, or was added or taken away and does not hold.
   *
   * @param expectation the expectation, of the new file if that has it
   * @param before how its conversations end on the old site
   * @param after how they end on the new one
   * @param held whether it held on the old site
   * @param holds whether it holds on the new one
   */
  public record ExpectationChange(
      Expectation expectation,
      List<Outcome> before,
      List<Outcome> after,
      boolean held,
      boolean holds) {
    /** Copies the lists. */
    public ExpectationChange {
      before = List.copyOf(before);
      after = List.copyOf(after);
    }
  }

  /**
   * A pool of another size.
   *
   * @param rule the rule and its device
   * @param before the number of addresses it could give out; 0 if there was no such pool
   * @param after the number it can give out now
   */
  public record PoolChange(String rule, long before, long after) {}

  /** Copies the lists. */
  public Comparison {
    differences = List.copyOf(differences);
    expectations = List.copyOf(expectations);
    guarantees = List.copyOf(guarantees);
    appeared = List.copyOf(appeared);
    resolved = List.copyOf(resolved);
    pools = List.copyOf(pools);
    names = List.copyOf(names);
  }

  /**
   * Whether nothing that anybody could notice differs: no end of a packet or connection, no
   * expectation, guarantee, pool or name. That another rule decides alike is nobody's harm.
   */
  public boolean changesNothing() {
    return changedFates.complete()
        && changedFates.uncovered().isEmpty()
        && changedFates.changes().stream()
            .allMatch(each -> each.kind() == ChangedFate.Kind.OTHER_WAY)
        && expectations.isEmpty()
        && guarantees.isEmpty()
        && pools.isEmpty()
        && transfers.changes().isEmpty()
        && names.isEmpty()
        && moved.changes().isEmpty()
        && moved.complete();
  }

  /** The packets whose end anybody notices: all but those that other rules decide alike. */
  public List<ChangedFate> noticed() {
    return changedFates.changes().stream()
        .filter(each -> each.kind() != ChangedFate.Kind.OTHER_WAY)
        .toList();
  }

  /** The packets by which somebody loses what worked: not answered any more, or by another. */
  public List<ChangedFate> losses() {
    return changedFates.losses();
  }

  /** Whether an expectation or guarantee held, and does not any more. */
  public boolean breaks() {
    return expectations.stream().anyMatch(each -> each.held() && !each.holds())
        || guarantees.stream().anyMatch(each -> each.held() && !each.holds());
  }

  /** Compares two sites. */
  public static Comparison of(Side before, Side after, ChangedFates.Progress progress) {
    return of(
        before,
        Checker.open(before.site, before.policy),
        after,
        Checker.open(after.site, after.policy),
        progress);
  }

  /**
   * Compares two sites that were checked already.
   *
   * @param old the open ports of the old site
   * @param now the open ports of the new site
   */
  public static Comparison of(
      Side before,
      List<Finding> old,
      Side after,
      List<Finding> now,
      ChangedFates.Progress progress) {
    Tracer was = Tracer.of(before.site);
    Tracer is = Tracer.of(after.site);
    return new Comparison(
        Differences.between(before.site, after.site),
        ChangedFates.between(before.site, after.site, progress),
        expectations(before, after, new Verifier(was), new Verifier(is)),
        GuaranteeChange.between(was, before.wanted.guarantees(), is, after.wanted.guarantees()),
        Checker.without(now, old),
        Checker.without(old, now),
        pools(was.program(), is.program()),
        Transfers.between(was, is),
        NameChange.between(before.site, after.site),
        MovedEnds.between(was, is));
  }

  static List<ExpectationChange> expectations(Side before, Side after, Verifier old, Verifier now) {
    Map<String, Expectation> all = new LinkedHashMap<>();
    before.wanted.expectations().forEach(each -> all.put(each.text(), each));
    after.wanted.expectations().forEach(each -> all.put(each.text(), each));
    List<ExpectationChange> changes = new ArrayList<>();
    for (Expectation each : all.values()) {
      if (!isOn(each, before.site) || !isOn(each, after.site)) {
        continue; // who is on one of them only cannot be compared
      }
      Verdict was = old.verify(on(each, before.site));
      Verdict is = now.verify(on(each, after.site));
      List<Outcome> then = outcomes(was);
      List<Outcome> today = outcomes(is);
      if (!then.equals(today) || was.holds() != is.holds()) {
        changes.add(new ExpectationChange(each, then, today, was.holds(), is.holds()));
      }
    }
    return changes;
  }

  private static boolean isOn(Expectation expected, Site site) {
    return expected.attempts().stream().allMatch(each -> each.isOn(site))
        && expected.after().stream().allMatch(each -> each.attempt().isOn(site));
  }

  private static Expectation on(Expectation expected, Site site) {
    List<Attempt> attempts = expected.attempts().stream().map(each -> each.on(site)).toList();
    List<Expectation.Earlier> after =
        expected.after().stream()
            .map(each -> new Expectation.Earlier(each.attempt().on(site), each.pause()))
            .toList();
    return new Expectation(
        expected.text(),
        attempts,
        expected.outcome(),
        expected.by(),
        expected.seenAs(),
        expected.rule(),
        after,
        expected.before(),
        expected.note(),
        expected.place());
  }

  private static List<Outcome> outcomes(Verdict verdict) {
    return verdict.results().stream()
        .map(Verdict.Result::conversation)
        .map(Conversation::outcome)
        .toList();
  }

  // Pools.

  private static List<PoolChange> pools(SiteProgram before, SiteProgram after) {
    Map<String, Long> was = capacities(before);
    Map<String, Long> is = capacities(after);
    List<PoolChange> changes = new ArrayList<>();
    Set<String> names = new LinkedHashSet<>(was.keySet());
    names.addAll(is.keySet());
    for (String name : names) {
      long old = Math.abs(was.getOrDefault(name, 0L));
      long now = Math.abs(is.getOrDefault(name, 0L));
      boolean plain = was.getOrDefault(name, -1L) < 0 && is.getOrDefault(name, -1L) < 0;
      if (plain) {
        continue; // neither has a pool
      }
      if (old != now) {
        changes.add(new PoolChange(name, old, now));
      }
    }
    return changes;
  }

  /** How many addresses each rule gives out; -1 for the one of the interface. */
  private static Map<String, Long> capacities(SiteProgram program) {
    Map<String, Long> all = new LinkedHashMap<>();
    for (Device device : program.site().devices().values()) {
      for (Translations.Outbound each : program.device(device.name()).translations.outbound) {
        if (each.rule().outward() != null && each.external() == null) {
          AddressSet pool = each.pool();
          all.put(
              "'" + each.rule().name() + "' of " + device.name(),
              pool == null ? -1L : pool.countIpv4());
        }
      }
    }
    return all;
  }
}
