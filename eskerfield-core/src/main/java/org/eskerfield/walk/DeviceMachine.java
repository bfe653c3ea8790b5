// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.List;
import java.util.Objects;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Condition;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.Match;
import org.eskerfield.program.Nearest;
import org.eskerfield.program.RouteTable;
import org.eskerfield.program.Row;
import org.eskerfield.program.Translations;
import org.eskerfield.state.DeviceState;
import org.eskerfield.state.VirtualClock;
import org.jspecify.annotations.Nullable;

/**
 * Runs the program of one device on packets, one after the other, and keeps its state between them.
 *
 * <p>Idea: it has one packet in hand, and answers for it what the steps of {@link DeviceWalk} ask.
 *
 * <p>A session remembers the way that its packets went, for each direction: where they came from
 * and where they left. The next packet that comes by the same interface goes the short way: lookup,
 * both rewrites, hop count, refresh. All that the other steps ask depends on the header, the
 * interface and the program alone, and these are the same; where it does not (stateless lists), no
 * way is remembered. A narrated packet goes the long way, with the same result.
 *
 * <p>Not safe for use by several threads.
 */
public final class DeviceMachine extends DeviceWalk {
  /** How many interfaces and routes have a number for {@link #notePath}. */
  private static final int MOST_PATHS = 0xfffe;

  private final VirtualClock clock;
  final DeviceState tables;
  private final IcmpErrors errors = new IcmpErrors(this);
  private final BindingHairpin hairpin = new BindingHairpin(this);
  private final AnnouncedText text = new AnnouncedText(this);
  private final SizeInHand size = new SizeInHand(this);

  // The packet in hand and who listens.
  Packet packet;
  private @Nullable Narrator narrator;
  @Nullable Witness witness;
  int realm;
  Address sentTo;
  int sentToPort;

  /** The session whose opener begins anew, and that ends when the new one is recorded. */
  private int reopened;

  /** A machine without any state yet. */
  public DeviceMachine(DeviceProgram program, VirtualClock clock) {
    this(program, clock, new DeviceState(clock, program));
  }

  /** A machine without any state yet, whose device had other rules before. */
  public DeviceMachine(
      DeviceProgram program, VirtualClock clock, List<List<TranslationRule>> earlier) {
    this(program, clock, new DeviceState(clock, program, earlier));
  }

  /** A machine with the state of another one. */
  public DeviceMachine(DeviceProgram program, VirtualClock clock, DeviceState state) {
    super(program);
    this.clock = clock;
    this.tables = state;
    // Nothing is read before a packet is there; they are never null to spare every step a check.
    this.sentTo = Address.lowest(Family.IPV4);
    this.packet = new Packet(sentTo, 0, sentTo, 0, 0, 0, 0);
  }

  /** The program that the machine runs. */
  public DeviceProgram program() {
    return program;
  }

  /** Lets somebody hear all that is asked of the packets; null for nobody. */
  void tell(@Nullable Witness witness) {
    this.witness = witness;
  }

