// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Condition;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.Match;
import org.eskerfield.program.RouteTable;
import org.eskerfield.program.Row;
import org.eskerfield.program.Translations;
import org.eskerfield.state.DeviceState;
import org.jspecify.annotations.Nullable;

/**
 * What a device does to what passes it: the one telling, for one packet and for every packet.
 *
 * <p>Idea: a packet goes through eight numbered steps, one method each, in the order in which they
 * stand here: arrive, state, destination, device, route, access, source (and what does not fit the
 * way on), session. Each step either ends the packet, by returning the ruling that ends it, or
 * returns null and the next step follows. What steps tell each other is in the fields below them.
 * The steps never look at a packet: they <em>ask</em> of it, by {@link #is} and {@link #first}, and
 * have it rewritten. Who has one packet in hand answers for it ({@link DeviceMachine}). Who has
 * every packet in hand ({@link EveryPacket}) answers yes for a part of them and goes on with that,
 * and then goes again and answers no. So sets need no steps of their own.
 *
 * <p>A session known at step 1 fixes the rewrites of steps 2 and 6; hop count, route and stateless
 * lists judge its packets all the same. What state says is asked for, too; who keeps none knows of
 * nothing.
 */
abstract class DeviceWalk extends PacketInHand {
  DeviceWalk(DeviceProgram program) {
    super(program);
  }

  /** Begins with a packet that arrives by an interface, or with null one of the device itself. */
  @SuppressWarnings(
      "ReferenceEquality") // to compare whole interfaces would cost more than the rest
  final void begin(@Nullable Interface arriving) {
    if (arriving == null) {
      arrivingNumber = NONE;
    } else if (arriving != this.arriving) {
      arrivingNumber = program.number(arriving);
    }
    this.arriving = arriving;
    destinationBinding = NONE;
    outside = null;
    translated = null;
    sourceRule = null;
    binding = NONE;
    hairpinned = false;
    routeNumber = NONE;
    stateful = false;
    forDevice = false;
    errorOfBinding = false;
    unfit = 0;
  }

  /** Goes all the way with what arrives. */
  final Ruling arrive(Interface arriving) {
    Ruling end = stepArrive(arriving);
    if (end == null) {
      end = stepState();
    }
    if (end == null) {
      end = stepDestination(arriving);
    }
    return end != null ? end : onward();
  }

  /** Goes on with a packet that has its destination. */
  final Ruling onward() {
    Ruling end = stepDevice();
    if (end == null) {
      end = stepRoute();
    }
    if (end == null) {
      end = stepAccess();
    }
    if (end == null) {
      end = stepSource();
    }
    SizeInHand size = end == null ? size() : null;
    if (size != null) {
      end = stepSize(size);
    }
    return end != null ? end : stepSession();
  }

  /** Where the last packet left; null if it did not leave. */
  public final @Nullable Interface leaving() {
    return routeNumber == NONE ? null : program.routes.entry(routeNumber).leaving();
  }

  // Step 0.
  private @Nullable Ruling stepArrive(Interface arriving) {
    if (!arriving.isUp()) {
      return end(Ruling.INTERFACE_DOWN, arriving);
    }
    if (is(program.ownSource(arriving))) {
      return end(Ruling.SOURCE_IS_OWN, arriving);
    }
    if (is(DeviceProgram.IMPOSSIBLE_SOURCE)) {
      return end(Ruling.SOURCE_IMPOSSIBLE, arriving);
    }
    if (is(program.unforwarded)) {
      return end(Ruling.NOT_FORWARDED, arriving);
    }
    if (program.device.verifySource() && !leadsBack(arriving)) {
      return end(Ruling.SOURCE_BY_OTHER_WAY, arriving);
    }
    say(Ruling.ARRIVED, arriving);
    return null;
  }

  private boolean leadsBack(Interface arriving) {
    RouteTable.Back back = program.routes.back().get(first(program.routes.back(), Seen.NOW));
    Interface leaving = back == null ? null : back.entry().leaving();
    return leaving != null && leaving.name().equals(arriving.name());
  }

