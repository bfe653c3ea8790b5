// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import org.eskerfield.model.InwardRule;
import org.eskerfield.offer.OutwardPath.Hop;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/**
 * An offer over IPv6: the host is reached at an address of its own, or at its counterpart under an
 * external prefix (RFC 6296), so that all there is to do is to let packets in.
 */
final class UntranslatedOffer {
  private final Offer offer;
  private final Wish wish;

  UntranslatedOffer(Offer offer, Wish wish) {
    this.offer = offer;
    this.wish = wish;
  }

  /**
   * Lets packets in on all devices of the way.
   *
   * @return where the host is reached from outside
   */
  Target letIn(OfferWay way, Target target) throws RefusedChangeException {
    Target at = target;
    for (Hop hop : way.hops()) {
      Address outside = external(hop, at.address());
      Target there = outside == null ? at : Target.at(at, outside, at.parts());
      offer.access(hop, at, there, null, null, false);
      at = there;
    }
    possible(at.address(), way.outermost().outer().isOutside());
    return at;
  }

  /** What an address looks like beyond a device; null if it stays. */
  static @Nullable Address external(Hop hop, Address inside) {
    for (InwardRule rule : hop.device().inward()) {
      Prefix block = rule.block(inside.family());
      if (!rule.disabled()
          && rule.isStateless()
          && block != null
          && rule.facing().names(hop.outer())
          && rule.internalBlock().contains(inside)) {
        return rule.externalAddress(inside, block);
      }
    }
    return null;
  }

  private void possible(Address outside, boolean carried) throws RefusedChangeException {
    String host = wish.host().name();
    if (carried && SpecialAddresses.NOT_ON_THE_INTERNET.contains(outside)) {
      throw new RefusedChangeException(
          outside + " is " + SpecialAddresses.kind(outside) + ": nobody outside can reach it",
          "give " + host + " an address of the carrier's, or its device a prefix rule");
    }
    if (wish.external() != null && !wish.external().equals(outside)) {
      throw new RefusedChangeException(
          host
              + " is reached at "
              + outside
              + " over "
              + wish.family()
              + ", not at "
              + wish.external(),
          "leave the address out");
    }
    if (wish.externalPorts() != null
        && !wish.service().parts().stream()
            .allMatch(part -> part.ports().equals(wish.externalPorts()))) {
      throw new RefusedChangeException(
          "over IPv6 no port is translated",
          "leave the port out: it is " + wish.service().name() + " outside, too");
    }
    if (wish.whole()) {
      throw new RefusedChangeException(
          "over IPv6 " + host + " has an address of its own already", "leave --static out");
    }
    if (!wish.hairpin().isEmpty()) {
      throw new RefusedChangeException(
          "over IPv6 insiders use the address that everybody uses",
          "leave --hairpin out, and let an access rule accept them where none does");
    }
  }
}
