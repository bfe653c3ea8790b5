// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.outcome;

import java.util.Locale;
import org.jspecify.annotations.Nullable;

/** Every decision that can be made about a packet, each with the step at which it is made. */
public enum Ruling {
  /** The receiver is on a network of the sender. */
  SENT_TO_NEIGHBOUR(Step.SEND, null),
  /** The packet goes to the sender's gateway. */
  SENT_TO_GATEWAY(Step.SEND, null),
  /** A host of the internet hands the packet to its own carrier. */
  SENT_TO_CARRIER(Step.SEND, null),
  /** A device sends a packet of its own. */
  SENT_BY_DEVICE(Step.SEND, null),
  /** The network that the sender is on does not let such packets out. */
  BLOCKED_AT_SENDER(Step.SEND, Outcome.DROPPED),
  /** The sender is switched off. */
  SENDER_OFF(Step.SEND, Outcome.UNROUTABLE),
  /** The receiver is elsewhere, and the sender knows no gateway. */
  NO_GATEWAY(Step.SEND, Outcome.UNROUTABLE),
  /** Nobody on the network has the address that the packet is handed to. */
  NOBODY_THERE(Step.SEND, Outcome.UNROUTABLE),

  /** The packet came in. */
  ARRIVED(Step.ARRIVE, null),
  /** The interface is off or has no link. */
  INTERFACE_DOWN(Step.ARRIVE, Outcome.UNROUTABLE),
  /** The packet bears the device's own address as its source. */
  SOURCE_IS_OWN(Step.ARRIVE, Outcome.DROPPED),
  /** No packet may bear this source. */
  SOURCE_IMPOSSIBLE(Step.ARRIVE, Outcome.DROPPED),
  /** The way back to the source leaves by another interface, and the device insists. */
  SOURCE_BY_OTHER_WAY(Step.ARRIVE, Outcome.DROPPED),
  /** Broadcast and multicast are not forwarded. */
  NOT_FORWARDED(Step.ARRIVE, Outcome.DROPPED),

  /** A later fragment came first, and waits (RFC 4787 REQ-14). */
  FRAGMENT_WAITS(Step.ARRIVE, Outcome.UNANSWERED),
  /** As many fragments of its source wait as may. */
  FRAGMENT_NOT_KEPT(Step.ARRIVE, Outcome.DROPPED),

  /** The packet belongs to a session. */
  SESSION_KNOWN(Step.STATE, null),
  /** The packet goes to the external endpoint of a binding whose user spoke to this sender. */
  BINDING_KNOWN(Step.STATE, null),
  /** The packet goes to the external endpoint of a binding whose user never spoke to its sender. */
  BINDING_FILTERED(Step.STATE, Outcome.DROPPED),
  /** An insider reached such a binding, or may reach it later, by his own external side. */
  BINDING_KNOWN_INSIDE(Step.STATE, null),
  /** The packet is an error about a packet of a session. */
  ERROR_KNOWN(Step.STATE, null),
  /** The packet is an error about a packet of a static or live binding, but of no session. */
  ERROR_OF_BINDING(Step.STATE, null),
  /** The packet opens a connection that another one announced. */
  CONNECTION_EXPECTED(Step.STATE, null),
  /** Nothing is known of the packet. */
  FLOW_IS_NEW(Step.STATE, null),

  /** A rule changed the destination. */
  DESTINATION_TRANSLATED(Step.DESTINATION, null),
  /** A rule says that neither address is changed. */
  UNTOUCHED(Step.DESTINATION, null),
  /** The destination was changed back as the session or binding says. */
  DESTINATION_RESTORED(Step.DESTINATION, null),
  /** No rule changes the destination. */
  DESTINATION_KEPT(Step.DESTINATION, null),
  /** The address is used by rules only, and none of them takes this packet. */
  DESTINATION_UNMATCHED(Step.DESTINATION, Outcome.DROPPED),
  /** Prefix translation has no address for this destination. */
  DESTINATION_UNTRANSLATABLE(Step.DESTINATION, Outcome.UNROUTABLE),

