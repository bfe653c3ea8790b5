// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.List;
import java.util.Map;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.eskerfield.state.DeviceSnapshot;
import org.jspecify.annotations.Nullable;

/**
 * A run at a moment: all that its devices know, without any object of it. Whoever has the site goes
 * on from here as the run itself would have; its log and its {@link Figures} begin anew.
 *
 * @param now the moment
 * @param elapsed the milliseconds since the run began
 * @param devices the state of each device, by its name
 * @param announced where a server waits for a data connection that it has announced; null for
 *     nowhere
 * @param leases leases from before a change of the site that hosts still hold
 * @param answers the DNS answers that hosts have cached
 * @param saved what devices that have not saved a change would start with: which of the sites of
 *     the run has it, from 0, by the name of the device
 */
public record Snapshot(
    ZonedDateTime now,
    long elapsed,
    Map<String, DeviceSnapshot> devices,
    @Nullable Announced announced,
    List<Lease> leases,
    List<Answer> answers,
    Map<String, Integer> saved) {
  /** An endpoint of TCP where a server waits. */
  public record Announced(Address address, int port) {}

  /**
   * A lease as it was before a change.
   *
   * @param resolver the address of the resolver; null for none
   * @param until the millisecond at which it is renewed
   */
  public record Lease(
      String host,
      List<Address> addresses,
      List<Prefix> prefixes,
      List<Address> gateways,
      @Nullable Address resolver,
      long until) {
    /** Copies the lists. */
    public Lease {
      addresses = List.copyOf(addresses);
      prefixes = List.copyOf(prefixes);
      gateways = List.copyOf(gateways);
    }
  }

  /**
   * An answer that a host remembers.
   *
   * @param until the millisecond at which its time is up
   */
  public record Answer(
      String host, String name, String answeredBy, List<Address> addresses, long until) {
    /** Copies the list. */
    public Answer {
      addresses = List.copyOf(addresses);
    }
  }

  /** Copies lists and maps. */
  public Snapshot {
    devices = Map.copyOf(devices);
    leases = List.copyOf(leases);
    answers = List.copyOf(answers);
    saved = Map.copyOf(saved);
  }
}
