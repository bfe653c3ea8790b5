package org.eskerfield.engine;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Admission;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.SharedRule;
import org.eskerfield.model.Stance;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.StaticRule;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
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
 * <p>A session remembers the way that its packets went, for each direction: where they came from
 * and where they left. The next packet that comes by the same interface goes the short way: lookup,
 * both rewrites, hop count, refresh. All that the other steps ask depends on the header, the
 * interface and the program alone, and these are the same; where it does not (stateless lists), no
 * way is remembered. A narrated packet goes the long way, with the same result.
 *
 * <p>Translation is for IPv4 only so far; packets of IPv6 pass the translation steps unchanged.
 *
 * <p>Not safe for use by several threads.
 */
public final class DeviceMachine {
  private static final int NONE = DeviceTables.NONE;

  /** Told instead of a binding: the protocol has no ports to share an address by. */
  private static final int UNSHAREABLE = -4;

  /** How many interfaces and routes have a number for {@link #noteWay}. */
  private static final int MOST_WAYS = 0xfffe;

  private DeviceProgram program;
  private final VirtualClock clock;
  private final DeviceTables tables;

  // The packet in hand and what the steps have found out about it.
  private Packet packet;
  private @Nullable Narrator narrator;
  private @Nullable Interface arriving;
  private int arrivingNumber;
  private int realm;
  private Address sentTo;
  private int sentToPort;
  private int met;
  private int reached;
  private Translations.@Nullable Outbound turned;
  private Translations.@Nullable Inbound translated;
  private int binding;
  private boolean hairpinned;
  private @Nullable TranslationRule sourceRule;

  /** The number of the route by which the packet leaves; {@link #NONE} if it does not. */
  private int way;

  private boolean admittedToDevice;
  private boolean stateful;
  private boolean forDevice;

  /** A machine without any state yet. */
  public DeviceMachine(DeviceProgram program, VirtualClock clock) {
    this.program = program;
    this.clock = clock;
    this.tables = new DeviceTables(clock, program);
    // Nothing is read before begin() has set these; they are never null to spare every step a
    // check.
    this.sentTo = Address.lowest(Family.IPV4);
    this.packet = new Packet(sentTo, 0, sentTo, 0, 0, 0, 0);
  }

  /** The program that the machine runs. */
  public DeviceProgram program() {
    return program;
  }

  /**
   * Goes on with another policy of the same device. Sessions and their bindings stay, new flows ask
   * the new rules; where an interface has another address now, the bindings on the old one end.
   */
  public void goOnWith(DeviceProgram changed) {
    DeviceProgram before = program;
    program = changed;
    arriving = null;
    way = NONE;
    tables.goOnWith(changed);
    for (Interface own : before.device.interfaces()) {
      for (Address address : own.addresses()) {
        if (!changed.owns(address)) {
          tables.endBindingsOn(address);
        }
      }
    }
  }

  /**
   * Takes a packet in, rewrites it as the device does, and tells how that ended.
   *
   * @param packet the packet; changed in place
   * @param arriving the interface of this device by which it comes
   * @param narrator hears every decision, or null
   * @return the last decision; if it does not end the packet, {@link #leaving} tells where to it
   *     goes on, or null there that the device itself received it
   * @throws IllegalArgumentException if the interface is not of this device
   */
  @SuppressWarnings(
      "ReferenceEquality") // to compare whole interfaces would cost more than the rest
  public Ruling arrive(Packet packet, Interface arriving, @Nullable Narrator narrator) {
    if (this.arriving != arriving) {
      arrivingNumber = program.number(arriving);
      realm = program.realm(arriving);
      this.arriving = arriving;
    }
    if (this.packet != packet) { // to store a reference costs more than to look
      this.packet = packet;
    }
    if (narrator == null && packet.isPlain() && packet.ttl > 1) {
      way = tables.pass(packet, realm, arrivingNumber + 1) - 1;
      if (way != NONE) {
        packet.ttl--;
        return Ruling.SESSION_KNOWN;
      }
    }
    met = packet.inner == null ? tables.sessionOf(packet, realm) : NONE;
    return theLongWay(arriving, narrator);
  }

