// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.time.Duration;
import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressCounts;
import org.eskerfield.reach.Fates;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Trace;

/**
 * The flows of some traffic whose fate differs between two sites that it was sent through, each
 * with the state that the earlier flows left there. Flows that change in the same way, from one
 * receiver to another, by the same rules, are counted together.
 *
 * <p>Not safe for use by several threads.
 */
public final class ChangedFlows {
  /**
   * Flows that change in the same way.
   *
   * @param kind the gravest change
   * @param flows the number of flows
   * @param first when the first one came, since the start of the traffic
   * @param last when the last one came
   * @param senders the number of flows by source address as sent, the most first
   * @param before the path of the first one on the old site
   * @param after its path on the new site
   * @param rulesBefore the rules and lists that decided on the old site, each with its device
   * @param rulesAfter those that decide on the new site
   */
  public record Change(
      ChangedFate.Kind kind,
      long flows,
      Duration first,
      Duration last,
      Map<Address, Long> senders,
      Trace before,
      Trace after,
      List<String> rulesBefore,
      List<String> rulesAfter) {
    /** Copies the lists. */
    public Change {
      senders = Collections.unmodifiableMap(new LinkedHashMap<>(senders));
      rulesBefore = List.copyOf(rulesBefore);
      rulesAfter = List.copyOf(rulesAfter);
    }
  }

  /** What flows that are counted together have in common. */
  private record Alike(
      ChangedFate.Kind kind,
      Outcome before,
      Outcome after,
      String then,
      String now,
      List<String> rulesBefore,
      List<String> rulesAfter) {}

  private static final class Count {
    private final Duration first;
    private final Trace before;
    private final Trace after;
    private final AddressCounts senders = new AddressCounts();
    private Duration last;
    private long flows;

    Count(Duration first, Trace before, Trace after) {
      this.first = first;
      this.last = first;
      this.before = before;
      this.after = after;
    }
  }

  private final Map<Alike, Count> counts = new LinkedHashMap<>();
  private long flows;

  /** Has compared nothing yet. */
  public ChangedFlows() {}

  /**
   * Compares a flow.
   *
   * @param at when it came, since the start of the traffic
   * @param before its first packet on the old site
   * @param after the same on the new site
   */
  public void add(Duration at, Trace before, Trace after) {
    flows++;
    List<String> rulesBefore = Fates.rules(before);
    List<String> rulesAfter = Fates.rules(after);
    ChangedFate.Kind kind = ChangedFate.kind(before, after);
    if (kind == ChangedFate.Kind.OTHER_WAY && rulesBefore.equals(rulesAfter)) {
      return;
    }
    Alike alike =
        new Alike(
            kind,
            before.outcome(),
            after.outcome(),
            receiver(before),
            receiver(after),
            rulesBefore,
            rulesAfter);
    Count count = counts.computeIfAbsent(alike, key -> new Count(at, before, after));
    count.flows++;
    count.last = at;
    count.senders.add(before.question().source());
  }

  /** Who got it, if the file names him: those without a name are counted together. */
  private static String receiver(Trace trace) {
    Endpoint to = trace.deliveredTo();
    return to == null || to.name() == null ? "" : to.name() + ' ' + to.port();
  }

  /** How many flows were compared. */
  public long flows() {
    return flows;
  }

  /** How many of them change. */
  public long changed() {
    return counts.values().stream().mapToLong(count -> count.flows).sum();
  }

  /** The changes, the gravest first, of one kind those with most flows first. */
  public List<Change> changes() {
    List<Change> changes = new ArrayList<>();
    counts.forEach(
        (alike, count) ->
            changes.add(
                new Change(
                    alike.kind(),
                    count.flows,
                    count.first,
                    count.last,
                    count.senders.sorted(),
                    count.before,
                    count.after,
                    alike.rulesBefore(),
                    alike.rulesAfter())));
    changes.sort(
        Comparator.comparing(Change::kind)
            .thenComparing(Comparator.comparing(Change::flows).reversed())
            .thenComparing(Change::first));
    return changes;
  }

  /** Whether some flow ends otherwise, rather than by other rules only. */
  public boolean endsOtherwise() {
    return counts.keySet().stream().anyMatch(each -> each.kind() != ChangedFate.Kind.OTHER_WAY);
  }
}
