// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.ledger;

import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.Group;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Route;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.trace.Labels;
import org.jspecify.annotations.Nullable;

/**
 * A place of a site where a named object is used.
 *
 * @param by the user of the name, in a few words: {@code destination rule 'booking' of lockhouse}
 * @param as the key that names it: {@code from}, {@code becomes}, {@code guards}…
 * @param at the object that uses it
 */
public record NamedUse(String by, String as, Placed at) {
  /**
   * Where a network, zone, host, group, device, interface, service, schedule or name is used, in
   * the order of the file; empty if nowhere. An address that stands for a host counts as well.
   */
  public static List<NamedUse> of(Site site, String name) {
    Finder finder = new Finder(site, name);
    finder.find();
    return List.copyOf(finder.uses);
  }

  /** Every name that can be asked for. */
  public static List<String> names(Site site) {
    List<String> names = new ArrayList<>();
    names.addAll(site.networks().keySet());
    names.addAll(site.zones());
    names.addAll(site.hosts().keySet());
    names.addAll(site.groups().keySet());
    names.addAll(site.devices().keySet());
    site.devices().values().forEach(d -> d.interfaces().forEach(own -> names.add(own.name())));
    names.addAll(site.services().keySet());
    names.addAll(site.schedules().keySet());
    names.addAll(site.names().keySet());
    return names;
  }

  private static final class Finder {
    private final Site site;
    private final String name;
    private final @Nullable Host host;
    private final List<NamedUse> uses = new ArrayList<>();

    Finder(Site site, String name) {
      this.site = site;
      this.name = name;
      this.host = site.hosts().get(name);
    }

    private void add(boolean used, String by, String as, Placed at) {
      if (used) {
        uses.add(new NamedUse(by, as, at));
      }
    }

    void find() {
      for (Network network : site.networks().values()) {
        String by = "network " + network.name();
        add(network.zone().equals(name), by, "zone", network);
        add(network.resolver() != null && is(network.resolver()), by, "resolver", network);
      }
      for (Host each : site.hosts().values()) {
        find(each);
      }
      for (Service service : site.services().values()) {
        // What a service is made of is kept as parts and not as names.
        Service meant = service.name().equals(name) ? null : site.services().get(name);
        boolean same = meant != null && service.parts().containsAll(meant.parts());
        add(same, "service " + service.name(), "covers it", service);
      }
      for (Group group : site.groups().values()) {
        terms(group.members(), "group " + group.name(), "members", group);
      }
      for (DomainName each : site.names().values()) {
        find(each);
      }
      site.devices().values().forEach(this::find);
    }

    private void find(Host each) {
      String by = "host " + each.name();
      for (Network network : each.networks()) {
        add(network.name().equals(name), by, "on", each);
      }
      add(each.resolver() != null && is(each.resolver()), by, "resolver", each);
      services(each.listens(), by, "listens", each);
      services(each.blocked(), by, "network-blocks", each);
      if (each.filter() != null) {
        rules(each.filter(), " in the filter of " + each.name());
      }
    }

    private void find(DomainName domain) {
      for (DomainName.Answer answer : domain.answers()) {
        String by = "name " + domain.name();
        boolean resolves = false;
        for (Address address : answer.addresses()) {
          resolves |= host != null && host.addresses().contains(address);
        }
        Interface follows = answer.follows();
        add(resolves || (follows != null && follows.name().equals(name)), by, "answer", answer);
        add(name.equals(answer.resolver()), by, "resolver", answer);
      }
    }

    private void find(Device device) {
      String of = " of " + device.name();
      for (Interface own : device.interfaces()) {
        String by = Labels.of(own) + of;
        add(own.network().name().equals(name), by, "on", own);
      }
      for (Stance.Pair pair : device.stance().pairs()) {
        boolean named = pair.from().equals(name) || pair.to().equals(name);
        add(named, "stance" + of, "a pair of zones", pair);
      }
      for (Route route : device.routes()) {
        Interface leaving = route.leaving();
        boolean by = leaving != null && leaving.name().equals(name);
        Network network = site.networks().get(name);
        boolean to = network != null && network.prefixes().contains(route.to());
        add(by, Labels.of(route) + of, "leaves by it", route);
        add(to, Labels.of(route) + of, "to", route);
      }
      for (OwnService own : device.services()) {
        String by = Labels.of(own) + of;
        services(List.of(own.service()), by, "service", own);
        terms(own.from(), by, "from", own);
      }
      device.translation().forEach(rule -> find(rule, Labels.of(rule) + of));
      for (AccessList list : device.access()) {
        for (AccessList.Guard guard : list.guards()) {
          boolean named = isSide(guard.arriving()) || isSide(guard.leaving());
          add(named, Labels.of(list) + of, "guards", guard);
        }
        rules(list, " in " + Labels.of(list) + of);
      }
    }

    private void find(TranslationRule rule, String by) {
      add(isSide(rule.facing()), by, "faces it", rule);
      terms(rule.from(), by, "from", rule);
      terms(rule.to(), by, "to", rule);
      add(isSide(rule.leaving()), by, "leaving", rule);
      services(rule.services(), by, "external ports", rule);
      InwardRule inward = rule.inward();
      if (inward != null) {
        Interface external = inward.external().ofInterface();
        add(external != null && external.name().equals(name), by, "its address", rule);
        terms(List.of(inward.internal()), by, "leads to it", rule);
      }
      Hairpin hairpin = rule.hairpin();
      add(hairpin != null && isSide(hairpin.from()), by, "hairpin", rule);
      Admission admit = rule.admit();
      if (admit != null) {
        terms(admit.from(), by, "admit", rule);
        add(isSchedule(admit.when()), by, "when", rule);
      }
      pool(rule.pool(), by, rule);
    }

    private void pool(@Nullable Pool pool, String by, Placed at) {
      if (pool != null) {
        terms(pool.terms(), by, "pool", at);
      }
    }

    private void rules(AccessList list, String in) {
      for (AccessRule rule : list.rules()) {
        String by = Labels.of(rule) + in;
        terms(rule.from(), by, "from", rule);
        terms(rule.to(), by, "to", rule);
        services(rule.services(), by, "service", rule);
        add(isSchedule(rule.when()), by, "when", rule);
      }
    }

    private void terms(Collection<AddressTerm> terms, String by, String as, Placed at) {
      add(terms.stream().anyMatch(this::is), by, as, at);
    }

    private void services(Collection<ServiceTerm> terms, String by, String as, Placed at) {
      add(terms.stream().anyMatch(term -> term.text().equals(name)), by, as, at);
    }

    /** Whether a term names the object, or is the very address of it. */
    private boolean is(AddressTerm term) {
      if (term.kind() != AddressTerm.Kind.LITERAL) {
        return term.text().equals(name);
      }
      return host != null
          && host.addresses().stream().anyMatch(own -> own.toString().equals(term.text()));
    }

    private boolean isSide(@Nullable InterfaceTerm term) {
      return term != null && term.text().equals(name);
    }

    private boolean isSchedule(@Nullable Schedule schedule) {
      return schedule != null && schedule.name().equals(name);
    }
  }
}
