// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.plain;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.plain.PlainDevice.End;
import org.jspecify.annotations.Nullable;

/** A site with its devices: who hands what to whom, and what the sender hears of it. */
final class PlainSite {
  /**
   * What became of a request.
   *
   * @param outcome how it ended
   * @param receiver who got it, with the address and port, and as whom it saw the sender; empty
   */
  record Fate(Outcome outcome, String receiver) {}

  private final Site site;
  private final Map<String, PlainDevice> devices = new LinkedHashMap<>();
  private final ZonedDateTime start;
  private long now;

  // The packet under way.
  private Packet packet =
      new Packet(Address.lowest(Family.IPV4), 0, Address.lowest(Family.IPV4), 0, 0, -1, 0);
  private Named sender;
  private Address askedFrom = Address.lowest(Family.IPV4);
  private Address askedTo = Address.lowest(Family.IPV4);
  private int askedPort;
  private boolean isReply;

  /** How it ended at the place where it got to. */
  private String end = "";

  private @Nullable Named receiver;
  private @Nullable Device endedAt;
  private Packet asItArrived = packet;

  PlainSite(Site site, ZonedDateTime start) {
    this.site = site;
    this.start = start;
    site.devices()
        .forEach((name, device) -> devices.put(name, new PlainDevice(site, device, start)));
    this.sender = site.hosts().values().iterator().next();
  }

  PlainDevice device(String name) {
    return Objects.requireNonNull(devices.get(name));
  }

  void pass(long millis) {
    now += millis;
    devices.values().forEach(device -> device.pass(millis));
  }

  /** The size of the request, and what its sender is told instead; null and 0 for none. */
  private @Nullable Size size;

  private int told;
  private int unfit;

  /**
   * Asks as a trace does, and sends the last segment of the handshake.
   *
   * @param asked how large the request is; null where nobody asks
   */
  Fate ask(
      Named who,
      Address from,
      int fromPort,
      Address to,
      int protocol,
      int port,
      @Nullable Size asked) {
    size = asked;
    Fate fate = ask(who, from, fromPort, to, protocol, port);
    int headers = asked == null ? 0 : Size.headers(from.family(), protocol);
    while (fate.outcome == Outcome.UNROUTABLE
        && size != null
        && told > headers
        && told < size.length()) {
      size = Size.of(told, size.mayFragment());
      fate = ask(who, from, fromPort, to, protocol, port);
    }
    return fate;
  }

  private Fate ask(Named who, Address from, int fromPort, Address to, int protocol, int port) {
    told = 0;
    sender = who;
    askedFrom = from;
    askedTo = to;
    askedPort = port;
    Fate fate = open(fromPort, protocol);
    if (fate.outcome == Outcome.ANSWERED && protocol == Protocol.TCP) {
      isReply = false;
      packet = request(fromPort, protocol, Packet.ACK);
      walk(sender);
    }
    return fate;
  }

  private Packet request(int fromPort, int protocol, int flags) {
    boolean icmp = Protocol.isIcmp(protocol);
    boolean six = protocol == Protocol.ICMPV6;
    boolean hasSource = icmp || Protocol.hasPorts(protocol);
    return new Packet(
        askedFrom,
        hasSource ? fromPort : 0,
        askedTo,
        askedPort,
        protocol,
        six ? Icmp.ECHO_REQUEST_V6 : icmp ? Icmp.ECHO_REQUEST : Icmp.NO_TYPE,
        flags);
  }

  private Fate open(int fromPort, int protocol) {
    packet = request(fromPort, protocol, protocol == Protocol.TCP ? Packet.SYN : 0);
    packet.size = size;
    Packet sent = packet.copy();
    asItArrived = sent;
    isReply = false;
    walk(sender);
    Named got = receiver;
    Packet seen = packet.copy();
    String how = end;
    if (got == null) {
      return new Fate(undelivered(how, sent), "");
    }
    String who =
        got.name()
            + " "
            + seen.destination()
            + ":"
            + seen.destinationPort
            + " from "
            + seen.source()
            + ":"
            + seen.sourcePort;
    return switch (how) {
      case "silent" -> new Fate(Outcome.UNANSWERED, who);
      case "host rejects", "host refuses" -> {
        boolean resets = how.equals("host refuses") && protocol == Protocol.TCP;
        boolean heard =
            resets
                ? answer(got, seen, Packet.RST | Packet.ACK, sent)
                : notice(got, seen.destination(), seen, sent, how);
        yield new Fate(heard ? Outcome.REFUSED : Outcome.UNANSWERED, who);
      }
      default -> {
        int flags = protocol == Protocol.TCP ? Packet.SYN | Packet.ACK : 0;
        boolean heard = answer(got, seen, flags, sent);
        yield new Fate(heard ? Outcome.ANSWERED : Outcome.UNANSWERED, who);
      }
    };
  }