  // Step 2.
  private @Nullable Ruling stepDestination(Interface arriving) {
    if (restoredDestination()) {
      return null;
    }
    if (isError()) {
      say(Ruling.DESTINATION_KEPT, null);
      return null;
    }
    Row<Translations.Inbound> rules = program.translations.from(arriving, arrivingNumber);
    translated = rules.get(first(rules, Seen.NOW));
    if (translated == null) {
      tellNearestRule();
      if (is(program.unmatched(arriving))) {
        return end(Ruling.DESTINATION_UNMATCHED, null);
      }
      say(Ruling.DESTINATION_KEPT, null);
      return null;
    }
    if (isUntouched()) {
      say(Ruling.UNTOUCHED, translated.rule());
      return null;
    }
    if (translated.lost() != null && is(translated.lost())) {
      return end(Ruling.DESTINATION_UNTRANSLATABLE, translated.rule());
    }
    hairpinned = translated.hairpins(arriving);
    translateDestination(translated);
    say(Ruling.DESTINATION_TRANSLATED, translated.rule());
    return null;
  }

  final boolean isUntouched() {
    return translated != null && translated.rule().keepsPackets();
  }

  // Step 3.
  private @Nullable Ruling stepDevice() {
    if (!is(program.owned)) {
      return null;
    }
    forDevice = true;
    Ruling end = judgeByAdmission();
    if (end == null) {
      end = judgeByLists(null);
    }
    if (end != null) {
      return end;
    }
    if (session != NONE || errorOfBinding) {
      sawForDevice();
      return say(Ruling.DEVICE_RECEIVES, null);
    }
    if (isError()) {
      return end(Ruling.ERROR_UNMATCHED, null);
    }
    DeviceProgram.Own serving = program.services.get(first(program.services, Seen.NOW));
    if (serving != null) {
      return serve(serving.service());
    }
    DeviceProgram.Offered closed = program.offered.get(first(program.offered, Seen.NOW));
    Stance stance = program.device.stance();
    boolean refuses = // nothing is hidden from the device itself
        arriving == null
            || admission() != null
            || stance.actionFor(arriving.network().zone(), Site.SELF) != Action.DROP;
    if (refuses) {
      return refuse(closed == null ? arriving : closed.service());
    }
    return closed == null
        ? end(Ruling.DEVICE_NOT_ADMITTED, arriving)
        : end(Ruling.DEVICE_SERVICE_CLOSED, closed.service());
  }

  /** The device's own service takes the packet, if it opens something; else it is refused. */
  private Ruling serve(Placed service) {
    if (!canOpen()) {
      return refuse(service);
    }
    if (!isTaken()) {
      recordSession();
    } else if (isTranslated()) {
      return end(Ruling.ENDPOINT_IN_USE, translated == null ? null : translated.rule());
    }
    return say(Ruling.DEVICE_ANSWERS, service);
  }

  /**
   * Refuses as an end system does: a reset, a notice, or nothing where the packet is a ping or
   * itself says that something failed (RFC 1122 sections 3.2.2 and 4.2.2).
   */
  private Ruling refuse(@Nullable Placed by) {
    if (is(Condition.Kind.ECHO_REQUEST)) {
      return end(Ruling.DEVICE_SILENT, by);
    }
    if (isReset() || is(Condition.Kind.ICMP)) {
      return end(Ruling.DEVICE_NOT_ADMITTED, by);
    }
    boolean waits =
        !program.device.state().synWait().isZero()
            && opensTcp()
            && is(program.shared, Seen.AS_SENT);
    return end(waits ? Ruling.DEVICE_REFUSES_LATER : Ruling.DEVICE_REFUSES, by);
  }

