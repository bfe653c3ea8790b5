// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.Locale;
import org.jspecify.annotations.Nullable;

/** The kinds of findings, each with its usual severity and the reason why it matters. */
public enum Code {
  // The order of rules.
  /** Earlier rules take everything that a rule is for. */
  RULE_NEVER_ACTS(
      Severity.ERROR, "No packet ever gets to this rule: earlier rules match all of its packets."),
  /** A rule stands after one that takes everything. */
  RULE_AFTER_EVERYTHING(
      Severity.ERROR, "A rule that stands behind one which matches every packet never acts."),
  /** An untouched rule takes what a later rule is for. */
  UNTOUCHED_FIRST(
      Severity.ERROR,
      "Packets that an untouched rule matches are never translated, whatever rules" + " follow."),
  /** Without the rule everything would be the same. */
  RULE_REDUNDANT(
      Severity.ADVICE,
      "Every packet ends the same without this rule, which still has to be read and" + " kept."),
  /** Two rules want different things for some packets, and only their order decides. */
  RULES_CROSS(
      Severity.ADVICE,
      "Both rules match some packets, and only their order decides about those: moving"
          + " one rule changes what gets through."),
  /** The question is too large. */
  UNDETERMINED(Severity.ADVICE, "This was not worked out: do not take it for correct."),

  // Translation and access.
  /** A rule leads packets inside, but nothing lets them in. */
  TRANSLATION_WITHOUT_ACCESS(
      Severity.ERROR,
      "The rule translates the destination, and then the device drops the packet:"
          + " nobody gets in."),
  /** A static rule that lets its host send, and nobody in. */
  ONLY_SENDS(
      Severity.ADVICE,
      "The host sends with an external address of its own, and nobody can open a"
          + " connection to it there: that may be meant."),
  /** A rule lets outsiders to a host, but no translation leads there. */
  ACCESS_WITHOUT_TRANSLATION(
      Severity.ERROR,
      "Nobody outside can send to a private address: without a translation rule nobody"
          + " gets there."),
  /** Of what is translated only a part is let in. */
  HALF_LET_IN(Severity.WARNING, "Some of the offered ports do not work from outside."),
  /** An access rule names the address of the side that its device does not see. */
  OTHER_SIDE_NAMED(
      Severity.ERROR,
      "Access rules see the destination on one side of the translation only: a rule"
          + " that names the other side matches nothing."),
  /** A list guards no way. */
  LIST_GUARDS_NOTHING(
      Severity.WARNING, "A list acts only on the traffic that it guards: these rules never act."),
  /** Packets from outside come in by a way that nobody guards. */
  WAY_UNGUARDED(Severity.WARNING, "Anybody on that side reaches what nobody meant to offer."),
  /** A list holds back one family and lets everything of the other through. */
  FAMILY_UNFILTERED(Severity.WARNING, "What is closed over one family is open over the other."),

  // The sides of a translation.
  /** A rule faces an interface where its external address is not. */
  WRONG_INTERFACE(
      Severity.ERROR, "The packets take another path, so the rule or list never sees them."),
  /** A source rule also rewrites clients that come in. */
  CLIENTS_REWRITTEN(
      Severity.WARNING,
      "The server sees every client as the same address: its logs, limits and filters are blind."),
  /** Internal sources leave towards the internet. */
  SOURCES_UNTRANSLATED(
      Severity.ERROR,
      "The internet does not route private or shared sources (RFC 1918, RFC 6598): no"
          + " reply comes back."),
  /** A rule would translate sources on their way out, but the device does not let them out. */
  SOURCES_NOT_LET_OUT(
      Severity.WARNING,
      "The device drops these packets before the rule can translate them: their senders"
          + " reach nothing."),
  /** A host has an address that a prefix rule cannot translate. */
  NO_COUNTERPART(
      Severity.ERROR,
      "Prefix translation has no external address for the host (RFC 6296): it reaches"
          + " nobody outside, and nobody outside reaches it."),
  /** Replies find no way back. */
  RETURN_ROUTE_MISSING(Severity.ERROR, "The request arrives, but no reply ever comes back."),
  /** An access rule accepts what is dropped on its further way. */
  ACCEPTED_THEN_DROPPED(
      Severity.WARNING, "The rule accepts packets that a later list or stance drops."),
  /** An expectation of the file does not hold. */
  EXPECTATION_FAILS(
      Severity.ERROR, "The file states what must happen, and something else happens."),
  /** A guarantee of the file does not hold. */
  GUARANTEE_BROKEN(
      Severity.ERROR, "The file states what must hold for all packets, and it is not proved."),
  /** Somebody is reached from outside, and the file does not say that it is meant. */
  WAY_IN_UNCOVERED(
      Severity.ADVICE,
      "The file has guarantees, but neither they nor an expectation speak of this way in: nobody"
          + " would notice if it was not meant."),
  /** A list lets in from the internet whatever its rules do not name. */
  OPEN_OTHERWISE(Severity.WARNING, "Everything that no rule names is let in."),
  /** A rule or service that no packet of anybody gets to. */
  NEVER_MET(
      Severity.WARNING, "None of the packets that it is for ever gets there, so it does nothing."),
  /** A route is missing. */
  ROUTE_MISSING(
      Severity.ERROR, "The file lets these packets through, and the device has no route for them."),
  /** Replies go by another way, or come from another address. */
  REPLY_BY_OTHER_WAY(
      Severity.ERROR, "A client discards a reply from an address that it did not send to."),
  /** A stateless list does not let replies through. */
  REPLIES_NOT_LET_IN(
      Severity.ERROR, "A stateless list filters replies like any other packet, and drops these."),
  /** A stateless list lets answers in, but not the notices that path MTU discovery needs. */
  NOTICE_LOST(
      Severity.ERROR,
      "Connections open, and hang with the first large packet: its sender never learns"
          + " that it is too large (RFC 2923 section 2.1)."),

