// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.jspecify.annotations.Nullable;

/**
 * A name that hosts resolve otherwise: by what their resolver says, once it is asked. Whether the
 * question gets there is told by the packets.
 *
 * @param name the name
 * @param hosts the hosts, in the order of the file; at least one
 * @param before the old answer, in words; "nothing" for none
 * @param after the new answer, likewise
 */
public record NameChange(String name, List<String> hosts, String before, String after) {
  /** Copies the list. */
  public NameChange {
    hosts = List.copyOf(hosts);
  }

  static List<NameChange> between(Site before, Site after) {
    Set<String> names = new LinkedHashSet<>(before.names().keySet());
    names.addAll(after.names().keySet());
    List<NameChange> changes = new ArrayList<>();
    for (String name : names) {
      Map<List<String>, List<String>> askers = new LinkedHashMap<>();
      for (Host host : after.hosts().values()) {
        Host was = before.hosts().get(host.name());
        if (was == null) {
          continue; // it asked nobody before
        }
        String then = told(before, was, name);
        String now = told(after, host, name);
        if (!then.equals(now)) {
          askers.computeIfAbsent(List.of(then, now), k -> new ArrayList<>()).add(host.name());
        }
      }
      askers.forEach(
          (ends, hosts) -> changes.add(new NameChange(name, hosts, ends.get(0), ends.get(1))));
    }
    return changes;
  }

  private static String told(Site site, Host host, String name) {
    Address asked = site.resolver(host);
    if (asked == null) {
      return "nothing";
    }
    Host resolver = site.hostAt(asked);
    DomainName known = site.names().get(name);
    DomainName.@Nullable Answer answer =
        known == null ? null : known.by(resolver == null ? asked.toString() : resolver.name());
    return answer == null || answer.addresses().isEmpty()
        ? "nothing"
        : String.join(", ", answer.addresses().stream().map(Address::toString).toList());
  }
}
