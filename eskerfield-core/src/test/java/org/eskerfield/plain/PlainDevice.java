// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.plain;

import static org.eskerfield.plain.PlainPolicy.realm;
import static org.eskerfield.plain.PlainPolicy.same;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Pool;
import org.eskerfield.model.PrefixRule;
import org.eskerfield.model.SharedRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.StaticRule;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/** One device with its state: flows and ties, in lists. */
final class PlainDevice {
  /** Both ends of a packet. */
  record Ends(Address from, int fromPort, Address to, int toPort, int protocol) {
    static Ends of(Packet p) {
      return new Ends(p.source(), p.sourcePort, p.destination(), p.destinationPort, p.protocol);
    }

    Ends back() {
      return new Ends(to, toPort, from, fromPort, protocol);
    }
  }

  /** Whose a tie is. */
  record Owner(String kind, String name, int nth, AddressSet pool) {}

  /** An internal endpoint, or address if the ports are -1, tied to an external one. */
  private static final class Tie {
    final Owner owner;
    final TranslationRule rule;
    final Address inside;
    final int port;
    final String insideRealm;
    final Address outside;
    final int outsidePort;
    final String outsideRealm;
    final int protocol;
    final @Nullable Address remote;
    final int remotePort;
    final Interface madeFor;

    Tie(
        Owner owner,
        TranslationRule rule,
        Packet packet,
        boolean whole,
        String insideRealm,
        Address outside,
        int outsidePort,
        @Nullable Address remote,
        int remotePort,
        Interface madeFor) {
      this.owner = owner;
      this.rule = rule;
      this.inside = packet.source();
      this.port = whole ? -1 : packet.sourcePort;
      this.insideRealm = insideRealm;
      this.outside = outside;
      this.outsidePort = whole ? -1 : outsidePort;
      this.outsideRealm = realm(madeFor);
      this.protocol = whole ? -1 : packet.protocol;
      this.remote = remote;
      this.remotePort = remotePort;
      this.madeFor = madeFor;
    }

    boolean isWhole() {
      return port < 0;
    }

    boolean standsOn(Address address, int at, int ofProtocol, String inRealm) {
      return outside.equals(address)
          && outsideRealm.equals(inRealm)
          && (isWhole() || (outsidePort == at && protocol == ofProtocol));
    }
  }

  private static final class Flow {
    Ends came;
    String cameFrom;
    Ends went;
    String wentTo;
    @Nullable Tie own;
    @Nullable Tie reached;
    @Nullable TranslationRule destinationRule;
    StateSettings settings;
    boolean cameBack;
    String tcp = "opening";
    boolean finByOpener;
    boolean finByOther;
    boolean reset;
    long until;

    Flow(Ends came, String cameFrom, Ends went, String wentTo, StateSettings settings) {
      this.came = came;
      this.cameFrom = cameFrom;
      this.went = went;
      this.wentTo = wentTo;
      this.settings = settings;
    }

    Set<Tie> ties() {
      Set<Tie> ties = new LinkedHashSet<>();
      if (own != null) {
        ties.add(own);
      }
      if (reached != null) {
        ties.add(reached);
      }
      return ties;
    }

    boolean isOver() {
      return reset || (finByOpener && finByOther);
    }
  }

  private record Rest(Address address, String realm, int protocol, int port, long until) {}

  /** How a packet ended; {@link #PASSED} if it did not. */
  enum End {
    PASSED,
    RECEIVED,
    DROPPED,
    REJECTED,
    REFUSED,
    SILENT,
    EXHAUSTED,
    UNROUTABLE
  }

  final PlainPolicy policy;
  private final Device device;
  private final ZonedDateTime start;
  private List<Flow> flows = new ArrayList<>();
  private final List<Rest> resting = new ArrayList<>();
  private long now;

  /** Where the last packet left, and to whom it was handed. */
  @Nullable Interface leaving;

  @Nullable Address nextHop;

  // The packet in hand.
  private Packet packet;
  private Ends asItCame;
  private @Nullable Interface arriving;
  private String realm = "";
  private @Nullable Flow known;
  private @Nullable Flow reopened;
  private @Nullable Tie reached;
  private boolean insider;
  private @Nullable InwardRule taken;
  private boolean untouched;
  private boolean hairpinned;

  PlainDevice(Site site, Device device, ZonedDateTime start) {
    this.policy = new PlainPolicy(site, device);
    this.device = device;
    this.start = start;
    this.packet =
        new Packet(Address.lowest(Family.IPV4), 0, Address.lowest(Family.IPV4), 0, 0, -1, 0);
    this.asItCame = Ends.of(packet);
  }

  private ZonedDateTime clock() {
    return start.plus(Duration.ofMillis(now));
  }

  // Time and state.

  void pass(long millis) {
    now += millis;
    List<Flow> due = new ArrayList<>(flows.stream().filter(flow -> flow.until <= now).toList());
    due.sort(Comparator.comparingLong(flow -> flow.until));
    due.forEach(flow -> end(flow, flow.until));
    resting.removeIf(rest -> rest.until <= now);
  }

  private void end(Flow flow, long when) {
    flows.remove(flow);
    for (Tie tie : flow.ties()) {
      if (!tie.isWhole() && flows.stream().noneMatch(other -> other.ties().contains(tie))) {
        long rest = settings(tie.rule).ports().holdDown().toMillis();
        resting.add(
            new Rest(tie.outside, tie.outsideRealm, tie.protocol, tie.outsidePort, when + rest));
      }
    }
  }

