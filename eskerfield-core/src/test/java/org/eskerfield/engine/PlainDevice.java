package org.eskerfield.engine;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * A second translator, written from the RFCs in the plainest way, for comparison: lists that are
 * searched from end to end, one rule, no lists of access rules. It decides itself what becomes of a
 * packet, but for the choice of a port, which it only judges.
 */
final class PlainDevice {
  /** What its one rule does. */
  enum Kind {
    STATIC,
    DYNAMIC,
    SHARED,
    SHARED_POOL,
    DESTINATION,
    HAIRPIN,
    UNTOUCHED
  }

  /** Both ends of a packet. */
  record Ends(Address from, int fromPort, Address to, int toPort, int protocol) {
    static Ends of(Packet p) {
      return new Ends(p.source(), p.sourcePort, p.destination(), p.destinationPort, p.protocol);
    }

    Ends back() {
      return new Ends(to, toPort, from, fromPort, protocol);
    }
  }

  /** An internal endpoint, or address if the ports are -1, tied to an external one. */
  record Tie(Address inside, int port, Address outside, int outsidePort, int protocol) {}

  private static final class Flow {
    final Ends came;
    final Ends went;
    final Set<Tie> ties = new HashSet<>();
    final boolean openerIsInside;
    final boolean bothRefresh;
    final @Nullable Address remote; // as the outside of the tie sees it
    String tcp = "opening";
    boolean finByOpener;
    boolean finByOther;
    long until;

    Flow(Ends came, Ends went, boolean openerIsInside, boolean both, @Nullable Address remote) {
      this.came = came;
      this.went = went;
      this.openerIsInside = openerIsInside;
      this.bothRefresh = both;
      this.remote = remote;
    }
  }

  static final long MINUTE = 60_000;

  private final Kind kind;
  private final Address own; // towards the outside
  private final Address ownInside;
  private final List<Address> pool;
  private final Address server;
  private final Address offered;
  private final int offeredPort;
  private final int serverPort;
  private List<Flow> flows = new ArrayList<>();
  long now;
  int nothing;

  PlainDevice(
      Kind kind,
      Address own,
      Address ownInside,
      List<Address> pool,
      Address server,
      Address offered,
      int offeredPort,
      int serverPort) {
    this.kind = kind;
    this.own = own;
    this.ownInside = ownInside;
    this.pool = pool;
    this.server = server;
    this.offered = offered;
    this.offeredPort = offeredPort;
    this.serverPort = serverPort;
  }

  void pass(long millis) {
    now += millis;
    flows.removeIf(flow -> flow.until <= now);
  }

  void clear() {
    flows = new ArrayList<>();
  }

  int flowCount() {
    return flows.size();
  }

  List<Ends> repliesAwaited() {
    return flows.stream().map(flow -> flow.went.back()).toList();
  }

  Set<Tie> ties() {
    Set<Tie> all = new HashSet<>();
    flows.forEach(flow -> all.addAll(flow.ties));
    return all;
  }

  private static long idle(int protocol, String tcp) {
    return switch (protocol) {
      case Protocol.UDP -> 5 * MINUTE;
      case Protocol.ICMP -> MINUTE;
      case Protocol.TCP -> tcp.equals("open") ? 124 * MINUTE : 4 * MINUTE;
      default -> 5 * MINUTE;
    };
  }

  private void saw(Flow flow, Packet packet, boolean byOpener) {
    String before = flow.tcp;
    boolean hadFin = flow.finByOpener;
    boolean hadOther = flow.finByOther;
    if (packet.protocol == Protocol.TCP) {
      boolean syn = (packet.tcpFlags & Packet.SYN) != 0;
      boolean ack = (packet.tcpFlags & Packet.ACK) != 0;
      if ((packet.tcpFlags & Packet.RST) != 0) {
        flow.tcp = "closing";
        flow.until = Math.min(flow.until, now + 4 * MINUTE);
        return;
      }
      if (flow.tcp.equals("closing") && byOpener && syn && !ack) {
        flow.tcp = "opening";
        flow.finByOpener = false;
        flow.finByOther = false;
      } else if (flow.tcp.equals("opening") && !byOpener && syn) {
        flow.tcp = "answered";
      } else if (flow.tcp.equals("answered") && byOpener && ack) {
        flow.tcp = "open";
      }
      if ((packet.tcpFlags & Packet.FIN) != 0) {
        flow.finByOpener |= byOpener;
        flow.finByOther |= !byOpener;
        if (flow.finByOpener && flow.finByOther) {
          flow.tcp = "closing";
        }
      }
    }
    boolean step =
        !before.equals(flow.tcp) || hadFin != flow.finByOpener || hadOther != flow.finByOther;
    if (step || flow.bothRefresh || byOpener == flow.openerIsInside) {
      flow.until = now + idle(packet.protocol, flow.tcp);
    }
  }

  private void add(Flow flow) {
    Set<Ends> keys = Set.of(flow.came, flow.went.back());
    flows.removeIf(old -> keys.contains(old.came) || keys.contains(old.went.back()));
    flow.until = now + idle(flow.came.protocol, flow.tcp);
    flows.add(flow);
  }