  /** A rule list let the packet through to the device itself. */
  DEVICE_ACCEPTED_BY_RULE(Step.DEVICE, null),
  /** A rule list lets through to the device what no rule matches. */
  DEVICE_ACCEPTED_OTHERWISE(Step.DEVICE, null),
  /** The device's own service took the packet. */
  DEVICE_ANSWERS(Step.DEVICE, null),
  /** The device got the reply to its own packet. */
  DEVICE_RECEIVES(Step.DEVICE, null),
  /** The device runs the service, but not for this sender. */
  DEVICE_SERVICE_CLOSED(Step.DEVICE, Outcome.DROPPED),
  /** Nothing admits the packet to the device itself. */
  DEVICE_NOT_ADMITTED(Step.DEVICE, Outcome.DROPPED),
  /** The packet was admitted, but the device runs no such service. */
  DEVICE_REFUSES(Step.DEVICE, Outcome.REFUSED),
  /** The same, after a time in which an opening from inside might have met it. */
  DEVICE_REFUSES_LATER(Step.DEVICE, Outcome.REFUSED),

  /** The ping was admitted, but the device does not answer pings. */
  DEVICE_SILENT(Step.DEVICE, Outcome.UNANSWERED),

  /** A route or a connected network leads on. */
  ROUTED(Step.ROUTE, null),
  /** The hop count is used up. */
  HOPS_USED_UP(Step.ROUTE, Outcome.UNROUTABLE),
  /** No route leads to the destination. */
  NO_ROUTE(Step.ROUTE, Outcome.UNROUTABLE),
  /** The only way leads over an interface that is down. */
  ROUTE_DOWN(Step.ROUTE, Outcome.UNROUTABLE),
  /** The route throws packets away. */
  ROUTE_DISCARDS(Step.ROUTE, Outcome.UNROUTABLE),

  /** The translation rule's own admission let the packet in. */
  ADMITTED(Step.ACCESS, null),
  /** The translation rule's own admission does not let the packet in. */
  NOT_ADMITTED(Step.ACCESS, Outcome.DROPPED),
  /** A rule let the packet through. */
  ACCEPTED_BY_RULE(Step.ACCESS, null),
  /** No rule of the list matched, and the list accepts what is left. */
  ACCEPTED_OTHERWISE(Step.ACCESS, null),
  /** A rule dropped the packet. */
  DROPPED_BY_RULE(Step.ACCESS, Outcome.DROPPED),
  /** No rule of the list matched, and the list drops what is left. */
  DROPPED_OTHERWISE(Step.ACCESS, Outcome.DROPPED),
  /** A rule rejected the packet. */
  REJECTED_BY_RULE(Step.ACCESS, Outcome.REFUSED),
  /** No rule of the list matched, and the list rejects what is left. */
  REJECTED_OTHERWISE(Step.ACCESS, Outcome.REFUSED),
  /** No list guards the way, and the device's stance is to accept. */
  ACCEPTED_BY_STANCE(Step.ACCESS, null),
  /** No list guards the way, and the device's stance is to drop. */
  DROPPED_BY_STANCE(Step.ACCESS, Outcome.DROPPED),
  /** No list guards the way, and the device's stance is to reject. */
  REJECTED_BY_STANCE(Step.ACCESS, Outcome.REFUSED),

  /** A rule changed the source. */
  SOURCE_TRANSLATED(Step.SOURCE, null),
  /** The source was changed as the session says. */
  SOURCE_RESTORED(Step.SOURCE, null),
  /** No rule changes the source. */
  SOURCE_KEPT(Step.SOURCE, null),
  /** Prefix translation has no address for this source. */
  SOURCE_UNTRANSLATABLE(Step.SOURCE, Outcome.UNROUTABLE),
  /** The protocol has no ports to tell the sharers of an address apart by. */
  CANNOT_SHARE(Step.SOURCE, Outcome.DROPPED),
  /** Every address of the pool is lent. */
  POOL_USED_UP(Step.SOURCE, Outcome.EXHAUSTED),
  /** The source has as many ports as it may. */
  PORT_LIMIT_REACHED(Step.SOURCE, Outcome.EXHAUSTED),
  /** Every port of the shared address is in use. */
  PORTS_USED_UP(Step.SOURCE, Outcome.EXHAUSTED),