  void clear() {
    flows = new ArrayList<>();
    resting.clear();
    identified.clear();
  }

  int flowCount() {
    return flows.size();
  }

  int tieCount() {
    return ties().size();
  }

  /** The flows, for messages. */
  List<String> table() {
    return flows.stream()
        .map(flow -> flow.came + " as " + flow.went + " " + flow.tcp + " until " + flow.until)
        .sorted()
        .toList();
  }

  private Set<Tie> ties() {
    Set<Tie> all = new LinkedHashSet<>();
    flows.forEach(flow -> all.addAll(flow.ties()));
    return all;
  }

  /** The packets that are waited for, with the realm that they come from. */
  List<Ends> awaited() {
    return flows.stream().map(flow -> flow.went.back()).toList();
  }

  private StateSettings settings(@Nullable TranslationRule rule) {
    StateSettings own = rule == null ? null : rule.state();
    return own == null ? device.state() : own;
  }

  private static long idle(Flow flow, int protocol) {
    StateSettings.Timers timers = flow.settings.timers();
    Duration time =
        switch (protocol) {
          case Protocol.UDP -> timers.udp();
          case Protocol.ICMP, Protocol.ICMPV6 -> timers.icmp();
          case Protocol.TCP ->
              flow.tcp.equals("open") ? timers.tcpEstablished() : timers.tcpTransitory();
          default -> timers.other();
        };
    return time.toMillis();
  }

  private void left(Flow flow, boolean byOpener, int protocol, int flags) {
    if (protocol != Protocol.TCP) {
      boolean opener = flow.own != null || flow.reached == null;
      boolean other = flow.reached != null || flow.own == null;
      if (flow.settings.inboundRefreshes() || (byOpener ? opener : other)) {
        flow.until = now + idle(flow, protocol);
      }
      return;
    }
    if ((flags & Packet.RST) != 0) {
      flow.reset = true;
      long transitory = flow.settings.timers().tcpTransitory().toMillis();
      flow.until = Math.min(flow.until, now + transitory);
      return;
    }
    flow.reset = false;
    boolean syn = (flags & Packet.SYN) != 0;
    boolean ack = (flags & Packet.ACK) != 0;
    if (flow.tcp.equals("opening") && !byOpener && syn) {
      flow.tcp = "answered";
    } else if (flow.tcp.equals("answered") && byOpener && ack) {
      flow.tcp = "open";
    }
    if ((flags & Packet.FIN) != 0) {
      flow.finByOpener |= byOpener;
      flow.finByOther |= !byOpener;
      if (flow.finByOpener && flow.finByOther) {
        flow.tcp = "closing";
      }
    }
    flow.until = now + idle(flow, protocol);
  }

  private boolean byOpener(Flow flow) {
    return flow.came.equals(asItCame) && flow.cameFrom.equals(realm);
  }

  private @Nullable Flow find(Ends ends, String from) {
    for (Flow flow : flows) {
      boolean opener = flow.came.equals(ends) && flow.cameFrom.equals(from);
      if (flow.cameBack) {
        continue; // no packet that could arrive is of it
      }
      if (opener || (flow.went.back().equals(ends) && flow.wentTo.equals(from))) {
        return flow;
      }
    }
    return null;
  }

  /** The header of a flow that is no packet's that could arrive. */
  private void record(Ends went, String wentTo, TranslationRule rule, Tie own) {
    for (Flow flow : flows) {
      if (flow.cameBack && flow.went.equals(went) && flow.wentTo.equals(wentTo)) {
        left(flow, true, packet.protocol, packet.tcpFlags);
        return;
      }
    }
    Flow flow = new Flow(went, wentTo, went, wentTo, settings(rule));
    flow.cameBack = true;
    flow.own = own;
    add(flow);
  }

  private void add(Flow flow) {
    if (packet.protocol == Protocol.TCP && !packet.opensTcp()) {
      flow.tcp = "open";
    }
    flow.until = now + idle(flow, flow.came.protocol);
    Flow old = reopened;
    flows.add(flow);
    if (old != null) {
      end(old, now);
      reopened = null;
    }
  }

  // The packet's way.

  private void begin(Packet given, @Nullable Interface by) {
    packet = given;
    arriving = by;
    asItCame = Ends.of(given);
    known = null;
    reopened = null;
    reached = null;
    insider = false;
    taken = null;
    untouched = false;
    hairpinned = false;
    errorIsKnown = false;
    errorSeenAs = null;
    errorShown = null;
    errorIs = null;
    errorSender = null;
    leaving = null;
    nextHop = null;
    pieces = "";
    unfit = 0;
  }

  private void lookUp() {
    known = find(asItCame, realm);
    if (known != null && known.isOver() && byOpener(known) && packet.opensTcp()) {
      reopened = known;
      known = null;
    }
  }

