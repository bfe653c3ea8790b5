// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.function.Consumer;
import java.util.function.Function;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * A rule that rewrites addresses or ports, or keeps them as they are. The rules of a device stand
 * in the order of the file.
 *
 * <p>What rules of several kinds have is asked of the rule. Where it matters which kind a rule is,
 * {@code by} and {@code bySide} take one answer for each: a kind that is forgotten does not
 * compile.
 */
public sealed interface TranslationRule extends Named, Noted
    permits InwardRule, OutwardRule, UntouchedRule {
  /** The word that names the kind in the site file, such as {@code destination}. */
  String kind();

  /** The answer for the kind of this rule. */
  default <R> R by(
      Function<StaticRule, ? extends R> fixed,
      Function<DestinationRule, ? extends R> destination,
      Function<PrefixRule, ? extends R> prefix,
      Function<DynamicRule, ? extends R> dynamic,
      Function<SharedRule, ? extends R> shared,
      Function<UntouchedRule, ? extends R> untouched) {
    return this.<R>bySide(
        inward -> inward.<R>by(fixed, destination, prefix),
        outward -> outward.<R>by(dynamic, shared),
        untouched);
  }

  /** The answer for the side that this rule begins from. */
  <R> R bySide(
      Function<InwardRule, ? extends R> inward,
      Function<OutwardRule, ? extends R> outward,
      Function<UntouchedRule, ? extends R> untouched);

  /** Does what is to be done for the side that this rule begins from. */
  default void choose(
      Consumer<InwardRule> inward,
      Consumer<OutwardRule> outward,
      Consumer<UntouchedRule> untouched) {
    Runnable chosen =
        this.<Runnable>bySide(
            rule -> () -> inward.accept(rule),
            rule -> () -> outward.accept(rule),
            rule -> () -> untouched.accept(rule));
    chosen.run();
  }

  /** This rule, if it leads packets to an external address inside; else null. */
  default @Nullable InwardRule inward() {
    return bySide(rule -> rule, rule -> null, rule -> null);
  }

  /** This rule, if it lends or shares external addresses; else null. */
  default @Nullable OutwardRule outward() {
    return bySide(rule -> null, rule -> rule, rule -> null);
  }

  /** Whose packets; empty for everybody's. */
  List<AddressTerm> from();

  /** To which destinations, if they are not an external address; empty for every one. */
  List<AddressTerm> to();

  /** Where packets arrive that it asks about; null where it does not ask. */
  @Nullable InterfaceTerm facing();

  /** Where packets leave, or by which interface they are to go on; null where routes decide. */
  @Nullable InterfaceTerm leaving();

  /** The external ports; empty for every port and protocol. */
  List<ServiceTerm> services();

  /** The external address or block now; null if it has none, or none of this family. */
  @Nullable Prefix block(Family family);

  /** The addresses that sources are given; null for none, or for the device's own. */
  @Nullable Pool pool();

  /** Which insiders may use the external address, or null for none. */
  @Nullable Hairpin hairpin();

  /** Who is let in with the rule; null where the access rules alone decide. */
  @Nullable Admission admit();

  /** Whether it gives another source to packets that it leads inside. */
  boolean rewritesSources();

  /** How state is kept for the rule's flows; null for the way of the device. */
  @Nullable StateSettings state();

  /** Whether one external endpoint is one internal endpoint for good, in both directions. */
  boolean isBothWays();

  /** Whether it lends each source an external address for itself, every port of it. */
  boolean lends();

  /** Whether the packets that it takes keep their addresses and ports. */
  boolean keepsPackets();

  /** Whether it has its external addresses for itself, every port of them. */
  boolean holdsAddress();

  /** Whether what it takes makes no session because of it: each packet is judged for itself. */
  boolean isStateless();

  /** Whether the rule is kept but does not act. */
  boolean disabled();

  /** The same, and it acts. */
  default TranslationRule enabled() {
    return by(
        fixed -> fixed.withDisabled(false),
        to -> to.withDisabled(false),
        prefix -> prefix.withDisabled(false),
        dynamic -> dynamic.withDisabled(false),
        shared -> shared.withDisabled(false),
        untouched -> untouched.withDisabled(false));
  }
}