  NOTICES_DROPPED(
      Severity.WARNING,
      "A sender that is not told sends the same large packet again: connections open, and then"
          + " hang (RFC 1191, RFC 8201)."),
  /** A stateless list takes every segment with ACK for an answer. */
  ANSWERS_FORGED(
      Severity.ADVICE,
      "Any packet that has ACK set gets through without a connection: hosts can be"
          + " found and probed that way."),
  /** Packets go in circles. */
  LOOP(Severity.ERROR, "The packets loop until their hop count is used up, and load the links."),

  // External addresses.
  /** Two things use the same external address. */
  ADDRESS_CLAIMED_TWICE(
      Severity.ERROR,
      "Two machines answer for one address: which of them gets a packet is chance."),
  /** The carrier does not send the address here. */
  ADDRESS_NOT_ROUTED(
      Severity.ERROR,
      "Packets for the address never arrive here, nor do replies to hosts behind it."),
  /** The address is the carrier's own. */
  ADDRESS_OF_CARRIER(
      Severity.ERROR, "Using the carrier's own address cuts the link for everybody."),
  /** The address is that of an interface. */
  ADDRESS_OF_DEVICE(
      Severity.ERROR,
      "The whole address goes to another machine: the device itself is no longer"
          + " reached at it."),
  /** The address names a whole network. */
  ADDRESS_OF_NETWORK(
      Severity.ERROR,
      "The network or broadcast address of a connected network is not an address of a"
          + " machine."),
  /** The external address is itself private or shared. */
  ADDRESS_PRIVATE(
      Severity.ERROR, "Nobody on the internet can send to it: an outer translation is needed."),
  /** The carrier assigns another address. */
  ADDRESS_CHANGED(
      Severity.ERROR,
      "Where the carrier assigns the address, only that one is yours; one that is"
          + " written out goes out of date."),
  /** Outsiders were told an address that may change. */
  CHANGING_ADDRESS_TOLD(
      Severity.WARNING,
      "When the carrier assigns another address, the name still points to the old one."),
  /** Addresses of a routed block that nobody uses go in circles. */
  BLOCK_LOOPS(
      Severity.WARNING,
      "Each packet for an unused address goes to and fro until its hop count is used"
          + " up: one sender can fill the link."),
  /** Two pools share addresses, or a pool has one that a rule has. */
  POOLS_OVERLAP(Severity.WARNING, "The same external address stands for two things at once."),
  /** More sources than addresses. */
  POOL_TOO_SMALL(Severity.WARNING, "When every address is in use, the next sender gets none."),
  /** Several sources, one address, and no sharing. */
  SHARING_LEFT_OUT(
      Severity.ERROR, "The first source takes the only address, and all others get none."),
  /** More promised ports than there are. */
  PORTS_TOO_FEW(
      Severity.ADVICE, "When every source uses as many ports as it may, some sources find none."),

  // Management.
  /** A rule takes the port of the device's own service. */
  OWN_SERVICE_TAKEN(
      Severity.ERROR,
      "Whoever manages the device at this address reaches another machine instead."),
  /** Nobody reaches the device's own services. */
  MANAGEMENT_CLOSED(Severity.ERROR, "The next change has to be made on site, at the console."),
  /** Everybody on the internet reaches the device's own services. */
  MANAGEMENT_OPEN(Severity.ERROR, "Anybody there may try passwords and known flaws."),

