// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.cause.Astray;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Change;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.program.CompiledList;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Labels;
import org.eskerfield.walk.EveryPacket;
import org.eskerfield.walk.EveryPacket.Approach;
import org.jspecify.annotations.Nullable;

/**
 * Rules and services that no packet of anybody ever gets to.
 *
 * <p>Idea: what everybody can send, inside and on the internet, spreads over the whole site ({@link
 * Spread}). A rule that takes nothing of what arrives at its device is for nobody, whatever it
 * says. Where another finding is about the rule already, that one says why.
 */
final class Unmet {
  /** How many intervals the packets of the whole site may take. */
  private static final int MOST_INTERVALS = 4_000_000;

  private static final int MOST_DIAGNOSES = 20;

  private final Inspection check;
  private final Inspection said;

  Unmet(Inspection check) {
    this(check, check);
  }

  private Unmet(Inspection check, Inspection said) {
    this.check = check;
    this.said = said;
  }

  /** Looks at the site as it is once the errors found so far are mended. */
  void inspect() {
    Site site = check.site;
    int diagnoses = 0;
    for (Finding finding : check.findings()) {
      if (Inspection.stops(finding)) {
        Attempt attempt = finding.sample() == null ? null : finding.sample().attempt();
        site =
            attempt != null && attempt.isOn(site) && diagnoses++ < MOST_DIAGNOSES
                ? answering(site, attempt.on(site))
                : mended(site, finding.cure().assumed());
      }
    }
    Unmet mended =
        check.consequences || site.equals(check.site)
            ? this
            : new Unmet(new Inspection(site), said);
    mended.look();
  }

  /** The site with all that keeps an attempt from being answered mended, as it stands by now. */
  private Site answering(Site site, Attempt attempt) {
    for (Obstacle obstacle : Diagnosis.of(check.tracer.on(site), attempt).obstacles()) {
      site = mended(site, obstacle.cure().assumed());
    }
    return site;
  }

  private static Site mended(Site site, List<Change> changes) {
    try {
      return Changes.on(site, changes);
    } catch (IllegalArgumentException e) {
      return site; // another cure has changed the same thing: what is left of it shows afterwards
    }
  }

