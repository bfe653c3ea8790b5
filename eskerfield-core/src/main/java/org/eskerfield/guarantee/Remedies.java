// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Change;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Packet;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * Changes after which a guarantee holds that is broken.
 *
 * <p>Idea: the packet that breaks it says by which lines it went. Changes of these are tried
 * ({@link Candidates}): the packet is sent again, and where it does not get through, the guarantee
 * is proved on the changed site. If another packet breaks it there, the same goes on from that one.
 * Cost: a proof for each change that stops the packet.
 */
final class Remedies {
  private static final int MOST_ROUNDS = 4;
  private static final int MOST_PROOFS = 8;
  private static final int MOST_WAYS = 3;

  private final Tracer tracer;
  private final Guarantee guarantee;
  private final Prover.Cures listener;
  private int proofs;
  private int left;

  Remedies(Tracer tracer, Guarantee guarantee, Prover.Cures listener, int left) {
    this.left = left;
    this.tracer = tracer;
    this.guarantee = guarantee;
    this.listener = listener;
  }

  /** How many more proofs may be made for other guarantees. */
  int left() {
    return left;
  }

  /** Tells of changes after which it holds, until no more are wanted or known. */
  void find(Proof broken) {
    boolean found = false;
    Cure done = new Cure("", List.of());
    Proof now = broken;
    for (int round = 0; round < MOST_ROUNDS && !found; round++) {
      Cure next = null;
      Proof then = null;
      for (Cure each : candidates(changed(done), now)) {
        Cure all = both(done, each);
        Site site = changedOrNull(all);
        if (site == null || isStillThere(site, now)) {
          continue;
        }
        if (proofs++ >= MOST_PROOFS || left <= 0) {
          return;
        }
        left--;
        Prover cured = new Prover(tracer.on(site));
        Proof proof = cured.prove(guarantee);
        if (proof.holds()) {
          found = true;
          if (!listener.hears(all, cured)) {
            return;
          }
        } else if (next == null && proof.example() != null) {
          next = all;
          then = proof;
        }
      }
      if (next == null || then == null) {
        return;
      }
      done = next;
      now = then;
    }
  }

  private static Cure both(Cure one, Cure other) {
    List<Change> changes = new ArrayList<>(one.changes());
    changes.addAll(other.changes());
    String first = one.summary();
    return new Cure(first.isEmpty() ? other.summary() : first + "; " + other.summary(), changes);
  }

  private Site changed(Cure cure) {
    return Objects.requireNonNull(changedOrNull(cure));
  }

  private @Nullable Site changedOrNull(Cure cure) {
    try {
      return Changes.on(tracer.site(), cure.changes());
    } catch (IllegalArgumentException e) {
      return null; // it is about something that an earlier change took away
    }
  }

  private List<Cure> candidates(Site site, Proof proof) {
    Proof.Example example = proof.example();
    if (example == null) {
      return List.of();
    }
    return guarantee.kind() == Guarantee.Kind.ALWAYS
        ? opening(site, example)
        : new Candidates(site, guarantee).of(example.trace().request());
  }

  // Whether it helps.

  /** Whether the packet still gets to whom it got, sent again on another site. */
  private boolean isStillThere(Site site, Proof proof) {
    Proof.Example example = proof.example();
    boolean hard =
        switch (guarantee.kind()) {
          case NEVER, ONLY, PASSES -> false;
          case ALWAYS, SEEN_AS, LOGGED -> true;
        };
    if (hard || example == null || !guarantee.also().isEmpty()) {
      return false; // only a proof can tell
    }
    Run run = tracer.on(site).run(example.trace().question().at());
    run.carryAll();
    for (Trace each : example.before()) {
      again(site, run, each);
    }
    Trace trace = again(site, run, example.trace());
    return trace == null || ends(trace).equals(ends(example.trace()));
  }

  private static String ends(Trace trace) {
    List<Leg> legs = trace.request();
    return legs.get(legs.size() - 1).where() + Leg.last(legs).ruling();
  }

  /** Sends a packet once more; null where it is not one that came in by an interface. */
  private static @Nullable Trace again(Site site, Run run, Trace trace) {
    Leg first = trace.request().get(0);
    Device device = site.devices().get(first.where());
    Interface arriving = first.arriving();
    if (device == null || arriving == null) {
      return null;
    }
    for (Interface own : device.interfaces()) {
      if (own.name().equals(arriving.name())) {
        return run.arrive(device, own, Packet.of(first.decisions().get(0).before()));
      }
    }
    return null;
  }

  // What must arrive.

  /** What lets a sender through that is kept away, and all others of the guarantee with him. */
  private List<Cure> opening(Site site, Proof.Example example) {
    Question asked = example.trace().question();
    Attempt attempt = Attempt.at(asked.sender(), asked.to(), asked.probe(), asked.at());
    Diagnosis diagnosis =
        Diagnosis.of(
            site,
            each -> conversation(each, example, attempt),
            conversation -> conversation.outcome() == Outcome.ANSWERED);
    Set<Cure> all = new LinkedHashSet<>();
    for (int other = 0; other < MOST_WAYS; other++) {
      Cure joined = new Cure("", List.of());
      for (Obstacle each : diagnosis.obstacles()) {
        List<Cure> ways = each.cure().all();
        Cure way = ways.get(Math.min(other, ways.size() - 1));
        joined = both(joined, new Cure(way.summary(), way.changes()));
      }
      if (!joined.changes().isEmpty()) {
        all.add(new Cure(joined.summary(), joined.changes().stream().map(this::wider).toList()));
        all.add(joined);
      }
    }
    return List.copyOf(all);
  }

  private Conversation conversation(Site site, Proof.Example example, Attempt attempt) {
    Tracer there = tracer.on(site);
    if (example.before().isEmpty()) {
      return there.converse(attempt.on(site));
    }
    Run run = there.run(attempt.at());
    for (Trace each : example.before()) {
      Question earlier = each.question();
      run.leaveOpen(
          Attempt.at(earlier.sender(), earlier.to(), earlier.probe(), earlier.at()).on(site));
    }
    return run.converse(attempt.on(site));
  }

  /** A rule that lets one sender through, for all whom the guarantee names. */
  private Change wider(Change change) {
    if (change instanceof Change.Add add && add.added() instanceof AccessRule rule) {
      List<AddressTerm> from = guarantee.from().isEmpty() ? rule.from() : guarantee.from();
      List<AddressTerm> to = guarantee.to().isEmpty() ? rule.to() : guarantee.to();
      AccessRule wider =
          rule.withName(guarantee.name())
              .withFrom(from)
              .withTo(to)
              .withServices(guarantee.services());
      return new Change.Add(add.object(), wider, add.before());
    }
    return change;
  }
}