  /**
   * What becomes of a packet.
   *
   * @param after what the device under test made of it, null if it did not let it through; only
   *     consulted for which port it chose
   * @return what it has to be; null if it must not get through
   */
  @Nullable Ends arrive(Packet packet, boolean inside, @Nullable Ends after) {
    Ends came = Ends.of(packet);
    for (Flow flow : flows) {
      if (flow.came.equals(came) || flow.went.back().equals(came)) {
        boolean byOpener = flow.came.equals(came);
        saw(flow, packet, byOpener);
        return byOpener ? flow.went : flow.came.back();
      }
    }
    Tie met = tieAt(came.to, came.toPort, came.protocol);
    if (met != null) {
      return toTie(packet, came, met, inside, after);
    }
    if (isOffered(came, inside)) {
      return toServer(packet, came, inside, after);
    }
    if (came.to.equals(own)
        || came.to.equals(ownInside)
        || came.to.equals(offered) && isRule(Kind.STATIC, Kind.DESTINATION, Kind.HAIRPIN)
        || pool.contains(came.to) && isRule(Kind.DYNAMIC, Kind.SHARED_POOL)) {
      return null; // the device's own, and nothing runs there
    }
    if (!inside || !leavesTranslated(came)) {
      boolean kept = kind == Kind.UNTOUCHED && (isInside(came.from) || isInside(came.to));
      if (kept && canOpen(packet)) {
        add(new Flow(came, came, true, true, null));
      }
      return kept && !canOpen(packet) ? null : came;
    }
    if (!canOpen(packet)) {
      return null;
    }
    if (kind == Kind.STATIC) {
      Ends went = new Ends(offered, came.fromPort, came.to, came.toPort, came.protocol);
      add(new Flow(came, went, true, false, came.to));
      return went;
    }
    Tie tie = tieFor(packet, came, after, kind == Kind.DYNAMIC ? pool : externals());
    if (tie == null) {
      return null;
    }
    Ends went = seen(came, tie);
    Flow flow = new Flow(came, went, true, false, came.to);
    flow.ties.add(tie);
    add(flow);
    return went;
  }

  private static boolean isInside(Address address) {
    return address.low() >>> 24 == 10;
  }

  private boolean isRule(Kind... kinds) {
    return List.of(kinds).contains(kind);
  }

  private List<Address> externals() {
    return kind == Kind.SHARED_POOL ? pool : List.of(own);
  }

  private static boolean canOpen(Packet packet) {
    return packet.protocol != Protocol.TCP
        || (packet.tcpFlags & (Packet.SYN | Packet.ACK | Packet.RST)) == Packet.SYN;
  }

  private boolean leavesTranslated(Ends came) {
    return switch (kind) {
      case STATIC -> came.from.equals(server);
      case DYNAMIC, SHARED, SHARED_POOL -> true;
      default -> false;
    };
  }

  private static Ends seen(Ends came, Tie tie) {
    int port = tie.port < 0 ? came.fromPort : tie.outsidePort;
    return new Ends(tie.outside, port, came.to, came.toPort, came.protocol);
  }

  private boolean isOffered(Ends came, boolean inside) {
    boolean there = came.to.equals(offered) && (!inside || kind == Kind.HAIRPIN);
    return switch (kind) {
      case STATIC -> there;
      case DESTINATION, HAIRPIN ->
          there && Protocol.hasPorts(came.protocol) && came.toPort == offeredPort;
      default -> false;
    };
  }

  private @Nullable Ends toServer(Packet packet, Ends came, boolean inside, @Nullable Ends after) {
    if (!canOpen(packet)) {
      return null;
    }
    int port = kind == Kind.STATIC ? came.toPort : serverPort;
    Ends went = new Ends(came.from, came.fromPort, server, port, came.protocol);
    if (!inside) {
      add(new Flow(came, went, false, false, came.from));
      return went;
    }
    Tie tie = tieFor(packet, came, after, List.of(ownInside));
    if (tie == null) {
      return null;
    }
    went = new Ends(tie.outside, tie.outsidePort, server, port, came.protocol);
    Flow flow = new Flow(came, went, true, false, server);
    flow.ties.add(tie);
    add(flow);
    return went;
  }

  private @Nullable Tie tieAt(Address to, int port, int protocol) {
    for (Tie tie : ties()) {
      if (tie.outside.equals(to)
          && (tie.port < 0 || (tie.outsidePort == port && tie.protocol == protocol))) {
        return tie;
      }
    }
    return null;
  }