  // Step 4.
  private @Nullable Ruling stepRoute() {
    if (arriving != null && !takeHop()) {
      return end(Ruling.HOPS_USED_UP, null);
    }
    Row<RouteTable.Entry> routes = program.routesBy(interfaceFixedByRule());
    RouteTable.Entry entry = routes.get(first(routes, Seen.NOW));
    if (entry == null) {
      Row<RouteTable.Entry> downs = program.routes.down();
      RouteTable.Entry down = downs.get(first(downs, Seen.NOW));
      return down == null ? end(Ruling.NO_ROUTE, null) : end(Ruling.ROUTE_DOWN, down.leaving());
    }
    if (entry.leaving() == null) {
      return end(Ruling.ROUTE_DISCARDS, entry.by());
    }
    routeNumber = entry.number();
    say(Ruling.ROUTED, entry.by());
    return null;
  }

  /** The way out that a rule names, whatever the routes say; null where they decide. */
  private @Nullable InterfaceTerm interfaceFixedByRule() {
    TranslationRule rule = translated != null ? translated.rule() : ruleOfSession();
    return rule == null ? null : rule.bySide(in -> in.leaving(), out -> null, both -> null);
  }

  // Step 5.
  private @Nullable Ruling stepAccess() {
    Ruling end = judgeByAdmission();
    return end != null ? end : judgeByLists(leavingForSure());
  }

  /** Where a packet that was routed leaves. */
  final Interface leavingForSure() {
    Interface leaving = leaving();
    if (leaving == null) {
      throw new IllegalStateException("a step that follows a route");
    }
    return leaving;
  }

  /** Whom the rule that took the packet lets in; null where it does not say. */
  private @Nullable Match admission() {
    return translated == null ? null : translated.admission();
  }

  private @Nullable Ruling judgeByAdmission() {
    Match admission = admission();
    if (translated == null || admission == null) {
      return null;
    }
    TranslationRule rule = translated.rule();
    if (is(admission)) {
      say(Ruling.ADMITTED, rule);
      return null;
    }
    tellNearestAdmission(rule, admission);
    return end(Ruling.NOT_ADMITTED, rule);
  }

  /** Asks the lists that guard the way, or the stance where none does. */
  private @Nullable Ruling judgeByLists(@Nullable Interface leaving) {
    boolean settled = session != NONE || errorOfBinding || admission() != null;
    if (!settled) {
      comesToLists(leaving);
    }
    boolean guarded = false;
    for (CompiledList guard : program.guards(arriving, leaving)) {
      guarded = true;
      if (arriving == null && !guard.namesSelf()) {
        continue;
      }
      stateful |= !guard.list().stateless();
      if (settled && !guard.list().stateless()) {
        continue;
      }
      Ruling end = judge(guard);
      if (end != null) {
        return end;
      }
    }
    return guarded || arriving == null || leaving == null
        ? null
        : judgeByStance(arriving, leaving, settled);
  }

  private @Nullable Ruling judgeByStance(Interface arriving, Interface leaving, boolean settled) {
    stateful |= program.keepsState;
    if (settled) {
      return null;
    }
    Stance stance = program.device.stance();
    String from = arriving.network().zone();
    String to = leaving.network().zone();
    Stance.Pair pair = stance.pairFor(from, to);
    Placed by = pair != null ? pair : stance;
    return switch (stance.actionFor(from, to)) {
      case ACCEPT -> {
        say(Ruling.ACCEPTED_BY_STANCE, by);
        yield null;
      }
      case DROP -> end(Ruling.DROPPED_BY_STANCE, by);
      case REJECT -> end(Ruling.REJECTED_BY_STANCE, by);
    };
  }