  private Outcome undelivered(String how, Packet sent) {
    Device by = endedAt;
    Packet came = asItArrived;
    return switch (how) {
      case "unroutable" -> Outcome.UNROUTABLE;
      case "too large" -> {
        int mtu = unfit;
        told = tells(came, sent, how) ? mtu : 0;
        yield Outcome.UNROUTABLE;
      }
      case "exhausted" -> {
        if (by != null) {
          notice(by, devices.get(by.name()).policy.way(came.source(), null), came, sent, how);
        }
        yield Outcome.EXHAUSTED;
      }
      case "silent" -> Outcome.UNANSWERED;
      case "dropped" -> Outcome.DROPPED;
      case "rejected" -> {
        boolean heard =
            by == null // its own packet, that it did not let out
                || notice(
                    by, devices.get(by.name()).policy.way(came.source(), null), came, sent, how);
        yield heard ? Outcome.REFUSED : Outcome.UNANSWERED;
      }
      case "refused" -> {
        Device self = Objects.requireNonNull(by);
        boolean heard =
            came.protocol == Protocol.TCP
                ? answer(self, came, Packet.RST | Packet.ACK, sent)
                : notice(self, came.destination(), came, sent, how);
        yield heard ? Outcome.REFUSED : Outcome.UNANSWERED;
      }
      default -> throw new AssertionError(how);
    };
  }

  /** DESIGN, "Size": whether the sender hears that its packet was too large. */
  private boolean tells(Packet came, Packet sent, String how) {
    if (knows) {
      return true;
    }
    if (carrier != null) {
      Host router = Host.unnamed(carrier, null);
      return notice(router, carrier, packet.copy(), sent, how);
    }
    Device by = Objects.requireNonNull(endedAt);
    return notice(by, device(by.name()).policy.way(came.source(), null), came, sent, how);
  }

  private boolean notice(
      Device from, PlainPolicy.@Nullable Way back, Packet about, Packet sent, String how) {
    Interface out = back == null ? null : back.leaving();
    Address source = out == null ? null : out.address(sent.family);
    return source != null && notice(from, source, about, sent, how);
  }

  /** DESIGN, "Types and codes". */
  private boolean notice(Named from, Address source, Packet about, Packet sent, String how) {
    boolean four = about.family == Family.IPV4;
    boolean noProtocol = how.endsWith("refuses") || how.equals("refused");
    int type = four ? Icmp.UNREACHABLE : Icmp.UNREACHABLE_V6;
    int code;
    if (how.endsWith("rejects") || how.equals("rejected")) {
      code = four ? 13 : 1;
    } else if (how.equals("too large")) {
      type = four ? type : Icmp.TOO_LARGE_V6;
      code = four ? 4 : 0;
    } else if (how.equals("exhausted")) {
      code = four ? 1 : 3;
    } else if (noProtocol && !Protocol.hasPorts(about.protocol)) {
      type = four ? type : Icmp.PARAMETER_PROBLEM_V6;
      code = four ? 2 : 1;
    } else {
      code = four ? 3 : 4;
    }
    packet = Packet.error(source, about, type, code);
    isReply = true;
    walk(from);
    Packet inner = packet.inner;
    return end.equals("told")
        && inner != null
        && inner.source().equals(sent.source())
        && inner.sourcePort == sent.sourcePort
        && inner.destination().equals(sent.destination())
        && inner.destinationPort == sent.destinationPort;
  }

  private boolean answer(Named from, Packet seen, int flags, Packet sent) {
    int type =
        switch (seen.protocol) {
          case Protocol.ICMP -> Icmp.ECHO_REPLY;
          case Protocol.ICMPV6 -> Icmp.ECHO_REPLY_V6;
          default -> Icmp.NO_TYPE;
        };
    packet =
        new Packet(
            seen.destination(),
            seen.destinationPort,
            seen.source(),
            seen.sourcePort,
            seen.protocol,
            type,
            flags);
    if (Protocol.isIcmp(seen.protocol) && seen.size != null) {
      packet.size = Size.of(seen.size.length(), seen.family == Family.IPV4);
    }
    isReply = true;
    walk(from);
    return end.equals("accepted")
        && packet.source().equals(sent.destination())
        && packet.sourcePort == sent.destinationPort
        && packet.destination().equals(sent.source())
        && packet.destinationPort == sent.sourcePort;
  }

