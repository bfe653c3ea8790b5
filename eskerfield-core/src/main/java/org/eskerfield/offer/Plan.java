// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.trace.Probe;
import org.jspecify.annotations.Nullable;

/**
 * A change, and the traces that prove it.
 *
 * @param steps the changes, from the outermost device inwards
 * @param proofs conversations that show that it does what is meant, and nothing else
 * @param from who is meant to notice it
 * @param services what he asks for, at the addresses of the proofs; empty for everything
 * @param denied of what is taken away: who the offer said is not let in, by name; else empty
 */
public record Plan(
    List<Step> steps,
    List<Proof> proofs,
    AddressSet from,
    List<ServicePart> services,
    Set<String> denied) {
  /**
   * A change at one device.
   *
   * @param device its name; empty for what belongs to no device
   * @param what what is done, in one sentence
   * @param where where in the order it goes and why; empty where that does not matter
   * @param change the same as a change of the site; null where nothing has to be done
   */
  public record Step(String device, String what, String where, @Nullable Change change) {}

  /**
   * A conversation whose end is known before it is tried.
   *
   * @param from the host or address that tries
   * @param to the address that it tries
   * @param probe what it tries there
   * @param at when; null for the start of a working day
   * @param by the host that must answer; null where nobody may
   * @param what what it shows, in a few words
   */
  public record Proof(
      String from,
      Address to,
      Probe probe,
      @Nullable ZonedDateTime at,
      @Nullable String by,
      String what) {}

  /** Copies the lists. */
  public Plan {
    steps = List.copyOf(steps);
    proofs = List.copyOf(proofs);
    services = List.copyOf(services);
    denied = Set.copyOf(denied);
  }

  /** The packets, as they are sent, that are meant to end otherwise. */
  public PacketSet meant(PacketSpace space) {
    AddressSet to = AddressSet.ofAddresses(proofs.stream().map(Proof::to).toList());
    PacketSet meant = space.sources(from).intersection(space.destinations(to));
    if (!services.isEmpty()) {
      return meant.intersection(space.union(services.stream().map(space::service).toList()));
    }
    AddressSet whole = AddressSet.NONE; // who gets an address of its own has it both ways
    for (Change change : changes()) {
      InwardRule rule = change instanceof Change.Add add ? InwardRule.of(add.added()) : null;
      whole =
          rule != null && rule.services().isEmpty()
              ? whole.union(AddressSet.ofPrefixes(List.of(rule.internalBlock())))
              : whole;
    }
    return meant.union(space.sources(whole));
  }

  /**
   * The packets that cannot but end otherwise, too: those to inner addresses of rules that come or
   * go, between the devices on the way, and of the host where it is taken away; those of the same
   * senders, and of whom rules let in to the host already, to all addresses that lead there; and
   * what the host sends without ports, where it loses an address of its own.
   *
   * @param site the site as it was
   */
  public PacketSet inherent(PacketSpace space, Site site) {
    AddressSet to = AddressSet.NONE;
    AddressSet led = AddressSet.NONE;
    AddressSet whole = AddressSet.NONE;
    List<ServicePart> inside = new ArrayList<>();
    for (Change change : changes()) {
      boolean goes = change instanceof Change.Remove;
      Placed rule = change instanceof Change.Add add ? add.added() : change.object();
      InwardRule inward = InwardRule.of(rule);
      Prefix block = inward == null ? null : inward.block();
      AddressSet host =
          inward == null ? AddressSet.NONE : AddressSet.ofPrefixes(List.of(inward.internalBlock()));
      inside.addAll(inward == null ? List.of() : Standing.inside(inward));
      to = block == null ? to : to.union(AddressSet.ofPrefixes(List.of(block)));
      to = goes ? to.union(host) : to;
      led = led.union(host);
      whole = inward != null && inward.services().isEmpty() ? whole.union(host) : whole;
    }
    AddressSet outside = AddressSet.ofAddresses(proofs.stream().map(Proof::to).toList());
    ServiceTerm ping = new ServiceTerm(Service.PING, Place.IN_CODE);
    PacketSet portless = space.withPorts().union(space.services(List.of(ping))).complement();
    AddressSet same = outside;
    AddressSet known = from;
    for (Device device : site.devices().values()) {
      for (AccessList list : device.access()) {
        for (AccessRule rule : list.rules()) {
          boolean lets =
              rule.action() == Action.ACCEPT && !rule.disabled() && isForSome(rule, inside);
          if (lets && site.addresses(rule.to()).intersects(led)) {
            known = known.union(site.matched(rule.from()));
          }
        }
      }
      for (InwardRule rule : device.inward()) {
        Prefix block = rule.block();
        if (block != null && led.intersects(AddressSet.ofPrefixes(List.of(rule.internalBlock())))) {
          same = same.union(AddressSet.ofPrefixes(List.of(block)));
        }
      }
    }
    return space
        .destinations(to.intersection(outside.complement()))
        .union(space.sources(known).intersection(space.destinations(same)))
        .union(space.sources(whole).intersection(portless));
  }

  /** Whether a rule is for one of some services; for every service if there are none. */
  private static boolean isForSome(AccessRule rule, List<ServicePart> some) {
    return some.isEmpty()
        || rule.services().isEmpty()
        || rule.services().stream()
            .flatMap(term -> term.service().parts().stream())
            .anyMatch(part -> some.stream().anyMatch(part::overlaps));
  }

  /** This plan and one that was made for the site with this one carried out. */
  public Plan and(Plan other) {
    List<Step> all = new ArrayList<>(steps);
    all.addAll(other.steps);
    List<Proof> proved = new ArrayList<>(proofs);
    proved.addAll(other.proofs);
    List<ServicePart> asked = new ArrayList<>(services);
    asked.addAll(other.services);
    boolean whole = services.isEmpty() || other.services.isEmpty();
    Set<String> out = new HashSet<>(denied);
    out.addAll(other.denied);
    return new Plan(all, proved, from.union(other.from), whole ? List.of() : asked, out);
  }

  /** Whether it changes what is offered already. */
  public boolean isOfStanding() {
    return changes().stream().anyMatch(Change.Alter.class::isInstance);
  }

  /** The changes of all steps, in their order. */
  public List<Change> changes() {
    return steps.stream().map(Step::change).filter(Objects::nonNull).toList();
  }
}
