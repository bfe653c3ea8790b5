package org.eskerfield.check;

import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashSet;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.Group;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.SharedRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/**
 * Finds what is wrong with a site.
 *
 * <p>Idea: a finding is made only where overlapping address and port sets prove it, so that none is
 * false. What earlier rules of a list take away is not counted yet: a rule hidden behind another is
 * not found. Cost: rules times access rules of one device.
 */
public final class Checker {
  private static final AddressSet IPV4 =
      AddressSet.of(
          List.of(new AddressRange(Address.lowest(Family.IPV4), Address.highest(Family.IPV4))));

  private final Site site;
  private final List<Finding> findings = new ArrayList<>();

  /**
   * What a rule has translated, as access rules see it.
   *
   * @param services empty for every one
   * @param destinations the destinations after or before translation, as the device sees them
   * @param sources the sources
   */
  private record Seen(List<Service> services, AddressSet destinations, AddressSet sources) {}

  private final IdentityHashMap<InwardRule, Seen> seen = new IdentityHashMap<>();

  /** The addresses of the rules' terms: each list of terms is resolved once. */
  private final IdentityHashMap<List<AddressTerm>, AddressSet> resolved = new IdentityHashMap<>();

  private Checker(Site site) {
    this.site = site;
  }

  /** Everything that was found, the worst first, then in the order of the file. */
  public static List<Finding> check(Site site) {
    Checker checker = new Checker(site);
    for (Device device : site.devices().values()) {
      checker.translationWithoutAccess(device);
      checker.accessWithoutTranslation(device);
    }
    checker.unused();
    checker.findings.sort(
        Comparator.comparing((Finding f) -> f.code().severity())
            .thenComparing(f -> f.place().line())
            .thenComparing(f -> f.place().column()));
    return List.copyOf(checker.findings);
  }

  private void add(Code code, Named at, String message, String cure) {
    findings.add(new Finding(code, message, cure, at.place()));
  }

  private AddressSet addresses(List<AddressTerm> terms) {
    AddressSet known = resolved.get(terms);
    if (known == null) {
      known = site.addresses(terms);
      resolved.put(terms, known);
    }
    return known;
  }

  // Translation without access.

  private void translationWithoutAccess(Device device) {
    for (TranslationRule rule : device.translation()) {
      if (rule instanceof InwardRule to && !to.disabled() && to.admit() == null) {
        String barrier = barrier(device, to);
        if (barrier != null) {
          add(
              Code.TRANSLATION_WITHOUT_ACCESS,
              to,
              to.kind()
                  + " rule '"
                  + to.name()
                  + "' leads to "
                  + to.internal().text()
                  + ", but "
                  + barrier,
              "give the rule an 'admit', or add an access rule that accepts "
                  + reaching(device, to));
        }
      }
    }
  }

  /** What an access rule would have to accept, in the words of a rule. */
  private static String reaching(Device device, InwardRule rule) {
    String where = device.seesOriginal() ? rule.external().text() : rule.internal().text();
    List<String> services = new ArrayList<>();
    for (Service service : seenServices(device, rule)) {
      service.parts().forEach(part -> services.add(part.toString()));
    }
    return "to: " + where + (services.isEmpty() ? "" : ", service: " + String.join(", ", services));
  }

  private static String texts(List<ServiceTerm> services) {
    return String.join(", ", services.stream().map(ServiceTerm::text).toList());
  }

  /** What keeps everybody out on every way that the rule's packets can take; null if nothing. */
  private @Nullable String barrier(Device device, InwardRule rule) {
    Interface leaving = leaving(device, rule.internalBlock().first());
    if (leaving == null) {
      return null; // no way there at all is another mistake than this one
    }
    String barrier = null;
    for (Interface arriving : rule.facing().interfaces()) {
      barrier = barrier(device, rule, arriving, leaving);
      if (barrier == null) {
        return null;
      }
    }
    return barrier;
  }

  private static @Nullable Interface leaving(Device device, Address to) {
    for (Interface own : device.interfaces()) {
      if (own.network().prefixOf(to) != null) {
        return own;
      }
    }
    return device.routes().stream()
        .filter(route -> route.to().contains(to))
        .max(Comparator.comparing(route -> route.to().length()))
        .map(route -> route.leaving())
        .orElse(null);
  }