  /**
   * Goes on with another policy of the same device. Sessions and their bindings stay, new flows ask
   * the new rules; where an interface has another address now, the bindings on the old one end.
   */
  public void goOnWith(DeviceProgram changed) {
    DeviceProgram before = program;
    program = changed;
    arriving = null;
    routeNumber = NONE;
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
  public Ruling arrive(Packet packet, Interface arriving, @Nullable Narrator narrator) {
    begin(arriving);
    realm = program.realm(arriving);
    if (this.packet != packet) { // to store a reference costs more than to look
      this.packet = packet;
    }
    if (narrator == null && witness == null && packet.isPlain() && packet.ttl > 1) {
      routeNumber = tables.pass(packet, realm, arrivingNumber + 1) - 1;
      if (routeNumber != NONE) {
        packet.ttl--;
        return Ruling.SESSION_KNOWN;
      }
    }
    this.narrator = narrator;
    Ruling kept = size.begin(packet, arriving);
    if (kept != null) {
      return kept;
    }
    takeInHand(narrator);
    return arrive(arriving);
  }

  /** The fragments that waited for the one that arrived last, and arrive after it. */
  List<Packet> released() {
    return size.released();
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
    RouteTable.Entry route = program.routes.to(packet.destination());
    begin(null);
    realm = program.realm(route == null ? null : route.leaving());
    this.packet = packet;
    size.begin(packet, null);
    takeInHand(narrator);
    if (witness != null) {
      witness.isOwn();
    }
    say(Ruling.SENT_BY_DEVICE, null);
    if (asReply()) {
      restoredDestination();
    }
    return onward();
  }

  private void takeInHand(@Nullable Narrator narrator) {
    this.narrator = narrator;
    sentTo = packet.destination();
    sentToPort = packet.destinationPort;
    errors.begin();
    lookUp();
  }

  /**
   * Looks for the session of the packet. A SYN from the opener of a TCP connection that is over is
   * a new flow: rules and lists are asked anew, and the old session ends when the new one is
   * recorded.
   */
  private void lookUp() {
    session = packet.inner == null ? tables.sessionOf(packet, realm) : NONE;
    reopened = NONE;
    if (session != NONE && !asReply() && packet.opensTcp() && tables.isOver(session)) {
      reopened = session >> 1;
      session = NONE;
    }
  }

  /** To whom the last packet was handed on its next network; only asked if it left. */
  public Address nextHop() {
    Address gateway = gateway();
    return gateway != null ? gateway : packet.destination();
  }

  /** The gateway that it was handed to; null if that was its own destination. */
  @Nullable Address gateway() {
    return routeNumber == NONE ? null : program.routes.entry(routeNumber).via();
  }

  // What is asked of the packet.

  @Override
  boolean is(Condition condition, Seen seen) {
    boolean yes = condition.holds(seen(seen), arriving == null, clock.now());
    if (witness != null) {
      witness.asked(condition, seen, yes);
    }
    return yes;
  }

  @Override
  int first(Row<?> row, Seen seen) {
    int first = row.first(seen(seen), arriving == null, clock.now());
    if (witness != null) {
      witness.asked(row, seen, first);
    }
    return first;
  }

  /** The packet as it is seen; as it was sent, a reply is the mirror image of its request. */
  private Packet seen(Seen how) {
    if (how == Seen.NOW) {
      return packet;
    }
    if (how == Seen.INNER_ANSWERED) {
      return Objects.requireNonNull(packet.inner).mirrored();
    }
    Packet seen = packet.copy();
    if (asReply()) {
      tables.restoreSource(session, seen);
    } else if (arriving != null) {
      seen.rewriteDestination(sentTo, sentToPort);
    }
    return seen;
  }

  @Override
  boolean canOpen() {
    if (packet.protocol == Protocol.TCP) {
      return packet.opensTcp() || program.device.state().midStream();
    }
    return !is(Condition.Kind.ICMP) || is(Condition.Kind.QUERY);
  }

  @Override
  boolean opensTcp() {
    return packet.opensTcp();
  }

  @Override
  boolean isReset() {
    return packet.protocol == Protocol.TCP && (packet.tcpFlags & Packet.RST) != 0;
  }

  @Override
  boolean isError() {
    return packet.inner != null;
  }

  @Override
  @Nullable SizeInHand size() {
    return packet.size == null ? null : size;
  }

  @Override
  boolean takeHop() {
    if (packet.ttl <= 1) {
      return false;
    }
    packet.ttl--;
    return true;
  }

  boolean asReply() {
    return session != NONE && (session & 1) != 0;
  }

  // What is done to it.

  @Override
  void translateDestination(Translations.Inbound rule) {
    rule.rewrite(packet);
    if (witness != null) {
      witness.rewrittenDestination(rule::rewrite);
    }
  }

  @Override
  void translateSource(Translations.Outbound rule, Interface side) {
    rule.rewrite(packet);
    if (witness != null) {
      witness.rewrittenSource(all -> rule.rewrite(all, side));
    }
  }

  @Override
  int bind(TranslationRule rule, Interface side, AddressSet externals, boolean whole, Seen seen) {
    Packet asked = seen(seen);
    int made =
        whole
            ? tables.lending().borrow(rule, asked, realm, side, externals)
            : tables.lending().share(rule, asked, realm, side, externals, settings(rule));
    if (made >= 0) {
      tables.leadFrom(made, packet);
      if (witness != null) {
        witness.rewrittenSource(all -> whole ? all.lends(externals) : all.shares(externals));
      }
    }
    return made;
  }

  @Override
  @Nullable Address external(int binding, AddressSet externals) {
    return binding < 0 ? null : tables.external(binding);
  }

  @Override
  void forgetUnused(int binding) {
    tables.forgetUnused(binding);
  }

  // Who listens.

  @Override
  Ruling say(Ruling ruling, @Nullable Placed by) {
    if (narrator != null) {
      narrator.decided(ruling, by, packet);
    }
    return ruling;
  }

  @Override
  void tellNearestRule() {
    if (narrator != null && arriving != null) {
      Nearest nearest = program.translations.nearest(packet, arriving, clock.now());
      if (nearest != null) {
        narrator.nearly(nearest.rule(), nearest.misses(), packet);
      }
    }
  }

  @Override
  void tellNearestAdmission(TranslationRule rule, Match admission) {
    Admission admit = rule.admit();
    if (narrator != null && admit != null) {
      narrator.nearly(admit, admission.misses(packet, false, clock.now()), packet);
    }
  }

  @Override
  void tellNearest(CompiledList guard) {
    if (narrator != null) {
      Packet seen = seen(asListsSeeIt());
      Nearest nearest = guard.nearest(seen, arriving == null, clock.now());
      if (nearest != null) {
        narrator.nearly(nearest.rule(), nearest.misses(), seen);
      }
    }
  }

  // Step 1.
  @Override
  @Nullable Ruling stepState() {
    if (packet.inner != null) {
      session = tables.sessionOfError(packet.inner, realm);
      if (session != NONE) {
        say(Ruling.ERROR_KNOWN, null);
        return null;
      }
      return errors.judge(packet.inner);
    }
    if (session != NONE) {
      say(Ruling.SESSION_KNOWN, null);
      return null;
    }
    if (packet.opensTcp()) {
      session = tables.expectations().fulfil();
      if (session != NONE) {
        say(Ruling.CONNECTION_EXPECTED, null);
        return null;
      }
    }
    destinationBinding = tables.filter().bindingAt(packet, realm);
    if (destinationBinding == NONE) {
      say(Ruling.FLOW_IS_NEW, null);
      return null;
    }
    TranslationRule rule = tables.ruleOf(destinationBinding);
    Interface madeFor = tables.leavingOf(destinationBinding);
    if (madeFor != null && arriving != null && !madeFor.name().equals(arriving.name())) {
      outside = madeFor;
      say(Ruling.BINDING_KNOWN_INSIDE, rule); // it is judged when its source is known
      return null;
    }
    StateSettings.Endpoints filtering = settings(rule).filtering();
    if (!tables
        .filter()
        .admits(destinationBinding, (int) packet.sourceLow, packet.sourcePort, filtering)) {
      return end(Ruling.BINDING_FILTERED, rule);
    }
    say(Ruling.BINDING_KNOWN, rule);
    return null;
  }

  // Step 2.
  @Override
  boolean restoredDestination() {
    if (session != NONE) {
      restoreDestination();
      if (witness != null) {
        witness.restoredDestination(session >> 1);
      }
      return true;
    }
    if (witness != null && destinationBinding != NONE) {
      witness.isPeculiar();
    }
    if (errorOfBinding && !errors.goesOut() && packet.inner != null) {
      errors.lead(packet.inner);
      return true;
    }
    if (destinationBinding != NONE) {
      tables.leadTo(destinationBinding, packet);
      say(Ruling.DESTINATION_RESTORED, tables.ruleOf(destinationBinding));
      return true;
    }
    return false;
  }

  /** The destination that packets of the session leave with; an error has no port. */
  private void restoreDestination() {
    tables.restoreDestination(session, packet);
    if (packet.inner != null) {
      packet.destinationPort = 0;
      tables.restoreInner(session, packet.inner);
    }
    if (packet.destination().equals(sentTo) && packet.destinationPort == sentToPort) {
      say(Ruling.DESTINATION_KEPT, null);
      return;
    }
    say(
        Ruling.DESTINATION_RESTORED,
        asReply() ? tables.sourceRule(session) : tables.destinationRule(session));
  }

  // Steps 3 to 5.

  @Override
  void sawForDevice() {
    if (packet.inner == null) {
      tables.saw(session, packet);
    }
  }

  @Override
  @Nullable TranslationRule ruleOfSession() {
    return session != NONE && !asReply() ? tables.destinationRule(session) : null;
  }

  // Step 6.

  @Override
  boolean isTaken() {
    return tables.isTaken(packet, forDevice ? realm : program.realm(leaving()), reopened);
  }

  @Override
  @Nullable Ruling restoreSource() {
    if (session != NONE) {
      restoreSessionSource();
      if (witness != null) {
        witness.restoredSource(session >> 1, packet);
      }
      return null;
    }
    if (packet.inner != null) {
      stateful = false;
      errors.keepSource(packet.inner);
      return null;
    }
    return hairpin.source(Objects.requireNonNull(outside));
  }

  /** How state is kept for a rule. */
  StateSettings settings(@Nullable TranslationRule rule) {
    StateSettings own = rule == null ? null : rule.state();
    return own != null ? own : program.device.state();
  }

  /** The source that packets of the session leave with. */
  private void restoreSessionSource() {
    Address before = packet.source();
    int port = packet.sourcePort;
    if (packet.inner == null) {
      tables.restoreSource(session, packet);
    } else if (!tables.leavingSource(session).equals(tables.arrivingSource(session))) {
      errors.hideSender();
    }
    if (packet.source().equals(before) && packet.sourcePort == port) {
      say(Ruling.SOURCE_KEPT, null);
    } else {
      say(
          Ruling.SOURCE_RESTORED,
          asReply() ? tables.destinationRule(session) : tables.sourceRule(session));
    }
  }

  // Step 7.

  @Override
  Ruling stepKnownSession() {
    if (packet.inner == null) {
      tables.saw(session, packet); // only what leaves refreshes
    }
    notePath(session);
    StateSettings settings = program.device.state();
    if (packet.payload != null
        && settings.fileTransfer()
        && settings.controlPorts().contains(tables.receiverPort(session))) {
      text.pass(packet.payload);
    }
    return Ruling.SESSION_KNOWN;
  }

  /** Remembers the way that a packet of a session went, for those that come after it. */
  private void notePath(int reference) {
    if (packet.family != Family.IPV4
        || packet.inner != null
        || arriving == null
        || routeNumber == NONE
        || program.hasStatelessLists) {
      return;
    }
    if (routeNumber < MOST_PATHS && arrivingNumber < MOST_PATHS) {
      tables.notePath(reference, (arrivingNumber + 1) << 16 | (routeNumber + 1));
    }
  }

  @Override
  void recordSession() {
    TranslationRule destinationRule =
        translated != null && !isUntouched()
            ? translated.rule()
            : destinationBinding != NONE ? tables.ruleOf(destinationBinding) : null;
    TranslationRule settingRule =
        sourceRule != null ? sourceRule : destinationBinding != NONE ? destinationRule : null;
    int recorded =
        tables.record(
            packet,
            forDevice ? realm : program.realm(leaving()),
            destinationRule,
            sourceRule,
            binding != NONE ? binding : destinationBinding,
            reopened,
            settings(settingRule));
    if (binding != NONE && destinationBinding != NONE && binding != destinationBinding) {
      tables.useSecond(recorded, destinationBinding);
    }
    if (packet.protocol == Protocol.TCP && !packet.opensTcp()) {
      tables.takeForEstablished(recorded);
    }
    notePath(recorded);
    if (witness != null) {
      witness.recorded(recorded >> 1);
    }
  }

  /** The sessions, bindings and ports of the device. */
  public DeviceState state() {
    return tables;
  }
}