  // The way.

  private record Hop(@Nullable Network network, Address to, @Nullable Device from) {}

  /** Whether the sender itself found the packet too large, and else which carrier's router did. */
  private boolean knows;

  private @Nullable Address carrier;

  /** Whether a link takes the packet from a host or the internet. */
  private boolean fits(Network link) {
    Size has = packet.size;
    int mtu = link.mtu() == null ? 1500 : link.mtu();
    if (has == null || has.length() <= mtu || has.mayFragment()) {
      return true;
    }
    unfit = mtu;
    return false;
  }

  private void walk(Named from) {
    knows = false;
    carrier = null;
    unfit = 0;
    receiver = null;
    endedAt = null;
    end = "";
    Hop hop = from instanceof Device device ? bySelf(device) : byHost((Host) from);
    while (hop != null) {
      hop = hop.network == null ? carry() : hand(hop.network, hop.to, hop.from);
    }
  }

  private @Nullable Hop stop(String how) {
    end = how;
    return null;
  }

  private @Nullable Hop byHost(Host host) {
    Address to = packet.destination();
    if (host.off()) {
      return stop("unroutable");
    }
    if (!isReply
        && !host.blocked().isEmpty()
        && PlainPolicy.covers(
            host.blocked(),
            packet.protocol,
            packet.destinationPort,
            packet.icmpType,
            packet.icmpCode)) {
      return stop("dropped");
    }
    if (host.networks().isEmpty()) {
      return new Hop(null, to, null);
    }
    Network network = host.networks().get(0);
    boolean near =
        host.ownPrefixes().isEmpty()
            ? network.prefixOf(to) != null
            : host.ownPrefixes().get(0).contains(to);
    Address gateway = near ? null : gateway(host, network);
    if (!near && gateway == null) {
      return stop("unroutable");
    }
    if (!fits(network)) {
      knows = true;
      return stop("too large");
    }
    return new Hop(network, near ? to : Objects.requireNonNull(gateway), null);
  }

  private @Nullable Hop bySelf(Device device) {
    if (!isReply) {
      asItArrived = packet.copy();
    }
    PlainDevice plain = device(device.name());
    Hop hop = onward(plain, device, plain.send(packet));
    endedAt = null;
    knows = plain.unfit > 0;
    return hop;
  }

  private @Nullable Hop arrive(Device device, Interface own) {
    if (!isReply) {
      asItArrived = packet.copy();
    }
    PlainDevice plain = device(device.name());
    return onward(plain, device, plain.arrive(packet, own));
  }

  private @Nullable Hop onward(PlainDevice plain, Device device, End how) {
    if (how == End.PASSED) {
      Interface out = Objects.requireNonNull(plain.leaving);
      return new Hop(out.network(), Objects.requireNonNull(plain.nextHop), device);
    }
    endedAt = device;
    if (how == End.RECEIVED) {
      receiver = device;
      boolean mine = device.name().equals(sender.name());
      return stop(!isReply ? "answers" : packet.inner != null ? "told" : mine ? "accepted" : "");
    }
    unfit = plain.unfit;
    return stop(unfit > 0 ? "too large" : how.name().toLowerCase(java.util.Locale.ROOT));
  }