  private @Nullable String barrier(
      Device device, InwardRule rule, Interface arriving, Interface leaving) {
    boolean guarded = false;
    for (AccessList list : device.access()) {
      if (list.guards().stream().anyMatch(guard -> guards(guard, arriving, leaving))) {
        guarded = true;
        if (list.otherwise() != Action.ACCEPT
            && list.rules().stream().noneMatch(access -> lets(device, access, rule))) {
          return "list '" + list.name() + "' lets none of it in";
        }
      }
    }
    String from = arriving.network().zone();
    String to = leaving.network().zone();
    return guarded || device.stance().actionFor(from, to) == Action.ACCEPT
        ? null
        : "no list guards the way from "
            + from
            + " to "
            + to
            + ", and the stance there is "
            + device.stance().actionFor(from, to);
  }

  private static boolean guards(AccessList.Guard guard, Interface arriving, Interface leaving) {
    return !guard.toDevice()
        && covers(guard.arriving(), arriving)
        && covers(guard.leaving(), leaving);
  }

  private static boolean covers(@Nullable InterfaceTerm term, Interface own) {
    return term == null || term.names(own);
  }

  /** Whether an access rule accepts some packet that the destination rule has translated. */
  private boolean lets(Device device, AccessRule access, InwardRule rule) {
    if (access.disabled() || access.action() != Action.ACCEPT) {
      return false;
    }
    Seen seen = this.seen.computeIfAbsent(rule, r -> see(device, r));
    return (access.services().isEmpty() || servicesMeet(access, seen.services()))
        && (access.to().isEmpty() || addresses(access.to()).intersects(seen.destinations()))
        && (access.from().isEmpty() || addresses(access.from()).intersects(seen.sources()));
  }

  private Seen see(Device device, InwardRule rule) {
    Prefix to = device.seesOriginal() ? rule.external().now(Family.IPV4) : rule.internalBlock();
    return new Seen(
        seenServices(device, rule),
        to == null ? AddressSet.NONE : AddressSet.ofPrefixes(List.of(to)),
        rule.from().isEmpty() ? IPV4 : addresses(rule.from()));
  }

  private static boolean servicesMeet(AccessRule access, List<Service> offered) {
    for (ServiceTerm term : access.services()) {
      for (Service service : offered) {
        if (term.service().overlaps(service)) {
          return true;
        }
      }
    }
    return offered.isEmpty();
  }

  /** The services of a destination rule as access rules see them; empty for every one. */
  private static List<Service> seenServices(Device device, InwardRule rule) {
    List<Service> services = new ArrayList<>();
    for (ServiceTerm term : rule.services()) {
      Service service = term.service();
      PortSet ports = device.seesOriginal() ? null : rule.internalPorts();
      if (ports == null) {
        services.add(service);
        continue;
      }
      List<ServicePart> parts = new ArrayList<>();
      for (ServicePart part : service.parts()) {
        parts.add(
            Protocol.hasPorts(part.protocol())
                ? new ServicePart(part.protocol(), ports, Icmp.NO_TYPE)
                : part);
      }
      services.add(new Service(service.name(), parts, service.place()));
    }
    return services;
  }

  // Access without translation.

  private void accessWithoutTranslation(Device device) {
    for (AccessList list : device.access()) {
      if (list.guards().stream().noneMatch(Checker::isFromOutside)) {
        continue;
      }
      for (AccessRule rule : list.rules()) {
        if (offersPrivateHost(rule)
            && device.translation().stream().noneMatch(t -> leadsTo(device, t, rule))) {
          String to = String.join(", ", rule.to().stream().map(AddressTerm::text).toList());
          add(
              Code.ACCESS_WITHOUT_TRANSLATION,
              rule,
              "access rule '"
                  + rule.name()
                  + "' lets outsiders reach "
                  + to
                  + (rule.services().isEmpty() ? "" : " on " + texts(rule.services()))
                  + ", but no translation rule of "
                  + device.name()
                  + " leads there",
              "add a destination rule that becomes " + to + ", or take the access rule away");
        }
      }
    }
  }

