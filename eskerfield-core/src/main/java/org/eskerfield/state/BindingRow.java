// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.time.Duration;
import java.util.List;
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
 * @param remotes the remote end of each session that uses it; empty for permanent bindings without
 *     traffic
 * @param age the time since it was made; null for a permanent binding
 * @param left how long it lasts if idle; null for a permanent binding
 */
public record BindingRow(
    TranslationRule rule,
    int protocol,
    Prefix internal,
    PortSet internalPorts,
    Prefix external,
    PortSet externalPorts,
    List<Remote> remotes,
    @Nullable Duration age,
    @Nullable Duration left) {
  /**
   * The remote end of a session, as both sides of the device see it; the same where it is not
   * translated itself.
   *
   * @param inside as seen on the internal side
   * @param outside as seen outside
   */
  public record Remote(String inside, String outside) {}

  /** Copies the list. */
  public BindingRow {
    remotes = List.copyOf(remotes);
  }

  /** Whether it stands in the policy and never ends. */
  public boolean isPermanent() {
    return age == null;
  }
}
