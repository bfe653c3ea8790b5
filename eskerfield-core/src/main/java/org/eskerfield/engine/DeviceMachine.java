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
import org.eskerfield.model.Site;
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

  /** The session whose opener begins anew, and that ends when the new one is recorded. */
  private int reopened;

  /** The interface for which the binding was made that an insider reached; null for no insider. */
  private @Nullable Interface outside;

  private Translations.@Nullable Inbound translated;
  private int binding;
  private boolean hairpinned;
  private @Nullable TranslationRule sourceRule;

  /** The number of the route by which the packet leaves; {@link #NONE} if it does not. */
  private int way;

  private boolean stateful;
  private boolean forDevice;

  /** Whether an ICMP error is about a packet of a static or live binding. */
  private boolean errorOfBinding;

  /** The rule whose internal side the packet inside such an error was for; null for another. */
  private Translations.@Nullable Outbound errorRule;

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
          tables.endOver(address, before.realm(own));
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
    lookUp();
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
      end = stepDevice();
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
    lookUp();
    begin(narrator);
    say(Ruling.SENT_BY_DEVICE, null);
    if (asReply()) {
      restoreDestination();
    }
    Ruling end = stepDevice();
    return end != null ? end : onward();
  }

  /**
   * Looks for the session of the packet. A SYN from the opener of a TCP connection that is over is
   * a new flow: rules and lists are asked anew, and the old session ends when the new one is
   * recorded.
   */
  private void lookUp() {
    met = packet.inner == null ? tables.sessionOf(packet, realm) : NONE;
    reopened = NONE;
    if (met != NONE && !asReply() && packet.opensTcp() && tables.isOver(met)) {
      reopened = met >> 1;
      met = NONE;
    }
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
    outside = null;
    translated = null;
    sourceRule = null;
    binding = NONE;
    hairpinned = false;
    way = NONE;
    stateful = false;
    forDevice = false;
    errorOfBinding = false;
    errorRule = null;
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
      if (met != NONE) {
        say(Ruling.ERROR_KNOWN, null);
        return null;
      }
      return stepErrorOfNoSession(packet.inner);
    }
    if (met != NONE) {
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
    TranslationRule rule = tables.ruleOf(reached);
    Interface madeFor = tables.leavingOf(reached);
    if (madeFor != null && arriving != null && !madeFor.name().equals(arriving.name())) {
      outside = madeFor;
      say(Ruling.BINDING_KNOWN_INSIDE, rule); // it is judged when its source is known
      return null;
    }
    StateSettings.Endpoints filtering = settings(rule).filtering();
    if (!tables.admits(reached, (int) packet.sourceLow, packet.sourcePort, filtering)) {
      return end(Ruling.BINDING_FILTERED, rule);
    }
    say(Ruling.BINDING_KNOWN, rule);
    return null;
  }

  /**
   * An error about a packet of no session: one of a binding is translated; one about an endpoint
   * that is translated here, but not for this packet, is dropped (RFC 5508 REQ-4); any other is an
   * ordinary packet.
   */
  private @Nullable Ruling stepErrorOfNoSession(Packet inner) {
    if (inner.family == Family.IPV4 && arriving != null) {
      Packet reply = mirrored(inner);
      reached = tables.bindingAt(reply, realm);
      if (reached != NONE) {
        errorOfBinding = true;
        say(Ruling.ERROR_OF_BINDING, tables.ruleOf(reached));
        return null;
      }
      Translations.Inbound fixed = program.translations.fixedFor(reply, arriving);
      if (fixed != null) {
        errorOfBinding = true;
        translated = fixed;
        say(Ruling.ERROR_OF_BINDING, fixed.rule());
        return null;
      }
      errorRule = fixedFrom(reply);
      if (errorRule != null) {
        errorOfBinding = true;
        say(Ruling.ERROR_OF_BINDING, errorRule.rule());
        return null;
      }
      if (stands(inner.source(), inner.sourcePort, inner)
          || stands(inner.destination(), inner.destinationPort, inner)) {
        return end(Ruling.ERROR_UNMATCHED, null);
      }
    }
    say(Ruling.FLOW_IS_NEW, null);
    return null;
  }

  /** The static rule by which a reply would leave where the error leaves; null if there is none. */
  private Translations.@Nullable Outbound fixedFrom(Packet reply) {
    if (program.owns(packet.destination())) {
      return null;
    }
    Interface towards = program.towards(packet.destination());
    Translations.Outbound rule =
        program.translations.outboundFor(reply, towards, false, clock.now());
    return rule != null && rule.rule() instanceof StaticRule ? rule : null;
  }

  /** Whether an endpoint is one that a rule or binding of the device stands on. */
  private boolean stands(Address address, int port, Packet about) {
    return program.claims.isNobodys(address)
        && (program.translations.standsOn(address, port, about.protocol)
            || tables.isBound(address, port, about.protocol, realm));
  }

  /** A packet that answers another one. */
  private static Packet mirrored(Packet packet) {
    return new Packet(
        /* source= */ packet.destination(),
        /* sourcePort= */ packet.destinationPort,
        /* destination= */ packet.source(),
        /* destinationPort= */ packet.sourcePort,
        packet.protocol,
        packet.icmpType,
        packet.tcpFlags);
  }

  // Step 2.
  private @Nullable Ruling stepDestination(Interface arriving) {
    if (met != NONE) {
      restoreDestination();
      return null;
    }
    if (errorOfBinding && errorRule == null && packet.inner != null) {
      leadError(packet.inner);
      return null;
    }
    if (reached != NONE) {
      tables.leadTo(reached, packet);
      say(Ruling.DESTINATION_RESTORED, tables.ruleOf(reached));
      return null;
    }
    if (packet.inner != null) {
      say(Ruling.DESTINATION_KEPT, null);
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
      return null;
    }
    if (program.isUnmatched(packet, arriving)) {
      return end(Ruling.DESTINATION_UNMATCHED, null);
    }
    say(Ruling.DESTINATION_KEPT, null);
    return null;
  }

  /** Leads an error to the user of a binding, and shows him his own packet in it. */
  private void leadError(Packet inner) {
    Packet reply = mirrored(inner);
    if (reached != NONE) {
      tables.leadTo(reached, reply);
    } else if (translated != null) {
      translated.rewrite(reply);
    }
    inner.rewriteSource(reply.destination(), reply.destinationPort);
    packet.rewriteDestination(reply.destination(), 0);
    TranslationRule rule = translated != null ? translated.rule() : tables.ruleOf(reached);
    translated = null; // its admission and hairpin are for packets that open something
    say(Ruling.DESTINATION_RESTORED, rule);
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
  private @Nullable Ruling stepDevice() {
    if (!program.owns(packet.destination())) {
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
    if (met != NONE || errorOfBinding) {
      if (packet.inner == null) {
        tables.saw(met, packet);
      }
      return say(Ruling.DEVICE_RECEIVES, null);
    }
    if (packet.inner != null) {
      return end(Ruling.ERROR_UNMATCHED, null);
    }
    DeviceProgram.Own closed = null;
    for (DeviceProgram.Own own : program.services) {
      Set<Match.Field> misses = own.match().misses(packet, false, clock.now());
      if (misses.isEmpty()) {
        return serve(own.service());
      }
      if (!misses.contains(Match.Field.SERVICE)) {
        closed = own;
      }
    }
    Stance stance = program.device.stance();
    boolean refuses = // nothing is hidden from the device itself
        arriving == null
            || isAdmitted()
            || stance.actionFor(arriving.network().zone(), Site.SELF) != Action.DROP;
    if (refuses) {
      return refuse(closed == null ? arriving : closed.service());
    }
    return closed == null
        ? end(Ruling.DEVICE_NOT_ADMITTED, arriving)
        : end(Ruling.DEVICE_SERVICE_CLOSED, closed.service());
  }

  private boolean isPing() {
    return Icmp.isEchoRequest(packet.icmpType);
  }

  /** The device's own service takes the packet, if it opens something; else it is refused. */
  private Ruling serve(Placed service) {
    if (!canOpen()) {
      return refuse(service);
    }
    if (!tables.isTaken(packet, realm, reopened)) {
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
    if (isPing()) {
      return end(Ruling.DEVICE_SILENT, by);
    }
    boolean reset = packet.protocol == Protocol.TCP && (packet.tcpFlags & Packet.RST) != 0;
    if (Protocol.isIcmp(packet.protocol) || reset) {
      return end(Ruling.DEVICE_NOT_ADMITTED, by);
    }
    boolean waits =
        !program.device.state().synWait().isZero()
            && packet.opensTcp()
            && program.shared.contains(sentTo);
    return end(waits ? Ruling.DEVICE_REFUSES_LATER : Ruling.DEVICE_REFUSES, by);
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
    Ruling end = forDevice ? null : judgeByAdmission();
    return end != null ? end : judgeByLists(leaving);
  }

  /** Whether the rule that took the packet says itself who is let in. */
  private boolean isAdmitted() {
    return translated != null && translated.admission() != null;
  }

  private @Nullable Ruling judgeByAdmission() {
    if (translated == null || translated.admission() == null) {
      return null;
    }
    Set<Match.Field> misses = translated.admission().misses(packet, false, clock.now());
    TranslationRule rule = translated.rule();
    if (misses.isEmpty()) {
      say(Ruling.ADMITTED, rule);
      return null;
    }
    Admission admit = admission(rule);
    if (narrator != null && admit != null) {
      narrator.nearly(admit, misses, packet);
    }
    return end(Ruling.NOT_ADMITTED, rule);
  }

  private static @Nullable Admission admission(TranslationRule rule) {
    return rule instanceof InwardRule inward ? inward.admit() : null;
  }

  /** Asks the lists that guard the way, or the stance where none does. */
  private @Nullable Ruling judgeByLists(@Nullable Interface leaving) {
    boolean settled = met != NONE || errorOfBinding || isAdmitted();
    List<CompiledList> guards = program.guards(arriving, leaving);
    for (CompiledList guard : guards) {
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
    if (!guards.isEmpty() || arriving == null || leaving == null) {
      return null;
    }
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
    if (own) {
      return null; // of its own packets only rules that name the device are asked
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
    if (packet.inner != null) {
      stateful = false;
      keepErrorSource(packet.inner);
      return null;
    }
    if (outside != null) {
      return stepSourceOfInsider(outside);
    }
    Translations.Outbound rule = outbound();
    stateful |= rule != null || translated != null || reached != NONE || arriving == null;
    if (stateful && !canOpen()) {
      if (arriving != null) {
        // Said before a port is taken: state is made only for a packet that leaves.
        return end(Ruling.NOT_AN_OPENING, null);
      }
      stateful = false; // a reset of the device's own, say
      say(Ruling.SOURCE_KEPT, null);
      return null;
    }
    if (translated != null && hairpin() == Hairpin.Source.DEVICE) {
      return share(translated.rule(), ownOf(leaving()));
    }
    if (translated != null
        && !hairpinned
        && translated.rule() instanceof DestinationRule both
        && both.sources() != null) {
      Pool pool = both.sources().pool();
      return share(both, pool == null ? ownOf(leaving()) : program.translations.sharable(pool));
    }
    if (rule == null) {
      return keepSource();
    }
    Interface side = sourceSide();
    return side == null ? end(Ruling.NO_ROUTE, null) : translateSource(rule, side, packet);
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
  private boolean isTranslated() {
    return reached != NONE || sourceRule != null || (translated != null && !isUntouched());
  }

  /** Whether the session of the packet as it is now would have a header of another one. */
  private boolean isTaken() {
    return tables.isTaken(packet, program.realm(leaving()), reopened);
  }

  /**
   * Gives the packet the source that a rule says.
   *
   * @param asSent the packet with the destination that counts for the binding
   */
  private @Nullable Ruling translateSource(
      Translations.Outbound rule, Interface side, Packet asSent) {
    if (!(rule.rule() instanceof StaticRule fixed) || rule.external() == null) {
      return bound(rule.rule(), bind(rule, side, asSent));
    }
    packet.rewriteSource(
        StaticRule.moved(packet.source(), fixed.internalBlock(), rule.external()),
        externalPort(fixed));
    if (outside == null && isTaken()) {
      return end(Ruling.ENDPOINT_IN_USE, fixed);
    }
    return sourceTranslated(fixed);
  }

  private int externalPort(StaticRule fixed) {
    return packet.sourcePort - (Protocol.hasPorts(packet.protocol) ? fixed.shift() : 0);
  }

  /**
   * An insider who speaks to the binding of another one (RFC 4787 REQ-9): its packet leaves by the
   * other one's external side, so to say, and comes in again. It gets the source that it would have
   * outside, and the binding judges that one. If it does not let it in, what was made stays, since
   * the packet was outside.
   */
  private @Nullable Ruling stepSourceOfInsider(Interface outside) {
    if (!canOpen()) {
      return end(Ruling.NOT_AN_OPENING, null);
    }
    stateful = true;
    Packet asSent = packet.copy();
    asSent.rewriteDestination(sentTo, sentToPort);
    Packet arrived = asSent.copy();
    Translations.Outbound rule =
        program.translations.outboundFor(asSent, outside, false, clock.now());
    if (rule != null) {
      Ruling end = translateSource(rule, outside, asSent);
      if (end != null) {
        return end;
      }
    }
    TranslationRule owner = tables.ruleOf(reached);
    StateSettings.Endpoints filtering = settings(owner).filtering();
    int sender = (int) packet.sourceLow;
    boolean speaksToItself =
        binding == reached
            && (filtering == StateSettings.Endpoints.ADDRESS_DEPENDENT
                || packet.sourcePort == sentToPort);
    if (speaksToItself || tables.admits(reached, sender, packet.sourcePort, filtering)) {
      if (isTaken()) {
        tables.forgetUnused(binding);
        return end(Ruling.ENDPOINT_IN_USE, owner);
      }
      if (rule == null) {
        say(Ruling.SOURCE_KEPT, null);
      }
      return null;
    }
    if (rule != null && binding != NONE) {
      asSent.rewriteSource(packet.source(), packet.sourcePort);
      tables.cameBack(arrived, asSent, rule.rule(), binding, settings(rule.rule()));
    }
    return end(Ruling.BINDING_FILTERED, owner);
  }

  /**
   * Whether the packet may open a session: TCP by a SYN only, unless the device takes it so, and
   * ICMP by a query.
   */
  private boolean canOpen() {
    if (packet.protocol == Protocol.TCP) {
      return packet.opensTcp() || program.device.state().midStream();
    }
    return !Protocol.isIcmp(packet.protocol) || Icmp.isQuery(packet.icmpType);
  }

  /** The rule for the source; null where the packet keeps it or has the device's own address. */
  private Translations.@Nullable Outbound outbound() {
    Hairpin.Source source = hairpin();
    if (isUntouched() || source == Hairpin.Source.DEVICE || source == Hairpin.Source.KEPT) {
      return null;
    }
    Packet asked = packet;
    if (source == Hairpin.Source.EXTERNAL) { // as if it left by the external side
      asked = packet.copy();
      asked.rewriteDestination(sentTo, sentToPort);
    }
    return program.translations.outboundFor(asked, sourceSide(), arriving == null, clock.now());
  }

  /** What the source of a hairpinned packet becomes; null for every other packet. */
  private Hairpin.@Nullable Source hairpin() {
    return hairpinned && translated != null && translated.hairpin() != null
        ? translated.hairpin().source()
        : null;
  }

  /**
   * The interface whose side decides the source: where the packet leaves, but where the external
   * address is at home for a hairpinned packet that is to look as it would outside; null where that
   * is nowhere.
   */
  private @Nullable Interface sourceSide() {
    return hairpin() == Hairpin.Source.EXTERNAL && translated != null
        ? translated.home()
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
  private int bind(Translations.Outbound rule, Interface side, Packet asSent) {
    TranslationRule by = rule.rule();
    if (by instanceof DynamicRule) {
      return tables.borrow(by, asSent, realm, side, externals(rule, side));
    }
    return shareable()
        ? tables.share(by, asSent, realm, side, externals(rule, side), settings(by))
        : UNSHAREABLE;
  }

  private boolean shareable() {
    return Protocol.hasPorts(packet.protocol) || Icmp.isEchoRequest(packet.icmpType);
  }

  private @Nullable Ruling share(TranslationRule rule, AddressSet externals) {
    Interface leaving = leaving();
    return bound(
        rule,
        shareable() && leaving != null
            ? tables.share(rule, packet, realm, leaving, externals, settings(rule))
            : UNSHAREABLE);
  }

  /** Goes on with a binding, or ends the packet for lack of one. */
  private @Nullable Ruling bound(TranslationRule rule, int made) {
    if (made < 0) {
      return switch (made) {
        case UNSHAREABLE -> end(Ruling.CANNOT_SHARE, rule);
        case DeviceTables.AT_ITS_LIMIT -> end(Ruling.PORT_LIMIT_REACHED, rule);
        default ->
            end(rule instanceof DynamicRule ? Ruling.POOL_USED_UP : Ruling.PORTS_USED_UP, rule);
      };
    }
    boolean claimed = tables.isClaimed(made, packet);
    tables.leadFrom(made, packet);
    if (claimed || (outside == null && isTaken())) {
      tables.forgetUnused(made);
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
   * The source of an error about a packet of no session: one from inside about a packet to the
   * internal side of a static rule shows the external side of it.
   */
  private void keepErrorSource(Packet inner) {
    Translations.Outbound rule = errorRule;
    Interface side = leaving();
    if (rule == null
        || side == null
        || !(rule.rule() instanceof StaticRule fixed)
        || rule.external() == null) {
      say(Ruling.SOURCE_KEPT, null);
      return;
    }
    Packet reply = mirrored(inner);
    Address external = StaticRule.moved(reply.source(), fixed.internalBlock(), rule.external());
    Address own = side.address(packet.family);
    boolean fromEnd = packet.source().equals(inner.destination());
    int port = inner.destinationPort - (Protocol.hasPorts(inner.protocol) ? fixed.shift() : 0);
    inner.rewriteDestination(external, port);
    boolean changed = !external.equals(reply.source());
    if (changed && (fromEnd || own != null)) {
      packet.rewriteSource(fromEnd || own == null ? external : own, 0);
    }
    say(Ruling.SOURCE_RESTORED, fixed);
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
      if (packet.inner == null) {
        tables.saw(met, packet); // only what leaves refreshes
      }
      noteWay(met);
      StateSettings settings = program.device.state();
      if (packet.payload != null
          && settings.fileTransfer()
          && settings.controlPorts().contains(tables.receiverPort(met))) {
        passText(packet.payload);
      }
      return Ruling.SESSION_KNOWN;
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
            reopened,
            settings(settingRule));
    if (binding != NONE && reached != NONE && binding != reached) {
      tables.useSecond(recorded, reached);
    }
    if (packet.protocol == Protocol.TCP && !packet.opensTcp()) {
      tables.takeForEstablished(recorded);
    }
    noteWay(recorded);
  }

  /**
   * The application level gateway for file transfer: text that announces an endpoint of its sender
   * names the one by which the other side reaches it, and the data connection is expected. The text
   * is a stream of lines: several may come in one segment, and one in several; the beginning of an
   * announcement is kept back until its end comes.
   */
  private void passText(String payload) {
    String text = tables.takeUnfinished(met) + payload;
    StringBuilder passed = new StringBuilder();
    int from = 0;
    for (int end = text.indexOf('\n'); end >= 0; end = text.indexOf('\n', from)) {
      passed.append(passLine(text.substring(from, end + 1)));
      from = end + 1;
    }
    String rest = text.substring(from);
    if (FileTransferGateway.mayAnnounce(rest)) {
      tables.keepUnfinished(met, rest);
    } else {
      passed.append(rest);
    }
    packet.payload = passed.toString();
    if (!packet.payload.equals(payload)) {
      say(Ruling.TEXT_TRANSLATED, null);
    }
  }

  private String passLine(String line) {
    StateSettings settings = program.device.state();
    FileTransferGateway.Announced announced = FileTransferGateway.read(line);
    Address sender = tables.arrivingSource(met);
    Interface leaving = leaving();
    if (announced == null
        || leaving == null
        || (announced.address() != null && !announced.address().equals(sender.toString()))) {
      return line; // nothing, or an endpoint of somebody else: nobody is let in for that
    }
    Address seenAs = tables.leavingSource(met);
    int port = announced.port();
    int made = NONE;
    if (!seenAs.equals(sender)) {
      TranslationRule rule = asReply() ? tables.destinationRule(met) : tables.sourceRule(met);
      boolean wholeAddress =
          rule instanceof DynamicRule
              || (rule instanceof InwardRule inward && inward.services().isEmpty());
      if (rule != null && !wholeAddress) {
        made = tables.bindAnnounced(met, rule, port, leaving, settings(rule));
        if (made < 0) {
          return line; // no port is left for it
        }
        port = tables.externalPort(made);
      }
    }
    tables.expect(met, announced.port(), port, made, settings);
    return FileTransferGateway.rewritten(line, seenAs, port);
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
        fills.addAll(
            tables.fills(rule.rule(), externals(rule, side), lends, side.network().realm()));
      }
    }
    return fills;
  }

  /** Forgets the sessions from and to some addresses, and the temporary bindings of these. */
  public void forget(AddressSet addresses) {
    tables.forget(addresses);
  }

  /** Forgets every session and every temporary binding. */
  public void clear() {
    tables.clear();
  }
}
