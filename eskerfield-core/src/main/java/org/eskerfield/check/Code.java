// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.Locale;
import org.jspecify.annotations.Nullable;

/** The kinds of findings, each with its usual severity and the reason why it matters. */
public enum Code {
  // The order of rules.
  /** Earlier rules take everything that a rule is for. */
  RULE_NEVER_ACTS(
      Severity.ERROR,
      "Whoever reads the rule believes that it acts, but no packet ever gets to it."),
  /** A rule stands after one that takes everything. */
  RULE_AFTER_EVERYTHING(
      Severity.ERROR, "Nothing is left for a rule that stands behind one that takes every packet."),
  /** An untouched rule takes what a later rule is for. */
  UNTOUCHED_FIRST(
      Severity.ERROR, "What an untouched rule takes is never translated, whatever rules follow."),
  /** Without the rule everything would be the same. */
  RULE_REDUNDANT(
      Severity.ADVICE, "A rule that changes nothing has to be read and kept all the same."),
  /** Two rules want different things for some packets, and only their order decides. */
  RULES_CROSS(
      Severity.ADVICE,
      "For the packets that both rules match their order alone decides: whoever moves one changes"
          + " what gets through."),
  /** The question is too large. */
  UNDETERMINED(
      Severity.ADVICE, "What was not worked out is not known to be right: it is not a clean bill."),

  // Translation and access.
  /** A rule leads packets inside, but nothing lets them in. */
  TRANSLATION_WITHOUT_ACCESS(
      Severity.ERROR,
      "The rule changes the destination, and then the device drops the packet: nobody gets in."),
  /** A static rule that lets its host send, and nobody in. */
  ONLY_SENDS(
      Severity.ADVICE,
      "The host is sent out with an external address of its own, and is closed to all who send to it:"
          + " that may be meant."),
  /** A rule lets outsiders to a host, but no translation leads there. */
  ACCESS_WITHOUT_TRANSLATION(
      Severity.ERROR,
      "Outsiders cannot send to a private address: without a translation rule nobody gets there."),
  /** Of what is translated only a part is let in. */
  HALF_LET_IN(Severity.WARNING, "Some of the ports that are offered do not work from outside."),
  /** An access rule names the address of the side that its device does not see. */
  OTHER_SIDE_NAMED(
      Severity.ERROR,
      "Access rules see the destination on one side of the translation only: a rule for the other"
          + " side matches nothing."),
  /** A list guards no way. */
  LIST_GUARDS_NOTHING(
      Severity.WARNING,
      "The rules of a list act only where the list guards a way: these never do."),
  /** Packets from outside come in by a way that nobody guards. */
  WAY_UNGUARDED(Severity.WARNING, "Whoever is out there reaches what nobody meant to offer."),
  /** A list holds back one family and lets everything of the other through. */
  FAMILY_UNFILTERED(Severity.WARNING, "What is closed over one family is open over the other one."),

  // The sides of a translation.
  /** A rule faces an interface where its external address is not. */
  WRONG_INTERFACE(
      Severity.ERROR, "Packets take another path, so the rule or list never sees them."),
  /** A source rule also rewrites clients that come in. */
  CLIENTS_REWRITTEN(
      Severity.WARNING,
      "The server sees every client as the same address: its logs, limits and filters are blind."),
  /** Internal sources leave towards the internet. */
  SOURCES_UNTRANSLATED(
      Severity.ERROR,
      "The internet does not carry private or shared sources (RFC 1918, RFC 6598): no reply comes."),
  /** A rule would translate sources on their way out, but the device does not let them out. */
  SOURCES_NOT_LET_OUT(
      Severity.WARNING,
      "The rule waits for packets that the device drops before it: its senders get nowhere."),
  /** A host has an address that a prefix rule cannot translate. */
  NO_COUNTERPART(
      Severity.ERROR,
      "Prefix translation has no external address for the host (RFC 6296): it reaches nobody outside,"
          + " and nobody reaches it."),
  /** Replies find no way back. */
  RETURN_ROUTE_MISSING(Severity.ERROR, "The request arrives, but no reply ever comes back."),
  /** An access rule accepts what is dropped on its further way. */
  ACCEPTED_THEN_DROPPED(
      Severity.WARNING, "The rule promises a way that a list or stance further on does not give."),
  /** What the file expects does not happen. */
  EXPECTATION_FAILS(Severity.ERROR, "The file says what must happen, and something else does."),
  /** A list lets in from the internet whatever its rules do not name. */
  OPEN_OTHERWISE(Severity.WARNING, "Whatever nobody thought of comes in."),
  /** A rule or service that no packet of anybody gets to. */
  NEVER_MET(Severity.WARNING, "What the rule is for does not work: nothing of it ever gets there."),
  /** A route is missing. */
  ROUTE_MISSING(Severity.ERROR, "What the file lets through finds no way from the device."),
  /** Replies go by another way, or come from another address. */
  REPLY_BY_OTHER_WAY(
      Severity.ERROR, "A client discards a reply from an address that it did not speak to."),
  /** A stateless list does not let replies through. */
  REPLIES_NOT_LET_IN(
      Severity.ERROR, "A stateless list judges replies like every packet, and drops these."),
  /** A stateless list lets answers in, but not the notices that path MTU discovery needs. */
  NOTICE_LOST(
      Severity.ERROR,
      "Connections open, and hang as soon as somebody sends much: he never hears that his packets are"
          + " too large (RFC 2923 section 2.1)."),

