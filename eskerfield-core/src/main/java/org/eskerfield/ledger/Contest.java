// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.ledger;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Outside;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * Ports that several claim, and who of them gets what outsiders send: one packet of somebody whom
 * the loser is for, to the first port that both claim, is led through the site.
 *
 * @param loser the holder that never gets the packets
 * @param winner the holder that gets them first
 */
public record Contest(Holding loser, Holding winner) {
  /** Those about one address, in the order of its holders; empty where no two claim a port. */
  public static List<Contest> at(Site site, Address address, List<Holding> holders) {
    List<Contest> contests = new ArrayList<>();
    Tracer tracer = null; // made where it is needed
    for (Holding loser : holders) {
      for (Holding winner : holders) {
        Probe probe = loser.equals(winner) ? null : both(loser, winner);
        if (probe == null) {
          continue;
        }
        Contest contest = new Contest(loser, winner);
        Question question = contest.question(site, address, probe);
        tracer = tracer == null ? Tracer.of(site) : tracer;
        if (question != null && contest.isDecidedBy(tracer.trace(question))) {
          contests.add(contest);
        }
      }
    }
    return List.copyOf(contests);
  }

  /** Who gets what is sent to the ports of a holder before he does; empty for nobody. */
  public static List<Holding> before(Holding holding, List<Contest> contests) {
    return contests.stream()
        .filter(contest -> contest.loser.equals(holding))
        .map(Contest::winner)
        .toList();
  }

  /** A port that both claim; null if there is none. */
  private static @Nullable Probe both(Holding one, Holding other) {
    List<ServicePart> theirs =
        other.services().isEmpty() && other.kind() == Holding.Kind.STATIC
            ? one.services()
            : other.services();
    for (ServicePart mine : one.services()) {
      for (ServicePart part : theirs) {
        if (mine.overlaps(part) && Protocol.hasPorts(mine.protocol())) {
          return Probe.of(mine.protocol(), Math.max(mine.ports().first(), part.ports().first()));
        }
      }
    }
    return null;
  }

  /** What somebody outside asks whom the loser is for; null where he is for insiders alone. */
  private @Nullable Question question(Site site, Address to, Probe probe) {
    AddressSet senders = Outside.senders(site, to.family());
    InwardRule rule = InwardRule.of(loser.by());
    if (rule != null && !rule.from().isEmpty()) {
      senders = senders.intersection(site.addresses(rule.from()));
    } else if (loser.by() instanceof OwnService own && !own.from().isEmpty()) {
      senders = senders.intersection(site.addresses(own.from()));
    }
    Address source = Outside.somebody(site, senders);
    return source == null
        ? null
        : new Question(
            site.hostOrUnnamed(source),
            source,
            to,
            probe,
            Question.DEFAULT_SOURCE_PORT,
            VirtualClock.start(site.timeZone()));
  }

  /** Whether the winner decides about a packet, and the loser is not asked before. */
  private boolean isDecidedBy(Trace trace) {
    for (Leg leg : trace.request()) {
      for (Decision decision : leg.decisions()) {
        Placed by = decision.by();
        if (by != null && (by.equals(loser.by()) || by.equals(winner.by()))) {
          return by.equals(winner.by());
        }
      }
    }
    return false;
  }
}
