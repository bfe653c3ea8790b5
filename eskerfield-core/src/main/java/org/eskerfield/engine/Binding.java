package org.eskerfield.engine;

import java.util.HashMap;
import java.util.Map;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;

/**
 * An internal endpoint or address tied to an external one while sessions use it (RFC 4787 section
 * 4.1). It is the same for every remote end: endpoint-independent mapping, REQ-1.
 */
final class Binding {
  /** Stands for every port and protocol, where a whole address is lent. */
  static final int EVERY = -1;

  final TranslationRule rule;
  final int protocol;
  final Address internal;
  final int internalPort;
  final Address external;
  final int externalPort;

  /** When it was made, in milliseconds of the clock. */
  final long since;

  /** Whom the internal endpoint spoke to, by how many sessions that live. */
  final Map<Address, Integer> remotes = new HashMap<>();

  int sessions;

  Binding(
      TranslationRule rule,
      int protocol,
      Address internal,
      int internalPort,
      Address external,
      int externalPort,
      long since) {
    this.rule = rule;
    this.protocol = protocol;
    this.internal = internal;
    this.internalPort = internalPort;
    this.external = external;
    this.externalPort = externalPort;
    this.since = since;
  }

  boolean isWholeAddress() {
    return externalPort == EVERY;
  }
}
