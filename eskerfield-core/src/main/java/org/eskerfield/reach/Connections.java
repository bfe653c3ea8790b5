// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.reach;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Probe;
import org.jspecify.annotations.Nullable;

/**
 * Connections across a site: of one host of each network and somebody on the internet, to the first
 * TCP service of each host, to what rules offer, and to the internet. What large packets meet on
 * them they meet on all others of the same networks, as far as rules do not tell hosts apart.
 */
public final class Connections {
  private static final int HTTPS = 443;

  private final Site site;
  private final ZonedDateTime at;
  private final Set<Attempt> attempts = new LinkedHashSet<>();

  private Connections(Site site) {
    this.site = site;
    this.at = VirtualClock.start(site.timeZone());
  }

  /** The connections of a site, on an ordinary day; who sends is not asked whether he may. */
  public static List<Attempt> of(Site site) {
    Connections all = new Connections(site);
    for (Family family : Family.values()) {
      all.of(family);
    }
    return List.copyOf(all.attempts);
  }

  private void of(Family family) {
    List<Host> senders = new ArrayList<>();
    Set<String> networks = new HashSet<>();
    for (Host host : site.hosts().values()) {
      boolean first = false;
      for (Network network : host.networks()) {
        first |= networks.add(network.name());
      }
      if (host.address(family) != null && !host.off() && (first || host.isOutside())) {
        senders.add(host);
      }
    }
    Address stranger = Outside.stranger(site, family);
    for (Host sender : senders) {
      for (Host receiver : site.hosts().values()) {
        Integer port = port(receiver.listens());
        if (port != null && !receiver.name().equals(sender.name())) {
          add(sender, receiver.address(family), port);
        }
      }
      for (Device device : site.devices().values()) {
        for (InwardRule rule : device.inward()) {
          Integer port = port(rule.services());
          Prefix external = rule.block(family);
          if (port != null && external != null && !rule.disabled()) {
            add(sender, external.first(), port);
          }
        }
      }
      add(sender, stranger, HTTPS);
    }
  }

  private static @Nullable Integer port(List<ServiceTerm> services) {
    for (ServiceTerm term : services) {
      for (ServicePart part : term.service().parts()) {
        if (part.protocol() == Protocol.TCP) {
          return part.ports().first();
        }
      }
    }
    return null;
  }

  private void add(Host sender, @Nullable Address to, int port) {
    if (to != null) {
      attempts.add(Attempt.at(sender, to, Probe.of(Protocol.TCP, port), at));
    }
  }
}
