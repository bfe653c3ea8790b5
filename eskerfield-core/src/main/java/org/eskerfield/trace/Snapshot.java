// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.Map;
import org.eskerfield.packet.Address;
import org.eskerfield.state.DeviceSnapshot;
import org.jspecify.annotations.Nullable;

/**
 * A run at a moment: all that its devices know, without any object of it. Whoever has the site goes
 * on from here as the run itself would have; its log and its {@link Figures} begin anew.
 *
 * @param now the moment
 * @param elapsed the milliseconds since the run began
 * @param devices what each device knows, by its name
 * @param announced where a server waits for a data connection that it has announced; null for
 *     nowhere
 */
public record Snapshot(
    ZonedDateTime now,
    long elapsed,
    Map<String, DeviceSnapshot> devices,
    @Nullable Announced announced) {
  /** An endpoint of TCP where a server waits. */
  public record Announced(Address address, int port) {}

  /** Copies the map. */
  public Snapshot {
    devices = Map.copyOf(devices);
  }
}
