package org.eskerfield.engine;

import java.util.HashSet;
import java.util.Set;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;

/**
 * An internal endpoint tied to an external one (RFC 4787 section 4.1). It is the same for every
 * remote end: endpoint-independent mapping, REQ-1.
 */
final class Binding {
  final TranslationRule rule;
  final Address internal;
  final int internalPort;
  final Address external;
  final int externalPort;

  /** Whom the internal endpoint spoke to: address-dependent filtering, RFC 4787 section 5. */
  final Set<Address> remotes = new HashSet<>();

  Binding(
      TranslationRule rule,
      Address internal,
      int internalPort,
      Address external,
      int externalPort) {
    this.rule = rule;
    this.internal = internal;
    this.internalPort = internalPort;
    this.external = external;
    this.externalPort = externalPort;
  }
}
