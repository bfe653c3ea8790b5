// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.Locale;

/** The known causes for which attempts fail. Each has a section of its own in the documentation. */
public enum Cause {
  /** Nothing lets the packet in. */
  ACCESS_MISSING("no access rule accepts it"),
  /** A rule drops it, and no later one would accept it. */
  DENIED("a rule denies it"),
  /** The rule is for other senders. */
  SENDER_NOT_ADMITTED("the rule does not admit this sender"),
  /** No rule translates the destination. */
  TRANSLATION_MISSING("no rule translates the destination"),
  /** A list that would accept it guards no way. */
  LIST_GUARDS_NOTHING("the list that would accept it guards no traffic"),
  /** A rule or list is for another interface or zone. */
  WRONG_INTERFACE("the rule or list is for another interface or zone"),
  /** Insiders may not use the external address. */
  HAIRPIN_MISSING("the rule has no hairpin for clients inside"),
  /** The rule is for another protocol or port. */
  WRONG_SERVICE("the rule is for another protocol or port"),
  /** An access rule names the address of the side that its device does not see. */
  OTHER_SIDE_NAMED("the access rule names the address of the other side of the translation"),
  /** An interface is off or has no link. */
  INTERFACE_DOWN("an interface is down"),
  /** An earlier rule takes the packet. */
  ORDER("an earlier rule matches it first"),
  /** The reply goes another way, or comes from another address. */
  REPLY_BY_OTHER_WAY("the reply goes by another way"),
  /** A stateless list does not let the reply in. */
  REPLIES_NOT_LET_IN("a list does not accept the reply"),
  /** The sender of packets that are too large is not told. */
  NOTICE_LOST("the notice that packets are too large is lost"),
  /** The name resolves to an address for the other side. */
  NAME_WRONG_SIDE("the name resolves to the wrong side"),
  /** Who asked before a change goes by the answer that it got then. */
  NAME_REMEMBERED("an answer from before the change is still cached"),
  /** The name could not be resolved. */
  NAME_UNKNOWN("the name does not resolve here"),
  /** A pool or its ports are used up. */
  EXHAUSTED("the pool or its ports are used up"),
  /** One source has the only address to itself. */
  SHARING_LEFT_OUT("sharing is missing: one sender has the only address"),
  /** The protocol has no ports to tell sharers apart. */
  CANNOT_SHARE("a protocol without ports cannot share an address"),
  /** An IPv6 address whose checksum cannot be kept has no counterpart. */
  NO_COUNTERPART("prefix translation has no counterpart for an address"),
  /** Nothing listens on the port. */
  NOTHING_LISTENS("nothing listens there"),
  /** Nobody has the address inside any more. */
  HOST_MOVED("no host has the address that the rule leads to"),
  /** A host is switched off. */
  HOST_OFF("a host is switched off"),
  /** The host does not answer pings. */
  NO_PING("the host does not answer pings"),
  /** A host's gateway or prefix is set wrong. */
  GATEWAY_OR_PREFIX_WRONG("a host's gateway or prefix is wrong"),
  /** A lease names a gateway or resolver that does not do. */
  LEASE_WRONG("the lease hands out a wrong gateway or resolver"),
  /** A host still goes by the lease that it got before a change. */
  LEASE_NOT_RENEWED("a lease from before the change is not renewed yet"),
  /** The carrier has assigned another external address. */
  ADDRESS_CHANGED("the external address has changed"),
  /** The external address is itself private. */
  ADDRESS_PRIVATE("the external address is itself private"),
  /** The carrier does not route the external address here. */
  ADDRESS_NOT_ROUTED("the external address is not routed here"),
  /** A translation rule takes the port of the device's own service. */
  OWN_SERVICE_TAKEN("a rule takes the port of the device's own service"),
  /** The device runs the service for others only, or not at all. */
  OWN_SERVICE_CLOSED("the device's own service does not admit this sender"),
  /** Private addresses leave towards the internet untranslated. */
  CARRIER_DISCARDS_PRIVATE("the carrier discards private addresses"),
  /** The outer of two devices has no rule for what the inner one expects. */
  OUTER_RULE_MISSING("the outer device has no rule for it"),
  /** The host's own filter. */
  HOST_FILTER("the host's own filter"),
  /** The sender's own network lets no such packets out. */
  SENDER_NETWORK_BLOCKS("the sender's own network blocks it"),
  /** The rule does not act at this time. */
  OUTSIDE_SCHEDULE("it is outside the schedule"),
  /** A session from before a change keeps the old behaviour. */
  OLD_SESSION("an old session keeps the old behaviour"),
  /** No route leads there. */
  ROUTE_MISSING("no route leads there"),
  /** No route leads back. */
  RETURN_ROUTE_MISSING("no route leads back"),
  /** Packets go in circles. */
  LOOP("packets loop"),
  /** An untouched rule takes the packet first. */
  UNTOUCHED_FIRST("an untouched rule matches it first"),
  /** Nobody translates the address that a file transfer announces. */
  TRANSFER_NOT_HELPED("no device acts as gateway for the file transfer"),
  /** Nobody can read the address that an encrypted file transfer announces. */
  TRANSFER_ENCRYPTED("no device can read what an encrypted file transfer announces"),
  /** The address is not the one to try. */
  WRONG_ADDRESS("no host can be reached at that address"),
  /** The device does not believe the source, or never forwards such packets. */
  NOT_FORWARDED("the device does not forward such a packet"),
  /** No session that it could belong to. */
  NO_SESSION("it belongs to no session");

  private final String title;

  Cause(String title) {
    this.title = title;
  }

  /** The cause in a few words. */
  public String title() {
    return title;
  }

  /** The stable code: lower case with hyphens. */
  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
