// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.state.VirtualClock;
import org.jspecify.annotations.Nullable;

/**
 * What is kept when the site changes: leases that are not renewed yet (RFC 2131 section 4.4.5),
 * answers of the DNS whose time is not up (RFC 1035 section 3.2.1), and what devices have saved.
 *
 * <p>Leases are taken to have begun with the run, and are renewed each time that half of their time
 * is over. Times are milliseconds since the run began.
 */
final class Kept {
  private final VirtualClock clock;

  /** What devices that save when they are told would start with. */
  final Map<String, Device> saved = new LinkedHashMap<>();

  final Map<String, Snapshot.Lease> leases = new LinkedHashMap<>();
  final Map<String, Snapshot.Answer> answers = new LinkedHashMap<>();

  Kept(VirtualClock clock) {
    this.clock = clock;
  }

  /** The site changes: who has a lease keeps what came with it, and nobody saves it unasked. */
  void changes(Site before, Site after) {
    for (Device device : after.devices().values()) {
      Device was = before.devices().get(device.name());
      if (was != null && !device.savesAtOnce() && !was.equals(device)) {
        saved.putIfAbsent(device.name(), was);
      }
    }
    leases(before, after);
  }

  /** Goes on from a snapshot. */
  void goOn(Snapshot before, List<Site> sites) {
    before.leases().forEach(each -> leases.put(each.host(), each));
    before.answers().forEach(each -> answers.put(key(each.host(), each.name()), each));
    before
        .saved()
        .forEach(
            (name, number) -> {
              Device device = number < sites.size() ? sites.get(number).devices().get(name) : null;
              if (device == null) {
                throw new IllegalArgumentException(
                    "the snapshot says that site "
                        + number
                        + " of the run has what "
                        + name
                        + " saved");
              }
              saved.put(name, device);
            });
  }

  /** Which of some sites has what each device has saved. */
  Map<String, Integer> saved(List<Site> sites) {
    Map<String, Integer> numbers = new LinkedHashMap<>();
    saved.forEach(
        (name, device) -> {
          for (int i = 0; i < sites.size(); i++) {
            if (device.equals(sites.get(i).devices().get(name))) {
              numbers.putIfAbsent(name, i);
            }
          }
        });
    return numbers;
  }

  // Leases.

  private void leases(Site before, Site after) {
    for (Host host : after.hosts().values()) {
      Host was = before.hosts().get(host.name());
      Network.Lease lease = was == null ? null : before.lease(was);
      if (was == null || lease == null || leases.containsKey(host.name())) {
        continue;
      }
      Snapshot.Lease old = lease(before, was, lease);
      Network.Lease now = after.lease(host);
      if (now == null || !isSame(old, lease(after, host, now))) {
        leases.put(host.name(), old);
      }
    }
  }

  private Snapshot.Lease lease(Site site, Host host, Network.Lease lease) {
    List<Prefix> prefixes = new ArrayList<>(host.ownPrefixes());
    if (prefixes.isEmpty()) {
      host.networks().forEach(network -> prefixes.addAll(network.prefixes()));
    }
    List<Address> gateways = new ArrayList<>();
    for (Family family : Family.values()) {
      Address gateway = site.gateway(host, family);
      if (gateway != null) {
        gateways.add(gateway);
      }
    }
    long half = Math.max(1, lease.time().toMillis() / 2);
    long until = (clock.elapsed() / half + 1) * half;
    return new Snapshot.Lease(
        host.name(), host.addresses(), prefixes, gateways, site.resolver(host), until);
  }

  private static boolean isSame(Snapshot.Lease one, Snapshot.Lease other) {
    return one.addresses().equals(other.addresses())
        && one.prefixes().equals(other.prefixes())
        && one.gateways().equals(other.gateways())
        && Objects.equals(one.resolver(), other.resolver());
  }

  /** Whether a lease was renewed since somebody asked last; such ones are forgotten. */
  boolean renews() {
    return leases.values().removeIf(each -> each.until() <= clock.elapsed());
  }

  /** The site with hosts as their leases still say; devices know what the file says. */
  SiteProgram on(SiteProgram program) {
    Site site = program.site();
    Site held = site;
    for (Snapshot.Lease lease : leases.values()) {
      Host host = site.hosts().get(lease.host());
      if (host != null) {
        held =
            held.with(
                host.withAddresses(lease.addresses())
                    .withOwnPrefixes(lease.prefixes())
                    .withGateways(lease.gateways())
                    .withResolver(
                        lease.resolver() == null ? null : AddressTerm.of(lease.resolver())));
      }
    }
    return leases.isEmpty() ? program : program.withHostsOf(held);
  }

  /** Those of some hosts that go by an old lease. */
  List<String> holding(Collection<String> hosts) {
    return hosts.stream().filter(leases::containsKey).toList();
  }

  // Names.

  /** What a host remembers of a name; null for nothing. */
  Snapshot.@Nullable Answer remembered(String host, String name) {
    Snapshot.Answer answer = answers.get(key(host, name));
    return answer == null || answer.until() <= clock.elapsed() ? null : answer;
  }

  /** A host hears an answer, whose time begins. */
  void hears(String host, String name, String answeredBy, List<Address> addresses, long millis) {
    Snapshot.Answer answer =
        new Snapshot.Answer(host, name, answeredBy, addresses, clock.elapsed() + millis);
    answers.put(key(host, name), answer);
  }

  static String key(String host, String name) {
    return host + " " + name;
  }

  /** How long an answer is still remembered, in milliseconds. */
  long left(Snapshot.Answer answer) {
    return answer.until() - clock.elapsed();
  }
}
