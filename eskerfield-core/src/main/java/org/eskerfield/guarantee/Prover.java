// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Site;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * Proves guarantees of a site, or finds the packet that breaks them.
 *
 * <p>What must never arrive is followed backwards over all ways that any state of the devices may
 * open ({@link Ways}): if nothing is left, it holds; if something is, packets of it are sent until
 * one breaks the guarantee. What must always arrive is traced, one packet of each kind. So neither
 * answer is taken from samples, and no packet is shown that was not sent.
 *
 * <p>Not safe for use by several threads.
 */
public final class Prover {
  /** How many rules are compiled anew, all in all, to find cures. */
  private static final int MOST_TRIED = 12_000;

  private static final int LEAST_TRIALS = 2;

  /** For how many guarantees cures are looked for. */
  private static final int MOST_CURED = 5;

  private final Tracer tracer;
  private final Proving on;
  private @Nullable Proving unlogged;

  /** How many more proofs on changed sites may be made to find cures. */
  private int trials;

  private int cured;

  /** A prover for the site of a tracer; all guarantees share what is worked out. */
  public Prover(Tracer tracer) {
    this.tracer = tracer;
    this.on = new Proving(tracer, tracer.program());
    this.trials = Math.max(LEAST_TRIALS, MOST_TRIED / Math.max(1, rules(tracer.site())));
  }

  /** Whether a site has all that a guarantee names. */
  public static boolean speaksOf(Guarantee guarantee, Site site) {
    List<AddressTerm> terms = new ArrayList<>(guarantee.from());
    terms.addAll(guarantee.to());
    terms.addAll(guarantee.sources());
    for (Guarantee.Exempt each : guarantee.except()) {
      terms.addAll(each.from());
      terms.addAll(each.to());
    }
    Guarantee.Exit exit = guarantee.leaving();
    Device device = exit == null ? null : site.devices().get(exit.device());
    boolean leaves =
        exit == null
            || (device != null
                && device.interfaces().stream().anyMatch(own -> own.name().equals(exit.own())));
    String through = guarantee.through();
    return leaves
        && (through == null || site.devices().containsKey(through))
        && terms.stream().allMatch(term -> isOn(term, site));
  }

  private static boolean isOn(AddressTerm term, Site site) {
    String name = term.text();
    return switch (term.kind()) {
      case ANY, LITERAL, SELF -> true;
      case ZONE -> site.zones().contains(name) || name.equals(Site.INTERNET);
      case NETWORK -> site.networks().containsKey(name);
      case HOST -> site.hosts().containsKey(name);
      case GROUP -> site.groups().containsKey(name);
      case DEVICE -> site.devices().containsKey(name);
    };
  }

  /** Proves guarantees, in their order. */
  public List<Proof> prove(List<Guarantee> guarantees) {
    return guarantees.stream().map(this::prove).toList();
  }

  /** Proves one guarantee, and that it holds with all that it must outlast. */
  public Proof prove(Guarantee guarantee) {
    Proof proof = asItIs(guarantee);
    if (!proof.holds()) {
      return proof;
    }
    int tried = 0;
    for (Variant each : Variant.of(tracer.site(), guarantee)) {
      Proof other = new Prover(tracer.on(each.site())).asItIs(guarantee);
      tried++;
      if (!other.holds()) {
        return new Proof(
            guarantee,
            other.status(),
            "with " + each.what() + ": " + other.reason(),
            other.example(),
            other.packets(),
            other.assumptions());
      }
    }
    return tried == 0
        ? proof
        : new Proof(
            guarantee,
            proof.status(),
            proof.reason()
                + "; the same with each of "
                + tried
                + " links down or addresses assigned",
            null,
            List.of(),
            proof.assumptions());
  }

  private Proof asItIs(Guarantee guarantee) {
    Proving with = guarantee.kind() == Guarantee.Kind.LOGGED ? unlogged() : on;
    try {
      return with.bounded(
          () ->
              switch (guarantee.kind()) {
                case NEVER, ONLY, PASSES, LOGGED -> new Prohibition(with, guarantee).prove();
                case ALWAYS -> new Assurance(with, guarantee).prove();
                case SEEN_AS -> new Disguise(with, guarantee).prove();
              });
    } catch (UndeterminedException | Assurance.TooManyKinds e) {
      return new Proof(
          guarantee,
          Proof.Status.UNDETERMINED,
          "a limit was reached: " + e.getMessage(),
          null,
          List.of(),
          List.of());
    }
  }

  /**
   * The lines on which the answer about a guarantee rests: those that let through the packet which
   * breaks it, or those without which it would not hold. Sends packets again, and so takes as long
   * as the proof.
   */
  public Evidence evidence(Proof proof) {
    Guarantee guarantee = proof.guarantee();
    Proof.Example example = proof.example();
    if (example != null) {
      return new Evidence(
          BrokenWords.deciding(example.trace().request()).stream()
              .map(BrokenWords.Deciding::line)
              .distinct()
              .toList(),
          true);
    }
    if (!proof.holds()) {
      return new Evidence(List.of(), true);
    }
    Grounds grounds = new Grounds(on, guarantee);
    try {
      return on.bounded(
          () ->
              switch (guarantee.kind()) {
                case NEVER, ONLY, PASSES, LOGGED -> grounds.stopping();
                case SEEN_AS ->
                    grounds.disguising(new Disguise(on, guarantee), new Meant(on, guarantee));
                case ALWAYS -> letting(new Assurance(on, guarantee));
              });
    } catch (UndeterminedException e) {
      return new Evidence(List.of(), false);
    }
  }

  /** Hears of cures. */
  public interface Cures {
    /**
     * Hears of a cure.
     *
     * @param cured the prover of the site with the cure
     * @return whether the next one is wanted
     */
    boolean hears(Cure cure, Prover cured);
  }

  /**
   * Finds changes of the site after each of which a guarantee holds that does not: it was proved on
   * the changed site. What else they do was not looked at. Those that ask for least come first. All
   * guarantees of one prover share a number of trials, which is smaller on large sites.
   *
   * @return whether every candidate was tried
   */
  public boolean cures(Proof proof, Cures listener) {
    if (proof.example() == null) {
      return true;
    }
    if (cured++ >= MOST_CURED) {
      return false;
    }
    Remedies remedies = new Remedies(tracer, proof.guarantee(), listener, trials);
    remedies.find(proof);
    trials = remedies.left();
    return trials > 0;
  }

  private static int rules(Site site) {
    int count = 0;
    for (Device device : site.devices().values()) {
      count += device.translation().size();
      for (AccessList list : device.access()) {
        count += list.rules().size();
      }
    }
    return count;
  }

  /** The site. */
  public Site site() {
    return tracer.site();
  }

  /**
   * The packets that a guarantee forbids, as they are put in at any interface of this site: all
   * that get to a receiver in some state.
   *
   * @param space a space that has the interfaces of this site first
   */
  public PacketSet forbidden(Guarantee guarantee, PacketSpace space) {
    Proving there = new Proving(tracer, tracer.program(), space);
    Meant meant = new Meant(there, guarantee);
    PacketSet all = space.none();
    for (Ways.Entry each : there.ways().entries()) {
      all = all.union(meant.breaking(each, true));
    }
    return all;
  }

  private static Evidence letting(Assurance assurance) {
    assurance.prove();
    return assurance.letting();
  }

  private Proving unlogged() {
    if (unlogged == null) {
      unlogged = new Proving(tracer, tracer.on(Unlogged.of(tracer.site())).program());
    }
    return unlogged;
  }
}
