// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.function.BiFunction;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * Connections of hosts and devices whose addresses change.
 *
 * <p>Idea: a network that is renumbered sends other packets, so none of them is on both sites. Who
 * is called the same on both is the same, though: what it opens and what is opened to it is led on
 * both, each time with the addresses of that site. Cost: two conversations for each pair of a host
 * that has moved and somebody who listens, {@value #MOST} at most.
 *
 * @param tried the number of connections traced
 * @param changes connections that end differently, or at a different receiver
 * @param complete whether all were traced; false where there are too many
 */
public record MovedEnds(int tried, List<Change> changes, boolean complete) {
  private static final int MOST = 2_000;
  private static final int MOST_SERVICES = 4;
  private static final Probe WEB = Probe.of(Protocol.TCP, 443);

  /**
   * A connection that ends otherwise.
   *
   * @param from the name of the host that opens it
   * @param to the name of the host it is opened to
   * @param before how it ended on the old site
   * @param after how it ends on the new site
   */
  public record Change(String from, String to, Conversation before, Conversation after) {
    /** Which connection it is: "clerk to booking, 8443/tcp". */
    public String connection() {
      return from + " to " + to + ", " + before.attempt().probe();
    }

    /** How one of the two ends, and at whom: "answered by booking", "dropped". */
    public static String end(Conversation conversation) {
      String receiver = receiver(conversation);
      boolean answered = conversation.outcome() == Outcome.ANSWERED && !receiver.isEmpty();
      return conversation.outcome() + (answered ? " by " + receiver : "");
    }

    private static String receiver(Conversation conversation) {
      Trace opening = conversation.opening();
      Endpoint to = opening == null ? null : opening.deliveredTo();
      return to == null || to.name() == null ? "" : to.name();
    }
  }

  /** Copies the list. */
  public MovedEnds {
    changes = List.copyOf(changes);
  }

  static MovedEnds between(Tracer old, Tracer now) {
    return new Search(old, now).search();
  }

  private static final class Search {
    private final Tracer old;
    private final Tracer now;
    private final Site before;
    private final Site after;
    private final Map<String, Change> found = new LinkedHashMap<>();
    private int tried;
    private boolean complete = true;

    Search(Tracer old, Tracer now) {
      this.old = old;
      this.now = now;
      this.before = old.site();
      this.after = now.site();
    }

    MovedEnds search() {
      List<Host> moved = new ArrayList<>();
      for (Host host : after.hosts().values()) {
        Host was = before.hosts().get(host.name());
        if (was != null && !was.addresses().equals(host.addresses())) {
          moved.add(host);
        }
      }
      for (Host host : moved) {
        opens(host);
      }
      for (Host sender : others()) {
        moved.forEach(host -> toHost(sender, host));
        for (Device device : after.devices().values()) {
          Device was = before.devices().get(device.name());
          if (was != null && !was.addresses().equals(device.addresses())) {
            toDevice(sender, device);
          }
        }
      }
      return new MovedEnds(tried, List.copyOf(found.values()), complete);
    }

    /** One host of each network, one on the internet, and one whom each own service is for. */
    private List<Host> others() {
      Map<String, Host> first = new LinkedHashMap<>();
      for (Host host : after.hosts().values()) {
        boolean here = before.hosts().containsKey(host.name()) && !host.off();
        for (Network network : here ? host.networks() : List.<Network>of()) {
          first.putIfAbsent(network.name(), host);
        }
        for (Device device : here ? after.devices().values() : List.<Device>of()) {
          for (OwnService own : device.services()) {
            AddressSet his = AddressSet.ofAddresses(host.addresses());
            if (after.matched(own.from()).intersects(his)) {
              first.putIfAbsent(" " + device.name() + " " + own.service().text(), host);
            }
          }
        }
      }
      return List.copyOf(new LinkedHashSet<>(first.values()));
    }

    private void opens(Host host) {
      for (Family family : Family.values()) {
        Address stranger = Outside.stranger(after, family);
        if (stranger != null) {
          led(host, "the internet", family, WEB, (site, sender) -> stranger);
        }
        led(
            host,
            "its resolver",
            family,
            Probe.of(Protocol.UDP, 53),
            (site, sender) -> {
              Address resolver = site.resolver(sender);
              return resolver != null && resolver.family() == family ? resolver : null;
            });
      }
      for (Host other : after.hosts().values()) {
        toHost(host, other);
      }
      for (Device device : after.devices().values()) {
        toDevice(host, device);
        for (InwardRule rule : device.inward()) {
          toRule(host, device, rule);
        }
      }
    }

    private void toHost(Host sender, Host receiver) {
      if (sender.name().equals(receiver.name())) {
        return;
      }
      for (Family family : Family.values()) {
        for (Probe probe : probes(receiver.listens(), family)) {
          led(
              sender,
              receiver.name(),
              family,
              probe,
              (site, from) -> {
                Host there = site.hosts().get(receiver.name());
                return there == null ? null : there.address(family);
              });
        }
      }
    }

    /** The own services of a device, at its address on the network of the sender, or at any. */
    private void toDevice(Host sender, Device device) {
      for (OwnService own : device.services()) {
        for (Family family : Family.values()) {
          for (Probe probe : probes(List.of(own.service()), family)) {
            led(
                sender,
                device.name(),
                family,
                probe,
                (site, from) -> nearest(site.devices().get(device.name()), from, family));
          }
        }
      }
    }

    private static @Nullable Address nearest(@Nullable Device device, Host sender, Family family) {
      Address any = null;
      for (Interface each : device == null ? List.<Interface>of() : device.interfaces()) {
        Address own = each.address(family);
        if (own != null && sender.isOn(each.network())) {
          return own;
        }
        any = any == null && !each.isOutside() ? own : any;
      }
      return any;
    }

    private void toRule(Host sender, Device device, InwardRule rule) {
      for (Probe probe : probes(rule.services(), rule.family())) {
        led(
            sender,
            "'" + rule.name() + "' of " + device.name(),
            rule.family(),
            probe,
            (site, from) -> {
              Device there = site.devices().get(device.name());
              for (InwardRule each : there == null ? List.<InwardRule>of() : there.inward()) {
                if (each.name().equals(rule.name()) && each.block() != null) {
                  return each.block().first();
                }
              }
              return null;
            });
      }
    }

    private static List<Probe> probes(List<ServiceTerm> services, Family family) {
      return services.stream()
          .limit(MOST_SERVICES)
          .map(term -> Probe.of(term.service().parts().get(0), family))
          .distinct()
          .toList();
    }

    /** Leads a connection on both sites, where both have its ends. */
    private void led(
        Host sender,
        String to,
        Family family,
        Probe probe,
        BiFunction<Site, Host, @Nullable Address> receiver) {
      Host then = before.hosts().get(sender.name());
      Host today = after.hosts().get(sender.name());
      Address was = then == null ? null : receiver.apply(before, then);
      Address is = today == null ? null : receiver.apply(after, today);
      if (then == null
          || today == null
          || was == null
          || is == null
          || then.address(family) == null
          || today.address(family) == null) {
        return;
      }
      String key = sender.name() + " " + to + " " + probe + " " + family;
      if (found.containsKey(key)) {
        return;
      }
      if (tried == MOST) {
        complete = false;
        return;
      }
      tried++;
      Conversation first =
          old.converse(Attempt.at(then, was, probe, VirtualClock.start(before.timeZone())));
      Conversation second =
          now.converse(Attempt.at(today, is, probe, VirtualClock.start(after.timeZone())));
      if (first.outcome() != second.outcome()
          || !Change.receiver(first).equals(Change.receiver(second))) {
        found.put(key, new Change(sender.name(), to, first, second));
      }
    }
  }
}