  NOTICES_DROPPED(
      Severity.WARNING,
      "A sender that is not told sends the same large packet again: connections open, and then"
          + " hang (RFC 1191, RFC 8201)."),
  /** A stateless list takes every segment with ACK for an answer. */
  ANSWERS_FORGED(
      Severity.ADVICE,
      "Whoever sets ACK gets through without a connection: hosts are found and probed that way."),
  /** Packets go in circles. */
  LOOP(Severity.ERROR, "Packets go round until their hop count is used up, and load the links."),

  // External addresses.
  /** Two things use the same external address. */
  ADDRESS_CLAIMED_TWICE(
      Severity.ERROR, "Two machines answer for one address, and who gets a packet is chance."),
  /** The carrier does not send the address here. */
  ADDRESS_NOT_ROUTED(
      Severity.ERROR, "Packets to the address never get here, nor replies to what it hides."),
  /** The address is the carrier's own. */
  ADDRESS_OF_CARRIER(Severity.ERROR, "To use the carrier's address cuts the link for everybody."),
  /** The address is that of an interface. */
  ADDRESS_OF_DEVICE(
      Severity.ERROR,
      "The whole address goes to another machine: the device itself is not reached there any more."),
  /** The address names a whole network. */
  ADDRESS_OF_NETWORK(
      Severity.ERROR,
      "A network or broadcast address of a connected network is no address of a machine."),
  /** The external address is itself private or shared. */
  ADDRESS_PRIVATE(
      Severity.ERROR, "Nobody on the internet can send to it: an outer translation is needed."),
  /** The carrier assigns another address. */
  ADDRESS_CHANGED(
      Severity.ERROR,
      "Where the carrier assigns the address, only that one is ours; a literal goes out of date."),
  /** Outsiders were told an address that may change. */
  CHANGING_ADDRESS_TOLD(
      Severity.WARNING, "When the carrier assigns another address, the name leads nowhere."),
  /** Addresses of a routed block that nobody uses go in circles. */
  BLOCK_LOOPS(
      Severity.WARNING,
      "Every packet to an unused address goes to and fro until its hop count is used up: one"
          + " sender can fill the link."),
  /** Two pools share addresses, or a pool has one that a rule has. */
  POOLS_OVERLAP(Severity.WARNING, "The same external address stands for two things at once."),
  /** More sources than addresses. */
  POOL_TOO_SMALL(Severity.WARNING, "When every address is in use, the next sender gets none."),
  /** Several sources, one address, and no sharing. */
  SHARING_LEFT_OUT(
      Severity.ERROR,
      "The first source has the only address to itself, and all others get nothing."),
  /** More promised ports than there are. */
  PORTS_TOO_FEW(Severity.ADVICE, "When every source uses what it may, some find no port."),

  // Management.
  /** A rule takes the port of the device's own service. */
  OWN_SERVICE_TAKEN(
      Severity.ERROR, "Whoever manages the device by this address reaches another machine now."),
  /** Nobody reaches the device's own services. */
  MANAGEMENT_CLOSED(Severity.ERROR, "The next change has to be made on site, at the console."),
  /** Everybody on the internet reaches the device's own services. */
  MANAGEMENT_OPEN(Severity.ERROR, "Everybody out there may try passwords and known flaws."),

