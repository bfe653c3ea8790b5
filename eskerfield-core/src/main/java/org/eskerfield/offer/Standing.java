// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.offer.OutwardPath.Hop;
import org.eskerfield.offer.Plan.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.trace.Labels;
import org.jspecify.annotations.Nullable;

/**
 * What is offered already: a rule that leads to the host's service, whoever is let in by it.
 *
 * @param rule a static or destination rule
 * @param external what its packets look like when they come
 */
record Standing(InwardRule rule, Target external) {
  /**
   * The rule of a device that leads to a target; null if there is none.
   *
   * @param wish the external address and ports must be those that it asks for; null if any will do
   */
  static @Nullable Standing of(Hop hop, Target target, @Nullable Wish wish) {
    for (InwardRule rule : hop.device().inward()) {
      Prefix block = rule.block(Family.IPV4);
      boolean there =
          !rule.disabled()
              && rule.facing().names(hop.outer())
              && rule.internalBlock().equals(Prefix.of(target.address()));
      if (!there || block == null || block.length() != Family.IPV4.bits()) {
        continue;
      }
      boolean leads =
          rule.by(
              fixed -> true,
              to -> to.from().isEmpty() && same(inside(to), target.parts()),
              prefix -> false);
      if (!leads) {
        continue;
      }
      List<ServicePart> outside = rule.services().isEmpty() ? target.parts() : parts(rule);
      Target external = Target.at(target, block.first(), outside);
      if (wish == null || isAsked(wish, external, rule)) {
        return new Standing(rule, external);
      }
    }
    return null;
  }

  private static boolean isAsked(Wish wish, Target external, InwardRule rule) {
    Address at = wish.external();
    boolean there = at == null || at.equals(external.address());
    boolean port =
        wish.externalPorts() == null
            || external.parts().stream()
                .allMatch(part -> part.ports().equals(wish.externalPorts()));
    return there && port && (!wish.whole() || rule.services().isEmpty());
  }

  /**
   * Whether the rule itself says whom it lets in.
   *
   * @param otherwise whether one that can say so is to, where it does not yet
   */
  boolean admits(boolean otherwise) {
    return rule.admit() != null
        || (otherwise && rule.by(fixed -> false, to -> true, prefix -> false));
  }

  private static List<ServicePart> parts(InwardRule rule) {
    List<ServicePart> parts = new ArrayList<>();
    rule.services().forEach(term -> parts.addAll(term.service().parts()));
    return parts;
  }

  /** What a rule leads to, as the receiver sees it; empty for everything. */
  static List<ServicePart> inside(InwardRule rule) {
    List<ServicePart> inside = new ArrayList<>();
    for (ServicePart part : parts(rule)) {
      inside.add(
          rule.internalPorts() == null
              ? part
              : new ServicePart(part.protocol(), rule.internalPorts(), part.icmpType()));
    }
    return inside;
  }

  private static boolean same(List<ServicePart> some, List<ServicePart> others) {
    Set<ServicePart> all = new HashSet<>(some);
    return all.equals(new HashSet<>(others));
  }

  /** The rule of a list that lets in what is for one service of one host; null if there is none. */
  static @Nullable AccessRule lettingIn(Site site, AccessList list, Target seen) {
    for (AccessRule rule : list.rules()) {
      List<ServicePart> parts = new ArrayList<>();
      for (ServiceTerm term : rule.services()) {
        parts.addAll(term.service().parts());
      }
      boolean only =
          rule.action() == Action.ACCEPT
              && !rule.disabled()
              && !rule.to().isEmpty()
              && site.addresses(rule.to()).equals(AddressSet.of(seen.address()));
      if (only && same(parts, seen.parts())) {
        return rule;
      }
    }
    return null;
  }

  /** Has a rule that is there admit those who are asked for now, and nobody else. */
  static Step admitting(Site site, Device device, InwardRule rule, Admission asked) {
    Admission now = rule.admit();
    boolean same =
        now != null
            && site.matched(now.from()).equals(site.matched(asked.from()))
            && Objects.equals(now.when(), asked.when());
    return new Step(
        device.name(),
        Labels.of(rule) + (same ? " admits them already" : " admits these, and nobody else"),
        "",
        same ? null : new Change.Alter(rule, rule.admitting(asked)));
  }

  /** Has a rule for this service of the host alone let in those who are asked for now. */
  static Step lettingIn(Site site, Device device, AccessRule own, AccessRule asked) {
    boolean same =
        site.matched(own.from()).equals(site.matched(asked.from()))
            && Objects.equals(own.when(), asked.when());
    return new Step(
        device.name(),
        Labels.of(own) + (same ? " lets them in already" : " lets in these, and nobody else"),
        "",
        same ? null : new Change.Alter(own, own.withFrom(asked.from()).withWhen(asked.when())));
  }
}
