// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.Site;
import org.eskerfield.offer.Plan.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Tracer;

/**
 * Those inside who may use an offer together with others outside. The way of the others is not
 * theirs, so no rule on it may name them: it is tried whether they reach the host as it is.
 */
final class NamedInsiders {
  private final Site site;
  private final Wish wish;
  private final Address address;
  private final AddressSet hairpinning;

  NamedInsiders(Site site, Wish wish, Address address) {
    this.site = site;
    this.wish = wish;
    this.address = address;
    this.hairpinning = hairpinning();
  }

  /**
   * The wish for those outside alone.
   *
   * @param steps gets what insiders have already
   * @throws RefusedChangeException if one of them does not reach the host
   */
  Wish apart(List<Step> steps) throws RefusedChangeException {
    AddressSet outside = Outside.senders(site, wish.family());
    List<AddressTerm> kept = new ArrayList<>();
    for (AddressTerm term : wish.from()) {
      AddressSet all = site.addresses(List.of(term)).intersection(AddressSet.all(wish.family()));
      AddressSet inside = all.intersection(outside.complement());
      boolean any = term.kind() == AddressTerm.Kind.ANY;
      boolean others = !inside.intersection(hairpinning.complement()).isEmpty();
      if (any || all.intersects(outside) || !others) {
        kept.add(term);
      }
      if (!any && others) {
        reaching(inside.intersection(hairpinning.complement()), term);
        steps.add(
            new Step(
                "",
                term.text() + " reaches " + wish.host().name() + " at " + address + " already",
                "",
                null));
      }
    }
    return wish.withFrom(kept);
  }

  private void reaching(AddressSet inside, AddressTerm term) throws RefusedChangeException {
    Set<Host> senders = new LinkedHashSet<>();
    for (Host host : site.hosts().values()) {
      Address own = host.address(wish.family());
      if (own != null && inside.contains(own) && !host.off() && !host.equals(wish.host())) {
        senders.add(host);
      }
    }
    for (OfferWay way : OfferWay.inner(site, wish.host(), wish.family(), inside)) {
      senders.add(site.hostOrUnnamed(way.sender()));
    }
    for (Host sender : senders) {
      for (ServicePart part : wish.service().parts()) {
        if (!reaches(sender, Probe.of(part, wish.family()))) {
          throw new RefusedChangeException(
              sender.name()
                  + " does not reach "
                  + wish.host().name()
                  + " from inside, and no rule for those outside would let it",
              "leave " + term.text() + " out here, and then offer it apart: --from " + term.text());
        }
      }
    }
  }

  private boolean reaches(Host sender, Probe probe) {
    Attempt attempt = Attempt.at(sender, address, probe, VirtualClock.start(site.timeZone()));
    return Tracer.of(site).converse(attempt).isAnsweredBy(wish.host().name());
  }

  /** Those who shall use the external address. */
  private AddressSet hairpinning() {
    AddressSet all = AddressSet.NONE;
    for (Network network : site.networks().values()) {
      boolean named = wish.hairpin().stream().anyMatch(each -> Wish.names(site, each, network));
      all = named ? all.union(AddressSet.ofPrefixes(network.prefixes())) : all;
    }
    return all;
  }
}
