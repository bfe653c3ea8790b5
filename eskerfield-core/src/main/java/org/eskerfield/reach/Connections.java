// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.reach;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.BitSet;
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
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Probe;
import org.jspecify.annotations.Nullable;

/**
 * Connections across a site: of one host of each network and somebody on the internet, to the first
 * TCP service of each host, to what rules offer, and to the internet. What large packets meet on
 * them they meet on all others of the same networks, as far as rules do not tell hosts apart.
 */
public final class Connections {
  private static final int HTTPS = 443;
  private static final int CONTROL = 21;

  /** Who listens on more ports than these is not known to speak anything on one of them. */
  private static final int MOST_PORTS = 1000;

  private static final int ENCRYPTED_CONTROL = 990;

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

  /**
   * File transfers of the same senders, with each kind of data connection: to every control port
   * that a host listens on, that rules offer, or that gateways read.
   */
  public static List<Attempt> transfers(Site site) {
    PortSet control = PortSet.of(CONTROL).union(PortSet.of(ENCRYPTED_CONTROL));
    boolean read = false;
    for (Device device : site.devices().values()) {
      if (device.state().fileTransfer()) {
        control = control.union(device.state().controlPorts());
        read = true;
      }
    }
    Set<Attempt> all = new LinkedHashSet<>();
    for (Family family : Family.values()) {
      Connections plain = new Connections(site);
      Address stranger = read ? Outside.stranger(site, family) : null;
      for (Host sender : plain.senders(family)) {
        plain.toServices(sender, family, control);
        plain.add(sender, sender.isOutside() ? null : stranger, CONTROL);
      }
      for (Attempt each : plain.attempts) {
        boolean encrypted = each.probe().port() == ENCRYPTED_CONTROL;
        Attempt spoken = encrypted ? each : each.inPlainText();
        for (FileTransfer.Mode mode : FileTransfer.Mode.values()) {
          if (family == Family.IPV4 || mode.isExtended()) {
            all.add(spoken.with(mode));
          }
        }
      }
    }
    return List.copyOf(all);
  }

  private void of(Family family) {
    Address stranger = Outside.stranger(site, family);
    for (Host sender : senders(family)) {
      toServices(sender, family, null);
      add(sender, stranger, HTTPS);
    }
  }

  private List<Host> senders(Family family) {
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
    return senders;
  }

  /** To a TCP service of each host, and of each rule; of some ports only, if these are said. */
  private void toServices(Host sender, Family family, @Nullable PortSet only) {
    for (Host receiver : site.hosts().values()) {
      Integer port = port(receiver.listens(), null, only);
      if (port != null && !receiver.name().equals(sender.name())) {
        add(sender, receiver.address(family), port);
      }
    }
    for (Device device : site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        Integer port = port(rule.services(), rule.internalPorts(), only);
        Prefix external = rule.block(family);
        if (port != null && external != null && !rule.disabled()) {
          add(sender, external.first(), port);
        }
      }
    }
  }

  /** A TCP port of services, one of some, or that becomes one of these; null if they have none. */
  private static @Nullable Integer port(
      List<ServiceTerm> services, @Nullable PortSet inside, @Nullable PortSet only) {
    for (ServiceTerm term : services) {
      for (ServicePart part : term.service().parts()) {
        boolean any = only != null && part.ports().size() > MOST_PORTS;
        if (part.protocol() != Protocol.TCP || any) {
          continue;
        }
        if (only == null || (inside != null && inside.intersects(only))) {
          return part.ports().first();
        }
        BitSet some = new BitSet();
        only.addTo(some);
        for (int at = some.nextSetBit(0); at >= 0; at = some.nextSetBit(at + 1)) {
          if (part.ports().contains(at)) {
            return at;
          }
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