  // Who is offered.
  /** A zone that is offered outside reaches inner ones. */
  OFFERED_ZONE_REACHES_INSIDE(
      Severity.WARNING, "Whoever takes over the offered host stands inside."),
  /** Nothing listens where a rule leads. */
  NOTHING_LISTENS(
      Severity.ERROR, "Packets arrive and are refused: the port or protocol is another one."),
  /** Nobody has the address that a rule leads to. */
  HOST_MOVED(Severity.ERROR, "Packets are led to an address that nobody has."),
  /** An offered host is switched off. */
  HOST_OFF(Severity.WARNING, "What is offered does not answer."),
  /** An offered host may get another address. */
  HOST_LEASED(
      Severity.WARNING,
      "With its next lease the host has another address, and the rule leads nowhere."),
  /** A fixed address lies where leases are handed out. */
  FIXED_AMONG_LEASES(
      Severity.WARNING, "Sooner or later the same address is handed out to somebody else."),
  /** A host's gateway or prefix is wrong. */
  GATEWAY_OR_PREFIX_WRONG(
      Severity.ERROR, "The host finds nobody, or only some, beyond its own network."),
  /** A host's own filter lets nobody to what it offers. */
  HOST_FILTER(Severity.ERROR, "Everything on the way is right, and the host itself says no."),
  /** The sender's network blocks what it is meant to use. */
  SENDER_NETWORK_BLOCKS(Severity.WARNING, "Whom the rule is for cannot use it from where he is."),
  /** An interface that rules need is down. */
  INTERFACE_DOWN(Severity.ERROR, "What lies behind the interface is not reached."),
  /** An interface that something needs is switched off, maybe on purpose. */
  INTERFACE_OFF(Severity.ADVICE, "What needs the interface does not work while it is off."),
  /** File transfer across translation without the gateway. */
  TRANSFER_NOT_HELPED(
      Severity.ERROR,
      "File transfer announces addresses and ports in its text (RFC 959): somebody has to rewrite"
          + " them."),

  // Names.
  /** Some hosts get the answer for the other side. */
  NAME_WRONG_SIDE(
      Severity.WARNING, "Whoever asks the wrong resolver is sent to the wrong address."),
  /** A resolver does not answer those who are told to ask it. */
  RESOLVER_FAILS(Severity.ERROR, "Whoever asks it for a name gets no answer."),
  /** Some hosts get no answer. */
  NAME_UNKNOWN(Severity.WARNING, "Insiders are told that there is no such name."),
  /** Insiders get the external address and cannot use it. */
  HAIRPIN_MISSING(
      Severity.ERROR, "Insiders send to the external address, and no rule leads them back in."),

  // Exposure.
  /** Every port of a host is offered. */
  EVERYTHING_OFFERED(
      Severity.WARNING, "Whatever the host starts to run tomorrow is on the internet at once."),
  /** Remote administration or file sharing is offered to everybody. */
  ADMINISTRATION_OFFERED(Severity.WARNING, "These services are tried by everybody, day and night."),
  /** A clear-text protocol is offered. */
  CLEAR_TEXT_OFFERED(
      Severity.WARNING, "Passwords and contents can be read by whoever is on the way."),
  /** An inbound rule does not log. */
  INBOUND_NOT_LOGGED(Severity.ADVICE, "After an incident nobody knows who came in by it."),
  /** A whole inner prefix is open from outside. */
  PREFIX_OFFERED(
      Severity.WARNING,
      "Replies come in by their session; a rule that accepts a whole network from outside opens it"
          + " to everybody."),

  // Leftovers.
  /** Something that nothing refers to. */
  UNUSED(Severity.ADVICE, "What nothing uses misleads whoever reads the file next."),
  /** A schedule never acts. */
  SCHEDULE_NEVER_ACTS(Severity.WARNING, "A rule with this schedule is as if it were not there."),
  /** A disabled rule that others rely on. */
  DISABLED_RULE_NEEDED(
      Severity.WARNING, "What relies on the rule does not work while it is disabled."),
  /** Two routes for the same destinations. */
  ROUTES_CONFLICT(
      Severity.WARNING, "Only the first of them is ever taken, whatever the second one says."),
  /** An acceptance covers no finding. */
  ACCEPTANCE_UNUSED(
      Severity.WARNING,
      "It would hide the next finding of its kind, which nobody has thought about.");

  private final Severity severity;
  private final String why;

  Code(Severity severity, String why) {
    this.severity = severity;
    this.why = why;
  }

  /** How bad it is where nobody says otherwise. */
  public Severity severity() {
    return severity;
  }

  /** Why it matters, in a sentence. */
  public String why() {
    return why;
  }

  /** The code of a text; null if there is none. */
  public static @Nullable Code of(String text) {
    for (Code code : values()) {
      if (code.toString().equals(text)) {
        return code;
      }
    }
    return null;
  }

  /** The stable code: lower case with hyphens. */
  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
