// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.Site;
import org.eskerfield.offer.OutwardPath.Hop;
import org.eskerfield.offer.Plan.Proof;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.set.Times;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Probe;
import org.jspecify.annotations.Nullable;

/** The traces that prove an offer on the changed site: who may use it reaches it, others do not. */
final class OfferProofs {
  private final Site site;
  private final Wish wish;
  private final AddressSet from;

  OfferProofs(Site site, Wish wish, AddressSet from) {
    this.site = site;
    this.wish = wish;
    this.from = from;
  }

  List<Proof> of(Target external, OfferWay way) {
    Address outsider = way.sender();
    List<Proof> proofs = new ArrayList<>();
    Address to = external.address();
    ZonedDateTime open = wish.when() == null ? null : moment(/* inside= */ true);
    Set<Probe> all = new LinkedHashSet<>(); // a ping is a part of both families, and one probe
    for (ServicePart part : external.parts()) {
      all.add(Probe.of(part, wish.family()));
    }
    List<Probe> probes = List.copyOf(all);
    String host = wish.host().name();
    for (Probe probe : probes.subList(0, Math.min(4, probes.size()))) {
      proofs.add(
          new Proof(called(outsider), to, probe, open, host, "who may use it reaches " + host));
    }
    Probe probe = probes.get(0);
    Address stranger = stranger(way, to);
    if (stranger != null) {
      proofs.add(new Proof(called(stranger), to, probe, open, null, "others do not"));
    }
    if (wish.when() != null) {
      ZonedDateTime shut = moment(/* inside= */ false);
      if (shut != null) {
        proofs.add(
            new Proof(
                called(outsider), to, probe, shut, null, "not outside " + wish.when().name()));
      }
    }
    for (String insider : wish.hairpin()) {
      String client = insider(insider);
      if (client != null) {
        proofs.add(new Proof(client, to, probe, open, host, "insiders by the external address"));
      }
    }
    return proofs;
  }

  private String called(Address address) {
    return site.hostOrUnnamed(address).name();
  }

  /** Somebody who comes the same way and may not use it; null if everybody may. */
  private @Nullable Address stranger(OfferWay way, Address external) {
    Hop by = way.outermost();
    return OfferWay.stranger(
        site,
        new OfferWay.Meant(wish.host(), wish.family(), from, external),
        by.outer().isOutside(),
        hop -> hop.leaves(by.device(), by.outer()));
  }

  /** A host on the networks of a zone or interface, or an address there; null if there is none. */
  private @Nullable String insider(String where) {
    for (Network network : site.networks().values()) {
      if (!Wish.names(site, where, network)) {
        continue;
      }
      for (Host each : site.hosts().values()) {
        if (each.isOn(network) && !each.off() && !each.name().equals(wish.host().name())) {
          return each.name();
        }
      }
      Address free = network.prefixes().get(0).usable().first();
      while (free != null && (site.deviceAt(free) != null || site.hostAt(free) != null)) {
        free = free.next();
      }
      return free == null || network.prefixOf(free) == null ? null : free.toString();
    }
    return null;
  }

  private @Nullable ZonedDateTime moment(boolean inside) {
    if (wish.when() == null) {
      return null;
    }
    ZonedDateTime usual = VirtualClock.start(site.timeZone());
    List<ZonedDateTime> likely = new ArrayList<>(List.of(usual));
    if (!inside) {
      for (int days : new int[] {6, 5, 0}) { // the weekend, and then the night
        likely.add(usual.plusDays(days).withHour(10));
        likely.add(usual.plusDays(days).withHour(23));
      }
    }
    for (ZonedDateTime moment : likely) {
      if (wish.when().covers(moment) == inside) {
        return moment;
      }
    }
    Times times = new Times(List.of(wish.when()), usual);
    BitSet covered = times.covered(wish.when());
    int number = inside ? covered.nextSetBit(0) : covered.nextClearBit(0);
    return number < 0 || number > 1 ? null : times.moment(number);
  }
}
