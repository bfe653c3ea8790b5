// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.cause.TranslationCures;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Tracer;

/**
 * Rules that lead to a host which does not run the service, where another host does and everything
 * else is open to that one alone: each other host is tried in its place.
 */
final class WrongHost {
  /** Among more hosts a person has to choose. */
  private static final int MOST_CANDIDATES = 24;

  private final Inspection check;

  WrongHost(Inspection check) {
    this.check = check;
  }

  /**
   * Whether a rule is one of those; then it is said.
   *
   * @param taken what it takes, as it arrives
   */
  boolean inspect(InwardRule rule, PacketSet taken) {
    List<ServiceTerm> inside = Offers.inside(rule);
    Host present = check.site.hostLedTo(rule);
    if (present == null
        || rule.isStateless()
        || inside.isEmpty()
        || present.listens().stream().anyMatch(own -> overlaps(inside, own))) {
      return false;
    }
    List<Host> meant = new ArrayList<>();
    int candidates = 0;
    for (Host host : check.site.hosts().values()) {
      Address to = host.address(rule.family());
      boolean runs = host.listens().stream().anyMatch(own -> overlaps(inside, own));
      if (to == null || host.isOutside() || host.off() || !runs) {
        continue;
      }
      candidates++;
      if (candidates <= MOST_CANDIDATES && isOpenTo(host, rule, taken)) {
        meant.add(host);
      }
    }
    if (meant.size() != 1 || candidates > MOST_CANDIDATES) {
      return false;
    }
    Host host = meant.get(0);
    PacketSet shown = check.preferring(taken, senders(host));
    PacketSet.Member one = check.preferring(shown, check.describedOutside()).sample();
    check.add(
        Code.NOTHING_LISTENS,
        rule,
        Labels.of(rule)
            + " leads to "
            + rule.internal().text()
            + ", which does not listen on "
            + String.join(", ", inside.stream().map(ServiceTerm::text).toList())
            + "; "
            + host.name()
            + " does, and everything else on the way lets it through",
        check.traced(check.attempt(one)),
        redirected(rule, host));
    return true;
  }

  private static boolean overlaps(List<ServiceTerm> terms, ServiceTerm own) {
    return terms.stream().anyMatch(term -> term.service().overlaps(own.service()));
  }

  private static Cure redirected(InwardRule rule, Host host) {
    Address to = Objects.requireNonNull(host.address(rule.family()));
    return TranslationCures.redirected(rule, host, to);
  }

  /** Whether somebody who is let in to a host is answered by it once the rule leads there. */
  private boolean isOpenTo(Host host, InwardRule rule, PacketSet taken) {
    Site mended = Changes.on(check.site, redirected(rule, host).changes());
    Tracer tracer = Tracer.of(mended);
    PacketSet likely = check.preferring(taken, senders(host));
    for (PacketSet senders : List.of(likely, check.preferring(taken, check.strangers()))) {
      PacketSet.Member one = check.preferring(senders, check.describedOutside()).sample();
      Attempt attempt = check.attempt(one);
      if (attempt != null && tracer.converse(attempt).outcome() == Outcome.ANSWERED) {
        return true;
      }
    }
    return false;
  }

  /** Whom access rules name that are for a host; strangers only. */
  private AddressSet senders(Host host) {
    AddressSet named = AddressSet.NONE;
    for (Device device : check.site.devices().values()) {
      for (AccessList list : device.access()) {
        for (AccessRule access : list.rules()) {
          boolean his =
              access.action() == Action.ACCEPT
                  && access.to().stream().anyMatch(term -> term.text().equals(host.name()));
          named = his ? named.union(check.addresses(access.from())) : named;
        }
      }
    }
    return named.intersection(check.strangers());
  }
}
