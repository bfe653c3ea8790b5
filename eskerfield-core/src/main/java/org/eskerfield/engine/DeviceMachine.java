package org.eskerfield.engine;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Admission;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Stance;
import org.eskerfield.model.StaticRule;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/**
 * Runs the program of one device on packets, one after the other, and keeps its state between them.
 *
 * <p>Idea: a packet goes through eight numbered steps, one method each, in the order in which they
 * stand here: arrive, state, destination, device, route, access, source, session. Each step either
 * ends the packet, by returning the ruling that ends it, or returns null and the next step follows.
 * What steps tell each other is in the fields below them. A session known at step 1 fixes the
 * rewrites of steps 2 and 6; hop count, route and stateless lists judge its packets all the same.
 *
 * <p>Translation is for IPv4 only so far; packets of IPv6 pass the translation steps unchanged.
 *
 * <p>Not safe for use by several threads.
 */
public final class DeviceMachine {
  private final DeviceProgram program;
  private final VirtualClock clock;
  private final DeviceTables tables;

  // The packet in hand and what the steps have found out about it.
  private Packet packet;
  private @Nullable Narrator narrator;
  private @Nullable Interface arriving;
  private Header arrived;
  private DeviceTables.@Nullable Met met;
  private @Nullable Binding reached;
  private Translations.@Nullable Inbound translated;
  private @Nullable Binding binding;
  private boolean hairpinned;
  private @Nullable TranslationRule sourceRule;
  private RouteTable.@Nullable Entry route;
  private boolean admittedToDevice;
  private boolean stateful;
  private boolean forDevice;

  /** A machine without any state yet. */
  public DeviceMachine(DeviceProgram program, VirtualClock clock) {
    this.program = program;
    this.clock = clock;
    this.tables = new DeviceTables(clock, program.device.state());
    // Nothing is read before begin() has set these; they are never null to spare every step a
    // check.
    this.packet =
        new Packet(Address.lowest(Family.IPV4), 0, Address.lowest(Family.IPV4), 0, 0, 0, 0);
    this.arrived = packet.header();
  }

  /** The program that the machine runs. */
  public DeviceProgram program() {
    return program;
  }

  /**
   * Takes a packet in, rewrites it as the device does, and tells how that ended.
   *
   * @param packet the packet; changed in place
   * @param arriving the interface of this device by which it comes
   * @param narrator hears every decision, or null
   * @return the last decision; if it does not end the packet, {@link #leaving} tells where to it
   *     goes on, or null there that the device itself received it
   */
  public Ruling arrive(Packet packet, Interface arriving, @Nullable Narrator narrator) {
    begin(packet, arriving, narrator);
    Ruling end = stepArrive(arriving);
    if (end == null) {
      end = stepState();
    }
    if (end == null) {
      end = stepDestination(arriving);
    }
    if (end == null) {
      end = stepDevice(arriving);
    }
    return end != null ? end : onward();
  }

  /**
   * Sends a packet of the device itself: no destination rule, and lists and source rules only where
   * they name {@code device}.
   *
   * @param packet the packet; changed in place
   * @param narrator hears every decision, or null
   * @return as {@link #arrive}
   */
  public Ruling originate(Packet packet, @Nullable Narrator narrator) {
    begin(packet, null, narrator);
    met = tables.sessionOf(packet);
    if (met != null) {
      tables.saw(met, packet);
    }
    say(Ruling.SENT_BY_DEVICE, null);
    if (met != null && met.asReply()) {
      restoreDestination(met.session());
    }
    return onward();
  }

  private Ruling onward() {
    Ruling end = stepRoute();
    if (end == null) {
      end = stepAccess();
    }
    if (end == null) {
      end = stepSource();
    }
    return end != null ? end : stepSession();
  }

  /** Where the last packet left; null if it did not leave. */
  public @Nullable Interface leaving() {
    return route == null ? null : route.leaving();
  }

  /** To whom the last packet was handed on its next network; only asked if it left. */
  public Address nextHop() {
    return route != null && route.via() != null ? route.via() : packet.destination();
  }