  // Who is offered.
  /** A zone that is offered outside reaches inner ones. */
  OFFERED_ZONE_REACHES_INSIDE(
      Severity.WARNING, "Whoever takes over the offered host can go on from there."),
  /** Nothing listens where a rule leads. */
  NOTHING_LISTENS(
      Severity.ERROR,
      "Packets arrive and are refused: the host listens on another port or protocol."),
  /** Nobody has the address that a rule leads to. */
  HOST_MOVED(Severity.ERROR, "The rule leads to an address that no host has."),
  /** An offered host is switched off. */
  HOST_OFF(Severity.WARNING, "The offered service does not answer."),
  /** An offered host may get another address. */
  HOST_LEASED(
      Severity.WARNING,
      "With its next lease the host may get another address, and then the rule leads"
          + " nowhere."),
  /** A fixed address lies where leases are handed out. */
  FIXED_AMONG_LEASES(
      Severity.WARNING, "Sooner or later the server leases the same address to another host."),
  /** A host's gateway or prefix is wrong. */
  GATEWAY_OR_PREFIX_WRONG(
      Severity.ERROR, "Beyond its own network the host reaches nothing, or only a part."),
  /** A host's own filter lets nobody to what it offers. */
  HOST_FILTER(
      Severity.ERROR,
      "Every device on the way lets the packets through; the host's own filter does" + " not."),
  /** The sender's network blocks what it is meant to use. */
  SENDER_NETWORK_BLOCKS(
      Severity.WARNING,
      "The rule is for this sender, and the network that the sender is on blocks the"
          + " service."),
  /** An interface that rules need is down. */
  INTERFACE_DOWN(Severity.ERROR, "Nothing behind the interface is reached through it."),
  /** An interface that something needs is switched off, maybe on purpose. */
  INTERFACE_OFF(Severity.ADVICE, "Whatever needs the interface does not work while it is off."),
  /** File transfer across translation without the gateway. */
  TRANSFER_NOT_HELPED(
      Severity.ERROR,
      "File transfer announces addresses and ports in its text (RFC 959): a gateway has"
          + " to translate them."),

  // Names.
  /** Some hosts get the answer for the other side. */
  NAME_WRONG_SIDE(
      Severity.WARNING, "Hosts that ask the wrong resolver are sent to the wrong address."),
  /** A resolver does not answer those who are told to ask it. */
  RESOLVER_FAILS(Severity.ERROR, "Hosts that ask it for a name get no answer."),
  /** Some hosts get no answer. */
  NAME_UNKNOWN(Severity.WARNING, "Hosts inside are told that the name does not exist."),
  /** Insiders get the external address and cannot use it. */
  HAIRPIN_MISSING(
      Severity.ERROR, "Hosts inside send to the external address, and no rule leads them back in."),

  // Exposure.
  /** Every port of a host is offered. */
  EVERYTHING_OFFERED(
      Severity.WARNING, "Any service that the host runs in future is on the internet at once."),
  /** Remote administration or file sharing is offered to everybody. */
  ADMINISTRATION_OFFERED(Severity.WARNING, "These services are attacked day and night."),
  /** A clear-text protocol is offered. */
  CLEAR_TEXT_OFFERED(Severity.WARNING, "Anybody on the path can read passwords and contents."),
  /** An inbound rule does not log. */
  INBOUND_NOT_LOGGED(Severity.ADVICE, "After an incident no log tells who came in."),
  /** A whole inner prefix is open from outside. */
  PREFIX_OFFERED(
      Severity.WARNING,
      "Replies come in by their session; a rule that accepts a whole network from outside opens it"
          + " to everybody."),

  // Leftovers.
  /** Something that nothing refers to. */
  UNUSED(Severity.ADVICE, "Leftovers mislead whoever reads the file next."),
  /** A schedule never acts. */
  SCHEDULE_NEVER_ACTS(Severity.WARNING, "A rule with this schedule never acts."),
  /** A disabled rule that others rely on. */
  DISABLED_RULE_NEEDED(
      Severity.WARNING, "Whatever needs the rule does not work while it is disabled."),
  /** Two routes for the same destinations. */
  ROUTES_CONFLICT(Severity.WARNING, "Only the first of the two is ever used."),
  /** An acceptance covers no finding. */
  ACCEPTANCE_UNUSED(
      Severity.WARNING, "It would hide the next finding of its kind, which nobody has seen yet.");

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