  /** A packet comes in; it is changed in place. */
  End arrive(Packet given, Interface by) {
    begin(given, by);
    realm = realm(by);
    if (!by.isUp()) {
      return End.UNROUTABLE;
    }
    Address source = given.source();
    if (policy.isOwnIn(source, realm)
        || SpecialAddresses.NEVER_A_SOURCE.contains(source)
        || SpecialAddresses.MULTICAST_OR_BROADCAST.contains(given.destination())
        || (given.destination().high() >>> 54 == 0xfe80 >> 6
            && !policy.isOwn(given.destination()))) {
      return End.DROPPED;
    }
    for (Interface own : device.interfaces()) {
      for (Prefix prefix : own.network().prefixes()) {
        if (prefix.isNetworkOrBroadcast(given.destination())) {
          return End.DROPPED;
        }
      }
    }
    if (device.verifySource()) {
      PlainPolicy.Way back = policy.way(source, null);
      if (back == null || !same(back.leaving(), by)) {
        return End.DROPPED;
      }
    }
    if (given.inner != null) {
      return error(given.inner, by);
    }
    lookUp();
    if (known != null) {
      boolean opener = byOpener(known);
      Ends out = opener ? known.went : known.came.back();
      given.rewriteDestination(out.to(), out.toPort());
    } else {
      End end = stateAndDestination(by);
      if (end != null) {
        return end;
      }
    }
    if (policy.isOwn(given.destination())) {
      return forDevice(by);
    }
    return onward();
  }

  // Errors.

  private boolean errorIsKnown;
  private @Nullable Ends errorSeenAs;

  /** DESIGN, "ICMP": an error about another packet. */
  private End error(Packet inner, Interface by) {
    errorIsKnown = true;
    errorSeenAs = null;
    Ends about = Ends.of(inner);
    Flow flow = find(about.back(), realm);
    Ends before = null; // the packet as its sender sent it
    Address shown = null; // the end that the error comes from, as its receiver knows it
    Address is = null;
    if (flow != null) {
      boolean openers = flow.went.equals(about) && flow.wentTo.equals(realm);
      before = openers ? flow.came : flow.went.back();
      shown = openers ? flow.came.to : flow.went.from;
      is = openers ? flow.went.to : flow.came.from;
      if (openers) {
        errorSeenAs = flow.came.back();
      }
    } else {
      Address inside = null;
      int port = inner.sourcePort;
      if (!policy.isClaimed(inner.source(), realm, inner.protocol, inner.sourcePort)) {
        for (Tie tie : ties()) {
          if (tie.standsOn(inner.source(), inner.sourcePort, inner.protocol, realm)) {
            inside = tie.inside;
            port = tie.isWhole() ? port : tie.port;
          }
        }
      }
      for (TranslationRule rule : policy.rules()) {
        if (inside == null
            && rule instanceof InwardRule fixed
            && !(rule instanceof DestinationRule)
            && PlainPolicy.block(fixed) != null
            && PlainPolicy.block(fixed).contains(inner.source())
            && (fixed.facing().names(by) || policy.hairpins(fixed, by))
            && PlainPolicy.covers(
                fixed.services(),
                inner.protocol,
                inner.sourcePort,
                inner.icmpType,
                inner.icmpCode)) {
          inside = PlainPolicy.internal(fixed, inner.source());
          if (inside == null) {
            return End.DROPPED;
          }
          port = PlainPolicy.internalPort(fixed, inner.protocol, inner.sourcePort);
        }
      }
      if (inside != null) {
        before = new Ends(inside, port, inner.destination(), inner.destinationPort, inner.protocol);
      } else {
        Boolean outward = outwardError(inner);
        if (outward == null) {
          return End.DROPPED;
        }
        errorIsKnown = outward;
        if (errorIsKnown) {
          return errorOnward(by);
        }
        if (stands(inner.source(), inner.sourcePort, inner)
            || stands(inner.destination(), inner.destinationPort, inner)) {
          return End.DROPPED;
        }
      }
    }
    if (before != null) {
      inner.rewriteSource(before.from(), before.fromPort());
      inner.rewriteDestination(before.to(), before.toPort());
      packet.rewriteDestination(before.from(), 0);
    }
    errorShown = shown;
    errorIs = is;
    return errorOnward(by);
  }

  private @Nullable Address errorShown;
  private @Nullable Address errorIs;

  /** What the sender of the error, a router inside, is outside; null where nobody knows him. */
  private @Nullable Address errorSender;

  /** An error from inside about a packet to the internal side of a static rule. */
  private @Nullable Boolean outwardError(Packet inner) {
    PlainPolicy.Way way = policy.way(packet.destination(), null);
    Packet reply =
        new Packet(
            inner.destination(),
            inner.destinationPort,
            inner.source(),
            inner.sourcePort,
            inner.protocol,
            inner.icmpType,
            0);
    Interface towards = way == null ? null : way.leaving();
    if (policy.isOwn(packet.destination())
        || !(firstFor(reply, towards) instanceof InwardRule fixed)) {
      return false;
    }
    Address external = PlainPolicy.external(fixed, inner.destination());
    if (external == null) {
      return null;
    }
    errorShown = external;
    errorIs = inner.destination();
    if (fixed instanceof PrefixRule prefix
        && PlainPrefix.inside(prefix).contains(packet.source())) {
      errorSender = PlainPolicy.external(fixed, packet.source());
    }
    inner.rewriteDestination(
        external, PlainPolicy.externalPort(fixed, inner.protocol, inner.destinationPort));
    return true;
  }

  private boolean stands(Address address, int port, Packet about) {
    if (policy.site.hosts().values().stream().anyMatch(h -> h.addresses().contains(address))) {
      return false;
    }
    for (TranslationRule rule : policy.rules()) {
      if (rule instanceof InwardRule inward
          ? PlainPolicy.block(inward) != null
              && PlainPolicy.block(inward).contains(address)
              && PlainPolicy.covers(inward.services(), about.protocol, port, Icmp.NO_TYPE, 0)
          : standsInPool(rule, address)) {
        return true;
      }
    }
    return !policy.isClaimed(address, realm, about.protocol, port)
        && ties().stream().anyMatch(tie -> tie.standsOn(address, port, about.protocol, realm));
  }