  private boolean leadsBack(Address source, Interface arriving) {
    RouteTable.Entry way = program.routes.to(source);
    Interface leaving = way == null ? null : way.leaving();
    return leaving != null && leaving.name().equals(arriving.name());
  }

  private void begin(Packet packet, @Nullable Interface arriving, @Nullable Narrator narrator) {
    this.packet = packet;
    this.arriving = arriving;
    this.narrator = narrator;
    arrived = packet.header();
    met = null;
    reached = null;
    translated = null;
    sourceRule = null;
    binding = null;
    hairpinned = false;
    route = null;
    admittedToDevice = false;
    stateful = program.keepsState;
    forDevice = false;
  }

  private Ruling say(Ruling ruling, @Nullable Placed by) {
    if (narrator != null) {
      narrator.decided(ruling, by, packet);
    }
    return ruling;
  }

  /** Says a ruling that ends the packet, after which it has not left. */
  private Ruling end(Ruling ruling, @Nullable Placed by) {
    route = null;
    return say(ruling, by);
  }

  // Step 0.
  private @Nullable Ruling stepArrive(Interface arriving) {
    if (!arriving.isUp()) {
      return end(Ruling.INTERFACE_DOWN, arriving);
    }
    Address source = packet.source();
    if (program.owns(source)) {
      return end(Ruling.SOURCE_IS_OWN, arriving);
    }
    if (SpecialAddresses.NEVER_A_SOURCE.contains(source)) {
      return end(Ruling.SOURCE_IMPOSSIBLE, arriving);
    }
    if (program.neverForwards(packet.destination())) {
      return end(Ruling.NOT_FORWARDED, arriving);
    }
    if (program.device.verifySource() && !leadsBack(source, arriving)) {
      return end(Ruling.SOURCE_BY_OTHER_WAY, arriving);
    }
    say(Ruling.ARRIVED, arriving);
    return null;
  }

  // Step 1.
  private @Nullable Ruling stepState() {
    met = tables.sessionOf(packet);
    if (met != null) {
      tables.saw(met, packet);
      say(Ruling.SESSION_KNOWN, null);
      return null;
    }
    reached = tables.bindingAt(packet.destination(), packet.destinationPort, packet.protocol);
    if (reached == null) {
      say(Ruling.FLOW_IS_NEW, null);
      return null;
    }
    if (!tables.admits(reached, packet)) {
      return end(Ruling.BINDING_FILTERED, reached.rule);
    }
    say(Ruling.BINDING_KNOWN, reached.rule);
    return null;
  }

  // Step 2.
  private @Nullable Ruling stepDestination(Interface arriving) {
    if (met != null) {
      restoreDestination(met.session());
      return null;
    }
    if (reached != null) {
      packet.rewriteDestination(
          reached.internal,
          reached.isWholeAddress() ? packet.destinationPort : reached.internalPort);
      say(Ruling.DESTINATION_RESTORED, reached.rule);
      return null;
    }
    if (packet.family == Family.IPV4) {
      translated = program.translations.inboundFor(packet, arriving, clock.now(), narrator);
    }
    if (translated != null && isUntouched()) {
      say(Ruling.UNTOUCHED, translated.rule());
      return null;
    }
    if (translated != null) {
      hairpinned = translated.hairpins(arriving);
      translated.rewrite(packet);
      say(Ruling.DESTINATION_TRANSLATED, translated.rule());
    }
    Address now = packet.destination();
    if (program.claims(now) && !program.owns(now)) {
      return end(Ruling.DESTINATION_UNMATCHED, null);
    }
    if (translated == null) {
      say(Ruling.DESTINATION_KEPT, null);
    }
    return null;
  }

  private boolean isUntouched() {
    return translated != null && translated.rule() instanceof UntouchedRule;
  }