  /** The external endpoint that the flow would have is somebody else's. */
  ENDPOINT_IN_USE(Step.SOURCE, Outcome.EXHAUSTED),

  /** The packet goes on in fragments (RFC 791). */
  FRAGMENTED(Step.SIZE, null),
  /** The packet is too large for the next link, and may not be cut (RFC 1191, RFC 4443). */
  TOO_LARGE(Step.SIZE, Outcome.UNROUTABLE),
  /** A SYN offers smaller segments now. */
  SEGMENT_LIMITED(Step.SIZE, null),

  /** The device remembers the flow, so that replies find their way back. */
  SESSION_RECORDED(Step.SESSION, null),
  /** The device forwards without remembering. */
  SESSION_NOT_NEEDED(Step.SESSION, null),
  /** As the one before: replies to the packet are those of a session that there is already. */
  SESSION_OF_ANOTHER(Step.SESSION, null),
  /** The error is about a packet of no known session. */
  ERROR_UNMATCHED(Step.SESSION, Outcome.DROPPED),
  /** The text of the packet names another endpoint now. */
  TEXT_TRANSLATED(Step.SESSION, null),
  /** A TCP segment of no known session that does not open a connection. */
  NOT_AN_OPENING(Step.SESSION, Outcome.DROPPED),

  /** The internet brings the packet to its receiver or its carrier link. */
  CARRIED(Step.CARRY, null),
  /** The internet does not carry such a source. */
  SOURCE_NOT_CARRIED(Step.CARRY, Outcome.UNROUTABLE),
  /** The internet does not carry such a destination. */
  DESTINATION_NOT_CARRIED(Step.CARRY, Outcome.UNROUTABLE),
  /** The address belongs to the site, but no carrier link of it leads there. */
  NO_CARRIER_LINK(Step.CARRY, Outcome.UNROUTABLE),

  /** The host is switched off. */
  HOST_OFF(Step.RECEIVE, Outcome.UNROUTABLE),
  /** A host got what is not for it: it passes nothing on (RFC 1122 section 3.2.1). */
  NOT_FOR_HOST(Step.RECEIVE, Outcome.UNROUTABLE),
  /** A rule of the host's own filter let the packet in. */
  HOST_ACCEPTED_BY_RULE(Step.RECEIVE, null),
  /** The host's own filter lets in what none of its rules matches. */
  HOST_ACCEPTED_OTHERWISE(Step.RECEIVE, null),
  /** The host's own filter dropped the packet. */
  HOST_FILTERED(Step.RECEIVE, Outcome.DROPPED),
  /** The host's own filter rejected the packet. */
  HOST_REJECTED(Step.RECEIVE, Outcome.REFUSED),
  /** The host keeps a fragment until the rest of its packet is there (RFC 1122 section 3.3.2). */
  FRAGMENT_RECEIVED(Step.RECEIVE, null),
  /** The host's service took the packet. */
  HOST_ANSWERS(Step.RECEIVE, null),
  /** An address of the internet that the site file does not describe is taken to answer. */
  TAKEN_TO_ANSWER(Step.RECEIVE, null),
  /** Nothing listens there. */
  HOST_REFUSES(Step.RECEIVE, Outcome.REFUSED),
  /** The host does not answer pings. */
  HOST_SILENT(Step.RECEIVE, Outcome.UNANSWERED),
  /** The sender is told what became of its packet. */
  NOTICE_RECEIVED(Step.RECEIVE, null),
  /** The reply is what the sender waits for. */
  REPLY_ACCEPTED(Step.RECEIVE, null),
  /** A host gets the reset of a connection. */
  RESET_RECEIVED(Step.RECEIVE, null),
  /** The reply comes from an address or port that the sender did not speak to. */
  REPLY_DISCARDED(Step.RECEIVE, Outcome.UNANSWERED);

  private final Step step;
  private final @Nullable Outcome ends;

  Ruling(Step step, @Nullable Outcome ends) {
    this.step = step;
    this.ends = ends;
  }

  /** The step at which it is made. */
  public Step step() {
    return step;
  }

  /** How the packet ends by it; null where it goes on. */
  public @Nullable Outcome ends() {
    return ends;
  }

  /** The stable code in data: lower case with hyphens. */
  public String code() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
