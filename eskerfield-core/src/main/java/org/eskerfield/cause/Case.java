// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Function;
import java.util.function.Predicate;
import org.eskerfield.change.Change;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.NearMiss;
import org.eskerfield.trace.Segment;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** A conversation that failed, where it ended, and what its judges have in common. */
class Case {
  /**
   * What was found.
   *
   * @param obstacle the obstacle
   * @param mended the site as if it were away, to look further where no cure is known; null where
   *     that cannot be guessed
   * @param solved whether it was tried that nothing else stands in the way, though no change of the
   *     site shows that: another address was asked for
   */
  record Verdict(Obstacle obstacle, @Nullable Site mended, boolean solved) {
    Verdict(Obstacle obstacle, @Nullable Site mended) {
      this(obstacle, mended, false);
    }

    /** The same where it was tried that nothing else stands in the way. */
    Verdict alone() {
      return new Verdict(obstacle, mended, true);
    }
  }

  final Site site;
  final Conversation conversation;
  final Attempt attempt;
  final Function<Site, Conversation> rehearsal;
  final Predicate<Conversation> goal;

  // Where it ended.
  List<Leg> legs = List.of();
  boolean onTheWayBack;
  @Nullable Decision end;
  String sentence = "";

  Case(
      Site site,
      Conversation conversation,
      Function<Site, Conversation> rehearsal,
      Predicate<Conversation> goal) {
    this.site = site;
    this.conversation = conversation;
    this.attempt = conversation.attempt();
    this.rehearsal = rehearsal;
    this.goal = goal;
  }

  Case(Case other) {
    this(other.site, other.conversation, other.rehearsal, other.goal);
    legs = other.legs;
    onTheWayBack = other.onTheWayBack;
    end = other.end;
    sentence = other.sentence;
  }

  /** Finds the decision that ended it. */
  void find(Trace trace) {
    onTheWayBack = Leg.last(trace.request()).ruling().ends() == null && !trace.reply().isEmpty();
    legs = onTheWayBack ? trace.reply() : trace.request();
    if (trace.outcome() == Outcome.ANSWERED) { // a later packet was lost
      for (Segment segment : conversation.segments()) {
        if (!segment.delivered()) {
          legs = segment.legs();
          onTheWayBack = segment.isReply();
        }
      }
    }
    end = legs.isEmpty() ? null : Leg.last(legs);
  }

  Verdict verdict(Cause cause, String detail, @Nullable Placed place, @Nullable Site mended) {
    return verdict(cause, detail, place, null, mended);
  }

  private Verdict verdict(
      Cause cause,
      String detail,
      @Nullable Placed place,
      @Nullable Placed other,
      @Nullable Site mended) {
    NearMiss near = end == null ? null : end.near();
    Cure none = Cure.byHand("");
    return new Verdict(
        new Obstacle(cause, sentence, detail, place, other, near, conversation, none).byHand(),
        mended);
  }

  /** The same, where another object has to do with it. */
  Verdict verdictWith(Placed other, Cause cause, String detail, Placed place) {
    return verdict(cause, detail, place, other, null);
  }

  Verdict verdict(Cause cause, String detail, @Nullable Placed place) {
    return verdict(cause, detail, place, null);
  }

  Verdict verdict(Cause cause, Decision end) {
    return verdict(cause, "", end.by(), null);
  }

  Verdict verdict(Cause cause, Decision end, @Nullable Site mended) {
    return verdict(cause, "", end.by(), mended);
  }

  boolean succeedsOn(Site changed) {
    return goal.test(rehearsal.apply(changed));
  }

  /** The site with one thing changed. */
  Site on(Change change) {
    return Changes.on(site, List.of(change));
  }

  @Nullable Site routed(@Nullable Device device, Address to) {
    Change route = device == null ? null : Mends.routed(site, device, to);
    return route == null ? null : on(route);
  }

  /** As if every device had the shortest way to an address of the site. */
  @Nullable Site routedEverywhere(Address to) {
    if (site.networkOf(to) == null) {
      return null; // whoever leads it in circles leads it nowhere that is known
    }
    List<Change> routes = new ArrayList<>();
    for (Device device : site.devices().values()) {
      Change route = Mends.routed(site, device, to);
      if (route != null) {
        routes.add(route);
      }
    }
    return routes.isEmpty() ? null : Changes.on(site, routes);
  }

  @Nullable Device lastDevice() {
    Device last = null;
    for (Leg leg : legs) {
      last = leg.kind() == Leg.Kind.DEVICE ? site.devices().get(leg.where()) : last;
    }
    return last;
  }

  /** The rule that changed the destination last. */
  @Nullable Placed translatedBy() {
    Placed by = null;
    for (Leg leg : legs) {
      for (Decision decision : leg.decisions()) {
        by = decision.ruling() == Ruling.DESTINATION_TRANSLATED ? decision.by() : by;
      }
    }
    return by;
  }

  /** The only host that listens on the port of a packet; null if there is none or several. */
  static @Nullable Host listener(Site site, Header header) {
    Host found = null;
    for (Host host : site.hosts().values()) {
      if (!host.isOutside() && listens(host, header)) {
        if (found != null) {
          return null;
        }
        found = host;
      }
    }
    return found;
  }

  static boolean listens(Host host, Header header) {
    return host.listensFor(
        header.protocol(), header.destinationPort(), header.icmpType(), header.icmpCode());
  }

  static boolean covers(List<ServiceTerm> services, Header header) {
    return ServiceTerm.anyCovers(
        services,
        header.protocol(),
        header.destinationPort(),
        header.icmpType(),
        header.icmpCode());
  }

  /** What the lists of a device see: the destination after it is translated, or before. */
  static Header seenByLists(Device device, Leg leg, Decision end) {
    return device.seesOriginal() ? leg.decisions().get(0).before() : end.after();
  }

  /** Where the route of a device leads, whether or not the packet left; null without a route. */
  static @Nullable Interface leaving(Leg leg) {
    for (Decision decision : leg.decisions()) {
      if (decision.ruling() == Ruling.ROUTED) {
        return decision.by() instanceof Route route ? route.leaving() : (Interface) decision.by();
      }
    }
    return null;
  }

  static @Nullable AccessList listOf(Device device, @Nullable Placed by) {
    for (AccessList list : device.access()) {
      if (list.equals(by) || (by instanceof AccessRule rule && list.rules().contains(rule))) {
        return list;
      }
    }
    return null;
  }

  Verdict judgeDown(Decision end) {
    Site mended = end.by() instanceof Interface own ? on(Mends.up(own)) : null;
    return verdict(Cause.INTERFACE_DOWN, end, mended);
  }
}
