// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.jspecify.annotations.Nullable;

/** A rule that leads to a host that does not run the service, where another one does. */
final class Elsewhere {
  /** Among more hosts a person has to choose: each one has to be tried. */
  private static final int MOST_CANDIDATES = 24;

  private Elsewhere() {}

  /**
   * The rule that led a request where nobody listens for it, each time with another host that does.
   *
   * @return in the order of the file; empty where no rule did, or somebody listens
   */
  static List<Cure> cures(Site site, Conversation now) {
    Decision last = null;
    for (Leg leg : now.opening() == null ? List.<Leg>of() : now.opening().request()) {
      for (Decision decision : leg.decisions()) {
        last = decision.ruling() == Ruling.DESTINATION_TRANSLATED ? decision : last;
      }
    }
    InwardRule rule = last == null ? null : InwardRule.of(last.by());
    if (last == null || rule == null) {
      return List.of();
    }
    Header led = last.after();
    Host present = site.hostLedTo(rule);
    if (present == null || Case.listens(present, led)) {
      return List.of();
    }
    List<Cure> cures = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      Address inside = host.address(led.destination().family());
      boolean runs = !host.isOutside() && !host.off() && Case.listens(host, led);
      if (inside != null && runs && !rule.isStateless()) {
        cures.add(TranslationCures.redirected(rule, host, inside));
      }
    }
    return cures.size() > MOST_CANDIDATES ? List.of() : cures;
  }

  /** What is to blame where a cure leads a rule to another host; null where it does not. */
  static @Nullable Obstacle blamed(Obstacle obstacle, @Nullable Change only) {
    InwardRule rule = only instanceof Change.Alter alter ? InwardRule.of(alter.object()) : null;
    InwardRule now = only instanceof Change.Alter alter ? InwardRule.of(alter.by()) : null;
    if (rule == null
        || now == null
        || now.internalBlock().equals(rule.internalBlock())
        || obstacle.cause() == Cause.HOST_MOVED) {
      return null;
    }
    return obstacle.at(
        Cause.NOTHING_LISTENS,
        rule,
        Labels.of(rule)
            + " leads to "
            + rule.internal().text()
            + ", which does not offer that; "
            + Objects.requireNonNull(now.internal()).text()
            + " does, and everything else on the way lets it through");
  }
}
