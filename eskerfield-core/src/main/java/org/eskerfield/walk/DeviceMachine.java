// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Placed;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
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
import org.eskerfield.state.BindingRow;
import org.eskerfield.state.DeviceSnapshot;
import org.eskerfield.state.DeviceState;
import org.eskerfield.state.PoolFill;
import org.eskerfield.state.SessionRow;
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
  /** How many interfaces and routes have a number for {@link #noteWay}. */
  private static final int MOST_WAYS = 0xfffe;

  private final VirtualClock clock;
  private final DeviceState tables;

  // The packet in hand and who listens.
  private Packet packet;
  private @Nullable Narrator narrator;
  private @Nullable Witness witness;
  private int realm;
  private Address sentTo;
  private int sentToPort;

  /** The session whose opener begins anew, and that ends when the new one is recorded. */
  private int reopened;

  /** The rule whose internal side the packet inside an error was for; null for another. */
  private Translations.@Nullable Outbound errorRule;

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
  public Ruling arrive(Packet packet, Interface arriving, @Nullable Narrator narrator) {
    begin(arriving);
    realm = program.realm(arriving);
    if (this.packet != packet) { // to store a reference costs more than to look
      this.packet = packet;
    }
    if (narrator == null && witness == null && packet.isPlain() && packet.ttl > 1) {
      way = tables.pass(packet, realm, arrivingNumber + 1) - 1;
      if (way != NONE) {
        packet.ttl--;
        return Ruling.SESSION_KNOWN;
      }
    }
    takeInHand(narrator);
    return arrive(arriving);
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
    errorRule = null;
    lookUp();
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

  /** To whom the last packet was handed on its next network; only asked if it left. */
  public Address nextHop() {
    Address gateway = gateway();
    return gateway != null ? gateway : packet.destination();
  }

  /** The gateway that it was handed to; null if that was its own destination. */
  @Nullable Address gateway() {
    return way == NONE ? null : program.routes.way(way).via();
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
      return mirrored(Objects.requireNonNull(packet.inner));
    }
    Packet seen = packet.copy();
    if (asReply()) {
      tables.restoreSource(met, seen);
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
  boolean takeHop() {
    if (packet.ttl <= 1) {
      return false;
    }
    packet.ttl--;
    return true;
  }

  private boolean asReply() {
    return met != NONE && (met & 1) != 0;
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
            ? tables.borrow(rule, asked, realm, side, externals)
            : tables.share(rule, asked, realm, side, externals, settings(rule));
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
    if (narrator != null && arriving != null && packet.family == Family.IPV4) {
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
      reached = tables.bindingAt(mirrored(inner), realm);
      if (reached != NONE) {
        errorOfBinding = true;
        say(Ruling.ERROR_OF_BINDING, tables.ruleOf(reached));
        return null;
      }
      Row<Translations.Fixed> rules = program.translations.fixedFrom(arriving, arrivingNumber);
      Translations.Fixed fixed = rules.get(first(rules, Seen.INNER_ANSWERED));
      if (fixed != null) {
        errorOfBinding = true;
        translated = fixed.entry();
        say(Ruling.ERROR_OF_BINDING, fixed.rule());
        return null;
      }
      errorRule = fixedTowards();
      if (errorRule != null) {
        errorOfBinding = true;
        say(Ruling.ERROR_OF_BINDING, errorRule.rule());
        return null;
      }
      if (stands(inner)) {
        return end(Ruling.ERROR_UNMATCHED, null);
      }
    }
    say(Ruling.FLOW_IS_NEW, null);
    return null;
  }

  /** The static rule by which a reply would leave where the error leaves; null if there is none. */
  private Translations.@Nullable Outbound fixedTowards() {
    if (is(program.owned)) {
      return null;
    }
    Row<RouteTable.Entry> ways = program.ways(null);
    RouteTable.Entry way = ways.get(first(ways, Seen.NOW));
    if (way == null || way.leaving() == null || packet.family != Family.IPV4) {
      return null;
    }
    Translations.Outbound rule = outbound(way.leaving(), Seen.INNER_ANSWERED);
    return rule != null && rule.rule().isBothWays() ? rule : null;
  }

  /** Whether an end of the packet inside an error is one that a rule or binding stands on. */
  private boolean stands(Packet inner) {
    boolean bound =
        isBound(inner.source(), inner.sourcePort, inner)
            || isBound(inner.destination(), inner.destinationPort, inner);
    if (bound && witness != null) {
      witness.isPeculiar();
    }
    return bound || is(program.standing, Seen.INNER_ANSWERED);
  }

  private boolean isBound(Address address, int port, Packet about) {
    return program.claims.isNobodys(address)
        && tables.isBound(address, port, about.protocol, realm);
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
  @Override
  boolean restoredDestination() {
    if (met != NONE) {
      restoreDestination();
      if (witness != null) {
        witness.restoredDestination(met >> 1);
      }
      return true;
    }
    if (witness != null && reached != NONE) {
      witness.isPeculiar();
    }
    if (errorOfBinding && errorRule == null && packet.inner != null) {
      leadError(packet.inner);
      return true;
    }
    if (reached != NONE) {
      tables.leadTo(reached, packet);
      say(Ruling.DESTINATION_RESTORED, tables.ruleOf(reached));
      return true;
    }
    return false;
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
    if (witness != null && translated != null) {
      witness.rewrittenDestination(translated::rewrite);
    }
    TranslationRule rule = translated != null ? translated.rule() : tables.ruleOf(reached);
    translated = null; // its admission and hairpin are for packets that open something
    say(Ruling.DESTINATION_RESTORED, rule);
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

  // Steps 3 to 5.

  @Override
  void sawForDevice() {
    if (packet.inner == null) {
      tables.saw(met, packet);
    }
  }

  @Override
  @Nullable TranslationRule ruleOfSession() {
    return met != NONE && !asReply() ? tables.destinationRule(met) : null;
  }

  // Step 6.

  @Override
  boolean isTaken() {
    return tables.isTaken(packet, forDevice ? realm : program.realm(leaving()), reopened);
  }

  @Override
  @Nullable Ruling restoreSource() {
    if (met != NONE) {
      restoreSessionSource();
      if (witness != null) {
        witness.restoredSource(met >> 1, packet);
      }
      return null;
    }
    if (packet.inner != null) {
      stateful = false;
      keepErrorSource(packet.inner);
      return null;
    }
    return stepSourceOfInsider(Objects.requireNonNull(outside));
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
    Translations.Outbound rule = outbound(outside, Seen.AS_SENT);
    if (rule != null) {
      Ruling end = translateSource(rule, outside, Seen.AS_SENT);
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

  /** How state is kept for a rule. */
  private StateSettings settings(@Nullable TranslationRule rule) {
    StateSettings own = rule == null ? null : rule.state();
    return own != null ? own : program.device.state();
  }

  /** The source that packets of the session leave with. */
  private void restoreSessionSource() {
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
    InwardRule fixed = rule == null ? null : rule.rule().inward();
    Interface side = leaving();
    if (rule == null || side == null || fixed == null || rule.external() == null) {
      say(Ruling.SOURCE_KEPT, null);
      return;
    }
    Packet reply = mirrored(inner);
    Address external = fixed.internalBlock().moved(reply.source(), rule.external());
    Address own = side.address(packet.family);
    boolean fromEnd = packet.source().equals(inner.destination());
    int port = inner.destinationPort - (Protocol.hasPorts(inner.protocol) ? fixed.shift() : 0);
    inner.rewriteDestination(external, port);
    boolean changed = !external.equals(reply.source());
    if (changed && (fromEnd || own != null)) {
      packet.rewriteSource(fromEnd || own == null ? external : own, 0);
      if (witness != null && fromEnd) {
        witness.rewrittenSource(all -> rule.rewrite(all, side));
      } else if (witness != null) {
        witness.isPeculiar();
      }
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

  @Override
  Ruling stepKnownSession() {
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

  @Override
  void recordSession() {
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
    if (witness != null) {
      witness.recorded(recorded >> 1);
    }
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
      if (rule != null
          && rule.by(in -> !in.services().isEmpty(), out -> !out.lends(), both -> true)) {
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
    return tables.bindings();
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
      if (rule.rule().outward() != null) {
        boolean lends = rule.rule().lends();
        Interface side = rule.leaving().interfaces().get(0);
        AddressSet externals = rule.externals(program, side);
        fills.addAll(tables.fills(rule.rule(), externals, lends, side.network().realm()));
      }
    }
    return fills;
  }

  /** All that is known now, without any object of the run. */
  public DeviceSnapshot snapshot() {
    return tables.snapshot();
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