  /** Of a pool those addresses count that may be given out. */
  private boolean standsInPool(TranslationRule rule, Address address) {
    Pool pool = PlainPolicy.pool(rule);
    return pool != null
        && pool.addresses().contains(address)
        && (rule instanceof DynamicRule ? policy.mayLend(address) : !policy.isHeld(address));
  }

  private End errorOnward(Interface by) {
    if (policy.isOwn(packet.destination())) {
      End end = lists(null);
      return end != null ? end : errorIsKnown ? End.RECEIVED : End.DROPPED;
    }
    End end = onward();
    Address shown = errorShown;
    Address is = errorIs;
    errorShown = null;
    errorIs = null;
    if (end == End.PASSED && shown != null && !shown.equals(is) && leaving != null) {
      Address own = errorSender != null ? errorSender : leaving.address(packet.source().family());
      if (packet.source().equals(is)) {
        packet.rewriteSource(shown, 0);
      } else if (own != null) {
        packet.rewriteSource(own, 0);
      }
    }
    return end;
  }

  private @Nullable End stateAndDestination(Interface by) {
    Address to = packet.destination();
    if (!policy.isClaimed(to, realm, packet.protocol, packet.destinationPort)) {
      for (Tie tie : ties()) {
        if (tie.standsOn(to, packet.destinationPort, packet.protocol, realm)) {
          reached = tie;
        }
      }
    }
    if (reached != null) {
      insider = !same(reached.madeFor, by);
      if (!insider && !admits(reached, packet.source(), packet.sourcePort)) {
        return End.DROPPED;
      }
      int port = reached.isWhole() ? packet.destinationPort : reached.port;
      packet.rewriteDestination(reached.inside, port);
      return null;
    }
    for (TranslationRule rule : policy.rules()) {
      if (rule instanceof UntouchedRule both) {
        boolean there =
            policy.from(both.from(), packet.source(), false) && policy.to(both.to(), to);
        boolean back = policy.from(both.to(), packet.source(), false) && policy.to(both.from(), to);
        if (there || back) {
          untouched = true;
          return null;
        }
      } else if (rule instanceof InwardRule inward && takes(inward, by)) {
        taken = inward;
        hairpinned = policy.hairpins(inward, by);
        int port = PlainPolicy.internalPort(inward, packet.protocol, packet.destinationPort);
        Address inside = PlainPolicy.internal(inward, to);
        if (inside == null) {
          return End.UNROUTABLE;
        }
        packet.rewriteDestination(inside, port);
        return null;
      }
    }
    return policy.isDropped(packet, by) ? End.DROPPED : null;
  }

  private boolean takes(InwardRule rule, Interface by) {
    Prefix block = PlainPolicy.block(rule);
    return block != null
        && block.contains(packet.destination())
        && (rule.facing().names(by) || policy.hairpins(rule, by))
        && policy.from(rule.from(), packet.source(), false)
        && PlainPolicy.covers(
            rule.services(),
            packet.protocol,
            packet.destinationPort,
            packet.icmpType,
            packet.icmpCode);
  }

  /** DESIGN, "State follows the RFCs": the filtering behaviour. */
  private boolean admits(Tie tie, Address sender, int port) {
    StateSettings.Endpoints filtering = settings(tie.rule).filtering();
    if (filtering == StateSettings.Endpoints.ENDPOINT_INDEPENDENT) {
      return true;
    }
    for (Flow flow : flows) {
      if (!flow.ties().contains(tie)) {
        continue;
      }
      Address remote;
      int remotePort;
      if (flow.own != null && flow.reached != null) {
        boolean openers = flow.own == tie;
        remote = openers ? flow.came.to : flow.went.from;
        remotePort = openers ? flow.came.toPort : flow.went.fromPort;
      } else if (flow.own == tie) {
        remote = flow.went.to;
        remotePort = flow.went.toPort;
      } else {
        remote = flow.came.from;
        remotePort = flow.came.fromPort;
      }
      boolean byPort =
          filtering == StateSettings.Endpoints.ADDRESS_AND_PORT_DEPENDENT
              && !Protocol.isIcmp(tie.protocol);
      if (remote.equals(sender) && (!byPort || remotePort == port)) {
        return true;
      }
    }
    return false;
  }

  private @Nullable End admission() {
    if (taken == null || taken.admit() == null) {
      return null;
    }
    boolean in =
        policy.from(taken.admit().from(), packet.source(), false)
            && (taken.admit().when() == null || taken.admit().when().covers(clock()));
    return in ? null : End.DROPPED;
  }

  private boolean isAdmitted() {
    return taken != null && taken.admit() != null;
  }