  /** Whether all packets that the guard is about come straight from the internet. */
  private static boolean isFromOutside(AccessList.Guard guard) {
    InterfaceTerm arriving = guard.arriving();
    return arriving != null
        && !guard.toDevice()
        && arriving.interfaces().stream()
            .allMatch(own -> own.network().zone().equals(Site.INTERNET));
  }

  /** Whether a rule accepts packets of the internet, to private IPv4 addresses that it names. */
  private boolean offersPrivateHost(AccessRule rule) {
    if (rule.disabled() || rule.action() != Action.ACCEPT || rule.to().isEmpty()) {
      return false;
    }
    AddressSet to = addresses(rule.to());
    boolean allPrivate =
        !to.isEmpty()
            && !to.intersects(SpecialAddresses.NOT_ON_THE_INTERNET.complement())
            && to.intersects(IPV4);
    AddressSet carried = SpecialAddresses.NOT_ON_THE_INTERNET.complement();
    return allPrivate && (rule.from().isEmpty() || addresses(rule.from()).intersects(carried));
  }

  private boolean leadsTo(Device device, TranslationRule translation, AccessRule access) {
    return translation instanceof InwardRule rule && lets(device, access, rule) && !rule.disabled();
  }

  // Objects that nothing uses.

  private void unused() {
    Set<Service> services = new HashSet<>();
    Set<String> names = new HashSet<>();
    Set<Schedule> schedules = new HashSet<>();
    Set<Network> networks = new HashSet<>();
    site.groups().values().forEach(group -> addNames(names, group.members()));
    for (Host host : site.hosts().values()) {
      addServices(services, host.listens());
      networks.addAll(host.networks());
    }
    for (Device device : site.devices().values()) {
      device.interfaces().forEach(own -> networks.add(own.network()));
      for (OwnService own : device.services()) {
        services.add(own.service().service());
        addNames(names, own.from());
      }
      for (TranslationRule rule : device.translation()) {
        if (rule instanceof InwardRule to) {
          addNames(names, to.from());
          addServices(services, to.services());
          if (to.admit() != null) {
            addNames(names, to.admit().from());
            addIfPresent(schedules, to.admit().when());
          }
        } else if (rule instanceof SharedRule from) {
          addNames(names, from.from());
          addNames(names, from.to());
        } else if (rule instanceof DynamicRule from) {
          addNames(names, from.from());
          addNames(names, from.to());
        } else if (rule instanceof UntouchedRule both) {
          addNames(names, both.from());
          addNames(names, both.to());
        }
      }
      for (AccessList list : device.access()) {
        if (list.guards().isEmpty()) {
          add(
              Code.LIST_GUARDS_NOTHING,
              list,
              "list '" + list.name() + "' of " + device.name() + " guards no way",
              "say with 'guards' which way it guards, such as { arriving: "
                  + device.interfaces().get(0).name()
                  + " }, or take it away");
        }
        for (AccessRule rule : list.rules()) {
          addNames(names, rule.from());
          addNames(names, rule.to());
          addServices(services, rule.services());
          addIfPresent(schedules, rule.when());
        }
      }
    }
    reportUnused("service", site.services().values(), services);
    reportUnused("schedule", site.schedules().values(), schedules);
    for (Network network : site.networks().values()) {
      if (!networks.contains(network)
          && !names.contains(network.name())
          && !names.contains(network.zone())) {
        reportUnused("network", network);
      }
    }
    for (Group group : site.groups().values()) {
      if (!names.contains(group.name())) {
        reportUnused("group", group);
      }
    }
  }

  private static <T> void addIfPresent(Set<T> set, @Nullable T value) {
    if (value != null) {
      set.add(value);
    }
  }

  private static void addNames(Set<String> names, List<AddressTerm> terms) {
    for (AddressTerm term : terms) {
      names.add(term.text());
    }
  }

  private static void addServices(Set<Service> services, List<ServiceTerm> terms) {
    for (ServiceTerm term : terms) {
      services.add(term.service());
    }
  }

  private <T extends Named> void reportUnused(String kind, Collection<T> all, Set<T> used) {
    for (T thing : all) {
      if (!used.contains(thing)) {
        reportUnused(kind, thing);
      }
    }
  }

  private void reportUnused(String kind, Named thing) {
    add(
        Code.UNUSED,
        thing,
        "nothing uses " + kind + " '" + thing.name() + "'",
        "take it away, or use it");
  }
}