  private void restoreDestination(Session session) {
    Header target = asReply() ? session.arrived : session.left;
    Address address = asReply() ? target.source() : target.destination();
    int port = asReply() ? target.sourcePort() : target.destinationPort();
    if (packet.destination().equals(address) && packet.destinationPort == port) {
      say(Ruling.DESTINATION_KEPT, null);
      return;
    }
    packet.rewriteDestination(address, port);
    say(Ruling.DESTINATION_RESTORED, asReply() ? session.sourceRule : session.destinationRule);
  }

  private boolean asReply() {
    return met != null && met.asReply();
  }

  // Step 3.
  private @Nullable Ruling stepDevice(Interface arriving) {
    if (!program.owns(packet.destination())) {
      return null;
    }
    forDevice = true;
    Ruling end = judgeByLists(null);
    if (end != null) {
      return end;
    }
    if (met != null) {
      return say(Ruling.DEVICE_RECEIVES, null);
    }
    DeviceProgram.Own closed = null;
    for (DeviceProgram.Own own : program.services) {
      Set<Match.Field> misses = own.match().misses(packet, false, clock.now());
      if (misses.isEmpty()) {
        recordSession();
        return say(Ruling.DEVICE_ANSWERS, own.service());
      }
      if (!misses.contains(Match.Field.SERVICE)) {
        closed = own;
      }
    }
    if (closed != null) {
      return end(Ruling.DEVICE_SERVICE_CLOSED, closed.service());
    }
    return admittedToDevice || program.device.stance().otherwise() == Action.ACCEPT
        ? end(Ruling.DEVICE_REFUSES, arriving)
        : end(Ruling.DEVICE_NOT_ADMITTED, arriving);
  }

  // Step 4.
  private @Nullable Ruling stepRoute() {
    if (arriving != null) {
      if (packet.ttl <= 1) {
        return end(Ruling.HOPS_USED_UP, null);
      }
      packet.ttl--;
    }
    Address to = packet.destination();
    RouteTable.Entry entry = program.routes.to(to);
    if (entry == null) {
      RouteTable.Entry down = program.routes.downTo(to);
      return down == null ? end(Ruling.NO_ROUTE, null) : end(Ruling.ROUTE_DOWN, down.leaving());
    }
    if (entry.leaving() == null) {
      return end(Ruling.ROUTE_DISCARDS, entry.by());
    }
    route = entry;
    say(Ruling.ROUTED, entry.by());
    return null;
  }

  // Step 5.
  private @Nullable Ruling stepAccess() {
    Interface leaving = leaving();
    if (leaving == null) {
      throw new IllegalStateException("step 5 follows a route");
    }
    if (translated != null && translated.admission() != null) {
      Set<Match.Field> misses = translated.admission().misses(packet, false, clock.now());
      TranslationRule rule = translated.rule();
      if (!misses.isEmpty()) {
        Admission admit = admission(rule);
        if (narrator != null && admit != null) {
          narrator.nearly(admit, misses, packet);
        }
        return end(Ruling.NOT_ADMITTED, rule);
      }
      say(Ruling.ADMITTED, rule);
    }
    return judgeByLists(leaving);
  }

  private static @Nullable Admission admission(TranslationRule rule) {
    return rule instanceof InwardRule inward ? inward.admit() : null;
  }