  private End forDevice(Interface by) {
    End end = admission();
    end = end == null ? lists(null) : end;
    if (end != null) {
      return end;
    }
    if (known != null) {
      left(known, byOpener(known), packet.protocol, packet.tcpFlags);
      return End.RECEIVED;
    }
    boolean served = policy.serving(packet) != null;
    if (served && canOpen()) {
      if (isTaken(realm)) {
        return taken != null || reached != null ? End.EXHAUSTED : End.RECEIVED;
      }
      Flow flow = new Flow(asItCame, realm, Ends.of(packet), realm, settings(null));
      if (reached != null) {
        flow.settings = settings(reached.rule);
        flow.reached = reached;
      }
      add(flow);
      return End.RECEIVED;
    }
    Action action = Action.ACCEPT;
    if (!served && !isAdmitted()) {
      action = stance(by.network().zone(), Site.SELF);
    }
    if (action == Action.DROP) {
      return End.DROPPED;
    }
    if (Icmp.isEchoRequest(packet.icmpType)) {
      return End.SILENT;
    }
    boolean reset = packet.protocol == Protocol.TCP && (packet.tcpFlags & Packet.RST) != 0;
    return reset || Protocol.isIcmp(packet.protocol) ? End.DROPPED : End.REFUSED;
  }

  private Action stance(String from, String to) {
    for (Stance.Pair pair : device.stance().pairs()) {
      if ((pair.from().equals("any") || pair.from().equals(from))
          && (pair.to().equals("any") || pair.to().equals(to))) {
        return pair.action();
      }
    }
    return device.stance().otherwise();
  }

  /** The device sends a packet of its own. */
  End send(Packet given) {
    begin(given, null);
    PlainPolicy.Way way = policy.way(given.destination(), null);
    realm = way == null || way.leaving() == null ? "" : realm(way.leaving());
    if (given.inner != null) {
      return onward(); // a notice of its own
    }
    lookUp();
    if (known != null && !byOpener(known)) {
      Ends out = known.came.back();
      given.rewriteDestination(out.to(), out.toPort());
    }
    return onward();
  }

  private End onward() {
    if (arriving != null) {
      if (packet.ttl <= 1) {
        return End.UNROUTABLE;
      }
      packet.ttl--;
    }
    InterfaceTerm fixed = taken == null ? null : taken.leaving();
    if (known != null && (arriving == null || byOpener(known))) {
      fixed = known.destinationRule instanceof InwardRule inward ? inward.leaving() : null;
      fixed = byOpener(known) ? fixed : null;
    }
    PlainPolicy.Way way = policy.way(packet.destination(), fixed);
    if (way == null || way.leaving() == null) {
      return End.UNROUTABLE;
    }
    Interface out = way.leaving();
    leaving = out;
    End end = admission();
    end = end == null ? lists(out) : end;
    end = end == null ? source(out) : end;
    if (end != null) {
      leaving = null;
      return end;
    }
    nextHop = way.via() == null ? packet.destination() : way.via();
    return End.PASSED;
  }

  // Lists.

  private boolean keepsState;

  private @Nullable End lists(@Nullable Interface out) {
    boolean settled = known != null || isAdmitted() || (packet.inner != null && errorIsKnown);
    keepsState = arriving == null || out == null;
    List<AccessList> guards = policy.guards(arriving, out);
    for (AccessList list : guards) {
      keepsState |= !list.stateless();
      if (settled && !list.stateless()) {
        continue;
      }
      Packet seen = packet.copy();
      if (device.seesOriginal()) {
        if (known != null && !byOpener(known)) {
          Ends mirror = known.came.back();
          seen.rewriteSource(mirror.from(), mirror.fromPort());
        } else if (packet.inner != null && errorSeenAs != null) {
          seen.rewriteSource(errorSeenAs.from(), errorSeenAs.fromPort());
        } else if (arriving != null) {
          seen.rewriteDestination(asItCame.to(), asItCame.toPort());
        }
      }
      AccessRule rule = policy.match(list, seen, arriving == null, clock());
      Action action =
          rule != null ? rule.action() : arriving == null ? Action.ACCEPT : list.otherwise();
      if (action != Action.ACCEPT) {
        return action == Action.DROP ? End.DROPPED : End.REJECTED;
      }
    }
    if (!guards.isEmpty() || arriving == null || out == null) {
      return null;
    }
    keepsState |=
        device.stance().otherwise() != Action.ACCEPT || !device.stance().pairs().isEmpty();
    if (settled) {
      return null;
    }
    return switch (stance(arriving.network().zone(), out.network().zone())) {
      case ACCEPT -> null;
      case DROP -> End.DROPPED;
      case REJECT -> End.REJECTED;
    };
  }

  // DESIGN, "Size".

  /** In which pieces the last packet left: offset and bytes of each; empty for one. */
  private String pieces = "";

  private final Map<String, Integer> identified = new TreeMap<>();

  /** What is to be seen of the size of the last packet. */
  String size() {
    return told(packet.size, pieces);
  }

  /** What is to be seen of a size. */
  static String told(@Nullable Size size, String pieces) {
    return size == null
        ? ""
        : " of "
            + size.length()
            + pieces
            + " "
            + size.identification()
            + " "
            + size.largestSegment();
  }

  /** Whether it does not fit, and cannot be cut. */
  private boolean isTooLarge(Interface out) {
    Size size = packet.size;
    boolean is = size != null && size.length() > mtu(out) && !size.mayFragment();
    unfit = is ? mtu(out) : 0;
    return is;
  }

  /** The MTU that the last packet did not fit; 0 where that did not end it. */
  int unfit;

  private static int mtu(Interface out) {
    int link = out.network().mtu() == null ? 1500 : out.network().mtu();
    return out.mtu() == null ? link : Math.min(link, out.mtu());
  }