  private Ruling theLongWay(Interface arriving, @Nullable Narrator narrator) {
    begin(narrator);
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
    this.packet = packet;
    RouteTable.Entry way = program.routes.to(packet.destination());
    arriving = null;
    arrivingNumber = NONE;
    realm = program.realm(way == null ? null : way.leaving());
    met = packet.inner == null ? tables.sessionOf(packet, realm) : NONE;
    begin(narrator);
    if (met != NONE) {
      tables.saw(met, packet);
    }
    say(Ruling.SENT_BY_DEVICE, null);
    if (asReply()) {
      restoreDestination();
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
    return way == NONE ? null : program.routes.way(way).leaving();
  }

  /** To whom the last packet was handed on its next network; only asked if it left. */
  public Address nextHop() {
    Address via = way == NONE ? null : program.routes.way(way).via();
    return via != null ? via : packet.destination();
  }

  private boolean leadsBack(Address source, Interface arriving) {
    RouteTable.Entry way = program.routes.to(source);
    Interface leaving = way == null ? null : way.leaving();
    return leaving != null && leaving.name().equals(arriving.name());
  }

  private void begin(@Nullable Narrator narrator) {
    this.narrator = narrator;
    sentTo = packet.destination();
    sentToPort = packet.destinationPort;
    reached = NONE;
    turned = null;
    translated = null;
    sourceRule = null;
    binding = NONE;
    hairpinned = false;
    way = NONE;
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
    way = NONE;
    return say(ruling, by);
  }

  // Step 0.
  private @Nullable Ruling stepArrive(Interface arriving) {
    if (!arriving.isUp()) {
      return end(Ruling.INTERFACE_DOWN, arriving);
    }
    Address source = packet.source();
    if (program.isSourceOfOwn(packet, arriving)) {
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
    if (packet.inner != null) {
      met = tables.sessionOfError(packet.inner, realm);
      say(met != NONE ? Ruling.ERROR_KNOWN : Ruling.FLOW_IS_NEW, null);
      return null;
    }
    if (met != NONE) {
      tables.saw(met, packet);
      say(Ruling.SESSION_KNOWN, null);
      return null;
    }
    if (packet.opensTcp()) {
      met = tables.fulfil();
      if (met != NONE) {
        say(Ruling.CONNECTION_EXPECTED, null);
        return null;
      }
    }
    reached = tables.bindingAt(packet, realm);
    if (reached == NONE) {
      say(Ruling.FLOW_IS_NEW, null);
      return null;
    }
    return judgeByBinding(tables.ruleOf(reached));
  }

  /** The filter of a binding (RFC 4787 section 5). */
  private @Nullable Ruling judgeByBinding(TranslationRule rule) {
    int sender = (int) packet.sourceLow;
    Interface outside = outsideOf(rule);
    if (outside != null) {
      turned = program.translations.outboundFor(packet, outside, false, clock.now());
      if (turned != null && tables.isUser(reached, packet)) {
        return end(Ruling.BINDING_FILTERED, rule); // nobody speaks with himself by way of outside
      }
      if (turned != null) {
        sender = tables.externalOf(packet, realm, externals(turned, outside));
      }
    }
    if (!tables.admits(reached, sender, settings(rule).filtering())) {
      remember(outside);
      return end(Ruling.BINDING_FILTERED, rule);
    }
    say(turned == null ? Ruling.BINDING_KNOWN : Ruling.BINDING_KNOWN_INSIDE, rule);
    return null;
  }

  /** The external side of a rule that makes bindings; null where the packet comes from there. */
  private @Nullable Interface outsideOf(TranslationRule rule) {
    InterfaceTerm leaving =
        rule instanceof SharedRule shared
            ? shared.leaving()
            : rule instanceof DynamicRule lent ? lent.leaving() : null;
    return leaving == null || arriving == null || leaving.names(arriving)
        ? null
        : leaving.interfaces().get(0);
  }

  /**
   * Remembers that an insider spoke to another one's external side, though that did not let it in:
   * the packet went out and came back, so the other one's packets will be let in. That is a session
   * outside, of no packet that could arrive here; the insider's next one is judged anew.
   */
  private void remember(@Nullable Interface outside) {
    if (turned == null || outside == null || !canOpen()) {
      return;
    }
    int own = bind(turned, outside);
    if (own >= 0) {
      Packet left = packet.copy();
      tables.leadFrom(own, left);
      TranslationRule rule = turned.rule();
      int to = program.realm(outside);
      tables.sessionOf(left, to);
      tables.record(left, to, null, rule, own, settings(rule));
    }
  }

  // Step 2.
  private @Nullable Ruling stepDestination(Interface arriving) {
    if (met != NONE) {
      restoreDestination();
      return null;
    }
    if (reached != NONE) {
      tables.leadTo(reached, packet);
      say(Ruling.DESTINATION_RESTORED, tables.ruleOf(reached));
      return null;
    }
    if (packet.family == Family.IPV4 && packet.inner == null) {
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
    if (program.claims(now, arriving.network().realm()) && !program.owns(now)) {
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

  /** The destination that packets of the session leave with; an error has no port. */
  private void restoreDestination() {
    tables.restoreDestination(met, packet);
    if (packet.inner != null) {
      packet.destinationPort = 0;
      tables.restoreInner(met, packet.inner);
    }
    if (packet.destination().equals(sentTo) && packet.destinationPort == sentToPort) {
      say(Ruling.DESTINATION_KEPT, null);
      return;
    }
    say(
        Ruling.DESTINATION_RESTORED,
        asReply() ? tables.sourceRule(met) : tables.destinationRule(met));
  }

  private boolean asReply() {
    return met != NONE && (met & 1) != 0;
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
    if (met != NONE) {
      return say(Ruling.DEVICE_RECEIVES, null);
    }
    if (packet.inner != null) {
      return end(Ruling.ERROR_UNMATCHED, null);
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
    InterfaceTerm fixed = wayFixedByRule();
    RouteTable.Entry entry =
        fixed == null ? program.routes.to(to) : program.routes.to(to, fixed.interfaces().get(0));
    if (entry == null) {
      RouteTable.Entry down = program.routes.downTo(to);
      return down == null ? end(Ruling.NO_ROUTE, null) : end(Ruling.ROUTE_DOWN, down.leaving());
    }
    if (entry.leaving() == null) {
      return end(Ruling.ROUTE_DISCARDS, entry.by());
    }
    way = entry.number();
    say(Ruling.ROUTED, entry.by());
    return null;
  }

  /** The way out that a rule names, whatever the routes say; null where they decide. */
  private @Nullable InterfaceTerm wayFixedByRule() {
    TranslationRule rule =
        translated != null
            ? translated.rule()
            : met != NONE && !asReply() ? tables.destinationRule(met) : null;
    return rule instanceof InwardRule inward ? inward.leaving() : null;
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
    boolean settled = met != NONE || (translated != null && translated.admission() != null);
    boolean guarded = false;
    for (CompiledList guard : program.lists) {
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

  private @Nullable Ruling judge(CompiledList guard) {
    Packet seen = asListsSeeIt();
    boolean own = arriving == null;
    ZonedDateTime now = clock.now();
    AccessRule rule = guard.firstMatch(seen, own, now);
    if (rule != null) {
      return switch (rule.action()) {
        case ACCEPT -> accept(Ruling.ACCEPTED_BY_RULE, Ruling.DEVICE_ACCEPTED_BY_RULE, rule);
        case DROP -> end(Ruling.DROPPED_BY_RULE, rule);
        case REJECT -> end(Ruling.REJECTED_BY_RULE, rule);
      };
    }
    AccessList list = guard.list();
    if (list.otherwise() == Action.ACCEPT) {
      return accept(Ruling.ACCEPTED_OTHERWISE, Ruling.DEVICE_ACCEPTED_OTHERWISE, list);
    }
    if (narrator != null) {
      guard.tellNearest(narrator, seen, own, now);
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

  /**
   * The packet as access rules see it: the source before step 6, the destination after step 2 or,
   * where the device sees originals, before it. A reply is the mirror image of its request.
   */
  private Packet asListsSeeIt() {
    if (!program.device.seesOriginal()) {
      return packet;
    }
    Packet seen = packet.copy();
    if (asReply()) {
      tables.restoreSource(met, seen);
    } else if (arriving != null) {
      seen.rewriteDestination(sentTo, sentToPort);
    }
    return seen;
  }

  // Step 6.
  private @Nullable Ruling stepSource() {
    if (met != NONE) {
      restoreSource();
      return null;
    }
    Translations.Outbound rule = outbound();
    boolean remembered =
        stateful || rule != null || translated != null || reached != NONE || arriving == null;
    if (packet.inner != null) {
      stateful = false;
      if (remembered && arriving != null) {
        return end(Ruling.ERROR_UNMATCHED, null);
      }
      say(Ruling.SOURCE_KEPT, null);
      return null;
    }
    if (remembered && !canOpen()) {
      // Said before a port is taken: state is made only for a packet that leaves.
      return end(Ruling.NOT_AN_OPENING, null);
    }
    stateful = remembered;
    if (translated != null && hairpin() == Hairpin.Source.DEVICE) {
      return share(translated.rule(), ownOf(leaving()));
    }
    if (translated != null
        && !hairpinned
        && translated.rule() instanceof DestinationRule both
        && both.sources() != null) {
      Pool pool = both.sources().pool();
      return share(both, pool == null ? ownOf(leaving()) : pool.addresses());
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
    Interface side = sourceSide();
    return side == null ? end(Ruling.NO_ROUTE, null) : bound(rule.rule(), bind(rule, side));
  }

  /** Whether the packet may open a session: TCP by a SYN only, unless the device takes it so. */
  private boolean canOpen() {
    return packet.protocol != Protocol.TCP
        || packet.opensTcp()
        || program.device.state().midStream();
  }

  /** The rule for the source; null where the packet keeps it or has the device's own address. */
  private Translations.@Nullable Outbound outbound() {
    if (turned != null) {
      return turned;
    }
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
    if (turned != null) {
      return outsideOf(tables.ruleOf(reached));
    }
    return hairpin() == Hairpin.Source.EXTERNAL && translated != null && translated.facing() != null
        ? translated.facing().interfaces().get(0)
        : leaving();
  }

  private AddressSet ownOf(@Nullable Interface side) {
    return side == null ? AddressSet.NONE : program.ownOf(side);
  }

  /** The addresses that a rule for the source can give. */
  private AddressSet externals(Translations.Outbound rule, Interface side) {
    return rule.pool() == null ? program.ownOf(side) : rule.pool();
  }

  /** How state is kept for a rule. */
  private StateSettings settings(@Nullable TranslationRule rule) {
    StateSettings own = rule == null ? null : rule.state();
    return own != null ? own : program.device.state();
  }

  /** The binding by a rule for the source; a negative number, or {@link #UNSHAREABLE}, for none. */
  private int bind(Translations.Outbound rule, Interface side) {
    TranslationRule by = rule.rule();
    if (by instanceof DynamicRule) {
      return tables.borrow(by, packet, realm, program.realm(side), externals(rule, side));
    }
    return shareable()
        ? tables.share(by, packet, realm, program.realm(side), externals(rule, side), settings(by))
        : UNSHAREABLE;
  }

  private boolean shareable() {
    return Protocol.hasPorts(packet.protocol) || Icmp.isEchoRequest(packet.icmpType);
  }

  private @Nullable Ruling share(TranslationRule rule, AddressSet externals) {
    int to = program.realm(leaving());
    return bound(
        rule,
        shareable()
            ? tables.share(rule, packet, realm, to, externals, settings(rule))
            : UNSHAREABLE);
  }

  /** Goes on with a binding, or ends the packet for lack of one. */
  private @Nullable Ruling bound(TranslationRule rule, int made) {
    return switch (made) {
      case UNSHAREABLE -> end(Ruling.CANNOT_SHARE, rule);
      case DeviceTables.AT_ITS_LIMIT -> end(Ruling.PORT_LIMIT_REACHED, rule);
      case NONE ->
          end(rule instanceof DynamicRule ? Ruling.POOL_USED_UP : Ruling.PORTS_USED_UP, rule);
      default -> {
        binding = made;
        tables.leadFrom(made, packet);
        yield sourceTranslated(rule);
      }
    };
  }

  private @Nullable Ruling sourceTranslated(TranslationRule rule) {
    sourceRule = rule;
    say(Ruling.SOURCE_TRANSLATED, rule);
    return null;
  }

  /** The source that packets of the session leave with. */
  private void restoreSource() {
    Address before = packet.source();
    int port = packet.sourcePort;
    if (packet.inner == null) {
      tables.restoreSource(met, packet);
    } else if (!tables.leavingSource(met).equals(tables.arrivingSource(met))) {
      hideSender();
    }
    if (packet.source().equals(before) && packet.sourcePort == port) {
      say(Ruling.SOURCE_KEPT, null);
    } else {
      say(Ruling.SOURCE_RESTORED, asReply() ? tables.destinationRule(met) : tables.sourceRule(met));
    }
  }

  /**
   * Gives an error a source that the other side knows: that of the session if it comes from the far
   * end itself, else, from a router on the way, the device's own address (RFC 5508 REQ-5).
   */
  private void hideSender() {
    if (packet.source().equals(tables.arrivingSource(met))) {
      tables.restoreSource(met, packet);
      packet.sourcePort = 0;
      return;
    }
    Interface side = leaving();
    Address own = side == null ? null : side.address(packet.family);
    if (own != null) {
      packet.rewriteSource(own, 0);
    }
  }

  // Step 7.
  private Ruling stepSession() {
    if (met != NONE) {
      noteWay(met);
      if (packet.payload != null && tables.isFor(met, FileTransferGateway.CONTROL_PORT)) {
        passText(packet.payload);
      }
      return Ruling.SESSION_KNOWN;
    }
    if (!stateful) {
      return say(Ruling.SESSION_NOT_NEEDED, null);
    }
    recordSession();
    return say(Ruling.SESSION_RECORDED, null);
  }

  /** Remembers the way that a packet of a session went, for those that come after it. */
  private void noteWay(int reference) {
    if (packet.family != Family.IPV4
        || packet.inner != null
        || arriving == null
        || way == NONE
        || program.hasStatelessLists) {
      return;
    }
    if (way < MOST_WAYS && arrivingNumber < MOST_WAYS) {
      tables.noteWay(reference, (arrivingNumber + 1) << 16 | (way + 1));
    }
  }

  private void recordSession() {
    TranslationRule destinationRule =
        translated != null && !isUntouched()
            ? translated.rule()
            : reached != NONE ? tables.ruleOf(reached) : null;
    TranslationRule settingRule =
        sourceRule != null ? sourceRule : reached != NONE ? destinationRule : null;
    int recorded =
        tables.record(
            packet,
            forDevice ? realm : program.realm(leaving()),
            destinationRule,
            sourceRule,
            binding != NONE ? binding : reached,
            settings(settingRule));
    if (binding != NONE && reached != NONE) {
      tables.useSecond(recorded, reached);
    }
    if (packet.protocol == Protocol.TCP && !packet.opensTcp()) {
      tables.takeForEstablished(recorded);
    }
    noteWay(recorded);
  }

  /**
   * The application level gateway for file transfer: text that announces an endpoint of its sender
   * names the one by which the other side reaches it, and the data connection is expected.
   */
  private void passText(String text) {
    StateSettings settings = program.device.state();
    FileTransferGateway.Announced announced =
        settings.fileTransfer() ? FileTransferGateway.read(text) : null;
    Address sender = tables.arrivingSource(met);
    if (announced == null
        || (announced.address() != null && !announced.address().equals(sender.toString()))) {
      return; // nothing, or an endpoint of somebody else: nobody is let in for that
    }
    Address seenAs = tables.leavingSource(met);
    int port = announced.port();
    int made = NONE;
    if (!seenAs.equals(sender)) {
      TranslationRule rule = asReply() ? tables.destinationRule(met) : tables.sourceRule(met);
      boolean wholeAddress =
          rule instanceof DynamicRule
              || (rule instanceof StaticRule fixed && fixed.services().isEmpty());
      if (rule != null && !wholeAddress) {
        made = tables.bindAnnounced(met, rule, port, settings(rule));
        if (made < 0) {
          return; // no port is left for it
        }
        port = tables.externalPort(made);
      }
    }
    tables.expect(met, announced.port(), port, made, settings);
    packet.payload = FileTransferGateway.rewritten(text, seenAs, port);
    if (!packet.payload.equals(text)) {
      say(Ruling.TEXT_TRANSLATED, null);
    }
  }

  // What there is.

  /** The table of bindings: the permanent ones in the order of their rules, then the temporary. */
  public List<BindingRow> bindings() {
    List<BindingRow> rows = new ArrayList<>(program.translations.permanentRows(tables));
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

  /** How many sessions have ended because their time was up. */
  public long sessionsAged() {
    return tables.sessionsAged();
  }

  /** How many temporary bindings have ended with them. */
  public long bindingsAged() {
    return tables.bindingsAged();
  }

  /**
   * How much is given out of what the dynamic and shared rules have, in the order of the rules: for
   * a shared rule a line for each of TCP, UDP and ICMP.
   */
  public List<PoolFill> fills() {
    List<PoolFill> fills = new ArrayList<>();
    for (Translations.Outbound rule : program.translations.outbound) {
      boolean lends = rule.rule() instanceof DynamicRule;
      if (lends || rule.rule() instanceof SharedRule) {
        Interface side = rule.leaving().interfaces().get(0);
        fills.addAll(tables.fills(rule.rule(), externals(rule, side), lends));
      }
    }
    return fills;
  }

  /** Forgets every session and every temporary binding. */
  public void clear() {
    tables.clear();
  }
}