  private @Nullable Ruling judge(CompiledList guard) {
    CompiledList.Entry entry = guard.row().get(first(guard.row(), asListsSeeIt()));
    if (entry != null) {
      AccessRule rule = entry.rule();
      return switch (rule.action()) {
        case ACCEPT -> accept(Ruling.ACCEPTED_BY_RULE, Ruling.DEVICE_ACCEPTED_BY_RULE, rule);
        case DROP -> end(Ruling.DROPPED_BY_RULE, rule);
        case REJECT -> end(Ruling.REJECTED_BY_RULE, rule);
      };
    }
    if (arriving == null) {
      return null; // of its own packets only rules that name the device are asked
    }
    AccessList list = guard.list();
    if (list.otherwise() == Action.ACCEPT) {
      return accept(Ruling.ACCEPTED_OTHERWISE, Ruling.DEVICE_ACCEPTED_OTHERWISE, list);
    }
    tellNearest(guard);
    return end(
        list.otherwise() == Action.DROP ? Ruling.DROPPED_OTHERWISE : Ruling.REJECTED_OTHERWISE,
        list);
  }

  private @Nullable Ruling accept(Ruling passing, Ruling toDevice, Placed by) {
    say(forDevice ? toDevice : passing, by);
    return null;
  }

  /**
   * The packet as access rules see it: the source before step 6, the destination after step 2 or,
   * where the device sees originals, before it. A reply is the mirror image of its request.
   */
  final Seen asListsSeeIt() {
    return program.device.seesOriginal() ? Seen.AS_SENT : Seen.NOW;
  }

  // Step 6.
  private @Nullable Ruling stepSource() {
    if (session != NONE || isError() || outside != null) {
      return restoreSource();
    }
    Interface leaving = leavingForSure();
    Hairpin.Source hairpin = hairpin();
    boolean asked =
        !isUntouched() && hairpin != Hairpin.Source.DEVICE && hairpin != Hairpin.Source.KEPT;
    // A hairpinned packet that is to look as it would outside is asked about as if it were there.
    boolean outsides = translated != null && hairpin == Hairpin.Source.EXTERNAL;
    Interface side = outsides && translated != null ? translated.home() : leaving;
    Seen seen = outsides ? Seen.AS_SENT : Seen.NOW;
    boolean become = !hairpinned && translated != null && translated.rule().rewritesSources();
    Translations.Outbound rule = asked && !become && side != null ? outbound(side, seen) : null;
    stateful |=
        (rule != null && !rule.rule().isStateless())
            || (translated != null && !translated.rule().isStateless())
            || destinationBinding != NONE
            || arriving == null;
    if (stateful && !canOpen()) {
      if (arriving != null) {
        // Said before a port is taken: state is made only for a packet that leaves.
        return end(Ruling.NOT_AN_OPENING, null);
      }
      stateful = false; // a reset of the device's own, say
      say(Ruling.SOURCE_KEPT, null);
      return null;
    }
    if (translated != null && hairpin == Hairpin.Source.DEVICE) {
      return share(translated.rule(), leaving, program.ownOf(leaving), Seen.NOW);
    }
    if (translated != null && become) {
      Pool pool = translated.rule().pool();
      AddressSet externals =
          pool == null ? program.ownOf(leaving) : program.translations.sharable(pool);
      return share(translated.rule(), leaving, externals, Seen.NOW);
    }
    return rule == null || side == null ? keepSource() : translateSource(rule, side, seen);
  }

  /** What the source of a hairpinned packet becomes; null for every other packet. */
  private Hairpin.@Nullable Source hairpin() {
    return hairpinned && translated != null && translated.hairpin() != null
        ? translated.hairpin().source()
        : null;
  }

  /** The rule that gives the source to what leaves by an interface; null if none does. */
  final Translations.@Nullable Outbound outbound(Interface side, Seen seen) {
    Row<Translations.Outbound> rules = program.translations.towards(side, program.number(side));
    return rules.get(first(rules, seen));
  }

  /** Keeps the source; a flow whose destination was changed must not be taken for another one. */
  private @Nullable Ruling keepSource() {
    if (stateful && isTranslated() && isTaken()) {
      return end(Ruling.ENDPOINT_IN_USE, translated == null ? null : translated.rule());
    }
    say(Ruling.SOURCE_KEPT, null);
    return null;
  }

