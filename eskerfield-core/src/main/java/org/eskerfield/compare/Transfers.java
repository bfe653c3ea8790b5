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
 * What becomes of a connection after its first packet: file transfers with each kind of data
 * connection ({@link Connections#transfers}), and, where one of two sites says anything of sizes,
 * full segments ({@link Connections#of}) are led on both.
 *
 * @param tried the number of connections traced
 * @param changes connections that open on both sites and then go differently
 */
public record Transfers(int tried, List<Change> changes) {
  /** A connection that opens on both sites, and carries otherwise. */
  public record Change(Attempt attempt, Conversation before, Conversation after) {
    /** Which connection it is: "clerk to 10.44.0.2, 21/tcp, passive". */
    public String connection() {
      String mode = attempt.talk().isTransfer() ? ", " + attempt.manner().mode() : "";
      return attempt.sender().name() + " to " + attempt.to() + ", " + attempt.probe() + mode;
    }
  }

  /** Copies the list. */
  public Transfers {
    changes = List.copyOf(changes);
  }

  static Transfers between(Tracer old, Tracer now) {
    Site before = old.site();
    Site after = now.site();
    Set<Attempt> attempts = new LinkedHashSet<>();
    if (SiteProgram.saysSizes(before) || SiteProgram.saysSizes(after)) {
      attempts.addAll(Connections.of(after));
      Connections.of(before).forEach(each -> attempts.add(on(each, after)));
    }
    attempts.addAll(Connections.transfers(after));
    Connections.transfers(before).forEach(each -> attempts.add(on(each, after)));
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

  private static Attempt on(Attempt attempt, Site site) {
    return attempt.isOn(site) ? attempt.on(site) : attempt;
  }

  private static boolean isOpen(Conversation conversation) {
    Trace opening = conversation.opening();
    return opening != null && opening.outcome() == Outcome.ANSWERED;
  }
}