  /** Cuts what leaves, limits what a SYN asks for, and gives identifications of its own. */
  private void fit(Interface out, boolean shares) {
    Size size = packet.size;
    if (size == null) {
      return;
    }
    int segment = size.largestSegment();
    for (Interface by : arriving == null ? List.of(out) : List.of(arriving, out)) {
      segment = by.largestSegment() == null ? segment : Math.min(segment, by.largestSegment());
    }
    int id = size.identification();
    if (size.mayFragment() && shares) {
      String giver = packet.source() + " " + packet.protocol;
      int number = identified.getOrDefault(giver, 0);
      identified.put(giver, number + 1);
      id = 1 + number % 65535;
    }
    packet.size =
        new Size(size.length(), size.mayFragment(), id, List.of(), segment, size.nextMtu());
    if (size.length() > mtu(out)) {
      StringBuilder text = new StringBuilder();
      int room = (mtu(out) - 20) & ~7; // all but the last are multiples of 8
      for (int at = 0; at < size.length() - 20; at += room) {
        text.append(" ").append(at).append("+").append(Math.min(room, size.length() - 20 - at));
      }
      pieces = text.toString();
    }
  }

  // The source side.

  private boolean canOpen() {
    if (packet.protocol == Protocol.TCP) {
      return packet.opensTcp() || device.state().midStream();
    }
    return !Protocol.isIcmp(packet.protocol) || !Icmp.isEchoReply(packet.icmpType);
  }

  private boolean isTaken(String wentTo) {
    Flow back = find(Ends.of(packet).back(), wentTo);
    Flow there = find(asItCame, realm);
    return (back != null && back != reopened) || (there != null && there != reopened);
  }

  private @Nullable End source(Interface out) {
    if (packet.inner != null) {
      return null;
    }
    if (known != null) {
      if (isTooLarge(out)) {
        return End.UNROUTABLE;
      }
      boolean opener = byOpener(known);
      Ends gone = opener ? known.went : known.came.back();
      packet.rewriteSource(gone.from(), gone.fromPort());
      fit(out, opener && known.own != null && !known.own.isWhole());
      left(known, opener, packet.protocol, packet.tcpFlags);
      return null;
    }
    if (insider) {
      return insider();
    }
    Hairpin.Source hairpin = hairpinned && taken != null ? taken.hairpin().source() : null;
    Packet asked = packet;
    Interface side = out;
    if (hairpin == Hairpin.Source.EXTERNAL && taken != null) {
      side = policy.home(taken);
      asked = packet.copy();
      asked.rewriteDestination(asItCame.to(), asItCame.toPort());
    }
    TranslationRule rule =
        untouched || hairpin == Hairpin.Source.DEVICE || hairpin == Hairpin.Source.KEPT
            ? null
            : firstFor(asked, side);
    keepsState |=
        (rule != null && !(rule instanceof PrefixRule))
            || (taken != null && !(taken instanceof PrefixRule))
            || untouched
            || reached != null;
    if (keepsState && !canOpen()) {
      if (arriving == null) {
        fit(out, false);
        return isTooLarge(out) ? End.UNROUTABLE : null; // a reset of the device's own
      }
      return End.DROPPED;
    }
    Tie tie = null;
    TranslationRule by = rule;
    if (hairpin == Hairpin.Source.DEVICE
        || (hairpin == null && taken instanceof DestinationRule both && both.sources() != null)) {
      by = taken;
      Pool pool = hairpin == null ? ((DestinationRule) taken).sources().pool() : null;
      tie = shared(taken, packet, out, pool == null ? own(out) : sharable(pool.addresses()));
      if (tie == null) {
        return end;
      }
    } else if (rule instanceof InwardRule fixed) {
      int port = PlainPolicy.externalPort(fixed, packet.protocol, packet.sourcePort);
      Address external = PlainPolicy.external(fixed, packet.source());
      if (external == null) {
        return End.UNROUTABLE;
      }
      packet.rewriteSource(external, port);
    } else if (rule != null && side != null) {
      tie = tie(rule, packet, side);
      if (tie == null) {
        return end;
      }
    }
    if (tie != null) {
      packet.rewriteSource(tie.outside, tie.isWhole() ? packet.sourcePort : tie.outsidePort);
      if (tie.isWhole()
          && policy.isClaimed(tie.outside, tie.outsideRealm, packet.protocol, packet.sourcePort)) {
        return End.EXHAUSTED;
      }
    }
    boolean translated = by != null || taken != null || reached != null;
    boolean isTaken = keepsState && isTaken(realm(out));
    if (isTaken && translated) {
      return End.EXHAUSTED;
    }
    if (isTooLarge(out)) {
      return End.UNROUTABLE;
    }
    fit(out, tie != null && !tie.isWhole());
    if (!keepsState || isTaken) {
      return null;
    }
    Flow flow = new Flow(asItCame, realm, Ends.of(packet), realm(out), settings(by));
    flow.own = tie;
    flow.reached = reached;
    flow.destinationRule = taken;
    if (by == null && reached != null) {
      flow.settings = settings(reached.rule);
    }
    if (rule instanceof StaticRule) {
      flow.settings = settings(rule);
    }
    add(flow);
    return null;
  }