  /**
   * What is set on the host, else what it was told, else the carrier, else the one device there.
   */
  private @Nullable Address gateway(Host host, Network network) {
    List<Address> known = ofFamily(host.gateways());
    if (known.isEmpty() && network.lease() != null && host.assigned() != Assignment.FIXED) {
      known = ofFamily(network.lease().gateways());
    }
    if (known.isEmpty()) {
      known = ofFamily(network.carrier());
    }
    if (!known.isEmpty()) {
      return known.get(0);
    }
    Address only = null;
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        List<Address> there = ofFamily(own.addresses());
        if (own.network().name().equals(network.name()) && !there.isEmpty()) {
          if (only != null) {
            return null;
          }
          only = there.get(0);
        }
      }
    }
    return only;
  }

  private List<Address> ofFamily(List<Address> addresses) {
    return addresses.stream().filter(each -> each.family() == packet.family).toList();
  }

  private @Nullable Hop hand(Network network, Address to, @Nullable Device from) {
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (own.network().name().equals(network.name())
            && (own.addresses().contains(to) || PlainPolicy.isEveryRouter(own, to))) {
          return arrive(device, own);
        }
      }
    }
    for (Host host : site.hosts().values()) {
      if (host.isOn(network) && host.addresses().contains(to)) {
        return receive(host);
      }
    }
    if (sender instanceof Host host
        && host.isOn(network)
        && to.equals(askedFrom)
        && to.equals(packet.destination())) {
      return receive(host);
    }
    if (network.carrier().contains(to)) {
      return packet.destination().equals(to) ? taken() : new Hop(null, to, null);
    }
    for (PlainDevice device : devices.values()) {
      for (Interface own : device.policy.device.interfaces()) {
        if (own.network().name().equals(network.name())
            && own.isUp()
            && (from == null || !from.name().equals(device.policy.device.name()))
            && device.policy.answersOn(network, to)) {
          return arrive(device.policy.device, own);
        }
      }
    }
    return stop("unroutable");
  }

  private @Nullable Hop taken() {
    receiver = Host.unnamed(packet.destination(), site.networkOf(packet.destination()));
    return stop("answers");
  }

  private @Nullable Hop carry() {
    Address to = packet.destination();
    if (SpecialAddresses.NOT_ON_THE_INTERNET.contains(packet.source())
        || SpecialAddresses.NOT_ON_THE_INTERNET.contains(to)
        || SpecialAddresses.MULTICAST_OR_BROADCAST.contains(to)
        || packet.ttl <= 1) {
      return stop("unroutable");
    }
    packet.ttl--;
    Host host = site.hostAt(to);
    if (host == null
        && to.equals(askedFrom)
        && sender instanceof Host asking
        && asking.networks().isEmpty()) {
      host = asking;
    }
    if (host != null && host.networks().isEmpty()) {
      return receive(host);
    }
    for (Network link : site.networks().values()) {
      for (Network.Routed routed : link.routed()) {
        if (routed.to().contains(to)) {
          return carried(link, routed.via());
        }
      }
    }
    Network network = site.networkOf(to);
    if (network == null) {
      boolean named = devices.values().stream().anyMatch(each -> each.policy.namesOutside(to));
      return named ? stop("unroutable") : taken();
    }
    return network.carrier().isEmpty() ? stop("unroutable") : carried(network, to);
  }

  private @Nullable Hop carried(Network link, Address to) {
    if (fits(link)) {
      return new Hop(link, to, null);
    }
    for (Address router : link.carrier()) {
      carrier = carrier == null && router.family() == packet.family ? router : carrier;
    }
    return stop(carrier == null ? "unroutable" : "too large");
  }

  private @Nullable Hop receive(Host host) {
    if (host.off() || !host.addresses().contains(packet.destination())) {
      return stop("unroutable");
    }
    receiver = host;
    boolean mine = host.name().equals(sender.name());
    if (packet.inner != null) {
      return stop(mine ? "told" : "");
    }
    if (isReply) {
      boolean fits = mine && packet.source().equals(askedTo) && packet.sourcePort == askedPort;
      return stop(fits ? "accepted" : "");
    }
    if ((packet.tcpFlags & Packet.RST) != 0) {
      return stop("");
    }
    if (host.filter() != null) {
      PlainPolicy any = devices.values().iterator().next().policy;
      ZonedDateTime at = start.plus(Duration.ofMillis(now));
      AccessRule rule = any.match(host.filter(), packet, false, at);
      Action action = rule == null ? host.filter().otherwise() : rule.action();
      if (action == Action.DROP) {
        receiver = null;
        return stop("dropped");
      }
      if (action == Action.REJECT) {
        return stop("host rejects");
      }
    }
    if (Icmp.isEchoRequest(packet.icmpType)) {
      return stop(host.answersPing() ? "answers" : "silent");
    }
    boolean listens =
        !host.listens().isEmpty()
            && PlainPolicy.covers(
                host.listens(),
                packet.protocol,
                packet.destinationPort,
                packet.icmpType,
                packet.icmpCode);
    return stop(listens ? "answers" : "host refuses");
  }

  /** Who may ask: hosts and devices. */
  List<Named> askers() {
    List<Named> all = new java.util.ArrayList<>(site.hosts().values());
    all.addAll(site.devices().values());
    return all;
  }
}
