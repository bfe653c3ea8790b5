// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.reach.Connections;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;

/**
 * What becomes of large packets, where one of two sites says anything of sizes: the connections
 * that cross both ({@link Connections}) are led on both, with full segments.
 *
 * @param tried how many connections were led; 0 where neither site says anything of sizes
 * @param changes those that open on both and carry otherwise
 */
public record Transfers(int tried, List<Change> changes) {
  /** A connection that opens on both sites, and carries otherwise. */
  public record Change(Attempt attempt, Conversation before, Conversation after) {}

  /** Copies the list. */
  public Transfers {
    changes = List.copyOf(changes);
  }

  static Transfers between(Site before, Site after) {
    if (!SiteProgram.saysSizes(before) && !SiteProgram.saysSizes(after)) {
      return new Transfers(0, List.of());
    }
    Set<Attempt> attempts = new LinkedHashSet<>(Connections.of(after));
    Connections.of(before).forEach(each -> attempts.add(each.isOn(after) ? each.on(after) : each));
    Tracer old = Tracer.of(before);
    Tracer now = Tracer.of(after);
    List<Change> changes = new ArrayList<>();
    int tried = 0;
    for (Attempt attempt : attempts) {
      if (!attempt.isOn(before) || !attempt.isOn(after)) {
        continue;
      }
      tried++;
      Conversation was = old.converse(attempt.on(before));
      Conversation is = now.converse(attempt.on(after));
      boolean carries =
          was.outcome() == is.outcome() && Objects.equals(was.passedOrUsual(), is.passedOrUsual());
      if (!carries && isOpen(was) && isOpen(is)) {
        changes.add(new Change(attempt, was, is));
      }
    }
    return new Transfers(tried, changes);
  }

  private static boolean isOpen(Conversation conversation) {
    Trace opening = conversation.opening();
    return opening != null && opening.outcome() == Outcome.ANSWERED;
  }
}