  private @Nullable End insider() {
    Tie other = reached;
    if (!canOpen() || other == null) {
      return End.DROPPED;
    }
    Packet asSent = packet.copy();
    asSent.rewriteDestination(asItCame.to(), asItCame.toPort());
    TranslationRule rule = firstFor(asSent, other.madeFor);
    Tie tie = null;
    if (rule instanceof StaticRule fixed) {
      int port = PlainPolicy.externalPort(fixed, packet.protocol, packet.sourcePort);
      asSent.rewriteSource(PlainPolicy.external(fixed, packet.source()), port);
    } else if (rule != null) {
      tie = tie(rule, asSent, other.madeFor);
      if (tie == null) {
        return end;
      }
      asSent.rewriteSource(tie.outside, tie.isWhole() ? packet.sourcePort : tie.outsidePort);
      if (tie.isWhole()
          && policy.isClaimed(tie.outside, tie.outsideRealm, packet.protocol, packet.sourcePort)) {
        return End.EXHAUSTED;
      }
    }
    packet.rewriteSource(asSent.source(), asSent.sourcePort);
    StateSettings.Endpoints filtering = settings(other.rule).filtering();
    boolean self =
        tie == other
            && (filtering != StateSettings.Endpoints.ADDRESS_AND_PORT_DEPENDENT
                || packet.sourcePort == asItCame.toPort());
    if (!self && !admits(other, packet.source(), packet.sourcePort)) {
      if (tie != null && rule != null) {
        record(Ends.of(asSent), realm(other.madeFor), rule, tie);
      }
      return End.DROPPED;
    }
    String wentTo = leaving == null ? "" : realm(leaving);
    if (isTaken(wentTo)) {
      return End.EXHAUSTED;
    }
    if (leaving != null && isTooLarge(leaving)) {
      return End.UNROUTABLE;
    }
    if (leaving != null) {
      fit(leaving, tie != null && !tie.isWhole());
    }
    TranslationRule by = rule != null ? rule : other.rule;
    Flow flow = new Flow(asItCame, realm, Ends.of(packet), wentTo, settings(by));
    flow.own = tie;
    flow.reached = tie == other ? null : other;
    if (tie == null && rule != null) {
      flow.settings = settings(rule);
    }
    add(flow);
    return null;
  }

  private @Nullable TranslationRule firstFor(Packet asked, @Nullable Interface out) {
    if (out == null) {
      return null;
    }
    boolean own = arriving == null;
    for (TranslationRule rule : policy.rules()) {
      if (rule instanceof PrefixRule prefix) {
        if (!own
            && prefix.facing().names(out)
            && PlainPrefix.inside(prefix).contains(asked.source())) {
          return rule;
        }
      } else if (rule instanceof StaticRule fixed) {
        if (!own
            && fixed.facing().names(out)
            && fixed.internalBlock().contains(asked.source())
            && portsFit(fixed, asked)) {
          return rule;
        }
      } else if (rule instanceof SharedRule shared) {
        if (shared.leaving().names(out)
            && policy.from(shared.from(), asked.source(), own)
            && policy.to(shared.to(), asked.destination())) {
          return rule;
        }
      } else if (rule instanceof DynamicRule lent
          && lent.leaving().names(out)
          && policy.from(lent.from(), asked.source(), own)
          && policy.to(lent.to(), asked.destination())) {
        return rule;
      }
    }
    return null;
  }

  private static boolean portsFit(StaticRule fixed, Packet packet) {
    if (fixed.services().isEmpty()) {
      return true;
    }
    return Protocol.hasPorts(packet.protocol)
        && PlainPolicy.covers(
            fixed.services(),
            packet.protocol,
            PlainPolicy.externalPort(fixed, packet.protocol, packet.sourcePort),
            Icmp.NO_TYPE,
            0);
  }

  /** Why there is no tie, where one of these methods returns null. */
  private End end = End.DROPPED;

  private AddressSet own(Interface out) {
    Address address = out.address(Family.IPV4);
    return address == null ? AddressSet.NONE : AddressSet.of(address);
  }

  private AddressSet sharable(AddressSet pool) {
    AddressSet rest = AddressSet.NONE;
    for (Address address : all(pool)) {
      rest = policy.isHeld(address) ? rest : rest.union(AddressSet.of(address));
    }
    return rest;
  }

  private static List<Address> all(AddressSet pool) {
    List<Address> all = new ArrayList<>();
    for (AddressRange range : pool.ranges()) {
      for (long low = range.first().low(); low <= range.last().low(); low++) {
        all.add(new Address(Family.IPV4, 0, low));
      }
    }
    return all;
  }

  private @Nullable Tie tie(TranslationRule rule, Packet asSent, Interface out) {
    if (rule instanceof DynamicRule lent) {
      return lent(lent, asSent, out);
    }
    Pool pool = ((SharedRule) rule).pool();
    return shared(rule, asSent, out, pool == null ? own(out) : sharable(pool.addresses()));
  }

  private Owner owner(TranslationRule rule, AddressSet pool) {
    int nth = 0;
    for (TranslationRule other : device.translation()) {
      if (other == rule) {
        break;
      }
      nth += other.kind().equals(rule.kind()) && other.name().equals(rule.name()) ? 1 : 0;
    }
    return new Owner(rule.kind(), rule.name(), nth, pool);
  }