  private void look() {
    Spread all = everybody();
    if (all == null) {
      return;
    }
    for (Device device : check.site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        if (!rule.disabled() && isUp(rule.facing().interfaces()) && !isMet(device, rule, all)) {
          unmet(device, rule);
        }
      }
      for (CompiledList list : check.sets(device).program().lists()) {
        for (CompiledList.Entry entry : list.entries()) {
          if (entry.rule().action() == Action.ACCEPT
              && !list.list().guards().isEmpty()
              && !said.hasAny(list.list())
              && !list.list().stateless()
              && !isMet(device, list, entry, all)) {
            unmet(device, list, entry, all);
          }
        }
      }
      for (OwnService own : device.services()) {
        if (!isMet(device, own, all)) {
          unmet(device, own);
        }
      }
    }
  }

  /** What all senders can send, led through the site; null where that is too much. */
  private @Nullable Spread everybody() {
    Spread spread = new Spread(check, /* beyond= */ true);
    AddressSet carried = Inspection.CARRIED;
    check.space.allow(MOST_INTERVALS);
    try {
      for (Network network : check.site.networks().values()) {
        AddressSet own = AddressSet.ofPrefixes(network.prefixes());
        PacketSet sent =
            network.isOutside()
                ? check.space.sources(own.union(carried)).intersection(brought(network))
                : check.space.sources(own);
        spread.from(network, sent);
      }
      return spread;
    } catch (UndeterminedException e) {
      return null;
    } finally {
      check.space.allow(Integer.MAX_VALUE);
    }
  }

  /** What is carried to a link: what its addresses are, and the blocks that are routed over it. */
  private PacketSet brought(Network link) {
    List<Prefix> blocks = new ArrayList<>(link.prefixes());
    link.routed().forEach(block -> blocks.add(block.to()));
    return check.space.destinations(Inspection.CARRIED.union(AddressSet.ofPrefixes(blocks)));
  }

  private static boolean isUp(List<Interface> interfaces) {
    return interfaces.stream().anyMatch(Interface::isUp);
  }

  private boolean isMet(Device device, InwardRule rule, Spread all) {
    for (Interface arriving : device.interfaces()) {
      check.passages(device, arriving);
      PacketSet takes = check.sets(device).takes(arriving, rule).arrived();
      if (takes.meets(all.arrived(device, arriving))) {
        return true;
      }
    }
    return false;
  }

  private boolean isMet(Device device, CompiledList list, CompiledList.Entry entry, Spread all) {
    EveryPacket sets = check.sets(device);
    PacketSet takes = check.decided(entry, sets.meaning().of(entry.match()));
    boolean up = false;
    for (Interface arriving : device.interfaces()) {
      check.passages(device, arriving);
      for (Approach approach : sets.approaches(arriving, takes)) {
        if (approach.isGuardedBy(list)
            && approach.arrivedAs(takes).meets(all.arrived(device, arriving))) {
          return true;
        }
      }
      up |= arriving.isUp();
    }
    return !up || !takes.meets(sets.meaning().opening());
  }

  private boolean isMet(Device device, OwnService own, Spread all) {
    PacketSet serves = check.sets(device).meaning().serving(own);
    for (Interface arriving : device.interfaces()) {
      for (EveryPacket.Passage passage : check.passages(device, arriving)) {
        if (passage.leaving() == null
            && passage.arrivedAs(serves).meets(all.arrived(device, arriving))) {
          return true;
        }
      }
    }
    return false;
  }

  /** A rule that nothing comes to; maybe since what it is for ends at the device itself. */
  private void unmet(Device device, CompiledList list, CompiledList.Entry entry, Spread all) {
    if (isPutRight(device, list.list(), entry.rule())) {
      return;
    }
    PacketSet takes = check.sets(device).meaning().of(entry.match());
    boolean forDevice = false;
    for (Interface arriving : device.interfaces()) {
      for (Approach approach : check.sets(device).approaches(arriving, takes)) {
        forDevice |=
            approach.leaving() == null
                && approach.arrivedAs(takes).meets(all.arrived(device, arriving));
      }
    }
    if (!forDevice || said.hasAny(entry.rule())) {
      unmet(device, entry.rule());
      return;
    }
    said.add(
        Code.NEVER_MET,
        entry.rule(),
        Labels.of(entry.rule())
            + " matches only packets for "
            + device.name()
            + " itself, and "
            + Labels.of(list.list())
            + " filters only what passes through "
            + device.name(),
        null,
        Cure.byHand(
            "write the rule in a list that guards 'to: device'; or take it away, since the own services"
                + " say by themselves from whom they are reached"));
  }

  /**
   * Says so where packets come to the rule once its list guards the one way that fits its rules.
   */
  private boolean isPutRight(Device device, AccessList list, AccessRule rule) {
    Astray astray = new Astray(check.site, device);
    AccessList there = astray.is(list) ? astray.putRight(list) : null;
    if (there == null || said.hasAny(rule)) {
      return false;
    }
    Cure cure = Astray.cure(list, there);
    Unmet then = new Unmet(new Inspection(mended(check.site, cure.changes())), said);
    Spread all = then.everybody();
    Device now = then.check.site.devices().get(device.name());
    if (all == null || now == null) {
      return false;
    }
    for (CompiledList each : then.check.sets(now).program().lists()) {
      for (CompiledList.Entry entry : each.entries()) {
        if (entry.rule().place().equals(rule.place()) && !then.isMet(now, each, entry, all)) {
          return false;
        }
      }
    }
    said.add(
        Code.WRONG_INTERFACE,
        list,
        Labels.of(list)
            + " of "
            + device.name()
            + " guards "
            + Astray.ways(list)
            + ", where nothing comes that its rules are for",
        null,
        cure);
    return true;
  }

  private void unmet(Device device, Placed thing) {
    if (said.hasAny(thing) || thing.place().equals(Place.IN_CODE)) {
      return;
    }
    said.add(
        Code.NEVER_MET,
        thing,
        "no packet that any host can send reaches "
            + Labels.of(thing)
            + " of "
            + device.name()
            + ": its packets arrive elsewhere, are sent by nobody, or are decided before",
        null,
        Cure.byHand(
            "bring its packets here: by a route, by a rule of the device before it, or by the interface"
                + " that it names; or take it away"));
  }
}