  /** Whether a rule or binding changed an address of the packet. */
  final boolean isTranslated() {
    return destinationBinding != NONE
        || sourceRule != null
        || (translated != null && !isUntouched());
  }

  /** Gives the packet the source that a rule says. */
  final @Nullable Ruling translateSource(Translations.Outbound rule, Interface side, Seen seen) {
    AddressSet externals = rule.externals(program, side);
    if (rule.rule().isBothWays()) {
      return translateSourceForGood(rule, side);
    }
    if (rule.rule().lends()) {
      int made = bind(rule.rule(), side, externals, /* whole= */ true, seen);
      return bound(rule.rule(), made, external(made, externals), side);
    }
    return share(rule.rule(), side, externals, seen);
  }

  private @Nullable Ruling translateSourceForGood(Translations.Outbound rule, Interface side) {
    if (rule.lost() != null && is(rule.lost())) {
      return end(Ruling.SOURCE_UNTRANSLATABLE, rule.rule());
    }
    translateSource(rule, side);
    if (stateful && outside == null && isTaken()) {
      return end(Ruling.ENDPOINT_IN_USE, rule.rule());
    }
    return sourceTranslated(rule.rule());
  }

  private @Nullable Ruling share(
      TranslationRule rule, Interface side, AddressSet externals, Seen seen) {
    if (!is(Condition.Kind.SHAREABLE)) {
      return end(Ruling.CANNOT_SHARE, rule);
    }
    int made = bind(rule, side, externals, /* whole= */ false, seen);
    return bound(rule, made, null, side);
  }

  /**
   * Goes on with a binding, or ends the packet for lack of one.
   *
   * @param lent the address that is lent as a whole, of which some ports may be somebody else's;
   *     null where a port of one is shared
   */
  private @Nullable Ruling bound(
      TranslationRule rule, int made, @Nullable Address lent, Interface side) {
    if (made < 0) {
      Ruling usedUp = rule.lends() ? Ruling.POOL_USED_UP : Ruling.PORTS_USED_UP;
      return end(made == DeviceState.AT_ITS_LIMIT ? Ruling.PORT_LIMIT_REACHED : usedUp, rule);
    }
    boolean claimed = lent != null && is(program.claimedAt(lent, program.realm(side)));
    if (claimed || (outside == null && isTaken())) {
      forgetUnused(made);
      return end(Ruling.ENDPOINT_IN_USE, rule);
    }
    binding = made;
    return sourceTranslated(rule);
  }

  private @Nullable Ruling sourceTranslated(TranslationRule rule) {
    sourceRule = rule;
    say(Ruling.SOURCE_TRANSLATED, rule);
    return null;
  }

  // After step 6: what is too large is cut, or ends here and leaves no state.
  private @Nullable Ruling stepSize(SizeInHand size) {
    Interface leaving = leavingForSure();
    if (arriving != null && size.limitSegment(arriving)) {
      say(Ruling.SEGMENT_LIMITED, arriving);
    }
    if (size.limitSegment(leaving)) {
      say(Ruling.SEGMENT_LIMITED, leaving);
    }
    int mtu = leaving.linkMtu();
    if (!size.isLonger(mtu)) {
      size.identify();
      return null;
    }
    if (size.mayBeCut()) {
      size.cut(mtu);
      size.identify();
      say(Ruling.FRAGMENTED, leaving);
      return null;
    }
    if (binding != NONE) {
      forgetUnused(binding);
    }
    unfit = mtu;
    return end(Ruling.TOO_LARGE, leaving);
  }

  // Step 7.
  private Ruling stepSession() {
    if (session != NONE) {
      return stepKnownSession();
    }
    if (!stateful) {
      return say(Ruling.SESSION_NOT_NEEDED, null);
    }
    if (!isTranslated() && isTaken()) {
      return say(Ruling.SESSION_OF_ANOTHER, null);
    }
    recordSession();
    return say(Ruling.SESSION_RECORDED, null);
  }
}