  private @Nullable Ends toTie(
      Packet packet, Ends came, Tie met, boolean inside, @Nullable Ends after) {
    boolean turns = inside && kind != Kind.HAIRPIN;
    Address seenFrom = came.from;
    if (turns && met.inside.equals(came.from)) {
      return null; // nobody speaks with himself
    }
    if (turns) {
      seenFrom = null;
      for (Tie tie : ties()) {
        if (tie.inside.equals(came.from)) {
          seenFrom = tie.outside;
        }
      }
      if (seenFrom == null && (kind == Kind.SHARED || pool.size() == 1)) {
        seenFrom = externals().get(0);
      }
    }
    boolean spoken = false;
    for (Flow flow : flows) {
      spoken |=
          flow.ties.contains(met) && seenFrom != null && remoteFor(flow, met).equals(seenFrom);
    }
    int port = met.port < 0 ? came.toPort : met.port;
    if (!turns) {
      Ends went = new Ends(came.from, came.fromPort, met.inside, port, came.protocol);
      if (!spoken || !canOpen(packet)) {
        return null;
      }
      Flow flow = new Flow(came, went, false, false, came.from);
      flow.ties.add(met);
      add(flow);
      return went;
    }
    if (!canOpen(packet)) {
      return null;
    }
    List<Address> from = kind == Kind.DYNAMIC ? pool : externals();
    Tie own = spoken ? tieFor(packet, came, after, from) : tieUnseen(packet, came, from);
    if (own == null) {
      return null;
    }
    Ends outward = seen(came, own);
    Ends went = new Ends(outward.from, outward.fromPort, met.inside, port, came.protocol);
    Flow flow =
        new Flow(spoken ? came : outward, spoken ? went : outward, true, false, met.outside);
    flow.ties.add(own);
    if (spoken) {
      flow.ties.add(met);
    }
    add(flow);
    return spoken ? went : null;
  }

  /** The far end of a flow as the outside of one of its ties sees it. */
  private static Address remoteFor(Flow flow, Tie tie) {
    if (flow.ties.size() == 2 && !tie.inside.equals(flow.came.from)) {
      return flow.went.from; // an insider, behind his own tie
    }
    if (flow.ties.size() == 2) {
      return flow.went.to;
    }
    return Objects.requireNonNull(flow.remote);
  }

  /** The choice of a port that cannot be seen, since the packet was dropped: left to the test. */
  private @Nullable Tie tieUnseen(Packet packet, Ends came, List<Address> from) {
    Tie known = known(came, from);
    if (known != null) {
      return known;
    }
    throw new UnseenChoice();
  }

  /** Thrown where state is made without a packet that shows it. */
  static final class UnseenChoice extends RuntimeException {
    private static final long serialVersionUID = 1;
  }

  private @Nullable Tie known(Ends came, List<Address> from) {
    boolean whole = kind == Kind.DYNAMIC;
    for (Tie tie : ties()) {
      if (from.contains(tie.outside)
          && tie.inside.equals(came.from)
          && (whole || (tie.port == came.fromPort && tie.protocol == came.protocol))) {
        return tie;
      }
    }
    return null;
  }

  private @Nullable Tie tieFor(Packet packet, Ends came, @Nullable Ends after, List<Address> from) {
    Tie known = known(came, from);
    if (known != null) {
      return known;
    }
    Set<Tie> all = ties();
    if (kind == Kind.DYNAMIC) {
      for (Address address : from) { // the lowest that is free
        if (all.stream().noneMatch(tie -> tie.outside.equals(address))) {
          return new Tie(came.from, -1, address, -1, 0);
        }
      }
      nothing++;
      return null;
    }
    if (!Protocol.hasPorts(came.protocol) && !Icmp.isEchoRequest(packet.icmpType)) {
      return null;
    }
    if (after == null) {
      throw new AssertionError("a port is free for " + came + ", but it was not let through");
    }
    // Any free port is legal that keeps range and parity; the wanted one, if it is free.
    Tie chosen = new Tie(came.from, came.fromPort, after.from, after.fromPort, came.protocol);
    boolean paired = false;
    for (Tie tie : all) {
      if (from.contains(tie.outside) && tie.inside.equals(came.from)) {
        require(tie.outside.equals(chosen.outside), "stays with one address", came, after);
        paired = true;
      }
      require(
          !tie.outside.equals(chosen.outside)
              || tie.outsidePort != chosen.outsidePort
              || tie.protocol != chosen.protocol,
          "a port is nobody else's",
          came,
          after);
    }
    require(from.contains(chosen.outside), "is out of the pool", came, after);
    boolean free =
        all.stream()
            .noneMatch(
                tie ->
                    tie.outside.equals(chosen.outside)
                        && tie.outsidePort == came.fromPort
                        && tie.protocol == came.protocol);
    boolean claimed = Protocol.hasPorts(came.protocol) && came.fromPort == 0;
    require(!free || claimed || chosen.outsidePort == came.fromPort, "is preserved", came, after);
    if (Protocol.hasPorts(came.protocol)) {
      require(
          (chosen.outsidePort < 1024) == (came.fromPort < 1024), "keeps its range", came, after);
    }
    if (came.protocol == Protocol.UDP) {
      require(chosen.outsidePort % 2 == came.fromPort % 2, "keeps its parity", came, after);
    }
    return paired || from.contains(chosen.outside) ? chosen : null;
  }

  private static void require(boolean holds, String what, Ends came, Ends after) {
    if (!holds) {
      throw new AssertionError("the external side of " + came + " " + what + ", not " + after);
    }
  }
}
