package org.eskerfield.engine;

import java.time.Duration;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/**
 * A line of a device's table of bindings.
 *
 * @param rule the rule that made it
 * @param protocol the protocol number; {@link org.eskerfield.model.ServicePart#ANY_PROTOCOL} for
 *     every one
 * @param internal the internal address, or block of a permanent binding
 * @param internalPorts its ports or ICMP identifiers
 * @param external the external address or block
 * @param externalPorts its ports or ICMP identifiers
 * @param sessions how many sessions use it; 0 for permanent bindings without traffic
 * @param age how long it has been there; null for a permanent binding
 * @param left how long it stays if nothing more comes; null for a permanent binding
 */
public record BindingRow(
    TranslationRule rule,
    int protocol,
    Prefix internal,
    PortSet internalPorts,
    Prefix external,
    PortSet externalPorts,
    int sessions,
    @Nullable Duration age,
    @Nullable Duration left) {
  /** Whether it stands in the policy and never ends. */
  public boolean isPermanent() {
    return age == null;
  }
}