  private @Nullable Tie lent(DynamicRule rule, Packet asSent, Interface out) {
    AddressSet pool = AddressSet.NONE;
    for (Address address : all(rule.pool().addresses())) {
      pool = policy.mayLend(address) ? pool.union(AddressSet.of(address)) : pool;
    }
    Owner owner = owner(rule, pool);
    for (Tie tie : ties()) {
      if (tie.owner.equals(owner)
          && tie.inside.equals(asSent.source())
          && tie.insideRealm.equals(realm)) {
        return tie;
      }
    }
    for (Address address : all(pool)) {
      boolean free =
          ties().stream()
              .noneMatch(tie -> tie.outside.equals(address) && tie.outsideRealm.equals(realm(out)));
      if (free) {
        return new Tie(owner, rule, asSent, true, realm, address, -1, null, 0, out);
      }
    }
    end = End.EXHAUSTED;
    return null;
  }

  private @Nullable Tie shared(
      TranslationRule rule, Packet asSent, Interface out, AddressSet pool) {
    int protocol = asSent.protocol;
    if (!Protocol.hasPorts(protocol) && !Icmp.isEchoRequest(asSent.icmpType)) {
      end = End.DROPPED;
      return null;
    }
    StateSettings settings = settings(rule);
    Address remote =
        settings.mapping() == StateSettings.Endpoints.ENDPOINT_INDEPENDENT
            ? null
            : asSent.destination();
    int remotePort =
        settings.mapping() == StateSettings.Endpoints.ADDRESS_AND_PORT_DEPENDENT
            ? asSent.destinationPort
            : 0;
    Owner owner = owner(rule, pool);
    List<Tie> mine = new ArrayList<>();
    for (Tie tie : ties()) {
      boolean source =
          tie.owner.equals(owner)
              && tie.inside.equals(asSent.source())
              && tie.insideRealm.equals(realm);
      if (source
          && tie.port == asSent.sourcePort
          && tie.protocol == protocol
          && (remote == null || remote.equals(tie.remote))
          && remotePort == tie.remotePort) {
        return tie;
      }
      if (source) {
        mine.add(tie);
      }
    }
    end = End.EXHAUSTED;
    int limit = settings.ports().perSource();
    if (limit > 0 && mine.stream().filter(tie -> tie.protocol == protocol).count() >= limit) {
      return null;
    }
    List<Address> choice = new ArrayList<>();
    boolean paired = !mine.isEmpty() && settings.pooling() == StateSettings.Pooling.PAIRED;
    if (paired) {
      choice.add(mine.get(0).outside);
    } else if (!pool.isEmpty()) {
      List<Address> addresses = all(pool);
      choice.add(
          addresses.stream()
              .min(Comparator.comparingLong(address -> sharers(address, pool)))
              .orElseThrow());
      choice.addAll(addresses);
    }
    for (Address address : choice) {
      int port = port(address, realm(out), protocol, asSent.sourcePort, settings.ports());
      if (port > 0) {
        return new Tie(owner, rule, asSent, false, realm, address, port, remote, remotePort, out);
      }
    }
    return null;
  }

  private long sharers(Address address, AddressSet pool) {
    return ties().stream()
        .filter(tie -> !tie.isWhole() && tie.outside.equals(address))
        .filter(tie -> tie.owner.pool.equals(pool))
        .count();
  }

  /** The port that a new tie gets on an address; 0 for none. */
  private int port(
      Address address, String to, int protocol, int wanted, StateSettings.Ports ports) {
    if (ties().stream().anyMatch(t -> t.isWhole() && t.standsOn(address, 0, 0, to))) {
      return 0;
    }
    Set<Integer> busy = busy(address, to, protocol);
    if (protocol == Protocol.ICMP) {
      return next(busy, address, to, protocol, wanted, 0, 65535, 1);
    }
    boolean low = wanted < 1024;
    int step = ports.parity() && protocol == Protocol.UDP ? 2 : 1;
    for (boolean own : ports.fallback() ? new boolean[] {true, false} : new boolean[] {true}) {
      boolean here = own == low;
      int first = here ? 0 : 1024;
      int last = here ? 1023 : 65535;
      int begin = own ? wanted : low ? 1024 + wanted : 1023;
      for (int by = step; by >= 1; by--) {
        int from = by == 2 && (begin & 1) != (wanted & 1) ? begin - 1 : begin;
        int found = next(busy, address, to, protocol, from, first, last, by);
        if (found > 0) {
          return found;
        }
      }
    }
    return 0;
  }

  private Set<Integer> busy(Address address, String to, int protocol) {
    Set<Integer> busy = new HashSet<>();
    for (Tie tie : ties()) {
      if (tie.outside.equals(address) && tie.outsideRealm.equals(to) && tie.protocol == protocol) {
        busy.add(tie.outsidePort);
      }
    }
    for (Flow flow : flows) {
      if (flow.came.protocol == protocol) {
        if (!flow.cameBack && flow.came.to.equals(address) && flow.cameFrom.equals(to)) {
          busy.add(flow.came.toPort);
        }
        if (flow.went.from.equals(address) && flow.wentTo.equals(to)) {
          busy.add(flow.went.fromPort);
        }
      }
    }
    for (Rest rest : resting) {
      if (rest.address.equals(address) && rest.realm.equals(to) && rest.protocol == protocol) {
        busy.add(rest.port);
      }
    }
    return busy;
  }

  private int next(
      Set<Integer> busy,
      Address address,
      String to,
      int protocol,
      int begin,
      int first,
      int last,
      int step) {
    int size = last - first + 1;
    for (int i = 0; i < size; i += step) {
      int port = first + Math.floorMod(begin - first + i, size);
      if (port != 0 && !busy.contains(port) && !policy.isClaimed(address, to, protocol, port)) {
        return port;
      }
    }
    return 0;
  }
}