  /** Asks the lists that guard the way, or the stance where none does. */
  private @Nullable Ruling judgeByLists(@Nullable Interface leaving) {
    boolean settled = met != null || (translated != null && translated.admission() != null);
    boolean guarded = false;
    for (DeviceProgram.Guarded guard : program.lists) {
      if (!guard.guards(arriving, leaving) || (arriving == null && !guard.namesSelf())) {
        continue;
      }
      guarded = true;
      stateful |= !guard.list().stateless();
      if (settled && !guard.list().stateless()) {
        continue;
      }
      Ruling end = judge(guard);
      if (end != null) {
        return end;
      }
    }
    if (guarded || settled || arriving == null || leaving == null) {
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

  private @Nullable Ruling judge(DeviceProgram.Guarded guard) {
    Packet seen = asListsSeeIt();
    boolean own = arriving == null;
    ZonedDateTime now = clock.now();
    for (DeviceProgram.Entry entry : guard.entries()) {
      if (entry.match().matches(seen, own, now)) {
        AccessRule rule = entry.rule();
        return switch (rule.action()) {
          case ACCEPT -> accept(Ruling.ACCEPTED_BY_RULE, Ruling.DEVICE_ACCEPTED_BY_RULE, rule);
          case DROP -> end(Ruling.DROPPED_BY_RULE, rule);
          case REJECT -> end(Ruling.REJECTED_BY_RULE, rule);
        };
      }
    }
    AccessList list = guard.list();
    if (list.otherwise() == Action.ACCEPT) {
      return accept(Ruling.ACCEPTED_OTHERWISE, Ruling.DEVICE_ACCEPTED_OTHERWISE, list);
    }
    if (narrator != null) {
      tellNearest(guard, seen, own, now);
    }
    return end(
        list.otherwise() == Action.DROP ? Ruling.DROPPED_OTHERWISE : Ruling.REJECTED_OTHERWISE,
        list);
  }

  private @Nullable Ruling accept(Ruling passing, Ruling toDevice, Placed by) {
    admittedToDevice |= forDevice;
    say(forDevice ? toDevice : passing, by);
    return null;
  }

  private void tellNearest(
      DeviceProgram.Guarded guard, Packet seen, boolean own, ZonedDateTime now) {
    AccessRule nearest = null;
    Set<Match.Field> nearestMisses = Set.of();
    for (DeviceProgram.Entry entry : guard.entries()) {
      if (entry.rule().action() == Action.ACCEPT) {
        Set<Match.Field> misses = entry.match().misses(seen, own, now);
        if (nearest == null || misses.size() < nearestMisses.size()) {
          nearest = entry.rule();
          nearestMisses = misses;
        }
      }
    }
    if (narrator != null && nearest != null && nearestMisses.size() <= 2) {
      narrator.nearly(nearest, nearestMisses, seen);
    }
  }

  /**
   * The packet as access rules see it: the source before step 6, the destination after step 2 or,
   * where the device sees originals, before it. A reply is the mirror image of its request.
   */
  private Packet asListsSeeIt() {
    if (!program.device.seesOriginal()) {
      return packet;
    }
    Packet seen = packet.copy();
    if (asReply() && met != null) {
      Header request = met.session().arrived;
      seen.rewriteSource(request.destination(), request.destinationPort());
    } else if (arriving != null) {
      seen.rewriteDestination(arrived.destination(), arrived.destinationPort());
    }
    return seen;
  }

  // Step 6.
  private @Nullable Ruling stepSource() {
    if (met != null) {
      restoreSource(met.session());
      return null;
    }
    Translations.Outbound rule = outbound();
    boolean remembered =
        stateful || rule != null || translated != null || reached != null || arriving == null;
    if (remembered && packet.protocol == Protocol.TCP && !packet.opensTcp()) {
      // Said before a port is taken: state is made only for a packet that leaves.
      return end(Ruling.NOT_AN_OPENING, null);
    }
    stateful = remembered;
    if (translated != null && hairpin() == Hairpin.Source.DEVICE) {
      return share(translated.rule(), null);
    }
    if (rule == null) {
      say(Ruling.SOURCE_KEPT, null);
      return null;
    }
    if (rule.rule() instanceof StaticRule fixed && rule.external() != null) {
      int port = packet.sourcePort - (Protocol.hasPorts(packet.protocol) ? fixed.shift() : 0);
      packet.rewriteSource(
          StaticRule.moved(packet.source(), fixed.internalBlock(), rule.external()), port);
      return sourceTranslated(fixed);
    }
    if (rule.rule() instanceof DynamicRule lent && rule.pool() != null) {
      binding = tables.borrow(lent, packet, rule.pool());
      if (binding == null) {
        return end(Ruling.POOL_USED_UP, lent);
      }
      packet.rewriteSource(binding.external, packet.sourcePort);
      return sourceTranslated(lent);
    }
    return share(rule.rule(), rule.pool());
  }

  /** The rule for the source; null where the packet keeps it or has the device's own address. */
  private Translations.@Nullable Outbound outbound() {
    boolean asked = hairpin() == null || hairpin() == Hairpin.Source.EXTERNAL;
    return isUntouched() || !asked
        ? null
        : program.translations.outboundFor(packet, sourceSide(), arriving == null, clock.now());
  }

  /** What the source of a hairpinned packet becomes; null for every other packet. */
  private Hairpin.@Nullable Source hairpin() {
    return hairpinned && translated != null && translated.hairpin() != null
        ? translated.hairpin().source()
        : null;
  }

  /**
   * The interface whose side decides the source: where the packet leaves, but the external side for
   * a hairpinned packet that is to look as it would outside.
   */
  private @Nullable Interface sourceSide() {
    return hairpin() == Hairpin.Source.EXTERNAL && translated != null && translated.facing() != null
        ? translated.facing().interfaces().get(0)
        : leaving();
  }

  private @Nullable Ruling share(TranslationRule rule, @Nullable AddressSet pool) {
    if (!Protocol.hasPorts(packet.protocol) && !Icmp.isEchoRequest(packet.icmpType)) {
      return end(Ruling.CANNOT_SHARE, rule);
    }
    AddressSet externals = pool;
    if (externals == null) {
      Interface side = sourceSide();
      Address own = side == null ? null : side.address(Family.IPV4);
      externals = own == null ? AddressSet.NONE : AddressSet.of(own);
    }
    if (tables.isAtItsLimit(packet, externals)) {
      return end(Ruling.PORT_LIMIT_REACHED, rule);
    }
    binding = tables.share(program, rule, packet, externals);
    if (binding == null) {
      return end(Ruling.PORTS_USED_UP, rule);
    }
    packet.rewriteSource(binding.external, binding.externalPort);
    return sourceTranslated(rule);
  }

  private @Nullable Ruling sourceTranslated(TranslationRule rule) {
    sourceRule = rule;
    say(Ruling.SOURCE_TRANSLATED, rule);
    return null;
  }

  private void restoreSource(Session session) {
    Header target = asReply() ? session.arrived : session.left;
    Address address = asReply() ? target.destination() : target.source();
    int port = asReply() ? target.destinationPort() : target.sourcePort();
    if (packet.source().equals(address) && packet.sourcePort == port) {
      say(Ruling.SOURCE_KEPT, null);
      return;
    }
    packet.rewriteSource(address, port);
    say(Ruling.SOURCE_RESTORED, asReply() ? session.destinationRule : session.sourceRule);
  }

  // Step 7.
  private Ruling stepSession() {
    if (met != null) {
      return Ruling.SESSION_KNOWN;
    }
    if (!stateful) {
      return say(Ruling.SESSION_NOT_NEEDED, null);
    }
    recordSession();
    return say(Ruling.SESSION_RECORDED, null);
  }

  private void recordSession() {
    TranslationRule destinationRule =
        translated != null && !isUntouched()
            ? translated.rule()
            : reached != null ? reached.rule : null;
    tables.record(
        arrived, packet.header(), destinationRule, sourceRule, binding != null ? binding : reached);
  }

  // What there is.

  /** The table of bindings: the permanent ones in the order of their rules, then the temporary. */
  public List<BindingRow> bindings() {
    List<BindingRow> rows = new ArrayList<>(program.translations.permanentRows());
    rows.addAll(tables.bindingRows());
    return rows;
  }

  /** The sessions, the oldest first. */
  public List<SessionRow> sessions() {
    return tables.sessionRows();
  }

  /** How many sessions there are. */
  public int sessionCount() {
    return tables.sessionCount();
  }

  /** How many temporary bindings there are. */
  public int bindingCount() {
    return tables.bindingCount();
  }

  /** Forgets every session and every temporary binding. */
  public void clear() {
    tables.clear();
  }
}
